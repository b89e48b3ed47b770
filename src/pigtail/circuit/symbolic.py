"""Elimination written out: the equations of a circuit solved in the emitter's code, step by step in a given order."""

from __future__ import annotations

from pigtail.circuit.emitter import NOUGHT, ONE, Emitter, Value

Terms = list[tuple[int, Value]]


class Elimination:
    """Solves A·x = b in code. Terms of an entry are kept apart by sign and level until the entry is used.

    Args: entries (row, column) → terms and right row → terms, both used up; order of the pivots (row, column).
    """

    def __init__(
        self,
        code: Emitter,
        entries: dict[tuple[int, int], Terms],
        right: dict[int, Terms],
        order: list[tuple[int, int]],
    ) -> None:
        self.code = code
        self.rows: dict[int, dict[int, Terms]] = {}
        for (i, j), terms in entries.items():
            self.rows.setdefault(i, {})[j] = terms
        self.right = right
        self.solved: dict[int, Value] = {}
        self.steps: dict[int, tuple[int, Value, dict[int, Value]]] = {}
        self._forward(order)

    def _forward(self, order: list[tuple[int, int]]) -> None:
        code = self.code
        left = {i for i, _ in order}
        for row, column in order:
            left.remove(row)
            entries = {j: code.total(terms) for j, terms in self.rows[row].items()}
            pivot = entries.pop(column)
            inverse = pivot if pivot.text in ("1.0", "-1.0") else code.write(f"1.0/{pivot.text}", pivot)
            right = code.total(self.right.get(row, []))
            self.steps[column] = (row, inverse, entries)
            for i in left:
                terms = self.rows[i].pop(column, None)
                if terms is None:
                    continue
                factor = code.product(code.total(terms), inverse)
                for j, value in entries.items():
                    self._subtract(self.rows[i].setdefault(j, []), factor, value)
                if right != NOUGHT:
                    self._subtract(self.right.setdefault(i, []), factor, right)
            self.right[row] = [(1, right)]

    def _subtract(self, terms: Terms, factor: Value, value: Value) -> None:
        """terms − factor·value, a sign instead of a product where a factor is one."""
        for one, other in ((factor, value), (value, factor)):
            if one == ONE:
                terms.append((-1, other))
                return
            if one.text == "-1.0":
                terms.append((1, other))
                return
        product = self.code.product(factor, value)
        if product != NOUGHT:
            terms.append((-1, product))

    def unknown(self, column: int) -> Value:
        """The value of an unknown, with those that it needs."""
        found = self.solved.get(column)
        if found is None:
            row, inverse, entries = self.steps[column]
            terms = list(self.right[row])
            for j, value in entries.items():
                self._subtract(terms, value, self.unknown(j))
            found = self.solved[column] = self.code.product(self.code.total(terms), inverse)
        return found
