"""What a PDF tells those who hear it: headings, paragraphs, tables by row and cell, figures by their titles, in the order of reading.

Marked content and the structure tree of ISO 32000-1, 14.7 and 14.8 (from memory), laid over the library that draws the pages; what is only
ornament, lines and the foot of a page, is marked as such.
"""

from __future__ import annotations

from typing import Any

import msgspec
from reportlab.pdfbase.pdfdoc import PDFArray, PDFDictionary, PDFName, PDFString
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Paragraph, Table

from pigtail.language import language


class Tag(msgspec.Struct):
    """An element of the structure: its role, what it is called for those who do not see it, its parts, and its marks (page, number)."""

    role: str
    alt: str = ""
    parts: list[Tag] = []
    marks: list[tuple[int, int]] = []


class CellPlace(msgspec.Struct, frozen=True):
    """Where a cell stands: its table, by a key of its own, and its row."""

    table: int
    row: int


class Telling(Canvas):  # type: ignore[misc]
    """A canvas that knows what it draws; the structure is written at its end."""

    def __init__(self, *arguments: Any, **more: Any) -> None:
        super().__init__(*arguments, **more)
        self._whole = Tag("Document")
        self._by_key: dict[object, Tag] = {}
        self._on_page: list[list[Tag]] = [[]]

    def begin(self, key: object, role: str, *, alt: str = "", place: CellPlace | None = None) -> None:
        """What is drawn from here is an element; drawn again under the same key it goes on, a table's heading is ornament then."""
        page = len(self._on_page) - 1
        found = self._by_key.get(key)
        if found is not None and role == "TH":
            self.begin_ornament()
            return
        if found is None:
            found = self._by_key[key] = Tag(role, alt)
            self._parent(place).parts.append(found)
        number = len(self._on_page[page])
        found.marks.append((page, number))
        self._on_page[page].append(found)
        self._code.append(f"/{role} <</MCID {number}>> BDC")

    def begin_ornament(self) -> None:
        """What is drawn from here tells nothing."""
        self._code.append("/Artifact BMC")

    def end(self) -> None:
        """The element, or ornament, ends."""
        self._code.append("EMC")

    def _parent(self, place: CellPlace | None) -> Tag:
        """The element that holds a new one: the row of its table, or the whole."""
        if place is None:
            return self._whole
        return self._made(place, "TR", self._made(place.table, "Table", self._whole))

    def _made(self, key: object, role: str, parent: Tag) -> Tag:
        if ("made", key) not in self._by_key:
            self._by_key["made", key] = Tag(role)
            parent.parts.append(self._by_key["made", key])
        return self._by_key["made", key]

    def showPage(self) -> None:
        """A page is whole: what of it is told is found by its number."""
        super().showPage()
        page = self._doc.Pages.pages[-1]
        page.__NoDefault__ = [*page.__NoDefault__, "StructParents", "Tabs"]
        page.StructParents, page.Tabs = len(self._on_page) - 1, PDFName("S")
        self._on_page.append([])

    def save(self) -> None:
        """Write the structure, then the file."""
        if len(self._code):
            self.showPage()
        document = self._doc
        pages = [document.Reference(p) for p in document.Pages.pages]
        root = PDFDictionary({"Type": PDFName("StructTreeRoot")})
        above, made = document.Reference(root), {}

        def write(element: Tag, parent: Any) -> Any:
            told = PDFDictionary({"Type": PDFName("StructElem"), "S": PDFName(element.role), "P": parent})
            here = made[id(element)] = document.Reference(told)
            if element.alt:
                told["Alt"] = PDFString(element.alt)
            kids = [
                PDFDictionary({"Type": PDFName("MCR"), "Pg": pages[p], "MCID": n}) for p, n in element.marks
            ]
            told["K"] = PDFArray([*kids, *(write(e, here) for e in element.parts)])
            return here

        root["K"] = PDFArray([write(self._whole, above)])
        numbers: list[Any] = []
        for k in range(len(pages)):
            numbers += [k, PDFArray([made[id(e)] for e in self._on_page[k]])]
        root["ParentTree"] = document.Reference(PDFDictionary({"Nums": PDFArray(numbers)}))
        root["ParentTreeNextKey"] = len(pages)
        self.setCatalogEntry("StructTreeRoot", root)
        self.setCatalogEntry("MarkInfo", {"Marked": "true"})
        self.setCatalogEntry("ViewerPreferences", {"DisplayDocTitle": "true"})
        self.setCatalogEntry("Lang", language())
        super().save()


class ToldParagraph(Paragraph):  # type: ignore[misc]
    """A paragraph with its role, and its place in a table. Its parts on two pages are one."""

    def told(self, role: str, place: CellPlace | None = None) -> ToldParagraph:
        """The same paragraph, with its role."""
        self.role, self.place, self.key = role, place, id(self)
        return self

    def split(self, width: float, height: float) -> list[Any]:
        """The parts for this page and the next, of one role; width and height [pt]."""
        parts: list[Any] = super().split(width, height)
        for part in parts:
            part.role, part.place, part.key = self.role, self.place, self.key
            part.whole = self  # as long as a part lives its key is nobody else's
        return parts

    def drawOn(self, canvas: Any, x: float, y: float, **more: Any) -> None:
        """Draw it as what it is, its lower left corner at x and y [pt]."""
        canvas.begin(self.key, self.role, place=self.place)
        super().drawOn(canvas, x, y, **more)
        canvas.end()


class Grid(Table):  # type: ignore[misc]
    """A table whose lines tell nothing."""

    def _drawBkgrnd(self) -> None:
        self.canv.begin_ornament()
        super()._drawBkgrnd()
        self.canv.end()

    def _drawLines(self) -> None:
        self.canv.begin_ornament()
        super()._drawLines()
        self.canv.end()


class Figure(Flowable):  # type: ignore[misc]
    """A drawing that is told by its title; `paint` draws it."""

    def __init__(self, width: float, height: float, title: str) -> None:
        super().__init__()
        self.width, self.height, self.title = width, height, title

    def paint(self) -> None:
        """Draw it from its lower left corner."""

    def draw(self) -> None:
        """Draw it as a figure."""
        self.canv.begin(self, "Figure", alt=self.title)
        self.paint()
        self.canv.end()
