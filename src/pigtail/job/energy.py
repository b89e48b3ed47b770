"""Where the energy comes from: the mains and how they wander, the AC windings and AC adapters of a host."""

from __future__ import annotations

import enum

from pigtail.job.record import Name, Record, Ref
from pigtail.units.known import Known


class Earthed(enum.Enum):
    """Which end of a winding the host joins to its own ground. Not known is never taken as none."""

    UNKNOWN = "not known"
    FIRST = "first end"
    SECOND = "second end"
    TAP = "tap"
    NONE = "none"


class Mains(Record, frozen=True, kw_only=True):
    """The mains: how high they stand against what they are called [1], which moves every winding and unregulated rail together, and
    their frequency [Hz]; where nobody tells, 0.9 to 1.1 (EN 50160) and 50 Hz."""

    level: Known | None = None
    hertz: Known | None = None


class Winding(Record, frozen=True, kw_only=True):
    """An AC winding of a host's transformer, or an AC adapter: between which points it lies, and what it gives.

    open and loaded are volts r.m.s. [V] of the whole winding with nothing drawn and with `load` [A r.m.s.] drawn, from which its source
    resistance follows unless `resistance` [Ω] tells it; rated is the most that it may give, used what
    the host draws from it already [A r.m.s.]. states are those in which it is
    live; empty means all but off.
    """

    id: Ref
    name: Name
    first: Ref
    second: Ref
    tap: Ref = ""
    earthed: Earthed = Earthed.UNKNOWN
    open: Known | None = None
    loaded: Known | None = None
    load: Known | None = None
    resistance: Known | None = None
    rated: Known | None = None
    used: Known | None = None
    states: tuple[Ref, ...] = ()

    @property
    def ends(self) -> tuple[str, ...]:
        """Ids of its points: first and second end, and the tap if it has one."""
        return (self.first, self.second, *((self.tap,) if self.tap else ()))

    @property
    def earthed_at(self) -> str:
        """Id of the point that the host joins to its ground; empty where none is, or nobody knows."""
        return {Earthed.FIRST: self.first, Earthed.SECOND: self.second, Earthed.TAP: self.tap}.get(
            self.earthed, ""
        )


class KeptBy(enum.Enum):
    """What keeps the volts of a rail where they are."""

    UNKNOWN = "not known"
    NOTHING = "nothing"
    LINEAR = "a linear regulator"
    SWITCHING = "a switching converter"


class Regulator(Record, frozen=True, kw_only=True):
    """The host's own linear regulator of a rail: the volts it is fed with [V], its heat resistance to air with the heatsink it has
    [°C/W], and the hottest that its junction may get [°C]."""

    fed: Known | None = None
    theta: Known | None = None
    hottest: Known | None = None


class RailState(Record, frozen=True, kw_only=True):
    """What a rail stands at [V], what it can give and what the host itself draws from it [A] in one host state."""

    state: Ref
    voltage: Known | None = None
    limit: Known | None = None
    used: Known | None = None


class Chemistry(enum.Enum):
    """What a cell is made of."""

    ALKALINE = "alkaline"
    NICKEL = "nickel metal hydride"
    LITHIUM = "lithium ion"
    IRON = "lithium iron phosphate"
    LEAD = "lead acid"

    @property
    def lithium(self) -> bool:
        """Whether it needs protection against deep discharge, overcharge and short."""
        return self in (Chemistry.LITHIUM, Chemistry.IRON)


class Battery(Record, frozen=True, kw_only=True):
    """A battery behind a rail of the host: cells in series and parallel, the capacity of the whole [Ah], what is left of it with age [1],
    the inner resistance of the whole [Ω], the volts of a cell at which it is empty [V]; whether it has a protection; and how it is
    charged: at how many amperes [A], from how many volts by a linear charger [V], none while it is not. In its place before the retrofit
    stood a battery of `before` [Ah]."""

    id: Ref
    name: Name
    rail: Ref
    chemistry: Chemistry = Chemistry.ALKALINE
    series: int = 1
    parallel: int = 1
    capacity: Known | None = None
    before: Known | None = None
    health: Known | None = None
    resistance: Known | None = None
    empty: Known | None = None
    protected: bool | None = None
    charge: Known | None = None
    charge_from: Known | None = None


class Hours(Record, frozen=True, kw_only=True):
    """Hours of a day that a host spends in a state."""

    state: Ref
    hours: float
