"""What every paper of Unitone shares: A4, the program's own typeface, banner, facts, sections."""

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
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

_FONTS = Path(__file__).resolve().parent.parent / "data" / "fonts"
INK, QUIET, LINE = colors.HexColor("#1D2B33"), colors.HexColor("#56626A"), colors.HexColor("#D5CEC0")

BODY = ParagraphStyle("body", fontName="B612", fontSize=8.5, leading=12, textColor=INK)
PLAIN = ParagraphStyle("plain", parent=BODY, fontSize=9.5, leading=14)
SMALL = ParagraphStyle("quiet", parent=BODY, textColor=QUIET, fontSize=8)
TITLE = ParagraphStyle("title", parent=BODY, fontName="B612-Bold", fontSize=18, leading=22)
HEADING = ParagraphStyle("heading", parent=BODY, fontName="B612-Bold", fontSize=10.5, spaceBefore=8, spaceAfter=3)
CELL = ParagraphStyle("cell", parent=BODY, fontSize=7.5, leading=9.5)
RIGHT = ParagraphStyle("right", parent=CELL, alignment=2)


def register() -> None:
    """Take the shipped typeface into use (once)."""
    if "B612" in pdfmetrics.getRegisteredFontNames():
        return
    pdfmetrics.registerFont(TTFont("B612", str(_FONTS / "B612-Regular.ttf")))
    pdfmetrics.registerFont(TTFont("B612-Bold", str(_FONTS / "B612-Bold.ttf")))


def banner(words: str) -> list[Flowable]:
    """Words that nobody may overlook."""
    made = Table([[Paragraph(f"<font name='B612-Bold'>{escape(words)}</font>", BODY)]], colWidths=[178 * mm])
    made.setStyle(
        TableStyle(
            [
                ("BACKGROUND", (0, 0), (-1, -1), colors.HexColor("#F6E3CB")),
                ("LINEBEFORE", (0, 0), (0, -1), 3, colors.HexColor("#C9701A")),
            ]
        )
    )
    return [made, Spacer(1, 3 * mm)]


def facts(rows: Sequence[tuple[str, str]]) -> Table:
    """Names and what they are, in two columns."""
    made = Table(
        [[Paragraph(escape(k), SMALL), Paragraph(escape(v), BODY)] for k, v in rows], colWidths=[24 * mm, 154 * mm]
    )
    made.setStyle(
        TableStyle(
            [
                ("TOPPADDING", (0, 0), (-1, -1), 0.5),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 0.5),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ]
        )
    )
    return made


def section(title: str, items: Sequence[str], style: ParagraphStyle = BODY) -> list[Flowable]:
    """A heading with its lines; nothing where there are none."""
    if not items:
        return []
    return [Paragraph(escape(title), HEADING), *(Paragraph("– " + escape(i), style) for i in items)]


def build(story: list[Flowable], title: str, foot: str) -> bytes:
    """The bytes of the PDF, with the same bytes for the same content."""
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=16 * mm, rightMargin=16 * mm, topMargin=16 * mm, bottomMargin=16 * mm,
        title=title, author="Unitone", invariant=True,
    )  # fmt: skip

    def page(canvas: Any, doc: Any) -> None:
        canvas.setFont("B612", 7.5)
        canvas.setFillColor(QUIET)
        canvas.drawString(16 * mm, 9 * mm, f"{foot} · page {doc.page}")

    document.build(story, onFirstPage=page, onLaterPages=page)
    return out.getvalue()
