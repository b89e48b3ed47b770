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
from pigtail.language import mark, tr
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
        Quantity("emf", tr("full-scale level"), "V", 0.0, (0.05, 5.0)),
        Quantity("impedance", tr("output impedance"), "Ω", 1e-3, (1.0, 1e5)),
        Quantity("bias", tr("bias"), "V", -math.inf, (0.0, 5.0), Function.DC_VOLTS),
        Quantity("crossover", tr("crossover frequency"), "Hz", 1.0, (80.0, 8e3)),
    ),
    AudioIn: (
        Quantity("impedance", tr("input impedance"), "Ω", 1e-3, (1e3, 1e6)),
        Quantity(
            "capacitance", tr("input capacitance"), "F", 0.0, (10e-12, 1e-9), usual="50 .. 120 .. 300 pF"
        ),
        Quantity("wanted", tr("level for full output"), "V", 1e-9, (1e-3, 5.0)),
        Quantity("overload", tr("overload level"), "V", 1e-9, (1e-2, 20.0)),
        Quantity("dc", tr("its own DC"), "V", -math.inf, (-5.0, 5.0), Function.DC_VOLTS),
        Quantity("sensitivity", tr("SPL at 1 mW"), "dB", 0.0, (80.0, 120.0)),
        Quantity("carries", tr("level of the host's own signal"), "V", 1e-9, (1e-2, 5.0)),
    ),
    Rail: (
        Quantity("voltage", tr("voltage"), "V", -math.inf, (3.0, 60.0), Function.DC_VOLTS),
        Quantity("resistance", tr("source resistance"), "Ω", 1e-6, (1e-2, 100.0)),
        Quantity("limit", tr("current it can give"), "A", 0.0, (1e-2, 5.0)),
        Quantity("used", tr("current it gives already"), "A", 0.0, (0.0, 5.0), Function.CURRENT),
    ),
    SupplyIn: (
        Quantity("minimum", tr("lowest supply"), "V", 0.0, (1.0, 30.0)),
        Quantity("maximum", tr("highest supply"), "V", 0.0, (1.0, 30.0)),
        Quantity("average", tr("average current"), "A", 0.0, (1e-3, 2.0), Function.CURRENT),
        Quantity("burst", tr("burst current"), "A", 0.0, (1e-3, 3.0)),
    ),
    Control: (
        Quantity("level", tr("level while active"), "V", -math.inf, (1.0, 15.0), Function.DC_VOLTS),
        Quantity("impedance", tr("source impedance"), "Ω", 1e-3, (10.0, 1e5)),
    ),
    ControlIn: (
        Quantity("pull", tr("resistor that pulls it"), "Ω", 1.0, (1e3, 1e6)),
        Quantity(
            "low", tr("highest level that is low"), "V", -math.inf, (0.2, 2.0), usual="0.4 .. 0.6 .. 0.8 V"
        ),
        Quantity("high", tr("lowest level that is high"), "V", -math.inf, (0.8, 4.0)),
        Quantity("most", tr("the most that it stands"), "V", 0.0, (2.0, 30.0)),
    ),
    Digital: (
        Quantity("level", tr("logic level"), "V", 0.0, (1.5, 5.5)),
        Quantity("impedance", tr("source impedance"), "Ω", 1e-3, (10.0, 1e3)),
    ),
    Video: (
        Quantity("level", tr("peak to peak"), "V", 0.0, (0.1, 3.0)),
        Quantity("impedance", tr("output impedance"), "Ω", 1e-3, (10.0, 1e4)),
    ),
}
#: What few papers tell of a module and nobody is asked for: what it draws while it does something else than playing, in the order of a
#: module's life.
DOINGS = (mark("searching"), mark("linked"), mark("transmitting"), mark("charging"))
#: Values of terminals that are taken where they are told, and asked for nowhere.
BESIDE: dict[type, tuple[Quantity, ...]] = {
    SupplyIn: (
        *(Quantity(d, tr("current while {d}", d=tr(d)), "A", 0.0, (1e-3, 2.0)) for d in DOINGS),
        Quantity("capacitance", tr("capacitance on its board"), "F", 0.0, (1e-7, 1e-2)),
    ),
    Rail: (
        Quantity("store", tr("capacitance on it"), "F", 0.0, (1e-7, 1e-1)),
        Quantity("least", tr("the least that the host needs"), "V", 0.0, (1.0, 60.0)),
    ),
    Control: (
        Quantity("least", tr("the least that still works for the host"), "V", -math.inf, (0.5, 15.0)),
        Quantity("takes", tr("current that the host's own load takes"), "A", 0.0, (1e-6, 0.1)),
        Quantity("sources", tr("current that it may source"), "A", 0.0, (1e-4, 0.1)),
        Quantity("sinks", tr("current that it may sink"), "A", 0.0, (1e-4, 0.5)),
        Quantity("most", tr("the most that its pin stands"), "V", 0.0, (3.3, 30.0)),
        Quantity("blink", tr("how often it blinks"), "Hz", 0.01, (0.25, 10.0)),
        Quantity("duty", tr("part of the time that it is active while it blinks"), "", 0.0, (0.1, 0.9)),
    ),
    ControlIn: (
        Quantity("pulled_to", tr("volts that it is pulled to"), "V", -math.inf, (1.8, 12.0)),
        Quantity("hold", tr("how long it must be held"), "s", 0.0, (1e-3, 2.0)),
    ),
}
#: The host's own values that are no terminal's: field, words, unit, lowest, plausible.
HOST_QUANTITIES = (
    Quantity("reservoir", tr("largest reservoir capacitor"), "F", 1e-9, (1e-6, 0.1)),
    Quantity("reservoir_volts", tr("voltage on it"), "V", 0.0, (5.0, 500.0)),
    Quantity("bleeder", tr("resistor across it"), "Ω", 1.0, (1e3, 1e6)),
)
#: Of an AC winding.
WINDING_QUANTITIES = (
    Quantity("open", tr("volts with nothing drawn"), "V", 0.1, (4.0, 40.0), Function.AC_VOLTS),
    Quantity("loaded", tr("volts under a load"), "V", 0.1, (3.0, 40.0)),
    Quantity("load", tr("current of that load"), "A", 1e-4, (1e-2, 5.0)),
    Quantity("resistance", tr("source resistance"), "Ω", 1e-4, (0.05, 50.0)),
    Quantity("rated", tr("current it may give"), "A", 1e-4, (0.05, 5.0)),
    Quantity("used", tr("current it gives already"), "A", 0.0, (0.0, 5.0)),
)
#: Of a battery.
BATTERY_QUANTITIES = (
    Quantity("capacity", tr("capacity"), "Ah", 1e-4, (0.05, 20.0)),
    Quantity("before", tr("capacity of the battery before"), "Ah", 1e-4, (0.05, 20.0)),
    Quantity(
        "health", tr("what is left of the capacity with age"), "", 0.01, (0.6, 1.0), usual="0.7 .. 0.85 .. 1"
    ),
    Quantity("resistance", tr("inner resistance"), "Ω", 1e-4, (0.02, 5.0)),
    Quantity("empty", tr("volts of an empty cell"), "V", 0.1, (0.8, 3.3)),
    Quantity("charge", tr("charging current"), "A", 1e-4, (0.01, 5.0)),
    Quantity("charge_from", tr("volts that the charger is fed with"), "V", 0.1, (4.5, 12.0)),
)
#: Of the host's own regulator of a rail.
REGULATOR_QUANTITIES = (
    Quantity("fed", tr("volts that its regulator is fed with"), "V", 0.1, (5.0, 60.0)),
    Quantity("theta", tr("heat resistance of its regulator to air"), "°C/W", 0.1, (2.0, 100.0)),
    Quantity("hottest", tr("hottest junction of its regulator"), "°C", 20.0, (100.0, 150.0), usual="125 °C"),
)
#: Of the mains. Level: EN 50160.
MAINS_QUANTITIES = (
    Quantity("level", tr("mains against nominal"), "", 0.1, (0.9, 1.1), usual="0.9 .. 1 .. 1.1"),
    Quantity("hertz", tr("mains frequency"), "Hz", 1.0, (50.0, 60.0), usual="50 Hz"),
)
AMBIENT = Quantity("ambient", tr("temperature inside the case"), "°C", -50.0, (0.0, 80.0))
#: Of a switch that a person works.
SWITCH_QUANTITIES = (
    Quantity("volts", tr("volts that its contacts stand"), "V", 0.1, (12.0, 250.0)),
    Quantity("amperes", tr("current that its contacts carry"), "A", 1e-6, (0.01, 10.0)),
)
PATH_RESISTANCE = Quantity(
    "resistance", tr("resistance between returns"), "Ω", 1e-6, (1e-3, 10.0), Function.RESISTANCE
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
THROUGH_GAIN = Quantity("gain", tr("gain of its way through"), "dB", -math.inf, (-6.0, 6.0))


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
