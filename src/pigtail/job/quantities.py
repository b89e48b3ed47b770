"""The electrical values of each kind of terminal: unit, wording, and the range that can be meant at all."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import msgspec

from pigtail.job.control import Pull
from pigtail.job.document import (
    AnyTerminal,
    AudioIn,
    AudioOut,
    Control,
    ControlIn,
    Digital,
    Function,
    Rail,
    SupplyIn,
    Trait,
    Use,
    Video,
    Way,
)
from pigtail.units import Basis, Known, Sort, Volts, parse_known


class Quantity(msgspec.Struct, frozen=True):
    """A value of a terminal: its field, its words, unit and lowest allowed value; `feeds` is the reading
    that tells it, if one does; `plausible` is the range over which it is tried while it is unknown. One that hardly anyone ever tells
    has a `usual` value, which stands in as typical."""

    field: str
    words: str
    unit: str
    lowest: float
    plausible: tuple[float, float]
    feeds: Function | None = None
    usual: str = ""

    @property
    def sort(self) -> Sort:
        """What sort of value it is, for whoever types it: how its volts are counted, whether it is a limit itself."""
        volts = Volts.ANY
        if self.unit == "V":
            volts = _COUNTED.get(self.words) or (Volts.RMS if self.field in _ALTERNATING else Volts.DC)
        return Sort(volts, limit=self.field in _LIMITS, signed=self.lowest < 0)

    def of(self, terminal: object) -> Known | None:
        """Its value at a terminal or what else has it [its unit], the usual one where nobody has told it; None where it is not known."""
        told: Known | None = getattr(terminal, self.field)
        return parse_known(self.usual, self.unit, Basis.TYPICAL) if told is None and self.usual else told


#: Values that alternate, and are told by their r.m.s. value; other volts are steady.
_ALTERNATING = ("emf", "wanted", "overload", "carries", "open", "loaded")
#: What is told in another way than the rest of its name.
_COUNTED = {"peak to peak": Volts.PEAK_TO_PEAK}
#: Values that are limits themselves.
_LIMITS = (
    "minimum",
    "maximum",
    "overload",
    "most",
    "least",
    "low",
    "high",
    "rated",
    "limit",
    "hottest",
    "volts",
    "amperes",
)

QUANTITIES: dict[type, tuple[Quantity, ...]] = {
    AudioOut: (
        Quantity("emf", "full-scale level", "V", 0.0, (0.05, 5.0)),
        Quantity("impedance", "output impedance", "Ω", 1e-3, (1.0, 1e5)),
        Quantity("bias", "bias", "V", -math.inf, (0.0, 5.0), Function.DC_VOLTS),
        Quantity("crossover", "crossover frequency", "Hz", 1.0, (80.0, 8e3)),
    ),
    AudioIn: (
        Quantity("impedance", "input impedance", "Ω", 1e-3, (1e3, 1e6)),
        Quantity("capacitance", "input capacitance", "F", 0.0, (10e-12, 1e-9), usual="50 .. 120 .. 300 pF"),
        Quantity("wanted", "level for full output", "V", 1e-9, (1e-3, 5.0)),
        Quantity("overload", "overload level", "V", 1e-9, (1e-2, 20.0)),
        Quantity("dc", "its own DC", "V", -math.inf, (-5.0, 5.0), Function.DC_VOLTS),
        Quantity("sensitivity", "SPL at 1 mW", "dB", 0.0, (80.0, 120.0)),
        Quantity("carries", "level of the host's own signal", "V", 1e-9, (1e-2, 5.0)),
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
    Control: (
        Quantity("level", "level while active", "V", -math.inf, (1.0, 15.0), Function.DC_VOLTS),
        Quantity("impedance", "source impedance", "Ω", 1e-3, (10.0, 1e5)),
    ),
    ControlIn: (
        Quantity("pull", "resistor that pulls it", "Ω", 1.0, (1e3, 1e6)),
        Quantity("low", "highest level that is low", "V", -math.inf, (0.2, 2.0), usual="0.4 .. 0.6 .. 0.8 V"),
        Quantity("high", "lowest level that is high", "V", -math.inf, (0.8, 4.0)),
        Quantity("most", "the most that it stands", "V", 0.0, (2.0, 30.0)),
    ),
    Digital: (
        Quantity("level", "logic level", "V", 0.0, (1.5, 5.5)),
        Quantity("impedance", "source impedance", "Ω", 1e-3, (10.0, 1e3)),
    ),
    Video: (
        Quantity("level", "peak to peak", "V", 0.0, (0.1, 3.0)),
        Quantity("impedance", "output impedance", "Ω", 1e-3, (10.0, 1e4)),
    ),
}
#: What few papers tell of a module and nobody is asked for: what it draws while it does something else than playing, in the order of a
#: module's life.
DOINGS = ("searching", "linked", "transmitting", "charging")
#: Values of terminals that are taken where they are told, and asked for nowhere.
BESIDE: dict[type, tuple[Quantity, ...]] = {
    SupplyIn: (
        *(Quantity(d, f"current while {d}", "A", 0.0, (1e-3, 2.0)) for d in DOINGS),
        Quantity("capacitance", "capacitance on its board", "F", 0.0, (1e-7, 1e-2)),
    ),
    Rail: (
        Quantity("store", "capacitance on it", "F", 0.0, (1e-7, 1e-1)),
        Quantity("least", "the least that the host needs", "V", 0.0, (1.0, 60.0)),
    ),
    Control: (
        Quantity("least", "the least that still works for the host", "V", -math.inf, (0.5, 15.0)),
        Quantity("takes", "current that the host's own load takes", "A", 0.0, (1e-6, 0.1)),
        Quantity("sources", "current that it may source", "A", 0.0, (1e-4, 0.1)),
        Quantity("sinks", "current that it may sink", "A", 0.0, (1e-4, 0.5)),
        Quantity("most", "the most that its pin stands", "V", 0.0, (3.3, 30.0)),
        Quantity("blink", "how often it blinks", "Hz", 0.01, (0.25, 10.0)),
        Quantity("duty", "part of the time that it is active while it blinks", "", 0.0, (0.1, 0.9)),
    ),
    ControlIn: (
        Quantity("pulled_to", "volts that it is pulled to", "V", -math.inf, (1.8, 12.0)),
        Quantity("hold", "how long it must be held", "s", 0.0, (1e-3, 2.0)),
    ),
}
#: The host's own values that are no terminal's: field, words, unit, lowest, plausible.
HOST_QUANTITIES = (
    Quantity("reservoir", "largest reservoir capacitor", "F", 1e-9, (1e-6, 0.1)),
    Quantity("reservoir_volts", "voltage on it", "V", 0.0, (5.0, 500.0)),
    Quantity("bleeder", "resistor across it", "Ω", 1.0, (1e3, 1e6)),
)
#: Of an AC winding.
WINDING_QUANTITIES = (
    Quantity("open", "volts with nothing drawn", "V", 0.1, (4.0, 40.0), Function.AC_VOLTS),
    Quantity("loaded", "volts under a load", "V", 0.1, (3.0, 40.0)),
    Quantity("load", "current of that load", "A", 1e-4, (1e-2, 5.0)),
    Quantity("resistance", "source resistance", "Ω", 1e-4, (0.05, 50.0)),
    Quantity("rated", "current it may give", "A", 1e-4, (0.05, 5.0)),
    Quantity("used", "current it gives already", "A", 0.0, (0.0, 5.0)),
)
#: Of a battery.
BATTERY_QUANTITIES = (
    Quantity("capacity", "capacity", "Ah", 1e-4, (0.05, 20.0)),
    Quantity("before", "capacity of the battery before", "Ah", 1e-4, (0.05, 20.0)),
    Quantity(
        "health", "what is left of the capacity with age", "", 0.01, (0.6, 1.0), usual="0.7 .. 0.85 .. 1"
    ),
    Quantity("resistance", "inner resistance", "Ω", 1e-4, (0.02, 5.0)),
    Quantity("empty", "volts of an empty cell", "V", 0.1, (0.8, 3.3)),
    Quantity("charge", "charging current", "A", 1e-4, (0.01, 5.0)),
    Quantity("charge_from", "volts that the charger is fed with", "V", 0.1, (4.5, 12.0)),
)
#: Of the host's own regulator of a rail.
REGULATOR_QUANTITIES = (
    Quantity("fed", "volts that its regulator is fed with", "V", 0.1, (5.0, 60.0)),
    Quantity("theta", "heat resistance of its regulator to air", "°C/W", 0.1, (2.0, 100.0)),
    Quantity("hottest", "hottest junction of its regulator", "°C", 20.0, (100.0, 150.0), usual="125 °C"),
)
#: Of the mains. Level: EN 50160.
MAINS_QUANTITIES = (
    Quantity("level", "mains against nominal", "", 0.1, (0.9, 1.1), usual="0.9 .. 1 .. 1.1"),
    Quantity("hertz", "mains frequency", "Hz", 1.0, (50.0, 60.0), usual="50 Hz"),
)
AMBIENT = Quantity("ambient", "temperature inside the case", "°C", -50.0, (0.0, 80.0))
#: Of a switch that a person works.
SWITCH_QUANTITIES = (
    Quantity("volts", "volts that its contacts stand", "V", 0.1, (12.0, 250.0)),
    Quantity("amperes", "current that its contacts carry", "A", 1e-6, (0.01, 10.0)),
)
PATH_RESISTANCE = Quantity(
    "resistance", "resistance between returns", "Ω", 1e-6, (1e-3, 10.0), Function.RESISTANCE
)


#: What only some terminals of a kind have: the field, and of which.
_ONLY: dict[str, Callable[[Any], bool]] = {
    "crossover": lambda t: t.way is not Way.FULL,
    "sensitivity": lambda t: t.use is not Use.LINE,
    "capacitance": lambda t: t.use is Use.LINE,
    "carries": lambda t: t.has(Trait.PASSIVE_NODE) is True,
    "pull": lambda t: t.pulls is not Pull.NONE,
}
#: Of a module's own way through: its gain [dB] while powered.
THROUGH_GAIN = Quantity("gain", "gain of its way through", "dB", -math.inf, (-6.0, 6.0))


def quantities(terminal: AnyTerminal) -> tuple[Quantity, ...]:
    """The values a terminal has; none for a return."""
    every = QUANTITIES.get(type(terminal), ())
    return tuple(q for q in every if q.field not in _ONLY or _ONLY[q.field](terminal))


def beside(terminal: AnyTerminal) -> tuple[Quantity, ...]:
    """The values of a terminal that are taken where they are told and asked for nowhere."""
    return BESIDE.get(type(terminal), ())


def quantity(terminal: AnyTerminal, field: str) -> Quantity | None:
    """One value of a terminal by its field, or None."""
    return next((q for q in (*quantities(terminal), *beside(terminal)) if q.field == field), None)
