"""The order in which the straight-line code eliminates: what stands still first, what moves in each iteration last.

An entry moves when it depends on a device. Eliminating a still row by a still pivot costs nothing in an iteration, so
the pivot is taken that makes the fewest moving updates, then the fewest updates in all; and always one that is not
small beside its row while the devices are off.
"""

from __future__ import annotations

from collections.abc import Mapping

from pigtail.circuit.elimination import SingularError

#: A pivot is at least this part of the largest entry of its row.
THRESHOLD = 1e-3


def choose_order(
    size: int, nominal: Mapping[tuple[int, int], float], moving: frozenset[tuple[int, int]]
) -> list[tuple[int, int]]:
    """Pivots (row, column) in order; raises SingularError. Entries in the [units of the equations]."""
    rows: list[dict[int, float]] = [{} for _ in range(size)]
    restless: list[set[int]] = [set() for _ in range(size)]
    for (i, j), value in nominal.items():
        rows[i][j] = value
    for i, j in moving:
        restless[i].add(j)
    left = set(range(size))
    order: list[tuple[int, int]] = []
    while left:
        row, column = _cheapest(rows, restless, left)
        pivot_moves = column in restless[row]
        pivot = rows[row][column]
        left.remove(row)
        order.append((row, column))
        for i in left:
            if column not in rows[i]:
                continue
            factor_moves = pivot_moves or column in restless[i]
            factor = rows[i].pop(column) / pivot
            restless[i].discard(column)
            for j, value in rows[row].items():
                if j != column:
                    rows[i][j] = rows[i].get(j, 0.0) - factor * value
                    if factor_moves or j in restless[row]:
                        restless[i].add(j)
    return order


def _cheapest(rows: list[dict[int, float]], restless: list[set[int]], left: set[int]) -> tuple[int, int]:
    columns: dict[int, list[int]] = {}
    for i in left:
        for j in rows[i]:
            columns.setdefault(j, []).append(i)
    best: tuple[int, int, float, int, int] | None = None
    for i in sorted(left):
        largest = max((abs(v) for v in rows[i].values()), default=0.0)
        for j, value in rows[i].items():
            if value == 0.0 or abs(value) < THRESHOLD * largest:
                continue
            rank = (*_cost(i, j, rows, restless, columns[j]), -abs(value), i, j)
            if best is None or rank < best:
                best = rank
    if best is None:
        raise SingularError(min(left))
    return best[3], best[4]


def _cost(
    row: int, column: int, rows: list[dict[int, float]], restless: list[set[int]], users: list[int]
) -> tuple[int, int]:
    """Moving updates and all updates that a pivot makes."""
    width = len(rows[row]) - 1
    still_width = sum(j in restless[row] for j in rows[row] if j != column)
    pivot_moves = column in restless[row]
    moved = sum(width + 1 if pivot_moves or column in restless[i] else still_width for i in users if i != row)
    return moved, width * (len(users) - 1)
