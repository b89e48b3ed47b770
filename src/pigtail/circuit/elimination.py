"""Sparse elimination planned once for a structure and run with whole arrays.

All samples and frequencies of a batch share one structure of non-zero entries. The order of the pivots and the
fill follow from the structure and from the size of the entries in the nominal case (Markowitz counts with a
threshold); each step of the plan is then one array operation over samples × frequencies.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from heapq import heapify, heappop, heappush
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from pigtail.units.store import cached_property

Array = NDArray[Any]
Entries = Mapping[tuple[int, int], Array]
#: A pivot is at least this part of the largest entry of its row in the nominal case.
THRESHOLD = 1e-3
#: A Markowitz count at which the search for a better pivot ends: the end of a branch has 1.
CHEAP = 1
#: So many rows are looked at before the best pivot so far is taken.
ENOUGH = 60
NOUGHT = 0.0


class SingularError(ArithmeticError):
    """A structure or nominal case without a full set of pivots; carries the number of the unknown."""

    def __init__(self, unknown: int) -> None:
        super().__init__(f"no pivot for unknown {unknown}")
        self.unknown = unknown


class _Pivot(msgspec.Struct, frozen=True):
    row: int
    column: int
    below: tuple[int, ...]
    right: tuple[int, ...]
    factor: float


#: Backward: an unknown, the slots of its right-hand side and its pivot, and slot and unknown of each term.
_Back = tuple[int, int, int, tuple[tuple[int, int], ...]]


class _SlotStep(msgspec.Struct, frozen=True):
    """A step of a plan by slots: the pivot's, and for each row below the slot in the pivot's column with what is pushed from the
    pivot's row into that row: pairs of slots (to, from), the right-hand side last."""

    pivot: int
    below: tuple[tuple[int, tuple[tuple[int, int], ...]], ...]


class Plan(msgspec.Struct, frozen=True, dict=True):
    """The pivots of an elimination in order, with the rows and columns each one touches."""

    size: int
    steps: tuple[_Pivot, ...]

    @cached_property
    def _slots(self) -> dict[tuple[int, int], int]:
        """A slot for each place that is or becomes an entry; a right-hand side lies in the column after the last."""
        found: dict[tuple[int, int], int] = {}
        for step in self.steps:
            for place in (
                (step.row, step.column),
                *((step.row, j) for j in step.right),
                *((i, step.column) for i in step.below),
                *((i, j) for i in step.below for j in step.right),
                (step.row, self.size),
            ):
                found.setdefault(place, len(found))
        return found

    @cached_property
    def _lines(self) -> tuple[_SlotStep, ...]:
        """The steps by slots."""
        at, last = self._slots, self.size
        return tuple(
            _SlotStep(
                at[step.row, step.column],
                tuple(
                    (at[i, step.column], tuple((at[i, j], at[step.row, j]) for j in (*step.right, last)))
                    for i in step.below
                ),
            )
            for step in self.steps
        )

    @cached_property
    def _back(self) -> tuple[_Back, ...]:
        """The steps backward."""
        at = self._slots
        return tuple(
            (
                step.column,
                at[step.row, self.size],
                at[step.row, step.column],
                tuple((at[step.row, j], j) for j in step.right),
            )
            for step in reversed(self.steps)
        )

    def solve(self, entries: Entries, b: Mapping[int, Array]) -> list[Array]:
        """x of A·x = b; entries and b are arrays that broadcast together, or numbers; x in the order of the unknowns.
        In the [units of the equations], arrays of one shape [...].

        b holds the rows that are not nought.
        """
        v = self._filled(entries, b)
        for line in self._lines:
            inverse = v[line.pivot] = 1.0 / v[line.pivot]
            _push(v, line, inverse)
        return self._backward(v, self._back)

    def solve_some(
        self, entries: Entries, b: Mapping[int, Array], wanted: tuple[int, ...]
    ) -> tuple[list[Array], float]:
        """The wanted unknowns only, and by how much the greatest factor of elimination exceeded the planned one.

        Unknowns in the [units of the equations]; the growth is a ratio.
        """
        v, growth = self._filled(entries, b), 0.0
        for line, step in zip(self._lines, self.steps, strict=True):
            inverse = v[line.pivot] = 1.0 / v[line.pivot]
            reach = _size(inverse) if line.below else 0.0
            for below, _ in line.below:
                growth = max(growth, reach * _size(v[below]) / step.factor)
            _push(v, line, inverse)
        needed = self._needed(wanted)
        x = self._backward(v, tuple(back for back in self._back if back[0] in needed))
        return [x[k] for k in wanted], growth

    def _filled(self, entries: Entries, b: Mapping[int, Array]) -> list[Any]:
        """The slots with the entries in them, None in those that are to be filled; an entry that the plan does not know is left
        to the check of the residual."""
        at = self._slots
        v: list[Any] = [None] * len(at)
        for place, value in entries.items():
            slot = at.get(place)
            if slot is not None:
                v[slot] = value
        for row, value in b.items():
            v[at[row, self.size]] = value
        return v

    def _backward(self, v: list[Any], lines: Sequence[_Back]) -> list[Any]:
        """Unknowns from the last pivot to the first; the slots hold the inverses of the pivots in their place."""
        x: list[Any] = [NOUGHT] * self.size
        for column, right, pivot, terms in lines:
            value = v[right]
            for slot, j in terms:
                term = v[slot] * x[j]
                value = -term if value is None else value - term
            if value is not None:
                x[column] = value * v[pivot]
        return x

    def _needed(self, wanted: tuple[int, ...]) -> frozenset[int]:
        """The wanted unknowns and those that they follow from."""
        needed = set(wanted)
        for step in self.steps:
            if step.column in needed:
                needed.update(step.right)
        return frozenset(needed)


def _push(v: list[Any], line: _SlotStep, inverse: Any) -> None:
    """Take a pivot's row, times a factor, from each row below it."""
    for below, pushed in line.below:
        factor = v[below] * inverse
        for to, source in pushed:
            value = v[source]
            if value is not None:
                old = v[to]
                v[to] = -(factor * value) if old is None else old - factor * value


def _size(value: Array) -> float:
    """The largest real or imaginary part: within √2 of the largest magnitude, at a fraction of its cost."""
    parts = np.ascontiguousarray(value).view(float) if np.iscomplexobj(value) else np.asarray(value)
    return float(max(parts.max(), -parts.min()))


def make_plan(size: int, nominal: Mapping[tuple[int, int], complex]) -> Plan:
    """Plan the elimination of a structure from its entries in the nominal case; raises SingularError."""
    rows: list[dict[int, complex]] = [{} for _ in range(size)]
    users: list[set[int]] = [set() for _ in range(size)]
    for (i, j), value in nominal.items():
        rows[i][j] = complex(value)
        users[j].add(i)
    waiting = [(len(row), i) for i, row in enumerate(rows)]
    heapify(waiting)
    left = set(range(size))
    steps: list[_Pivot] = []
    while left:
        row, column = _pivot(rows, users, left, waiting)
        below = tuple(sorted(i for i in users[column] if i != row))
        right = tuple(j for j in rows[row] if j != column)
        pivot = rows[row][column]
        largest = max((abs(rows[i][column] / pivot) for i in below), default=1.0)
        for i in below:
            factor = rows[i].pop(column) / pivot
            for j in right:
                if j in rows[i]:
                    rows[i][j] -= factor * rows[row][j]
                else:
                    rows[i][j] = -factor * rows[row][j]
                    users[j].add(i)
            heappush(waiting, (len(rows[i]), i))
        left.remove(row)
        users[column].clear()
        for j in right:
            users[j].discard(row)
        steps.append(_Pivot(row, column, below, right, largest or 1.0))
    return Plan(size, tuple(steps))


def _pivot(
    rows: list[dict[int, complex]], users: list[set[int]], left: set[int], waiting: list[tuple[int, int]]
) -> tuple[int, int]:
    """The entry that makes the fewest updates, the largest of such: rows are looked at from the shortest on, until none can be better."""
    best: tuple[float, float, int, int] | None = None
    looked: list[tuple[int, int]] = []
    while waiting and (best is None or waiting[0][0] - 1 <= best[0]):
        entry = heappop(waiting)
        count, i = entry
        if i not in left or count != len(rows[i]) or (looked and looked[-1] == entry):
            continue  # an older length of the row
        looked.append(entry)
        largest = max((abs(v) for v in rows[i].values()), default=0.0)
        for j, value in rows[i].items():
            size = abs(value)
            if size <= 0.0 or size < THRESHOLD * largest:
                continue
            rank = ((count - 1) * (len(users[j]) - 1), -size, i, j)
            if best is None or rank < best:
                best = rank
        if best is not None and (best[0] <= CHEAP or len(looked) >= ENOUGH):
            break
    for entry in looked:
        heappush(waiting, entry)
    if best is None:
        raise SingularError(min(left))
    return best[2], best[3]
