"""The build sheet as a PDF on A4 or Letter, set in the font that ships with the program; all of it vector."""

from __future__ import annotations

import enum
import io
import re
from importlib import resources
from typing import Any

from pigtail.drawing.svg import escape
from pigtail.language import tr
from pigtail.sheet.blocks import Sheet, SheetPhoto, SheetPicture, SheetTable
from pigtail.sheet.pages import pictures, shown_photo

MARGIN_PT = 34.0
FRAME_PT = 6.0  # padding of the page's frame on each side
FOOT_PT = 8.0


class PageSize(enum.Enum):
    """What the sheet is printed on."""

    A4 = "A4"
    LETTER = "Letter"


#: A word longer than this is broken into pieces, since no column is so wide, and laying out thousands of letters as one word takes long
#: [letters].
LONGEST_WORD, PIECE = 48, 12
_LONG_WORD = re.compile(rf"\S{{{LONGEST_WORD + 1},}}")


def _set(text: str) -> str:
    """A text as it is set: escaped, and words broken that no column could hold."""
    return escape(_LONG_WORD.sub(lambda m: " ".join(re.findall(rf".{{1,{PIECE}}}", m[0])), text))


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


def pdf_bytes(sheet: Sheet, paper: PageSize = PageSize.A4) -> bytes:
    """The PDF file of a sheet: upright pages, and lying ones for what is broad. Every font is embedded, all of it is tagged."""
    from reportlab.lib.pagesizes import A4, landscape, letter
    from reportlab.platypus import BaseDocTemplate, Frame, PageTemplate

    from pigtail.sheet.tagging import Telling

    _fonts()
    out = io.BytesIO()
    upright = A4 if paper is PageSize.A4 else letter
    document = BaseDocTemplate(
        out, pagesize=upright, title=tr("{sheet} – build sheet", sheet=sheet.title), author="Pigtail", invariant=1, initialFontName="B612",
    )  # fmt: skip
    for name, size in (("upright", upright), ("lying", landscape(upright))):
        width, height = size[0] - 2 * MARGIN_PT, size[1] - 2 * MARGIN_PT - FOOT_PT
        frame = Frame(
            MARGIN_PT,
            MARGIN_PT + FOOT_PT,
            width,
            height,
            leftPadding=FRAME_PT,
            rightPadding=FRAME_PT,
            topPadding=0,
            bottomPadding=0,
        )
        document.addPageTemplates(PageTemplate(name, [frame], onPage=_foot(sheet, size[0]), pagesize=size))
    rooms = {
        broad: (size[0] - 2 * MARGIN_PT - 2 * FRAME_PT, size[1] - 2 * MARGIN_PT - FOOT_PT)
        for broad, size in ((False, upright), (True, landscape(upright)))
    }
    document.build(_story(sheet, rooms), canvasmaker=Telling)
    return out.getvalue()


def _foot(sheet: Sheet, wide: float) -> Any:
    def draw(canvas: Any, document: Any) -> None:
        canvas.begin_ornament()
        canvas.setFont("B612", 7)
        canvas.drawString(MARGIN_PT, 22, f"{sheet.title[:80]} · Pigtail")
        canvas.drawRightString(wide - MARGIN_PT, 22, tr("page {page}", page=document.page))
        canvas.end()

    return draw


def _styles() -> dict[str, Any]:
    from reportlab.lib.colors import HexColor
    from reportlab.lib.styles import ParagraphStyle

    base = ParagraphStyle(
        "base",
        fontName="B612",
        bulletFontName="B612",
        fontSize=8.5,
        leading=11.5,
        textColor=HexColor("#1d1b18"),
    )
    return {
        "text": base,
        "cell": ParagraphStyle("cell", parent=base, fontSize=7, leading=9),
        "head": ParagraphStyle("head", parent=base, fontName="B612-Bold", fontSize=7, leading=9),
        "title": ParagraphStyle("title", parent=base, fontName="B612-Bold", fontSize=16, leading=20),
        "section": ParagraphStyle(
            "section",
            parent=base,
            fontName="B612-Bold",
            fontSize=11,
            leading=14,
            spaceBefore=9,
            spaceAfter=3,
            keepWithNext=1,
        ),
        "caution": ParagraphStyle(
            "caution", parent=base, textColor=HexColor("#a3262a"), fontName="B612-Bold"
        ),
    }


Room = tuple[float, float]


def _words(text: str, style: Any, role: str = "P", place: Any = None) -> Any:
    """A paragraph in its role."""
    from pigtail.sheet.tagging import ToldParagraph

    return ToldParagraph(text, style).told(role, place)


def _story(sheet: Sheet, rooms: dict[bool, Room]) -> list[Any]:
    from reportlab.platypus import Spacer

    style, width = _styles(), rooms[False][0]
    verdicts = " · ".join(f"{_set(n)}: <b>{_set(tr(v))}</b>" for n, v in sheet.verdicts)
    story: list[Any] = [
        _words(_set(sheet.title), style["title"], "H1"),
        _words(_set(sheet.subtitle), style["text"]),
        Spacer(1, 6),
        _cautions(sheet, style, width),
        Spacer(1, 6),
        _words(verdicts, style["text"]),
    ]
    if sheet.wanted:
        story.append(_words(_set(sheet.wanted), style["text"]))
    for block in sheet.blocks:
        if isinstance(block, SheetTable):
            story += _table(block, style, width)
        elif isinstance(block, SheetPhoto):
            story += _photo(block, style, rooms[False])
        elif isinstance(block, SheetPicture):
            story += _picture(block, style, rooms[block.broad])
        else:
            story.append(_words(_set(block.title), style["section"], "H2"))
            story += [_words("• " + _set(line), style["text"]) for line in block.lines or (block.none,)]
    return story


def _photo(block: SheetPhoto, style: dict[str, Any], room: Room) -> list[Any]:
    """A heading, the photo with its numbered pins, and what each is."""
    from reportlab.platypus import KeepTogether, Spacer

    head = [_words(_set(block.title), style["section"], "H2"), Spacer(1, 3)]
    told = [_words(_set(line), style["text"]) for line in block.legend()]
    note = [_words(_set(block.note), style["cell"])] if block.note else []
    if not block.image:
        return [*head, *told, *note]
    return [KeepTogether([*head, shown_photo(block, room[0], 0.6 * room[1]), Spacer(1, 3)]), *told, *note]


def _picture(block: SheetPicture, style: dict[str, Any], room: Room) -> list[Any]:
    """A heading, its drawings and its note; a broad one on pages of its own."""
    from reportlab.platypus import KeepTogether, NextPageTemplate, PageBreak, Spacer

    head = [_words(_set(block.title), style["section"], "H2"), Spacer(1, 3)]
    note = [_words(_set(block.note), style["cell"])] if block.note else []
    drawn = pictures(block.drawings, block.scale, room[0], room[1] - 46)
    if not block.broad:
        return [KeepTogether([*head, *drawn, *note])]
    return [
        NextPageTemplate("lying"),
        PageBreak(),
        *head,
        *drawn,
        *note,
        NextPageTemplate("upright"),
        PageBreak(),
    ]


def _cautions(sheet: Sheet, style: dict[str, Any], width: float) -> Any:
    from reportlab.lib.colors import HexColor

    from pigtail.sheet.tagging import Grid

    lines = [_words(tr(tr("Cautions first")), style["caution"], "H2")]
    lines += [_words("• " + _set(c), style["text"]) for c in sheet.cautions]
    box = Grid([[line] for line in lines], colWidths=[width], splitInRow=1)
    box.setStyle(
        [
            ("BOX", (0, 0), (-1, -1), 2, HexColor("#a3262a")),
            ("FONTNAME", (0, 0), (-1, -1), "B612"),
            ("TOPPADDING", (0, 0), (-1, -1), 1),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 1),
        ]
    )
    return box


def _table(table: SheetTable, style: dict[str, Any], width: float) -> list[Any]:
    from reportlab.lib.colors import HexColor

    from pigtail.sheet.tagging import CellPlace, Grid

    parts: list[Any] = [_words(_set(table.title), style["section"], "H2")]
    if not table.rows:
        return [*parts, _words(tr(tr("None yet.")), style["text"])]
    weights = table.weights or (1.0,) * len(table.columns)
    widths = [width * w / sum(weights) for w in weights]
    rows = [[_words(_set(c), style["head"], "TH", CellPlace(id(table), 0)) for c in table.columns]]
    rows += [
        [_words(_set(c), style["cell"], "TD", CellPlace(id(table), n)) for c in row]
        for n, row in enumerate(table.rows, start=1)
    ]
    grid = Grid(rows, colWidths=widths, repeatRows=1, splitInRow=1)
    grid.setStyle(
        [
            ("LINEBELOW", (0, 0), (-1, 0), 1, HexColor("#5b5348")),
            ("LINEBELOW", (0, 1), (-1, -1), 0.4, HexColor("#cfc7b8")),
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("FONTNAME", (0, 0), (-1, -1), "B612"),
            ("LEFTPADDING", (0, 0), (-1, -1), 2),
            ("RIGHTPADDING", (0, 0), (-1, -1), 3),
        ]
    )
    parts.append(grid)
    if table.note:
        parts.append(_words(_set(table.note), style["cell"]))
    return parts
