"""The page that every sheet is printed on: its fonts, its colours, its head and foot."""

from __future__ import annotations

from collections.abc import Sequence
from io import BytesIO
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.colors import HexColor
from reportlab.lib.enums import TA_RIGHT
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Paragraph, SimpleDocTemplate, Table, TableStyle

INK, SOFT, HAIR, COPPER, STOP = (HexColor(c) for c in ("#1f2326", "#5b6266", "#c9c4b8", "#a4521a", "#9c1c28"))
MARGIN = 16 * mm
WIDTH = A4[0] - 2 * MARGIN
"""Width between the margins, in points."""
FOOT = "Rhombos computes; it certifies nothing. Local codes decide insulation, earthing and test."

for _name, _file in (("Sheet", "Vera.ttf"), ("Sheet-Bold", "VeraBd.ttf")):
    pdfmetrics.registerFont(TTFont(_name, _file))
pdfmetrics.registerFontFamily("Sheet", normal="Sheet", bold="Sheet-Bold")

BODY = ParagraphStyle("body", fontName="Sheet", fontSize=8.2, leading=11, textColor=INK)
SMALL = ParagraphStyle("small", parent=BODY, fontSize=7, leading=9, textColor=SOFT)
SMALL_RIGHT = ParagraphStyle("small right", parent=SMALL, alignment=TA_RIGHT)
RIGHT = ParagraphStyle("right", parent=BODY, alignment=TA_RIGHT)
HEAD = ParagraphStyle("head", parent=BODY, fontName="Sheet-Bold", fontSize=9, leading=12, spaceBefore=8, spaceAfter=3)
TITLE = ParagraphStyle("title", parent=BODY, fontName="Sheet-Bold", fontSize=14, leading=18)
CAUTION = ParagraphStyle("caution", parent=BODY, leftIndent=8, spaceAfter=3, borderPadding=0, textColor=STOP)


def say(text: str, style: ParagraphStyle = BODY) -> Paragraph:
    """A text as it is, in a style."""
    return Paragraph(escape(text), style)


def ruled(rows: Sequence[Sequence[Any]], widths: Sequence[float], *, headed: bool = True) -> Table:
    """A table with hair lines between its rows; the first is its head."""
    lines = [
        ("LINEBELOW", (0, 0), (-1, -1), 0.4, HAIR),
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("LEFTPADDING", (0, 0), (-1, -1), 2),
        ("RIGHTPADDING", (0, 0), (-1, -1), 4),
        ("TOPPADDING", (0, 0), (-1, -1), 2),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 3),
    ]
    if headed:
        lines.append(("LINEBELOW", (0, 0), (-1, 0), 0.8, INK))
    return Table([list(r) for r in rows], colWidths=list(widths), repeatRows=1 if headed else 0, style=TableStyle(lines))


def printed(story: Sequence[Any], title: str) -> bytes:
    """The PDF of a story; the same story gives the same bytes."""

    def foot(canvas: Any, document: Any) -> None:
        canvas.setFont("Sheet", 6.5)
        canvas.setFillColor(SOFT)
        canvas.drawString(MARGIN, 9 * mm, FOOT)
        canvas.drawRightString(A4[0] - MARGIN, 9 * mm, f"page {document.page}")

    out = BytesIO()
    document = SimpleDocTemplate(
        out,
        pagesize=A4,
        leftMargin=MARGIN,
        rightMargin=MARGIN,
        topMargin=MARGIN,
        bottomMargin=MARGIN,
        title=title,
        author="Rhombos",
        invariant=1,
    )
    document.build(list(story), onFirstPage=foot, onLaterPages=foot)
    return out.getvalue()
