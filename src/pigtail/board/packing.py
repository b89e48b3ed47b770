"""Columns for what has its rows: everything is put as far left as it fits, zone by zone."""

from __future__ import annotations

import math
from typing import NamedTuple

from pigtail.board.board import Hole
from pigtail.board.copper import SQUEEZE_MM
from pigtail.board.forms import PITCH
from pigtail.board.rows import EMPTY, LaidRows, LayState, LayTask

#: How wide what straddles is, in columns, and at which of them the copper under it is cut.
BLOCK, CUT_AT = 4, 1
#: Half of what a wire's hole and a jumper take, and how far a body reaches past the hole of its outermost lead [mm].
_WIRE_MM, _JUMPER_MM, _PAST_MM = 1.0, 0.7, 1.0

Rect = tuple[float, float, float, float]


class _Item(NamedTuple):
    """Something that takes holes of one zone: what it is and its number, the rows of its pins in order, half its width, from where to where
    along the rows [mm]."""

    what: str
    number: int
    rows: tuple[int, ...]
    half: float
    top: float
    bottom: float


class Packed(NamedTuple):
    """Everything in its holes: parts with their bodies [mm from the first hole], wires, cuts, jumpers with their net; how many columns that
    takes."""

    columns: int
    placed: dict[int, tuple[Hole, ...]]
    bodies: dict[int, Rect]
    wires: dict[int, Hole]
    cuts: tuple[Hole, ...]
    jumpers: tuple[tuple[Hole, Hole, int], ...]


def packed(task: LayTask, state: LayState, rows: LaidRows) -> Packed:
    """Everything given its column."""
    pack, start = _Pack(task, state), 0
    for z, zone in enumerate(_items(task, state, rows)):
        for item in zone:
            pack.take(item, start)
        if z < len(state.separators):
            start = pack.separate(z, start)
    return pack.found(rows)


def _items(task: LayTask, state: LayState, rows: LaidRows) -> list[list[_Item]]:
    """What each zone holds: wires that come in first, parts, jumpers, wires that go out last."""
    items: list[list[_Item]] = [[] for _ in rows.labels]
    outward = []
    for h, (z, row) in rows.wires.items():
        if task.wanted.holes[h].comes_in:
            items[z].append(_single("wire", h, row))
        else:
            outward.append((z, _single("out", h, row)))
    for k, taken in rows.of.items():
        items[state.zone_of[k]].append(_part(task, k, taken))
    for number, (a, b, zone) in enumerate(rows.joins):
        if zone != EMPTY:
            top, bottom = sorted((a.row, b.row))
            ends = (top * PITCH - _JUMPER_MM, bottom * PITCH + _JUMPER_MM)
            items[zone].append(_Item("jumper", number, (a.row, b.row), _JUMPER_MM, *ends))
        elif a.last < b.first:
            items[a.last].append(_single("start", number, a.row))
            items[b.first].append(_single("end", number, b.row))
        else:
            items[a.first].append(_single("start", number, a.row))
            items[b.last].append(_single("end", number, b.row))
    for z, item in outward:
        items[z].append(item)
    return items


def _single(what: str, number: int, row: int) -> _Item:
    return _Item(what, number, (row,), _WIRE_MM, row * PITCH - _WIRE_MM, row * PITCH + _WIRE_MM)


def _part(task: LayTask, k: int, rows: tuple[int, ...]) -> _Item:
    form = task.part(k).shape
    top, bottom = min(rows) * PITCH, max(rows) * PITCH
    half = max(form.high / 2, (bottom - top) / 2 + _PAST_MM)
    middle = (top + bottom) / 2
    return _Item("part", k, rows, form.wide / 2, middle - half, middle + half)


class _Pack:
    """What is on the board already."""

    def __init__(self, task: LayTask, state: LayState) -> None:
        self.task, self.state = task, state
        self.rects: list[Rect] = []
        self.last = -1
        self.placed: dict[int, tuple[Hole, ...]] = {}
        self.bodies: dict[int, Rect] = {}
        self.wires: dict[int, Hole] = {}
        self.ends: dict[tuple[str, int], tuple[Hole, ...]] = {}
        self.cut_column: dict[int, int] = {}

    def take(self, item: _Item, start: int) -> None:
        """Put an item into the first column from a start at which it lies over nothing; what goes out at the right."""
        column, rect = self._free(item, max(start, self.last) if item.what == "out" else start)
        self._keep(column, rect)
        holes = tuple((column, r) for r in item.rows)
        if item.what == "part":
            self.placed[item.number] = holes
            self.bodies[item.number] = rect
        elif item.what in ("wire", "out"):
            self.wires[item.number] = holes[0]
        else:
            self.ends[item.what, item.number] = holes

    def _keep(self, column: int, rect: Rect) -> None:
        self.rects.append(rect)
        self.last = max(self.last, column)

    def _free(self, item: _Item, start: int, shift: float = 0.0) -> tuple[int, Rect]:
        """The first column at which an item, its middle shifted from it by so many columns, lies over nothing; and its rectangle."""
        column = start
        over = [r for r in self.rects if r[1] < item.bottom - SQUEEZE_MM and r[3] > item.top + SQUEEZE_MM]
        while True:
            middle = (column + shift) * PITCH
            left, right = middle - item.half, middle + item.half
            hit = next((r for r in over if r[0] < right - SQUEEZE_MM and r[2] > left + SQUEEZE_MM), None)
            if hit is None:
                return column, (left, item.top, right, item.bottom)
            column = max(column + 1, math.ceil((hit[2] - SQUEEZE_MM + item.half) / PITCH - shift - 1e-9))

    def separate(self, z: int, start: int) -> int:
        """Put what stands behind a zone; the first column of the next one."""
        k = self.state.separators[z]
        first = max(start, self.last + 1)
        if k == EMPTY:
            self.cut_column[z] = first
            self.last = first
            return first + 1
        form, row = self.task.part(k).shape, self.state.block_row[k]
        middle = (2 * row + self.task.height(k) - 1) / 2 * PITCH
        half = max(form.wide / 2, (BLOCK - 1) / 2 * PITCH + _PAST_MM)
        item = _Item("block", k, (row,), half, middle - form.high / 2, middle + form.high / 2)
        first, rect = self._free(item, first, (BLOCK - 1) / 2)
        self._keep(first + BLOCK - 1, rect)
        self.placed[k] = tuple((first + c, row + r) for c, r in form.pins)
        self.bodies[k] = rect
        self.cut_column[z] = first + CUT_AT
        return first + BLOCK

    def found(self, rows: LaidRows) -> Packed:
        """All of it."""
        jumpers = []
        for n, join in enumerate(rows.joins):
            straight = self.ends.get(("jumper", n))
            start, end = straight or (*self.ends["start", n], *self.ends["end", n])
            jumpers.append((start, end, join.a.net))
        cuts = tuple((self.cut_column[z], r) for z, r in rows.cuts)
        return Packed(self.last + 1, self.placed, self.bodies, self.wires, cuts, tuple(jumpers))
