"""The order in which the straight-line code eliminates: what stands still first, what moves in each iteration last.

An entry moves when it depends on a device. Eliminating a still row by a still pivot costs nothing in an iteration, so
the pivot is taken that makes the fewest moving updates, then the fewest updates in all; and always one that is not
small beside its row while the devices are off.
"""

from __future__ import annotations

from collections.abc import Mapping
from heapq import heapify, heappop, heappush

from pigtail.circuit.elimination import SingularError

#: A pivot is at least this part of the largest entry of its row.
THRESHOLD = 1e-3


def choose_order(
    size: int, nominal: Mapping[tuple[int, int], float], moving: frozenset[tuple[int, int]]
) -> list[tuple[int, int]]:
    """Pivots (row, column) in order; raises SingularError. Entries in the [units of the equations]."""
    return _Order(size, nominal, moving).whole()


class _Order:
    """The elimination on its entries: the rank of every entry is kept, and worked out anew where a step changed what it rests on."""

    def __init__(
        self, size: int, nominal: Mapping[tuple[int, int], float], moving: frozenset[tuple[int, int]]
    ) -> None:
        self.rows: list[dict[int, float]] = [{} for _ in range(size)]
        self.restless: list[set[int]] = [set() for _ in range(size)]
        self.users: list[set[int]] = [set() for _ in range(size)]
        for (i, j), value in nominal.items():
            self.rows[i][j] = value
            self.users[j].add(i)
        for i, j in moving:
            self.restless[i].add(j)
        self.left = set(range(size))
        self.ranks: dict[tuple[int, int], _Rank] = {}
        self.heap: list[_Rank] = []
        for i in range(size):
            self._rank_row(i)
        heapify(self.heap)

    def whole(self) -> list[tuple[int, int]]:
        """All pivots."""
        order: list[tuple[int, int]] = []
        while self.left:
            row, column = self._cheapest()
            order.append((row, column))
            self._eliminate(row, column)
        return order

    def _cheapest(self) -> tuple[int, int]:
        while self.heap:
            rank = heappop(self.heap)
            place = rank[3:]
            if rank[3] in self.left and self.ranks.get(place) == rank:
                return place
        raise SingularError(min(self.left))

    def _eliminate(self, row: int, column: int) -> None:
        rows, restless, users = self.rows, self.restless, self.users
        pivot_moves = column in restless[row]
        pivot = rows[row][column]
        self.left.remove(row)
        below = [i for i in users[column] if i != row]
        for j in rows[row]:
            users[j].discard(row)
        for i in below:
            factor_moves = pivot_moves or column in restless[i]
            factor = rows[i].pop(column) / pivot
            users[column].discard(i)
            restless[i].discard(column)
            self.ranks.pop((i, column), None)
            for j, value in rows[row].items():
                if j != column:
                    rows[i][j] = rows[i].get(j, 0.0) - factor * value
                    users[j].add(i)
                    if factor_moves or j in restless[row]:
                        restless[i].add(j)
        # what rests on the rows that changed, and on who uses the columns that the pivot's row had
        changed = {(i, j) for i in below for j in rows[i]}
        changed |= {(i, j) for j in rows[row] if j != column for i in users[j]}
        largest: dict[int, float] = {}
        for i, j in changed:
            self._rank(i, j, largest, fresh=False)

    def _rank_row(self, i: int) -> None:
        largest: dict[int, float] = {}
        for j in self.rows[i]:
            self._rank(i, j, largest, fresh=True)

    def _rank(self, i: int, j: int, largest: dict[int, float], *, fresh: bool) -> None:
        """Work out the rank of an entry; one that is small beside its row has none."""
        row = self.rows[i]
        if i not in largest:
            largest[i] = max(map(abs, row.values()), default=0.0)
        value = row[j]
        if value == 0.0 or abs(value) < THRESHOLD * largest[i]:
            self.ranks.pop((i, j), None)
            return
        rank = (*_cost(i, j, self.rows, self.restless, self.users[j]), -abs(value), i, j)
        if self.ranks.get((i, j)) == rank:
            return
        self.ranks[i, j] = rank
        if fresh:
            self.heap.append(rank)
        else:
            heappush(self.heap, rank)


_Rank = tuple[int, int, float, int, int]


def _cost(
    row: int, column: int, rows: list[dict[int, float]], restless: list[set[int]], users: set[int]
) -> tuple[int, int]:
    """Moving updates and all updates that a pivot makes."""
    width = len(rows[row]) - 1
    others = len(users) - 1
    if column in restless[row]:
        return (width + 1) * others, width * others
    still_width = len(restless[row])
    moved = sum(width + 1 if column in restless[i] else still_width for i in users if i != row)
    return moved, width * others
