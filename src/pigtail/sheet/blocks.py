"""What a sheet is made of, in the order in which it is read: lines, tables and pictures."""

from __future__ import annotations

from dataclasses import dataclass

from pigtail.drawing.shapes import Drawing


@dataclass(frozen=True)
class SheetTable:
    """A table with its heading; rows of text; how wide its columns are to each other."""

    title: str
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    note: str = ""
    weights: tuple[float, ...] = ()


@dataclass(frozen=True)
class SheetLines:
    """A heading with lines under it; what is said where there are none."""

    title: str
    lines: tuple[str, ...]
    none: str = "None."


@dataclass(frozen=True)
class SheetPicture:
    """A heading with drawings under it, side by side where they fit: at true size, or so many times as large; 0 as large as the page
    allows. broad: on a page of its own that lies on its side."""

    title: str
    drawings: tuple[Drawing, ...]
    scale: float = 1.0
    broad: bool = False
    note: str = ""


@dataclass(frozen=True)
class BoardFound:
    """The little board as it is shown while it is laid out: its two sides, or parts joined point to point; the work on it, its size in
    words."""

    drawings: tuple[Drawing, ...] = ()
    size: str = ""
    work: tuple[str, ...] = ()
    seats: tuple[tuple[str, str, str, str], ...] = ()


@dataclass(frozen=True)
class SheetPhoto:
    """A heading with a photo under it, a JPEG with its size [px], empty where it cannot be shown; its pins, each at parts of the width and
    height, with its point and what was read there; a note."""

    title: str
    image: bytes
    width: int
    height: int
    pins: tuple[tuple[float, float, str, str], ...]
    note: str = ""

    def legend(self) -> tuple[str, ...]:
        """Each pin by its number."""
        return tuple(
            f"{n}: {point}{f' – {read}' if read else ''}"
            for n, (_, _, point, read) in enumerate(self.pins, start=1)
        )


Block = SheetTable | SheetLines | SheetPicture | SheetPhoto


@dataclass(frozen=True)
class Sheet:
    """All that the build sheet says."""

    title: str
    subtitle: str
    wanted: str
    verdicts: tuple[tuple[str, str], ...]
    cautions: tuple[str, ...]
    blocks: tuple[Block, ...]
    netlist: str = ""

    @property
    def tables(self) -> tuple[SheetTable, ...]:
        """Its tables."""
        return tuple(b for b in self.blocks if isinstance(b, SheetTable))

    @property
    def pictures(self) -> tuple[SheetPicture, ...]:
        """Its pictures."""
        return tuple(b for b in self.blocks if isinstance(b, SheetPicture))

    def lines(self, title: str) -> tuple[str, ...]:
        """The lines under a heading; none where there is no such heading."""
        return next((b.lines for b in self.blocks if isinstance(b, SheetLines) and b.title == title), ())
