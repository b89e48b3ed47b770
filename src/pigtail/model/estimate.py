"""A result with its spread and the inputs it rests on. Free of numerical packages: views read these."""

from __future__ import annotations

from math import sqrt

import msgspec

from pigtail.model.subjects import Subject
from pigtail.units import Basis, Known, format_quantity, format_spread


class Input(msgspec.Struct, frozen=True):
    """A value that a study rests on: its parameter name, words, what is known, and what it belongs to.

    `plausible` is the range it is tried over while it is not known; `in_deck` tells that the netlist has it.
    """

    name: str
    words: str
    known: Known | None
    plausible: tuple[float, float]
    subject: Subject
    field: str
    in_deck: bool = True

    @property
    def ends(self) -> tuple[float, float, float]:
        """Low, nominal and high. In the [unit of the input]."""
        if self.known is not None:
            return self.known.low, self.known.nominal, self.known.high
        low, high = self.plausible
        return low, sqrt(low * high) if low > 0 else (low + high) / 2, high


class Estimate(msgspec.Struct, frozen=True):
    """A result with its spread [unit]. Value, low and high are None/NaN-free; None while something is missing.

    `leading` are the inputs that widen the spread, the greatest first; `missing` those not known that it needs.
    """

    value: float | None
    low: float
    high: float
    unit: str
    basis: Basis
    words: str
    leading: tuple[Input, ...] = ()
    missing: tuple[Input, ...] = ()

    def text(self) -> str:
        """Value with its spread, or “unknown”."""
        if self.value is None:
            return "unknown"
        value, low, high = (as_told(x, self.unit) for x in (self.value, self.low, self.high))
        return format_spread(value, low, high, self.unit)

    def short(self) -> str:
        """Value alone, or “?”."""
        return "?" if self.value is None else format_quantity(as_told(self.value, self.unit), self.unit)


#: What is less than this is no voltage and no current that anyone could tell [V, A].
NOUGHT = 1e-9


def as_told(value: float, unit: str) -> float:
    """A value as it is told: what only leaks through the insulation is nought. In the [unit]."""
    return 0.0 if unit in ("V", "A") and abs(value) < NOUGHT else value


class Wanted(msgspec.Struct, frozen=True):
    """A result to be estimated: its unit and its words."""

    unit: str
    words: str
