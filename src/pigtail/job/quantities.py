"""The electrical values of each kind of terminal: unit, wording, and the range that can be meant at all."""

from __future__ import annotations

import math

import msgspec

from pigtail.job.model import AnyTerminal, AudioIn, AudioOut, Function, Rail, SupplyIn


class Quantity(msgspec.Struct, frozen=True):
    """A value of a terminal: its field, its words, unit and lowest allowed value; `feeds` is the reading
    that tells it, if one does; `plausible` is the range over which it is tried while it is unknown."""

    field: str
    words: str
    unit: str
    lowest: float
    plausible: tuple[float, float]
    feeds: Function | None = None


QUANTITIES: dict[type, tuple[Quantity, ...]] = {
    AudioOut: (
        Quantity("emf", "full-scale level", "V", 0.0, (0.05, 5.0)),
        Quantity("impedance", "output impedance", "Ω", 1e-3, (1.0, 1e5)),
        Quantity("bias", "bias", "V", -math.inf, (0.0, 5.0), Function.DC_VOLTS),
    ),
    AudioIn: (
        Quantity("impedance", "input impedance", "Ω", 1e-3, (1e3, 1e6)),
        Quantity("wanted", "level for full output", "V", 1e-9, (1e-3, 5.0)),
        Quantity("overload", "overload level", "V", 1e-9, (1e-2, 20.0)),
        Quantity("dc", "its own DC", "V", -math.inf, (-5.0, 5.0), Function.DC_VOLTS),
    ),
    Rail: (
        Quantity("voltage", "voltage", "V", -math.inf, (3.0, 60.0), Function.DC_VOLTS),
        Quantity("resistance", "source resistance", "Ω", 1e-6, (1e-2, 100.0)),
        Quantity("limit", "current it can give", "A", 0.0, (1e-2, 5.0)),
        Quantity("used", "current it gives already", "A", 0.0, (0.0, 5.0), Function.CURRENT),
    ),
    SupplyIn: (
        Quantity("minimum", "lowest supply", "V", 0.0, (1.0, 30.0)),
        Quantity("maximum", "highest supply", "V", 0.0, (1.0, 30.0)),
        Quantity("average", "average current", "A", 0.0, (1e-3, 2.0), Function.CURRENT),
        Quantity("burst", "burst current", "A", 0.0, (1e-3, 3.0)),
    ),
}
PATH_RESISTANCE = Quantity(
    "resistance", "resistance between returns", "Ω", 1e-6, (1e-3, 10.0), Function.RESISTANCE
)


def quantities(terminal: AnyTerminal) -> tuple[Quantity, ...]:
    """The values a terminal has; none for a return."""
    return QUANTITIES.get(type(terminal), ())


def quantity(terminal: AnyTerminal, field: str) -> Quantity | None:
    """One value of a terminal by its field, or None."""
    return next((q for q in quantities(terminal) if q.field == field), None)
