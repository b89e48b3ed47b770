"""The build sheet as a PDF on A4, set in the font that ships with the program."""

from __future__ import annotations

import io
from importlib import resources
from typing import Any
from xml.sax.saxutils import escape

from pigtail.sheet.content import Sheet, SheetTable

MARGIN_PT = 40.0
FRAME_PT = 6.0  # padding of the page's frame on each side
WEIGHTS = {
    "Loom": (0.5, 2.2, 2.2, 1.7, 0.9, 1.3, 0.9, 1.9),
    "Numbers": (2.4, 3, 3, 1.6),
    "Parts": (2, 2, 1, 2.4),
}


def _fonts() -> None:
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    if "B612" in pdfmetrics.getRegisteredFontNames():
        return
    folder = resources.files("pigtail.sheet").joinpath("data", "fonts")
    for name, file in (("B612", "B612-Regular.ttf"), ("B612-Bold", "B612-Bold.ttf")):
        pdfmetrics.registerFont(TTFont(name, io.BytesIO(folder.joinpath(file).read_bytes())))
    pdfmetrics.registerFontFamily(
        "B612", normal="B612", bold="B612-Bold", italic="B612", boldItalic="B612-Bold"
    )


def pdf_bytes(sheet: Sheet) -> bytes:
    """The PDF file of a sheet."""
    from reportlab.lib.pagesizes import A4
    from reportlab.platypus import SimpleDocTemplate

    _fonts()
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=MARGIN_PT, rightMargin=MARGIN_PT, topMargin=MARGIN_PT, bottomMargin=MARGIN_PT,
        title=f"{sheet.title} – build sheet", author="Pigtail", invariant=1,
    )  # fmt: skip
    document.build(
        _story(sheet, document.width - 2 * FRAME_PT), onFirstPage=_foot(sheet), onLaterPages=_foot(sheet)
    )
    return out.getvalue()


def _foot(sheet: Sheet) -> Any:
    def draw(canvas: Any, document: Any) -> None:
        canvas.setFont("B612", 7)
        canvas.drawString(MARGIN_PT, 24, f"{sheet.title[:80]} · Pigtail")
        canvas.drawRightString(MARGIN_PT + document.width, 24, f"page {document.page}")

    return draw


def _styles() -> dict[str, Any]:
    from reportlab.lib.colors import HexColor
    from reportlab.lib.styles import ParagraphStyle

    base = ParagraphStyle("base", fontName="B612", fontSize=8.5, leading=11.5, textColor=HexColor("#1d1b18"))
    return {
        "text": base,
        "cell": ParagraphStyle("cell", parent=base, fontSize=7, leading=9),
        "head": ParagraphStyle("head", parent=base, fontName="B612-Bold", fontSize=7, leading=9),
        "title": ParagraphStyle("title", parent=base, fontName="B612-Bold", fontSize=16, leading=20),
        "section": ParagraphStyle(
            "section", parent=base, fontName="B612-Bold", fontSize=11, leading=14, spaceBefore=9, spaceAfter=3
        ),
        "caution": ParagraphStyle(
            "caution", parent=base, textColor=HexColor("#a3262a"), fontName="B612-Bold"
        ),
    }


def _story(sheet: Sheet, width: float) -> list[Any]:
    from reportlab.platypus import Paragraph, Spacer

    style = _styles()
    verdicts = " · ".join(f"{escape(n)}: <b>{escape(v)}</b>" for n, v in sheet.verdicts)
    story: list[Any] = [
        Paragraph(escape(sheet.title), style["title"]),
        Paragraph(escape(sheet.subtitle), style["text"]),
        Spacer(1, 6),
        _cautions(sheet, style, width),
        Spacer(1, 6),
        Paragraph(verdicts, style["text"]),
    ]
    if sheet.wanted:
        story.append(Paragraph(escape(sheet.wanted), style["text"]))
    for title, lines, none in (
        ("The plan", sheet.plan, "Nothing is planned yet."),
        ("Open questions", sheet.questions, "None."),
    ):
        story.append(Paragraph(title, style["section"]))
        story += [Paragraph("• " + escape(line), style["text"]) for line in lines or (none,)]
    for table in sheet.tables:
        story += _table(table, style, width)
    return story


def _cautions(sheet: Sheet, style: dict[str, Any], width: float) -> Any:
    from reportlab.lib.colors import HexColor
    from reportlab.platypus import Paragraph
    from reportlab.platypus import Table as Grid

    lines = [Paragraph("Cautions first", style["caution"])]
    lines += [Paragraph("• " + escape(c), style["text"]) for c in sheet.cautions]
    box = Grid([[lines]], colWidths=[width])
    box.setStyle([("BOX", (0, 0), (-1, -1), 2, HexColor("#a3262a"))])
    return box


def _table(table: SheetTable, style: dict[str, Any], width: float) -> list[Any]:
    from reportlab.lib.colors import HexColor
    from reportlab.platypus import Paragraph
    from reportlab.platypus import Table as Grid

    parts: list[Any] = [Paragraph(escape(table.title), style["section"])]
    if not table.rows:
        return [*parts, Paragraph("None yet.", style["text"])]
    weights = WEIGHTS.get(table.title, (1.0,) * len(table.columns))
    widths = [width * w / sum(weights) for w in weights]
    rows = [[Paragraph(escape(c), style["head"]) for c in table.columns]]
    rows += [[Paragraph(escape(c), style["cell"]) for c in row] for row in table.rows]
    grid = Grid(rows, colWidths=widths, repeatRows=1)
    grid.setStyle(
        [
            ("LINEBELOW", (0, 0), (-1, 0), 1, HexColor("#5b5348")),
            ("LINEBELOW", (0, 1), (-1, -1), 0.4, HexColor("#cfc7b8")),
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LEFTPADDING", (0, 0), (-1, -1), 2),
            ("RIGHTPADDING", (0, 0), (-1, -1), 3),
        ]
    )
    parts.append(grid)
    if table.note:
        parts.append(Paragraph(escape(table.note), style["cell"]))
    return parts
