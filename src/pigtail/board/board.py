"""A board that was laid out: holes, copper, parts in their holes, cuts and jumpers."""

from __future__ import annotations

import msgspec

from pigtail.board.forms import PITCH
from pigtail.board.parts import BoardPart, WireHole
from pigtail.job.build import BoardKind

#: A hole: column from the left, row from the top, both from 0, as seen from the part side.
Hole = tuple[int, int]


class Placed(msgspec.Struct, frozen=True):
    """A part in its holes, in the order of its pins, and the rectangle that its body takes [mm]: left, top, right, bottom."""

    part: BoardPart
    holes: tuple[Hole, ...]
    body: tuple[float, float, float, float]

    @property
    def stands(self) -> bool:
        """Whether a part of two leads stands on end."""
        return len(self.holes) == 2 and abs(self.holes[0][1] - self.holes[1][1]) in self.part.shape.stands


class Jumper(msgspec.Struct, frozen=True):
    """A wire between two holes of one net: bare and straight along a column, or insulated and across."""

    start: Hole
    end: Hole
    net: str

    @property
    def insulated(self) -> bool:
        """Whether it crosses copper or parts that it must not touch."""
        return self.start[0] != self.end[0]


class Trace(msgspec.Struct, frozen=True):
    """A bare wire on the solder side of a perforated board, along a row from one column to another."""

    row: int
    start: int
    end: int
    net: str


class LittleBoard(msgspec.Struct, frozen=True):
    """A board laid out: its kind, columns and rows of holes, the parts and wires in them, the holes at which strips are cut, jumpers, and
    the wires of a perforated board."""

    kind: BoardKind
    columns: int
    rows: int
    placed: tuple[Placed, ...] = ()
    wires: tuple[tuple[WireHole, Hole], ...] = ()
    cuts: tuple[Hole, ...] = ()
    jumpers: tuple[Jumper, ...] = ()
    traces: tuple[Trace, ...] = ()

    @property
    def size_mm(self) -> tuple[float, float]:
        """Width and height, an edge of a hole's distance around [mm]."""
        return (self.columns * PITCH + PITCH / 2, self.rows * PITCH + PITCH / 2)

    @property
    def tall_mm(self) -> float:
        """How far its tallest part stands above it [mm]."""
        return max((p.part.shape.tall for p in self.placed), default=0.0)


def at(hole: Hole) -> tuple[float, float]:
    """Where a hole lies on its board [mm]."""
    return ((hole[0] + 0.75) * PITCH, (hole[1] + 0.75) * PITCH)


def named(hole: Hole) -> str:
    """A hole as it is counted at the bench: its row by letter, its column by number.

    >>> named((0, 0)), named((4, 27))
    ('A1', 'AB5')
    """
    row, letters = hole[1], ""
    while row >= 0:
        letters = chr(ord("A") + row % 26) + letters
        row = row // 26 - 1
    return f"{letters}{hole[0] + 1}"
