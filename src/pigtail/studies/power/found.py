"""What the study of supplies found. Free of numerical packages."""

from __future__ import annotations

import msgspec

from pigtail.language import tr
from pigtail.model.estimate import Estimate
from pigtail.studies.findings import Study

#: What tells of a wire on the wrong pad, which only hands can mend, and of which nothing else that is solved with it holds.
MISWIRED = (
    "power.swapped", "power.on_signal", "power.pin_on_return", "power.rail_on_return", "power.rails_joined", "power.foot_on_supply",
    "power.reversed", "power.stage_reversed", "power.reference_trap", "power.legs_swapped",
)  # fmt: skip


class StateRow(msgspec.Struct, frozen=True):
    """One host state, as solved: whether the rail has its volts and whether the module is powered in it."""

    state: str
    name: str
    rail: bool
    powered: bool


#: What a module does besides what it is told to: it plays, and it bursts.
PLAYING, IN_A_BURST = "playing", tr("in a burst")


class Moment(msgspec.Struct, frozen=True):
    """What a module gets and draws in a host state [V, A], doing something."""

    state: str
    doing: str
    volts: Estimate
    amperes: Estimate


class RailUse(msgspec.Struct, frozen=True):
    """What a rail gives in a burst in a host state besides the working one [A], of what it can and with what the host draws itself [A],
    None where nobody knows."""

    rail: str
    state: str
    amperes: Estimate
    limit: float | None
    used: float | None


class Waves(msgspec.Struct, frozen=True):
    """One period of the course of an AC supply, at one height of the mains: times [s], the winding's volts, those on the reservoir
    and at the module [V], the winding's current [A]."""

    words: str
    times: tuple[float, ...]
    winding: tuple[float, ...]
    reservoir: tuple[float, ...]
    module: tuple[float, ...]
    current: tuple[float, ...]


class Heat(msgspec.Struct, frozen=True):
    """The junction of a linear converter behind a rectifier at one height of the mains, average drawn, at nominal values [°C]."""

    mains: str
    junction_c: float


class Lasting(msgspec.Struct, frozen=True):
    """How long a battery lasts in one host state, with the retrofit and before it [h]."""

    state: str
    name: str
    powered: bool
    hours: Estimate
    before: Estimate


class BatteryDetail(msgspec.Struct, frozen=True):
    """What the Power station paints of a battery: how long it lasts, days of the stated use now and before, how its volts fall over the
    part of its capacity taken [1, V]."""

    name: str
    chemistry: str
    lasting: tuple[Lasting, ...]
    days: tuple[Estimate, Estimate] | None
    falling: tuple[tuple[float, float], ...]
    numbers: dict[str, Estimate]


class SupplyDetail(msgspec.Struct, frozen=True):
    """What the Power station paints of one supply: the rail (of an AC supply an end of its winding, with the rectifier and the course in
    time), the converter and the pin, the host states, and what the module gets in them besides playing in the working one."""

    link: str
    module: str
    rail: str
    supply: str
    converter: str
    numbers: dict[str, Estimate]
    states: tuple[StateRow, ...] = ()
    moments: tuple[Moment, ...] = ()
    uses: tuple[RailUse, ...] = ()
    rectifier: str = ""
    waves: tuple[Waves, ...] = ()
    heat: tuple[Heat, ...] = ()
    battery: BatteryDetail | None = None


class PowerFound(Study, frozen=True):
    """Numbers `power.…`, findings and a detail for each supply."""

    supplies: tuple[SupplyDetail, ...] = ()


FOUND = PowerFound
