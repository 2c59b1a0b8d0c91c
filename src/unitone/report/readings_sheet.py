"""The sheet to fill in at the bench by pencil: every reading of the procedure, by hook-up, with its limit and an empty box."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

from unitone.report.head import Head
from unitone.words import day, tr

FORMS = ("pdf",)
#: Widths on the page (mm): what is read, its limit; the boxes share the rest.
_TITLE_MM, _LIMIT_MM, _ALL_MM = 62.0, 34.0, 178.0


@dataclass(frozen=True)
class BlankRow:
    """A line: what is read, how, its limit, and in each column what was read (None: no box there, "": an empty one)."""

    title: str
    how: str
    limit: str
    boxes: tuple[str | None, ...]


@dataclass(frozen=True)
class BlankGroup:
    """The lines of one hook-up, with what to mind before it."""

    title: str
    safety: str
    rows: tuple[BlankRow, ...]


def render_sheet(
    number: int, radio: str, serial: str, utc: str, simulated: bool, columns: Sequence[str], groups: Sequence[BlankGroup],
    head: Head,
) -> bytes:  # fmt: skip
    """The sheet as PDF."""
    from reportlab.lib import colors
    from reportlab.lib.units import mm
    from reportlab.platypus import Flowable, Paragraph, Spacer, Table, TableStyle

    from unitone.report import paper

    paper.register()
    story: list[Flowable] = [
        Paragraph(escape(radio), paper.TITLE),
        Paragraph(escape(tr("serial {n}", n=serial) if serial else tr("serial ……………………")), paper.SMALL),
        Spacer(1, 2 * mm),
    ]
    if simulated:
        story += paper.banner(tr("Simulated radio, not a real one."))
    box = (_ALL_MM - _TITLE_MM - _LIMIT_MM) / max(len(columns), 1)
    widths = [_TITLE_MM * mm, _LIMIT_MM * mm, *(box * mm for _ in columns)]
    heads = [tr("Reading"), tr("In spec"), *columns]
    for group in groups:
        story += [Paragraph(escape(group.title), paper.HEADING), Paragraph(escape(group.safety), paper.SMALL)]
        body = [[Paragraph(escape(h), paper.SMALL) for h in heads]]
        style = TableStyle(
            [("LINEBELOW", (0, 0), (-1, -1), 0.4, paper.LINE), ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
             ("TOPPADDING", (0, 0), (-1, -1), 2), ("BOTTOMPADDING", (0, 0), (-1, -1), 3)]
        )  # fmt: skip
        for y, row in enumerate(group.rows, 1):
            words = escape(row.title) + (f"<br/><font size='7'>{escape(row.how)}</font>" if row.how else "")
            cells = [Paragraph(escape(b or ""), paper.BODY) for b in row.boxes]
            body.append([Paragraph(words, paper.BODY), Paragraph(escape(row.limit), paper.BODY), *cells])
            for x, value in enumerate(row.boxes, 2):
                if value is not None:
                    style.add("BOX", (x, y), (x, y), 0.8, colors.black)
        table = Table(body, colWidths=widths, repeatRows=1)
        table.setStyle(style)
        story.append(table)
    job = f"{number:04d}"
    return paper.build(
        story, f"{tr('As-found sheet')} {job} · {radio}", tr("Job {job}", job=job) + f" · {radio}", head, tr("As-found sheet"),
        tr("No. {job} · {date}", job=job, date=day(utc)),
    )  # fmt: skip
