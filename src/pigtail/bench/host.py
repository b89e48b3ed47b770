"""The stand-in host as a meter meets it: the true host in one state, solved with the meter's load between the probes.

The meter errs within its accuracy, always the same way, with a little noise, and needs a reading or two to settle.
"""

from __future__ import annotations

import math
from functools import cached_property
from typing import Any

import msgspec
import numpy as np

from pigtail.bench.truth import StandIn, points
from pigtail.circuit import Circuit, ac, operating_point, parse
from pigtail.job.document import HOST, AudioIn, AudioOut, Channel, Digital, Function, Rail, alive
from pigtail.job.meters import Meter, meter
from pigtail.job.taking import NEVER_NEGATIVE
from pigtail.job.wiring import addresses_of
from pigtail.model.netlist import Netlist, compile_job
from pigtail.model.terminals import node_name

OVERLOAD = 9.9e37
#: What an ohmmeter drives [A], and beyond which it shows nothing [Ω].
OHMS_A, MOST_OHM = 1e-4, 100e6
DIODE_A, MOST_DIODE_V = 1e-3, 2.5
#: A moving logic line rests at half its level and shows this part of it as AC.
LOGIC_MEAN, LOGIC_AC = 0.5, 0.3
CLOCKS = {"word clock": 44_100.0, "bit clock": 2_822_400.0, "master clock": 11_289_600.0}
LEFT_OVER = 0.02
ERRS_PART, NOISE_PART = 0.6, 0.1


#: A rail's fuse goes from this many times what it can give; an ammeter's from these volts across it.
BLOWS, TOUCH_V = 2.0, 0.3
AMMETER = "ammeter"


class BlownFuseError(RuntimeError):
    """A fuse has gone: the meter's, since it was a short, before or now."""


class Setting(msgspec.Struct, frozen=True):
    """Where things stand: host state, probes, what is played, what is clipped across or in series."""

    state: str
    red: str = ""
    black: str = ""
    tone_hz: float = 1000.0
    tone_level: float = 0.0
    channel: str = "both"
    load: float = 0.0
    series: float = 0.0
    current: float = 0.0


class StandInHost:
    """A true host on the bench, with a meter of its kind."""

    def __init__(self, stand_in: StandIn) -> None:
        self.stand_in = stand_in
        self.job = stand_in.true_job()
        self.meter: Meter = meter(stand_in.meter)
        self.channels = {101 + k: a for k, a in enumerate(points(stand_in))}
        self.setting = Setting(state=self.job.host.states[0].id if self.job.host.states else "")
        self._rng = np.random.default_rng(stand_in.seed)
        self._errs = {f: float(self._rng.uniform(-1, 1)) for f in Function}
        self._shown: dict[Function, float] = {}
        #: What has no fuse any more: rails by their address, and the meter's own range for currents.
        self.blown: set[str] = set()

    def move(self, **changes: Any) -> None:
        """Move the probes, switch the host, play something; the meter settles anew."""
        self.setting = msgspec.structs.replace(self.setting, **changes)

    def read(self, function: Function) -> float:
        """What the meter shows [unit of the function]; OVERLOAD beyond its range. Raises BlownFuseError."""
        self.overload()
        value = self._true(function)
        if abs(value) >= OVERLOAD:
            self._shown[function] = 0.0
            return OVERLOAD
        settled = value + (self._shown.get(function, 0.0) - value) * LEFT_OVER
        self._shown[function] = value if abs(settled - value) < 1e-3 * abs(value) else settled
        relative, floor = self.meter.accuracy.get(function.value, (0.0, 0.0))
        half = abs(settled) * relative + floor
        noise = float(self._rng.uniform(-1, 1)) * NOISE_PART * floor
        found = settled + ERRS_PART * self._errs[function] * half + noise
        return max(found, 0.0) if function in NEVER_NEGATIVE else found

    def heard(self) -> int:
        """What is heard when a tone is injected at the red probe: 0 nothing, 1 left, 2 right, 3 both."""
        terminal = self.job.terminal(self.setting.red)
        if not isinstance(terminal, AudioIn | AudioOut) or not alive(terminal, self.setting.state):
            return 0
        return {Channel.LEFT: 1, Channel.RIGHT: 2, Channel.MONO: 3}[terminal.channel]

    def _true(self, function: Function) -> float:
        s = self.setting
        if function is Function.CURRENT and s.red in self.job.addresses():
            return self._current()
        if s.red not in self.job.addresses() or s.black not in self.job.addresses() or s.red == s.black:
            return 0.0
        match function:
            case Function.DC_VOLTS:
                return self._dc(self.meter.dc_ohm)
            case Function.AC_VOLTS:
                return self._ac()
            case Function.RESISTANCE | Function.CONTINUITY:
                return self._ohms()
            case Function.DIODE:
                volts = self._ohms() * DIODE_A
                return volts if volts < MOST_DIODE_V else OVERLOAD
            case Function.FREQUENCY:
                return self._frequency()
            case _:
                return 23.0

    def _current(self) -> float:
        """What an ammeter in the opened lead of the red point shows [A]; between two points that volts stand between it is a short, and its
        fuse goes, with that of the rail that fed it. Raises BlownFuseError."""
        s, terminal = self.setting, self.job.terminal(self.setting.red)
        if AMMETER in self.blown:
            raise BlownFuseError
        if s.black in self.job.addresses() and s.black != s.red:
            if abs(self._dc(self.meter.dc_ohm)) > TOUCH_V:
                rails = {a for a in (s.red, s.black) if isinstance(self.job.terminal(a), Rail)}
                self.blown |= {AMMETER} | rails
                raise BlownFuseError
            return 0.0
        given = terminal.used if isinstance(terminal, Rail) else None
        return given.nominal if given is not None and self._alive(s.red) else 0.0

    def overload(self) -> None:
        """Blow the fuse of a rail that is loaded with far more than it can give, as by a clip of too few ohms. Raises BlownFuseError when
        it goes."""
        rail, load = self.job.terminal(self.setting.red), self.setting.load
        if not isinstance(rail, Rail) or rail.voltage is None or rail.limit is None or load <= 0:
            return
        if self._alive(self.setting.red) and abs(rail.voltage.nominal) / load > BLOWS * rail.limit.nominal:
            self.blown.add(self.setting.red)
            raise BlownFuseError

    def mend(self) -> None:
        """New fuses everywhere."""
        self.blown.clear()

    # -- circuits -------------------------------------------------------------------------------------------

    def _circuit(self, extra: list[str]) -> Circuit:
        lines = [
            x
            for x in self._net.text.splitlines()
            if x != ".end" and not x.startswith((".op", ".ac", ".print"))
        ]
        names = {a: node_name(self.job, a) for a in self.job.addresses()}
        joints = [
            f"Rjoint{k} {names[f'{HOST}.{j.a}']} {names[f'{HOST}.{j.b}']} {j.ohm!r}"
            for k, j in enumerate(self.stand_in.joints)
        ]
        on = self.powered()
        offsets = []
        for k, o in enumerate(self.stand_in.offsets):
            a, b = names[f"{HOST}.{o.a}"], names[f"{HOST}.{o.b}"]
            offsets += [f"Voffset{k} of{k} {b} DC {o.volts * on!r}", f"Roffset{k} of{k} {a} {o.ohm!r}"]
        return parse("\n".join([*lines, *joints, *offsets, *extra, ".end"]))

    @cached_property
    def _net(self) -> Netlist:
        """The true host with all its points; what differs between states is switched in it."""
        return compile_job(self.job, self.job.working_state(), everything=True)

    def powered(self) -> bool:
        """Whether any rail of the host is alive in this state."""
        return any(self._alive(a) for a in addresses_of(self.job, Rail))

    def _alive(self, address: str) -> bool:
        """Whether a point has its volts in this state: what its papers say, and its fuse."""
        terminal = self.job.terminal(address)
        return terminal is not None and address not in self.blown and alive(terminal, self.setting.state)

    def _between(self) -> tuple[str, str]:
        return node_name(self.job, self.setting.red), node_name(self.job, self.setting.black)

    def _extra(self, ohm: float, farad: float = 0.0) -> list[str]:
        """Meter, load and current between the probes."""
        red, black = self._between()
        lines = [f"Rmeter {red} {black} {ohm!r}"]
        if farad:
            lines.append(f"Cmeter {red} {black} {farad!r}")
        if self.setting.load > 0:
            lines.append(f"Rload {red} {black} {self.setting.load!r}")
        if self.setting.current:
            lines.append(f"Idriven {black} {red} {self.setting.current!r}")
        return lines

    def _samples(self, *, quiet: bool = False) -> dict[str, float]:
        """Parameters of the deck for this state: what is dead gives nothing, logic rests at its mean."""
        switches = self._net.switches[self.setting.state]
        found = dict.fromkeys(switches, 0.0) if quiet else dict(switches)
        for address in self.job.addresses():
            terminal, node = self.job.terminal(address), node_name(self.job, address)
            if address in self.blown:
                found[f"{node}_present"] = 0.0
            if isinstance(terminal, AudioOut):
                found[f"{node}_drive"] = self._drive(terminal)
            elif isinstance(terminal, Digital):
                found[f"{node}_level"] = LOGIC_MEAN * (terminal.level.nominal if terminal.level else 0.0)
        return found

    def _drive(self, terminal: AudioOut) -> float:
        channel = self.setting.channel
        mine = channel == "both" or terminal.channel in (Channel.MONO, Channel(channel))
        return self.setting.tone_level if mine else 0.0

    def _given(self, circuit: Circuit, samples: dict[str, float]) -> dict[str, float]:
        known = {name for name, _ in circuit.parameters}
        return {k: v for k, v in samples.items() if k in known}

    def _dc(self, ohm: float) -> float:
        circuit = self._circuit(self._extra(ohm))
        red, black = self._between()
        return float(operating_point(circuit, self._given(circuit, self._samples())).v(red, black)[0])

    def _ac(self) -> float:
        s, terminal = self.setting, self.job.terminal(self.setting.red)
        if isinstance(terminal, Digital) and alive(terminal, s.state):
            return LOGIC_AC * (terminal.level.nominal if terminal.level else 0.0)
        extra = self._extra(self.meter.ac_ohm, self.meter.ac_farad)
        if isinstance(terminal, AudioIn) and s.tone_level > 0:
            extra += [
                f"Vgen gen {self._between()[1]} AC {s.tone_level!r}",
                f"Rgen gen {self._between()[0]} {max(s.series, 0.1)!r}",
            ]
        circuit = self._circuit(extra)
        found = ac(circuit, [s.tone_hz], self._given(circuit, self._samples())).v(*self._between())
        rolled = 1 / math.hypot(1.0, (s.tone_hz / (3 * self.meter.flat_hz)) ** 2)
        hum = self._hum()
        return math.hypot(float(abs(found[0, 0])) * rolled, hum)

    def _hum(self) -> float:
        """Hum [V rms] between the probes: that of the offsets that lie between them."""
        ends = {self.setting.red.partition(".")[2], self.setting.black.partition(".")[2]}
        return sum(o.hum for o in self.stand_in.offsets if {o.a, o.b} == ends) if self.powered() else 0.0

    def _ohms(self) -> float:
        """What an ohmmeter finds; with the host under power its volts spoil it, as they do."""
        red, black = self._between()
        circuit = self._circuit([f"Iohms {black} {red} {OHMS_A!r}", f"Rmeter {red} {black} 1e9"])
        quiet = not self.powered()
        volts = operating_point(circuit, self._given(circuit, self._samples(quiet=quiet))).v(red, black)[0]
        ohm = float(volts) / OHMS_A
        return ohm if abs(ohm) < MOST_OHM else OVERLOAD

    def _frequency(self) -> float:
        terminal = self.job.terminal(self.setting.red)
        if isinstance(terminal, Digital) and alive(terminal, self.setting.state):
            return CLOCKS.get(terminal.wire.value, 1000.0)
        return self.setting.tone_hz if self._ac() > 2e-3 else 0.0
