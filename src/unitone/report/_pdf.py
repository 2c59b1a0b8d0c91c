"""The certificate as PDF (A4), set in the program's own typeface."""

from __future__ import annotations

from xml.sax.saxutils import escape

from reportlab.lib import colors
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Paragraph, Spacer, Table, TableStyle

from unitone.job.verdicts import describe_verdict
from unitone.report.certificate import Certificate
from unitone.report.paper import (
    BODY,
    CELL,
    HEADING,
    LINE,
    QUIET,
    RIGHT,
    SMALL,
    TITLE,
    banner,
    build,
    facts,
    register,
    section,
)
from unitone.words import tr

_COLOURS = {
    "in_spec": colors.HexColor("#2F6636"), "left_as_found": colors.HexColor("#2F6636"), "out_of_spec": colors.HexColor("#A8322A"),
    "recheck": colors.HexColor("#5A4B86"), "accepted": colors.HexColor("#A8322A"),
}  # fmt: skip


class VerdictMark(Flowable):  # type: ignore[misc]
    """A verdict as shape and word: disc, hollow square, triangle, lozenge or ring."""

    def __init__(self, verdict: str) -> None:
        super().__init__()
        self.verdict = verdict
        self.width, self.height = 30 * mm, 3.4 * mm

    def wrap(self, *_: float) -> tuple[float, float]:
        """Its size."""
        return self.width, self.height

    def draw(self) -> None:
        """Shape, then word."""
        c, colour, s = self.canv, _COLOURS.get(self.verdict, QUIET), 2.4 * mm
        c.setFillColor(colour)
        c.setStrokeColor(colour)
        c.setLineWidth(0.9)
        y = 0.3 * mm
        if self.verdict == "in_spec":
            c.circle(s / 2, y + s / 2, s / 2, stroke=0, fill=1)
        elif self.verdict == "left_as_found":
            c.rect(0.2 * mm, y + 0.2 * mm, s - 0.4 * mm, s - 0.4 * mm, stroke=1, fill=0)
        elif self.verdict == "accepted":
            path = c.beginPath()
            path.moveTo(0, y + 0.7 * mm)
            path.lineTo(s, y + 0.7 * mm)
            path.lineTo(s / 2, y + s)
            path.close()
            c.drawPath(path, stroke=1, fill=0)
            c.line(0, y, s, y)
        elif self.verdict == "not applicable":
            c.line(0, y + s / 2, s, y + s / 2)
        elif self.verdict in ("out_of_spec", "recheck"):
            path = c.beginPath()
            corners = (
                [(0, 0), (s, 0), (s / 2, s)]
                if self.verdict == "out_of_spec"
                else [(s / 2, 0), (s, s / 2), (s / 2, s), (0, s / 2)]
            )
            path.moveTo(corners[0][0], y + corners[0][1])
            for px, py in corners[1:]:
                path.lineTo(px, y + py)
            path.close()
            c.drawPath(path, stroke=0, fill=1)
        else:
            c.circle(s / 2, y + s / 2, s / 2 - 0.2 * mm, stroke=1, fill=0)
        c.setFont("B612", 7.5)
        c.drawString(s + 1.2 * mm, y + 0.2 * mm, describe_verdict(self.verdict))


def to_pdf(certificate: Certificate) -> bytes:
    """The certificate as the bytes of a PDF file."""
    register()
    c = certificate
    story: list[Flowable] = [
        Paragraph(tr("Unitone · alignment certificate"), SMALL), Paragraph(escape(c.radio), TITLE), Paragraph(escape(c.kind), SMALL),
        Spacer(1, 4 * mm),
    ]  # fmt: skip
    if c.simulated:
        story += banner(c.statement)
    rows = [
        ("Job", f"{c.number:04d}"), ("Serial", c.serial or "—"), ("Owner", c.owner or "—"), ("Complaint", c.complaint or "—"),
        ("Opened", c.opened[:10]), ("Finished", c.finished[:10] if c.finished else tr("not finished")), ("Result", c.summary),
    ]  # fmt: skip
    story += [facts(rows), Paragraph(tr("As found and as left"), HEADING), _results(c, CELL, RIGHT, SMALL)]
    story.append(
        Paragraph(tr("! out of limits as found. * first read after something that reaches it had been turned."), SMALL)
    )
    if c.turned:
        story += [
            Paragraph(tr("What was turned, from where it was found"), HEADING),
            Paragraph(escape(", ".join(f"{n} {a}" for n, a in c.turned)) + ".", BODY),
        ]
    for words, items in c.sections:
        story += section(words, items)
        if words == "Instruments" and items:
            story.append(
                Paragraph(tr("Decision rule: {escape} (w = U = 2u; ILAC-G8, JCGM 106).", escape=escape(c.rule)), SMALL)
            )
    if not c.simulated:
        story += [Spacer(1, 2 * mm), Paragraph(escape(c.statement), BODY)]
    story += [
        Spacer(1, 4 * mm),
        Paragraph(f"Sheet {escape(c.sheet_id)}, SHA-256 {escape(c.sheet_hash[:16])}… · job {escape(c.job_id)}", SMALL),
    ]
    foot = f"Job {c.number:04d} · {c.radio}" + (tr(" · simulated radio") if c.simulated else "")
    return build(story, f"Certificate {c.number:04d} · {c.radio}", foot)


def _results(c: Certificate, cell: ParagraphStyle, right: ParagraphStyle, quiet: ParagraphStyle) -> Table:
    rows: list[list[object]] = [
        [
            Paragraph(t, quiet)
            for t in ("Step", "Ch", "Limit", tr("As found"), tr("As left"), "Verdict", tr("Instrument, limit's source"))
        ]
    ]
    style = [("VALIGN", (0, 0), (-1, -1), "TOP"), ("LINEBELOW", (0, 0), (-1, -1), 0.4, LINE),
             ("TOPPADDING", (0, 0), (-1, -1), 2), ("BOTTOMPADDING", (0, 0), (-1, -1), 2)]  # fmt: skip
    phase = ""
    for r in c.rows:
        if r.phase != phase:
            phase = r.phase
            style.append(("SPAN", (0, len(rows)), (-1, len(rows))))
            rows.append([Paragraph(f"<font name='B612-Bold'>{escape(phase)}</font>", cell)] + [""] * 6)
        found = (
            escape(r.found)
            + (" !" if r.found_verdict == "out_of_spec" else "")
            + ("" if r.found_before_touch or r.found == "not read" else " *")
        )
        sources = escape("; ".join(x for x in (r.instrument, r.source, r.remark) if x))
        rows.append(
            [Paragraph(escape(r.title), cell), Paragraph(escape(r.channel), cell), Paragraph(escape(r.limit), right), Paragraph(found, right),
             Paragraph(escape(r.left), right), VerdictMark(r.verdict), Paragraph(sources, cell)]
        )  # fmt: skip
    table = Table(rows, colWidths=[36 * mm, 8 * mm, 27 * mm, 27 * mm, 27 * mm, 24 * mm, 29 * mm], repeatRows=1)
    table.setStyle(TableStyle(style))
    return table
