"""A conversion to print and take to the bench: the way, its crystals and cautions, and every channel with its divider and pins."""

from __future__ import annotations

from collections.abc import Sequence
from xml.sax.saxutils import escape

from unitone.report.head import Head
from unitone.words import day, tr


def render_pin_table(
    radio: str, way: str, notes: Sequence[str], columns: Sequence[str], rows: Sequence[Sequence[str]], utc: str, head: Head
) -> bytes:  # fmt: skip
    """The table as PDF; ``rows`` are cells in the order of ``columns``, which are repeated on every page."""
    from reportlab.lib.units import mm
    from reportlab.platypus import Flowable, Paragraph, Spacer, Table, TableStyle

    from unitone.report import paper

    paper.register()
    story: list[Flowable] = [Paragraph(escape(radio), paper.TITLE), Paragraph(escape(way), paper.PLAIN)]
    story += paper.section(tr("What to mind"), notes, paper.BODY)
    story.append(Spacer(1, 3 * mm))
    body = [[Paragraph(escape(c), paper.SMALL) for c in columns]]
    body += [[Paragraph(escape(cell), paper.CELL) for cell in row] for row in rows]
    table = Table(body, colWidths=[w * mm for w in (24, 20, 54, 14, 48, 18)], repeatRows=1)
    table.setStyle(
        TableStyle(
            [("LINEBELOW", (0, 0), (-1, -1), 0.3, paper.LINE), ("TOPPADDING", (0, 0), (-1, -1), 0.8), ("BOTTOMPADDING", (0, 0), (-1, -1), 1.4)]
        )
    )  # fmt: skip
    story.append(table)
    title = tr("Conversion")
    return paper.build(story, f"{title} · {radio}", radio, head, title, day(utc))
