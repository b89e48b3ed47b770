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
NOUGHT = np.zeros(())


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


class Plan(msgspec.Struct, frozen=True):
    """The pivots of an elimination in order, with the rows and columns each one touches."""

    size: int
    steps: tuple[_Step, ...]

    def solve(self, entries: Entries, b: Mapping[int, Array]) -> list[Array]:
        """x of A·x = b; entries and b are arrays that broadcast together, x in the order of the unknowns.

        b holds the rows that are not nought.
        """
        a = dict(entries)
        right_side = dict(b)
        for step in self.steps:
            inverse = 1.0 / a[step.row, step.column]
            for i in step.below:
                factor = a[i, step.column] * inverse
                for j in step.right:
                    change = factor * a[step.row, j]
                    old = a.get((i, j))
                    a[i, j] = -change if old is None else old - change
                if step.row in right_side:
                    change = factor * right_side[step.row]
                    old = right_side.get(i)
                    right_side[i] = -change if old is None else old - change
        x: list[Array] = [np.zeros(())] * self.size
        for step in reversed(self.steps):
            value = right_side.get(step.row, NOUGHT)
            for j in step.right:
                value = value - a[step.row, j] * x[j]
            x[step.column] = value / a[step.row, step.column]
        return x


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
        for i in below:
            factor = rows[i].pop(column) / pivot
            for j in right:
                rows[i][j] = rows[i].get(j, 0.0) - factor * rows[row][j]
        left.remove(row)
        open_columns.remove(column)
        steps.append(_Step(row, column, below, right))
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
