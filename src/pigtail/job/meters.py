"""What a meter does to what it reads: its load on DC and AC, how far it is flat, and its accuracy."""

from __future__ import annotations

import math
import tomllib
from functools import cache
from pathlib import Path

import msgspec

from pigtail.job.document import FUNCTION_UNITS, Function
from pigtail.language import said
from pigtail.units.known import Basis, Known

TABLE = Path(__file__).parent / "data" / "meters.toml"
USUAL = "handheld"
#: Functions by whose numbers nothing is measured: what was heard or seen.
NOT_NUMBERS = (Function.HEARD, Function.LOOK)


class Meter(msgspec.Struct, frozen=True):
    """A kind of meter. Accuracy by function: part of the reading, and a floor [unit of the function].

    dc_ohm, ac_ohm, ac_farad load the point; flat_hz is how far AC is read right; burden_ohm the shunt for current.
    """

    name: str
    dc_ohm: float
    ac_ohm: float
    ac_farad: float
    flat_hz: float
    burden_ohm: float
    accuracy: dict[str, tuple[float, float]]

    def value(self, function: Function, number: float) -> Known:
        """A number read off the meter [unit of the function] with the spread of its accuracy."""
        unit = FUNCTION_UNITS[function]
        if function in NOT_NUMBERS:
            return Known(nominal=number, low=number, high=number, unit=unit, basis=Basis.MEASURED)
        relative, floor = self.accuracy[function.value]
        half = abs(number) * relative + floor
        low = number - half
        if function in (Function.RESISTANCE, Function.CONTINUITY) and number > 1e-3:
            low = max(low, 1e-3)
        return Known(nominal=number, low=low, high=number + half, unit=unit, basis=Basis.MEASURED)

    def load_ohm(self, function: Function, hertz: float = 1000.0) -> float:
        """Magnitude of the impedance [Ω] that the meter puts across a point while it reads volts there."""
        if function is Function.DC_VOLTS:
            return self.dc_ohm
        if function is Function.AC_VOLTS:
            return 1 / math.hypot(1 / self.ac_ohm, 2 * math.pi * hertz * self.ac_farad)
        return math.inf


@cache
def meters() -> dict[str, Meter]:
    """The kinds of meter by their key."""
    return msgspec.convert(
        said("meters.toml", tomllib.loads(TABLE.read_text(encoding="utf-8"))), dict[str, Meter]
    )


def meter(key: str) -> Meter:
    """A kind of meter; the usual handheld for a key that is not in the table."""
    return meters().get(key, meters()[USUAL])
