"""The stand-in host as a meter meets it: the true host in one state, solved with the meter's load between the probes.

The meter errs within its accuracy, always the same way, with a noise by its range, and needs a reading or two to settle.
"""

from __future__ import annotations

import math
from typing import Any

import msgspec
import numpy as np

from pigtail.bench.truth import StandIn, points
from pigtail.job.ask import Ask
from pigtail.job.document import (
    BLADES,
    EARTH,
    HOST,
    OUTSIDE,
    Act,
    Control,
    Digital,
    Function,
    Rail,
    SupplyClass,
    SupplyIn,
    alive,
)
from pigtail.job.hazards import MAINS, reservoir_point
from pigtail.job.meters import Meter, meter
from pigtail.job.taking import NEVER_NEGATIVE
from pigtail.job.wiring import return_address, star_address
from pigtail.model.probed import Joint, Offset, Probed, Touch, touch_of

OVERLOAD = 9.9e37
DIODE_A, MOST_DIODE_V = 1e-3, 2.5
CLOCKS = {"word clock": 44_100.0, "bit clock": 2_822_400.0, "master clock": 11_289_600.0}
ERRS_PART, NOISE_PART = 0.6, 0.1
#: By the clock of the stand-in: a reading takes so long, and what is shown comes to rest with this time constant [s].
READING_S, SETTLES_S = 0.4, 0.1
#: A reading within this part of what it comes to has come to rest.
RESTS = 1e-3
#: Readings after which it always has.
RESTED = 4
#: How long the host had been off before anyone came to it [s].
STOOD_S = 120.0
#: A rail's fuse goes from this many times what it can give; an ammeter's from these volts across it.
BLOWS, TOUCH_V = 4.0, 0.3
#: A reservoir without a bleeder leaks through this; it is read behind this [Ω]; less on it is nought [V].
LEAKS_OHM, CHARGED_OHM, NOUGHT_V = 1e7, 1.0, 0.05
AMMETER = "ammeter"
#: Points outside of the host, by the numbers of their channels.
OUTSIDE_CHANNELS = {901: EARTH, 902: BLADES}
#: What leaks of the mains into a host that is not earthed: half of it [V] behind what an interference capacitor is [Ω].
LEAK_V, LEAK_OHM = 115.0, 1e6
#: At what a live chassis stands against earth [V], and through what it is joined to the mains [Ω].
LIVE_V, LIVE_OHM = 115.0, 4.0


class BlownFuseError(RuntimeError):
    """A fuse has gone: the meter's, since it was a short, before or now."""


class StandInHost:
    """A true host on the bench, with a meter of its kind."""

    def __init__(self, stand_in: StandIn) -> None:
        self.stand_in = stand_in
        self.job = stand_in.true_job()
        self.meter: Meter = meter(stand_in.meter)
        self.channels = {101 + k: a for k, a in enumerate(points(stand_in))} | OUTSIDE_CHANNELS
        self.setting = Touch(state=self.job.host.states[0].id if self.job.host.states else "")
        self._rng = np.random.default_rng(stand_in.seed)
        self._errs = {f: float(self._rng.uniform(-1, 1)) for f in Function}
        self._shown: dict[Function, float] = {}
        self._star = star_address(self.job).partition(".")[2]
        self._kept: tuple[tuple[frozenset[str], float, bool], Probed] | None = None
        #: Seconds by the stand-in's own clock since the host was switched off, or on.
        self.clock = STOOD_S
        #: What has no fuse any more: rails by their address, and the meter's own range for currents.
        self.blown: set[str] = set()

    def move(self, **changes: Any) -> None:
        """Move the probes, switch the host, play something; the meter settles anew."""
        before, self.setting = self.setting, msgspec.structs.replace(self.setting, **changes)
        if self.setting.state != before.state:
            self.clock = 0.0

    def take(self, ask: Ask) -> float:
        """What a person reads who does just what is asked, the meter come to rest [unit of the function]. Raises BlownFuseError."""
        self.move(**msgspec.structs.asdict(touch_of(ask)))
        if ask.function is Function.HEARD:
            return float(self.heard())
        return [self.read(ask.function) for _ in range(RESTED)][-1]

    def read(self, function: Function) -> float:
        """What the meter shows [unit of the function]; OVERLOAD beyond its range. Raises BlownFuseError."""
        self.overload()
        value = self._true(function)
        self.clock += READING_S
        if abs(value) >= OVERLOAD:
            self._shown[function] = 0.0
            return OVERLOAD
        settled = value + (self._shown.get(function, 0.0) - value) * math.exp(-READING_S / SETTLES_S)
        self._shown[function] = value if abs(settled - value) < RESTS * abs(value) else settled
        relative, floor = self.meter.accuracy.get(function.value, (0.0, 0.0))
        half = abs(settled) * relative + floor
        found = settled + ERRS_PART * self._errs[function] * half
        found += float(self._rng.uniform(-1, 1)) * NOISE_PART * (floor + relative * _range(settled) / 10)
        return max(found, 0.0) if function in NEVER_NEGATIVE else found

    def heard(self) -> int:
        """What is heard of a tone put in at the red probe: 0 nothing, 1 left, 2 right, 3 both; a host without a loudspeaker is silent."""
        sounds = any(Act.AMPLIFY in s.acts for s in self.job.host.stages)
        return self.probed.heard(self.setting) if sounds and self.probed.powered(self.setting.state) else 0

    def _true(self, function: Function) -> float:
        s = self.setting
        there = (*self.job.addresses(), *OUTSIDE)
        if function is Function.CURRENT and s.red in self.job.addresses():
            return self._current()
        if s.red not in there or s.black not in there or s.red == s.black:
            return 0.0
        match function:
            case Function.DC_VOLTS:
                return float(self.probed.dc([s], self.meter)[0])
            case Function.AC_VOLTS:
                return float(self.probed.ac([s], self.meter)[0])
            case Function.RESISTANCE | Function.CONTINUITY:
                return self._ohms()
            case Function.DIODE:
                volts = self._ohms() * DIODE_A
                return volts if volts < MOST_DIODE_V else OVERLOAD
            case Function.FREQUENCY:
                return self._frequency()
            case _:
                return 23.0

    def _ohms(self) -> float:
        found = float(self.probed.ohms([self.setting])[0])
        return found if math.isfinite(found) else OVERLOAD

    def _current(self) -> float:
        """What an ammeter in the opened lead of the red point shows [A]; between two points that volts stand between it is a short, and its
        fuse goes, with that of the rail that fed it. Raises BlownFuseError."""
        s, terminal = self.setting, self.job.terminal(self.setting.red)
        if AMMETER in self.blown:
            raise BlownFuseError
        if s.black in self.job.addresses() and s.black != s.red:
            if abs(float(self.probed.dc([s], self.meter)[0])) > TOUCH_V:
                rails = {a for a in (s.red, s.black) if isinstance(self.job.terminal(a), Rail)}
                self.blown |= {AMMETER} | rails
                raise BlownFuseError
            return 0.0
        if isinstance(terminal, SupplyIn | Control) and s.red.partition(".")[0] != HOST:
            return self.probed.current(s)
        if not isinstance(terminal, Rail) or not self.probed.alive(s.red, s.state):
            return 0.0
        given = terminal.in_state(s.state).used
        if given is None and s.state != self.job.off_state():
            given = terminal.used
        return given.nominal if given is not None else 0.0

    def overload(self) -> None:
        """Blow the fuse of a rail that is loaded with far more than it can give, as by a clip of too few ohms. Raises BlownFuseError when
        it goes."""
        s, rail = self.setting, self.job.terminal(self.setting.red)
        if not isinstance(rail, Rail) or rail.voltage is None or rail.limit is None or s.load <= 0:
            return
        own = rail.resistance.nominal if rail.resistance is not None else 0.0
        most = abs(rail.voltage.nominal) / (s.load + own)
        if self.probed.alive(s.red, s.state) and most > BLOWS * rail.limit.nominal:
            self.blown.add(s.red)
            raise BlownFuseError

    def mend(self) -> None:
        """New fuses everywhere."""
        self.blown.clear()

    @property
    def probed(self) -> Probed:
        """The true host as it is now; kept until a fuse goes, its charge runs down or it is plugged in."""
        plugged = self.setting.state != self.job.off_state()
        now = (frozenset(self.blown), round(self._charge(), 3), plugged)
        if self._kept is None or self._kept[0] != now:
            blown, charge, _ = now
            joints = (*self.stand_in.joints, *self._live_joints())
            self._kept = (
                now,
                Probed(
                    self.job, joints, self._held(charge, plugged), blown, built=bool(self.stand_in.modules)
                ),
            )
        return self._kept[1]

    def _live_joints(self) -> tuple[Joint, ...]:
        """What joins a live chassis to the mains, plugged in or not."""
        return (Joint(a=self._star, b=BLADES, ohm=LIVE_OHM),) if self._live_chassis and self._star else ()

    @property
    def _live_chassis(self) -> bool:
        """Whether the true host has no isolation, whatever its papers say."""
        return self.job.host.supply is SupplyClass.LIVE_CHASSIS

    def _held(self, charge: float, plugged: bool) -> tuple[Offset, ...]:
        """What is held away from what: as the truth says, what leaks of the mains, what is left on the reservoir."""
        found = list(self.stand_in.offsets)
        if plugged and self._star and self.job.host.supply in MAINS:
            found.append(Offset(a=self._star, b=EARTH, hum=LEAK_V, ohm=LEAK_OHM))
        if plugged and self._star and self._live_chassis:
            found.append(Offset(a=self._star, b=EARTH, hum=LIVE_V, ohm=LIVE_OHM))
        if charge:
            rail = reservoir_point(self.stand_in.papers)
            home = return_address(self.job, rail)
            a, b = (x.partition(".")[2] for x in (rail, home))
            found.append(Offset(a=a, b=b, volts=charge, ohm=CHARGED_OHM, always=True))
        return tuple(found)

    def _charge(self) -> float:
        """What is left on the reservoir while the host is off [V], by the clock."""
        host = self.job.host
        off = self.setting.state == self.job.off_state() and reservoir_point(self.stand_in.papers)
        if not off or host.reservoir is None or host.reservoir_volts is None:
            return 0.0
        ohm = host.bleeder.nominal if host.bleeder is not None else LEAKS_OHM
        left = host.reservoir_volts.nominal * math.exp(-self.clock / (ohm * host.reservoir.nominal))
        return left if left > NOUGHT_V else 0.0

    def _frequency(self) -> float:
        terminal = self.job.terminal(self.setting.red)
        if isinstance(terminal, Digital) and alive(terminal, self.setting.state):
            return CLOCKS.get(terminal.wire.value, 1000.0)
        shown = float(self.probed.ac([self.setting], self.meter)[0])
        return self.setting.tone_hz if shown > 2e-3 else 0.0


def _range(value: float) -> float:
    """The range that a meter takes for a value: the next power of ten. In the [unit of the value]."""
    return 10.0 ** math.ceil(math.log10(abs(value))) if value else 0.0
