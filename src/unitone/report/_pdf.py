"""The certificate as PDF (A4), set in the program's own typeface: found and left as two marks on a bar in each row."""

from __future__ import annotations

from itertools import groupby
from xml.sax.saxutils import escape

from reportlab.lib.units import mm
from reportlab.platypus import Flowable, KeepTogether, Paragraph, Spacer, Table, TableStyle

from unitone.report.certificate import Certificate, Row, told_below
from unitone.report.paper import (
    BODY,
    BOLD_RIGHT,
    CAPTION,
    CELL,
    FILL,
    LINE,
    OUTLINE,
    QUIET,
    RIGHT,
    SMALL,
    TITLE,
    TRACK,
    Badge,
    Signatures,
    banner,
    build,
    colour_of,
    draw_verdict,
    labelled,
    register,
)
from unitone.words import day, tr

_WIDTHS = (46 * mm, 33 * mm, 32 * mm, 24 * mm, 24 * mm, 19 * mm)


class Bar(Flowable):  # type: ignore[misc]
    """The limits as a band on a bar; a ring where the reading was found, a disc (a triangle out of spec) where it was left."""

    def __init__(self, row: Row) -> None:
        super().__init__()
        self.row = row
        self.width, self.height = _WIDTHS[2] - 3 * mm, 4.2 * mm

    def wrap(self, *_: float) -> tuple[float, float]:
        """Its size."""
        return self.width, self.height

    def draw(self) -> None:
        """Bar, band, then the two marks with a line between them."""
        c, r, y, room = self.canv, self.row, self.height / 2, self.width
        c.setFillColor(TRACK)
        c.roundRect(0, y - 0.8 * mm, room, 1.6 * mm, 0.8 * mm, stroke=0, fill=1)
        low, high = r.band
        c.setFillColor(FILL)
        c.setStrokeColor(OUTLINE)
        c.setLineWidth(0.5)
        c.roundRect(
            low * room, y - 0.95 * mm, max((high - low) * room, 1.9 * mm), 1.9 * mm, 0.95 * mm, stroke=1, fill=1
        )
        found, left = (None if p is None else 1.2 * mm + p * (room - 2.4 * mm) for p in (r.found_place, r.left_place))
        c.setStrokeColor(QUIET)
        if found is not None and left is not None:
            c.line(found, y, left, y)
        if found is not None and (left is None or abs(found - left) > 0.2 * mm):
            c.setStrokeColor(QUIET)
            c.setFillColorRGB(1, 1, 1)
            c.setLineWidth(0.8)
            c.circle(found, y, 1.0 * mm, stroke=1, fill=1)
        if left is not None:
            c.saveState()
            c.translate(left - 1.1 * mm, y - 1.1 * mm)
            draw_verdict(c, r.verdict if r.verdict != "left_as_found" else "in_spec", 2.2 * mm)
            c.restoreState()


class Legend(Flowable):  # type: ignore[misc]
    """What ring and disc mean."""

    def wrap(self, *_: float) -> tuple[float, float]:
        """Its size."""
        return _WIDTHS[2] - 3 * mm, 3.4 * mm

    def draw(self) -> None:
        """``found`` with a ring, ``left`` with a disc."""
        c, x = self.canv, 0.0
        c.setFont("B612", 7.5)
        for words, filled in ((tr("found"), 0), (tr("as left"), 1)):
            c.setFillColor(QUIET)
            c.drawString(x, 0.9 * mm, words)
            x += c.stringWidth(words, "B612", 7.5) + 2.2 * mm
            c.setStrokeColor(QUIET)
            c.circle(x, 1.8 * mm, 0.9 * mm, stroke=1, fill=filled)
            x += 3.4 * mm


class Outcome(Flowable):  # type: ignore[misc]
    """What was done, or the verdict as shape and word, at the right edge of its column."""

    def __init__(self, row: Row) -> None:
        super().__init__()
        self.row = row
        self.width, self.height = _WIDTHS[5], 3.6 * mm

    def wrap(self, *_: float) -> tuple[float, float]:
        """Its size."""
        return self.width, self.height

    def draw(self) -> None:
        """The word, and its shape before it where it is a verdict to be looked at."""
        c, words = self.canv, self.row.outcome
        size = 7.0
        while size > 5.0 and c.stringWidth(words, "B612", size) > self.width - 4 * mm:
            size -= 0.25
        c.setFont("B612", size)
        c.setFillColor(colour_of(self.row.verdict))
        c.drawRightString(self.width, 1.0 * mm, words)
        if self.row.verdict not in ("in_spec", "left_as_found", "todo", "not applicable"):
            c.saveState()
            c.translate(self.width - c.stringWidth(words, "B612", size) - 3.2 * mm, 0.8 * mm)
            draw_verdict(c, self.row.verdict, 2.2 * mm)
            c.restoreState()


def to_pdf(certificate: Certificate) -> bytes:
    """The certificate as the bytes of a PDF file."""
    register()
    c = certificate
    about = [c.kind]
    if c.serial:
        about.append(tr("serial {n}", n=c.serial))
    if c.owner:
        about.append(tr("for {owner}", owner=c.owner))
    title = [Paragraph(escape(c.radio), TITLE), Paragraph(escape(" · ".join(about)), SMALL)]
    top = Table([[title, Badge(*c.badge)]], colWidths=[118 * mm, 60 * mm])
    top.setStyle(
        TableStyle(
            [("VALIGN", (0, 0), (-1, -1), "TOP"), *((p, (0, 0), (-1, -1), 0) for p in ("LEFTPADDING", "RIGHTPADDING"))]
        )
    )
    story: list[Flowable] = [top, Spacer(1, 3 * mm)]
    if c.simulated:
        story += banner(c.statement)
    if c.paragraph:
        story += [Paragraph(escape(c.paragraph), BODY), Spacer(1, 2 * mm)]
    story.append(_results(c))
    story += [Spacer(1, 3 * mm), labelled(told_below(c)), KeepTogether([Spacer(1, 14 * mm), Signatures()])]
    when = day(c.finished or c.opened)
    foot = tr(
        "Job {job} · sheet {sheet}, SHA-256 {hash}…", job=f"{c.number:04d}", sheet=c.sheet_id, hash=c.sheet_hash[:12]
    )
    return build(
        story, f"{tr('Certificate')} {c.number:04d} · {c.radio}", foot + (" · " + tr("simulated radio") if c.simulated else ""),
        c.head, tr("Alignment certificate"), tr("No. {job} · {date}", job=f"{c.number:04d}", date=when),
    )  # fmt: skip


def _results(c: Certificate) -> Table:
    heads = (tr("Reading"), tr("Limit"), "", tr("Found"), tr("Left"), "")
    rows: list[list[object]] = [[Paragraph(escape(h), RIGHT if n in (3, 4) else SMALL) for n, h in enumerate(heads)]]
    rows[0][2] = Legend()
    style: list[tuple[object, ...]] = [
        ("VALIGN", (0, 0), (-1, -1), "MIDDLE"), ("LINEBELOW", (0, 0), (-1, 0), 0.6, LINE), ("LINEBELOW", (0, -1), (-1, -1), 0.6, LINE),
        ("TOPPADDING", (0, 0), (-1, -1), 1.1), ("BOTTOMPADDING", (0, 0), (-1, -1), 1.1), ("LEFTPADDING", (0, 0), (-1, -1), 0),
        ("RIGHTPADDING", (0, 0), (-1, -1), 2),
    ]  # fmt: skip
    for phase, group in groupby(c.rows, lambda r: r.phase):
        style += [("SPAN", (0, len(rows)), (-1, len(rows))), ("TOPPADDING", (0, len(rows)), (-1, len(rows)), 5)]
        rows.append([Paragraph(escape(phase.upper()), CAPTION)] + [""] * 5)
        for r in group:
            title = r.title + (tr(", ch {n}", n=r.channel) if r.channel else "")
            late = "" if r.found_before_touch or r.found_value is None else " *"
            found = (
                f"<font color='#A8322A'>{escape(r.found)}</font>"
                if r.found_verdict == "out_of_spec"
                else escape(r.found)
            )
            rows.append(
                [Paragraph(escape(title), CELL), Paragraph(escape(r.limit), SMALL), Bar(r), Paragraph(found + late, RIGHT),
                 Paragraph(escape(r.left), BOLD_RIGHT), Outcome(r)]
            )  # fmt: skip
    made = Table(rows, colWidths=list(_WIDTHS), repeatRows=1)
    made.setStyle(TableStyle(style))
    return made
