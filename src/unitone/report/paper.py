"""What every paper of Unitone shares: A4, the program's own typeface, the workshop's head, badge, facts, sections, foot."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import BaseDocTemplate, Flowable, Frame, PageTemplate, Paragraph, Spacer, Table, TableStyle
from reportlab.platypus.doctemplate import NextPageTemplate

from unitone.report.head import Head
from unitone.words import tr

_FONTS = Path(__file__).resolve().parent.parent / "data" / "fonts"
INK, QUIET, LINE = colors.HexColor("#1D2B33"), colors.HexColor("#56626A"), colors.HexColor("#D5CEC0")
GREEN, RED, VIOLET = colors.HexColor("#2F6636"), colors.HexColor("#A8322A"), colors.HexColor("#5A4B86")
#: Of a limit bar: what lies outside, the band inside, its outline.
TRACK, FILL, OUTLINE = colors.HexColor("#EAE5DA"), colors.HexColor("#DCEBDC"), colors.HexColor("#8DB08F")
_VERDICTS = {
    "in_spec": GREEN, "left_as_found": GREEN, "out_of_spec": RED, "recheck": VIOLET, "accepted": RED, "undecided": VIOLET,
}  # fmt: skip
_BADGES = {
    "in_spec": ("#DCEBDC", GREEN),
    "out_of_spec": ("#F6DEDA", RED),
    "accepted": ("#F6E3CB", RED),
    "todo": ("#F6E3CB", INK),
}

BODY = ParagraphStyle("body", fontName="B612", fontSize=8.5, leading=12, textColor=INK)
PLAIN = ParagraphStyle("plain", parent=BODY, fontSize=9.5, leading=14)
SMALL = ParagraphStyle("quiet", parent=BODY, textColor=QUIET, fontSize=7.5, leading=9.5)
TITLE = ParagraphStyle("title", parent=BODY, fontName="B612-Bold", fontSize=18, leading=23)
HEADING = ParagraphStyle("heading", parent=BODY, fontName="B612-Bold", fontSize=10.5, spaceBefore=8, spaceAfter=3)
CAPTION = ParagraphStyle("caption", parent=BODY, fontName="B612-Bold", fontSize=6.8, leading=8.5, textColor=QUIET)
CELL = ParagraphStyle("cell", parent=BODY, fontSize=8, leading=9.5)
RIGHT = ParagraphStyle("right", parent=CELL, alignment=2)
BOLD_RIGHT = ParagraphStyle("bold-right", parent=RIGHT, fontName="B612-Bold")
_WIDE = 178 * mm
_EDGE = 16 * mm


def register() -> None:
    """Take the shipped typeface into use (once)."""
    if "B612" in pdfmetrics.getRegisteredFontNames():
        return
    pdfmetrics.registerFont(TTFont("B612", str(_FONTS / "B612-Regular.ttf")))
    pdfmetrics.registerFont(TTFont("B612-Bold", str(_FONTS / "B612-Bold.ttf")))
    pdfmetrics.registerFontFamily("B612", normal="B612", bold="B612-Bold", italic="B612", boldItalic="B612-Bold")


def colour_of(verdict: str) -> colors.Color:
    """The ink of a verdict; shape and word tell it, too."""
    return _VERDICTS.get(verdict, QUIET)


def draw_verdict(c: Canvas, verdict: str, s: float) -> None:
    """A verdict's shape in a square of side ``s`` at the origin: disc, hollow square, triangle, lozenge, ring or dash."""
    colour = colour_of(verdict)
    c.setFillColor(colour)
    c.setStrokeColor(colour)
    c.setLineWidth(0.9)
    corners = {"out_of_spec": [(0, 0), (s, 0), (s / 2, s)], "recheck": [(s / 2, 0), (s, s / 2), (s / 2, s), (0, s / 2)]}
    if verdict == "in_spec":
        c.circle(s / 2, s / 2, s / 2, stroke=0, fill=1)
    elif verdict == "left_as_found":
        c.rect(0.1 * s, 0.1 * s, 0.8 * s, 0.8 * s, stroke=1, fill=0)
    elif verdict == "accepted":
        _shape(c, [(0, 0.3 * s), (s, 0.3 * s), (s / 2, s)], filled=False)
        c.line(0, 0, s, 0)
    elif verdict in corners:
        _shape(c, corners[verdict], filled=True)
    elif verdict == "not applicable":
        c.line(0, s / 2, s, s / 2)
    else:
        c.circle(s / 2, s / 2, 0.42 * s, stroke=1, fill=0)


def _shape(c: Canvas, corners: Sequence[tuple[float, float]], filled: bool) -> None:
    path = c.beginPath()
    path.moveTo(*corners[0])
    for corner in corners[1:]:
        path.lineTo(*corner)
    path.close()
    c.drawPath(path, stroke=0 if filled else 1, fill=1 if filled else 0)


class Badge(Flowable):  # type: ignore[misc]
    """The result of a paper in a tinted box: its shape, a headline and a line below."""

    def __init__(self, verdict: str, headline: str, below: str) -> None:
        super().__init__()
        self.verdict, self.headline, self.below = verdict, headline, below
        self.width, self.height = 60 * mm, 13 * mm

    def wrap(self, *_: float) -> tuple[float, float]:
        """Its size."""
        return self.width, self.height

    def draw(self) -> None:
        """Box, shape, words."""
        c = self.canv
        tint, ink = _BADGES.get(self.verdict, _BADGES["todo"])
        c.setFillColor(colors.HexColor(tint))
        c.roundRect(0, 0, self.width, self.height, 2 * mm, stroke=0, fill=1)
        c.saveState()
        c.translate(4 * mm, 5.1 * mm)
        draw_verdict(c, self.verdict, 2.8 * mm)
        c.restoreState()
        c.setFillColor(ink)
        for words, font, largest, y in (
            (self.headline, "B612-Bold", 10.0, 7.4 * mm),
            (self.below, "B612", 7.5, 3.2 * mm),
        ):
            size = largest
            while size > 5.0 and c.stringWidth(words, font, size) > self.width - 12 * mm:
                size -= 0.25
            c.setFont(font, size)
            c.drawString(9.5 * mm, y, words)


class Signatures(Flowable):  # type: ignore[misc]
    """Two lines to sign on: the technician, and the date."""

    def __init__(self) -> None:
        super().__init__()
        self.width, self.height = _WIDE, 6 * mm

    def wrap(self, *_: float) -> tuple[float, float]:
        """Its size."""
        return self.width, self.height

    def draw(self) -> None:
        """Lines, and what belongs on them."""
        c = self.canv
        c.setStrokeColor(INK)
        c.setLineWidth(0.7)
        c.setFillColor(QUIET)
        c.setFont("B612", 7.0)
        for x, words in ((0.0, tr("Technician")), (_WIDE - 55 * mm, tr("Date"))):
            c.line(x, 4 * mm, x + 55 * mm, 4 * mm)
            c.drawString(x, 0.6 * mm, words)


def banner(words: str) -> list[Flowable]:
    """Words that nobody may overlook."""
    made = Table([[Paragraph(f"<font name='B612-Bold'>{escape(words)}</font>", BODY)]], colWidths=[_WIDE])
    made.setStyle(
        TableStyle(
            [
                ("BACKGROUND", (0, 0), (-1, -1), colors.HexColor("#F6E3CB")),
                ("LINEBEFORE", (0, 0), (0, -1), 3, colors.HexColor("#C9701A")),
            ]
        )
    )
    return [made, Spacer(1, 3 * mm)]


def labelled(rows: Sequence[tuple[str, str]], name_mm: float = 25.0) -> Table:
    """Names and what they are, in two columns: the name bold, the rest quiet."""
    name = ParagraphStyle("name", parent=SMALL, fontName="B612-Bold", textColor=INK)
    made = Table(
        [[Paragraph(escape(k), name), Paragraph(escape(v), SMALL)] for k, v in rows] or [["", ""]],
        colWidths=[name_mm * mm, _WIDE - name_mm * mm],
    )
    made.setStyle(
        TableStyle(
            [("TOPPADDING", (0, 0), (-1, -1), 1.2), ("BOTTOMPADDING", (0, 0), (-1, -1), 1.2), ("LEFTPADDING", (0, 0), (-1, -1), 0),
             ("VALIGN", (0, 0), (-1, -1), "TOP")]
        )
    )  # fmt: skip
    return made


def section(title: str, items: Sequence[str], style: ParagraphStyle = BODY) -> list[Flowable]:
    """A heading with its lines; nothing where there are none."""
    if not items:
        return []
    return [Paragraph(escape(title), HEADING), *(Paragraph("– " + escape(i), style) for i in items)]


class _Numbered(Canvas):  # type: ignore[misc]
    """A canvas that knows how many pages there are when it writes each foot."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._pages: list[dict[str, Any]] = []

    def showPage(self) -> None:
        """Keep the page until their number is known."""
        self._pages.append(dict(self.__dict__))
        self._startPage()

    def save(self) -> None:
        """Write every page with its foot."""
        for n, page in enumerate(self._pages, 1):
            self.__dict__.update(page)
            self.setFont("B612", 6.5)
            self.setFillColor(QUIET)
            foot = f"{getattr(self, 'foot', '')} · " + tr("page {n} of {all}", n=n, all=len(self._pages))
            self.drawString(_EDGE, 9 * mm, foot)
            self.drawRightString(A4[0] - _EDGE, 9 * mm, tr("made with Unitone"))
            super().showPage()
        super().save()


def _draw_head(c: Canvas, head: Head, kind: str, number: str) -> None:
    """The workshop's mark, name and address at the left, what the paper is at the right, a line below."""
    top, x = A4[1] - 12 * mm, _EDGE
    if head.mark:
        c.drawImage(
            ImageReader(io.BytesIO(head.mark)),
            x,
            top - 11 * mm,
            11 * mm,
            11 * mm,
            mask="auto",
            preserveAspectRatio=True,
        )
        x += 14 * mm
    c.setFillColor(INK)
    c.setFont("B612-Bold", 12.5)
    c.drawString(x, top - 4.6 * mm, head.name or "Unitone")
    c.drawRightString(A4[0] - _EDGE, top - 4.6 * mm, kind)
    c.setFillColor(QUIET)
    c.setFont("B612", 7.5)
    c.drawString(x, top - 9.6 * mm, head.line)
    c.drawRightString(A4[0] - _EDGE, top - 9.6 * mm, number)
    c.setStrokeColor(INK)
    c.setLineWidth(0.9)
    c.line(_EDGE, top - 13.5 * mm, A4[0] - _EDGE, top - 13.5 * mm)


def build(story: list[Flowable], title: str, foot: str, head: Head, kind: str, number: str) -> bytes:
    """The bytes of the PDF, with the same bytes for the same content: the workshop's head on its first page, a foot on each."""
    out = io.BytesIO()
    document = BaseDocTemplate(out, pagesize=A4, title=title, author=head.name or "Unitone", invariant=True)
    first = Frame(_EDGE, 14 * mm, _WIDE, A4[1] - 44 * mm, leftPadding=0, rightPadding=0, topPadding=0, bottomPadding=0)
    later = Frame(_EDGE, 14 * mm, _WIDE, A4[1] - 28 * mm, leftPadding=0, rightPadding=0, topPadding=0, bottomPadding=0)

    def on_first(canvas: Any, doc: Any) -> None:
        del doc
        canvas.foot = foot
        _draw_head(canvas, head, kind, number)

    document.addPageTemplates([PageTemplate("first", [first], onPage=on_first), PageTemplate("later", [later])])
    document.build([NextPageTemplate("later"), *story], canvasmaker=_Numbered)
    return out.getvalue()
