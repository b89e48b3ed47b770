"""Sparse elimination planned once for a structure and run with whole arrays.

All samples and frequencies of a batch share one structure of non-zero entries. The order of the pivots and the
fill follow from the structure and from the size of the entries in the nominal case (Markowitz counts with a
threshold); each step of the plan is then one array operation over samples × frequencies.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]
Entries = Mapping[tuple[int, int], Array]
#: A pivot is at least this part of the largest entry of its row in the nominal case.
THRESHOLD = 1e-3
#: A Markowitz count at which the search for a better pivot ends: the end of a branch has 1.
CHEAP = 1
NOUGHT = 0.0


class SingularError(ArithmeticError):
    """A structure or nominal case without a full set of pivots; carries the number of the unknown."""

    def __init__(self, unknown: int) -> None:
        super().__init__(f"no pivot for unknown {unknown}")
        self.unknown = unknown


class _Step(msgspec.Struct, frozen=True):
    row: int
    column: int
    below: tuple[int, ...]
    right: tuple[int, ...]
    factor: float


class Plan(msgspec.Struct, frozen=True):
    """The pivots of an elimination in order, with the rows and columns each one touches."""

    size: int
    steps: tuple[_Step, ...]

    def solve(self, entries: Entries, b: Mapping[int, Array]) -> list[Array]:
        """x of A·x = b; entries and b are arrays that broadcast together, or numbers; x in the order of the unknowns.

        b holds the rows that are not nought.
        """
        a, right_side, _ = self._forward(entries, b, watching=False)
        x = self._backward(a, right_side, frozenset(range(self.size)))
        return [x[k] for k in range(self.size)]

    def solve_some(
        self, entries: Entries, b: Mapping[int, Array], wanted: tuple[int, ...]
    ) -> tuple[list[Array], float]:
        """The wanted unknowns only, and by how much the greatest factor of elimination exceeded the planned one."""
        a, right_side, growth = self._forward(entries, b, watching=True)
        x = self._backward(a, right_side, self._needed(wanted))
        return [x[k] for k in wanted], growth

    def _forward(
        self, entries: Entries, b: Mapping[int, Array], *, watching: bool
    ) -> tuple[dict[tuple[int, int], Array], dict[int, Array], float]:
        a = dict(entries)
        right_side = dict(b)
        growth = 0.0
        for step in self.steps:
            pivot = a[step.row, step.column]
            inverse = np.reciprocal(pivot) if isinstance(pivot, np.ndarray) else 1.0 / pivot
            a[step.row, step.column] = inverse
            reach = _size(inverse) if watching and step.below else 0.0
            pushed = right_side.get(step.row)
            for i in step.below:
                below = a[i, step.column]
                if watching:
                    growth = max(growth, reach * _size(below) / step.factor)
                for j in step.right:
                    change = _product(below, a[step.row, j], inverse)
                    old = a.get((i, j))
                    a[i, j] = -change if old is None else old - change
                if pushed is not None:
                    change = _product(below, pushed, inverse)
                    old = right_side.get(i)
                    right_side[i] = -change if old is None else old - change
        return a, right_side, growth

    def _backward(
        self, a: Entries, right_side: Mapping[int, Array], needed: frozenset[int]
    ) -> dict[int, Array]:
        """Unknowns from the last pivot to the first; `a` holds the inverses in place of its pivots."""
        x: dict[int, Any] = {}
        for step in reversed(self.steps):
            if step.column not in needed:
                continue
            value = right_side.get(step.row)
            for j in step.right:
                term = a[step.row, j] * x[j]
                value = -term if value is None else value - term
            x[step.column] = NOUGHT if value is None else value * a[step.row, step.column]
        return x

    def _needed(self, wanted: tuple[int, ...]) -> frozenset[int]:
        """The wanted unknowns and those that they follow from."""
        needed = set(wanted)
        for step in self.steps:
            if step.column in needed:
                needed.update(step.right)
        return frozenset(needed)


def _product(a: Array, b: Array, inverse: Array) -> Array:
    """a·b·inverse, the two shorter ones first: many entries are one number for all samples or frequencies."""
    if isinstance(a, np.ndarray) and isinstance(inverse, np.ndarray) and a.shape == inverse.shape:
        return (b * inverse) * a
    return (a * b) * inverse


def _size(value: Array) -> float:
    """The largest real or imaginary part: within √2 of the largest magnitude, at a fraction of its cost."""
    parts = np.ascontiguousarray(value).view(float) if np.iscomplexobj(value) else np.asarray(value)
    return float(max(parts.max(), -parts.min()))


def make_plan(size: int, nominal: Mapping[tuple[int, int], complex]) -> Plan:
    """Plan the elimination of a structure from its entries in the nominal case; raises SingularError."""
    rows: list[dict[int, complex]] = [{} for _ in range(size)]
    for (i, j), value in nominal.items():
        rows[i][j] = complex(value)
    left = set(range(size))
    open_columns = set(range(size))
    steps: list[_Step] = []
    while left:
        counts: dict[int, int] = dict.fromkeys(open_columns, 0)
        for i in left:
            for j in rows[i]:
                counts[j] += 1
        row, column = _pivot(rows, left, counts)
        below = tuple(i for i in left if i != row and column in rows[i])
        right = tuple(j for j in rows[row] if j != column)
        pivot = rows[row][column]
        largest = max((abs(rows[i][column] / pivot) for i in below), default=1.0)
        for i in below:
            factor = rows[i].pop(column) / pivot
            for j in right:
                rows[i][j] = rows[i].get(j, 0.0) - factor * rows[row][j]
        left.remove(row)
        open_columns.remove(column)
        steps.append(_Step(row, column, below, right, largest or 1.0))
    return Plan(size, tuple(steps))


def _pivot(rows: list[dict[int, complex]], left: set[int], counts: dict[int, int]) -> tuple[int, int]:
    best: tuple[float, float, int, int] | None = None
    for i in sorted(left, key=lambda i: len(rows[i])):
        if best is not None and best[0] <= CHEAP:
            break
        largest = max((abs(v) for v in rows[i].values()), default=0.0)
        for j, value in rows[i].items():
            size = abs(value)
            if size <= 0.0 or size < THRESHOLD * largest:
                continue
            rank = ((len(rows[i]) - 1) * (counts[j] - 1), -size, i, j)
            if best is None or rank < best:
                best = rank
    if best is None:
        raise SingularError(min(left))
    return best[2], best[3]
