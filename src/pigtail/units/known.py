"""A value with its spread, its basis and where it came from."""

from __future__ import annotations

import enum
import math
from typing import Annotated

import msgspec

from pigtail.language import tr


class Basis(enum.Enum):
    """What a value rests on, the strongest first."""

    MEASURED = "measured"
    DOCUMENTED = "documented"
    TYPICAL = "typical"
    GUESSED = "guessed"
    UNKNOWN = "unknown"


#: The order in which a derived value takes the weakest basis of its inputs.
STRENGTH = tuple(Basis)


def weakest(bases: list[Basis]) -> Basis:
    """The weakest of some bases; measured when there is none to weaken it."""
    return max(bases, key=STRENGTH.index, default=Basis.MEASURED)


#: So many digits of a number are kept.
DIGITS = 12


class KnownError(ValueError):
    """A value whose spread makes no sense; carries the offending numbers."""

    def __init__(self, sentence: str, nominal: float, low: float, high: float) -> None:
        super().__init__(sentence)
        self.nominal, self.low, self.high = nominal, low, high


class Known(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A value in SI base units with its spread, each to DIGITS digits: finer than any meter, and 0.72 × 1.1 is no row of nines in a file.

    Attributes: nominal, low, high [unit]; unit as text ("V", "Ω"); basis; source (a note or reading id).
    """

    nominal: float
    low: float
    high: float
    unit: Annotated[str, msgspec.Meta(max_length=20)]
    basis: Basis
    source: Annotated[str, msgspec.Meta(max_length=4000)] = ""

    def __post_init__(self) -> None:
        numbers = (self.nominal, self.low, self.high)
        if not all(math.isfinite(n) for n in numbers):
            raise KnownError(tr("a value and its spread must be finite numbers"), *numbers)
        if not self.low <= self.nominal <= self.high:
            raise KnownError(
                tr(
                    "the spread {low:g} to {high:g} does not hold its own value {nominal:g}",
                    low=self.low,
                    high=self.high,
                    nominal=self.nominal,
                ),
                *numbers,
            )
        for name, number in zip(("nominal", "low", "high"), numbers, strict=True):
            rounded = float(f"{number:.{DIGITS}g}")
            if rounded != number:
                msgspec.structs.force_setattr(self, name, rounded)

    @classmethod
    def of(
        cls, nominal: float, unit: str, basis: Basis, *, tolerance: float = 0.0, source: str = ""
    ) -> Known:
        """A value with a symmetric relative tolerance [-], such as 0.05 for 5 %."""
        half = abs(nominal) * tolerance
        return cls(
            nominal=nominal, low=nominal - half, high=nominal + half, unit=unit, basis=basis, source=source
        )

    @property
    def spread(self) -> float:
        """Full width of the spread [unit]."""
        return self.high - self.low
