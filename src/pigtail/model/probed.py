"""A host with probes on it, solved: what a meter would show at any two points, in any state, whatever is clipped on or played.

One netlist of all points of the host holds every pair of probes as parameters, so that many readings are one batch. The stand-in reads its
hidden truth by it, and what was really read is compared with what a host of these papers, or one with a certain fault, would show.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does, does
from pigtail.circuit import Circuit, ac, operating_point, parse
from pigtail.job.ask import Ask
from pigtail.job.chain import trait
from pigtail.job.document import (
    HOST,
    OUTSIDE,
    AudioIn,
    AudioOut,
    Channel,
    Digital,
    Job,
    Rail,
    Reading,
    Trait,
    alive,
)
from pigtail.job.meters import Meter
from pigtail.job.tone import USUAL_HERTZ, tone_of
from pigtail.job.wiring import addresses_of, return_address, supply_links
from pigtail.model import names, subjects
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist, compile_job
from pigtail.model.terminals import node_name
from pigtail.units.store import cached_property

Array = NDArray[np.float64]
#: What an ohmmeter drives [A], and beyond which it shows nothing [Ω].
OHMS_A, MOST_OHM = 1e-4, 100e6
#: A moving logic line rests at half its level and shows this part of it as AC.
LOGIC_MEAN, LOGIC_AC = 0.5, 0.3
#: What is not clipped on, as a resistance [Ω]; a generator without a resistor has this [Ω].
NOTHING, GENERATOR = 1e12, 0.1
#: What stands between a host and the mains where nothing is joined [Ω].
INSULATION_OHM = 2e8
HUM_HZ = 50.0
#: Of a tone that is put in, what must arrive at an input for it to be heard [1].
HEARD_PART = 0.1
#: A tone that the host plays below full scale is taken as this part of it, and a volume that is turned down as this one [1].
SOFT, TURNED_DOWN = 0.3, 0.03


#: The part of what a module draws while it plays that is left while it is held half-way: a chip that only leaks. Typical, no source.
LEFT_ASLEEP = 0.01


#: Inputs of the netlist in place of their nominal values, for each of some readings.
Moves = Sequence[dict[str, float]]


class Joint(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Two points of the host, or outside of it, that are one net, or nearly: their ids, and the resistance between them [Ω]."""

    a: str
    b: str
    ohm: float = 0.1


class Offset(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A point that is held away from another while the host has power, or always, as by a charge: volts of DC and of AC (50 Hz, rms) behind
    a resistance [Ω]."""

    a: str
    b: str
    volts: float = 0.0
    hum: float = 0.0
    ohm: float = 1.0
    always: bool = False


class Touch(msgspec.Struct, frozen=True):
    """Where things stand for one reading: host state, probes, what is played how loud, what is clipped on.

    tone_level: a part of full scale [1] at what plays, volts [V rms] of a generator at an input; volume: of the host's control [1].
    """

    state: str
    red: str = ""
    black: str = ""
    tone_hz: float = 1000.0
    tone_level: float = 0.0
    channel: str = "both"
    volume: float = 1.0
    load: float = 0.0
    series: float = 0.0
    current: float = 0.0


def touch_of(reading: Reading | Ask) -> Touch:
    """Where things stood while it was read."""
    tone = tone_of(reading.drive)
    level = 0.0 if tone is None else tone.volts if tone.volts is not None else 1.0 if tone.full else SOFT
    return Touch(
        state=reading.state, red=reading.point, black=reading.against,
        tone_hz=tone.hertz if tone else USUAL_HERTZ, tone_level=level, channel=(tone.side if tone else "") or "both",
        volume=TURNED_DOWN if tone is not None and tone.down else 1.0,
        load=_nominal(reading.load), series=_nominal(reading.series), current=_nominal(reading.current),
    )  # fmt: skip


def _nominal(value: object) -> float:
    found = getattr(value, "nominal", value)
    return float(found) if isinstance(found, int | float) else 0.0


def address_of(end: str) -> str:
    """The address of an end of a joint: an id of the host's, or a point outside."""
    return end if end in OUTSIDE else f"{HOST}.{end}"


class Probed:
    """A host with its points joined and held as a truth has it, some rails without their fuse; built: with modules in it, that draw."""

    def __init__(
        self,
        job: Job,
        joints: Sequence[Joint] = (),
        offsets: Sequence[Offset] = (),
        blown: frozenset[str] = frozenset(),
        *,
        built: bool = False,
    ) -> None:
        self.built = built
        self.job, self.joints, self.offsets, self.blown = job, tuple(joints), tuple(offsets), blown
        self._pairs: dict[tuple[str, str], int] = {}
        self._asleep: dict[str, float] = {}

    # -- what is shown --------------------------------------------------------------------------------------

    def dc(self, spots: Sequence[Touch], meter: Meter, moves: Moves = ()) -> Array:
        """DC volts between the probes of each [V], the meter's load on them, inputs of the netlist moved for each. Array [spots]."""
        return self._volts(spots, _moved([self._given(s, meter.dc_ohm) for s in spots], moves))

    def ac(self, spots: Sequence[Touch], meter: Meter, moves: Moves = ()) -> Array:
        """AC volts between the probes of each [V rms]: what plays and what hums together, rolled off as the meter does. Array [spots]."""
        playing = _moved([self._given(s, meter.ac_ohm, meter.ac_farad) for s in spots], moves)
        hums = np.zeros(len(spots))
        if self.job.host.windings or any(held.hum for held in self.offsets):
            humming = _moved([self._given(s, meter.ac_ohm, meter.ac_farad, hum=True) for s in spots], moves)
            hums = self._tones(spots, humming, [HUM_HZ] * len(spots))
        heard = self._tones(spots, playing, [s.tone_hz for s in spots])
        rolled = np.array([1 / math.hypot(1.0, (s.tone_hz / (3 * meter.flat_hz)) ** 2) for s in spots])
        found: Array = np.hypot(heard * rolled, hums)
        for k, spot in enumerate(spots):
            line = self.job.terminal(spot.red)
            if isinstance(line, Digital) and alive(line, spot.state):
                found[k] = LOGIC_AC * (line.level.nominal if line.level else 0.0)
        return found

    def ohms(self, spots: Sequence[Touch], moves: Moves = ()) -> Array:
        """What an ohmmeter finds between the probes of each [Ω]; with the host under power its volts spoil it, as they do. Inf beyond
        its range. Array [spots]."""
        cases = []
        for spot in spots:
            case = self._given(msgspec.structs.replace(spot, load=0.0, current=0.0, tone_level=0.0), 1e9)
            if not self.powered(
                spot.state
            ):  # what converts conducts nothing from its output while it has no power
                links = {x.id: x for end in (spot.red, spot.black) for x in supply_links(self.job, end)}
                case["asleep"] = 1.0  # nor does a chip draw anything by what an ohmmeter drives
                case |= {
                    names.of_link(n, "out", "pulled"): 1.0
                    for n, x in links.items()
                    if any(does(s, Does.CONVERTS) for s in x.sections)
                }
            case[f"pi_{self._at(spot)}"] = OHMS_A
            cases.append(case)
        found = self._volts(spots, _moved(cases, moves)) / OHMS_A
        return np.asarray(np.where(np.abs(found) < MOST_OHM, found, np.inf))

    def current(self, spot: Touch) -> float:
        """What flows in the opened lead of a pin of what is built in [A]: into a supply pin, out of a line."""
        apart = msgspec.structs.replace(spot, black=return_address(self.job, spot.red))
        case = self._given(apart, NOTHING)
        solved = operating_point(self.circuit, self._samples([case]))
        return float(np.ravel(np.asarray(self.net.terminal_current(solved, spot.red)))[0])

    def heard(self, spot: Touch) -> int:
        """Which side is heard of a tone put in at the red probe: 0 nothing, 1 left, 2 right, 3 both; by what reaches the inputs that are
        alive in this state."""
        home = return_address(self.job, spot.red) or spot.black
        put = msgspec.structs.replace(spot, black=home, tone_level=1.0)
        inputs = [a for a in addresses_of(self.job, AudioIn, HOST) if self.alive(a, spot.state) and a != home]
        if spot.red not in self.job.addresses() or not home or not inputs:
            return 0
        case = self._given(put, NOTHING)
        case[f"pv_{self._at(put)}"] = 1.0
        case[f"ps_{self._at(put)}"] = max(spot.series, GENERATOR)
        solved = ac(self.circuit, [spot.tone_hz], self._samples([case]))
        sides: set[Channel] = set()
        for address in inputs:
            ends = (node_name(self.job, address), node_name(self.job, return_address(self.job, address)))
            if abs(complex(solved.v(*ends)[0, 0])) > HEARD_PART:
                terminal = self.job.terminal(address)
                assert isinstance(terminal, AudioIn)
                sides |= (
                    {Channel.LEFT, Channel.RIGHT} if terminal.channel is Channel.MONO else {terminal.channel}
                )
        return (Channel.LEFT in sides) + 2 * (Channel.RIGHT in sides)

    def powered(self, state: str) -> bool:
        """Whether the host is switched on, or sleeps, in a state."""
        return state != self.job.off_state()

    def alive(self, address: str, state: str) -> bool:
        """Whether a point has its volts in a state: what its papers say, and its fuse."""
        terminal = self.job.terminal(address)
        return terminal is not None and address not in self.blown and alive(terminal, state)

    # -- the circuit ----------------------------------------------------------------------------------------

    @cached_property
    def net(self) -> Netlist:
        """The host with all its points, and what is built into it; what differs between states is switched in it."""
        return compile_job(self.job, self.job.working_state(), everything=True, clamps=self.built)

    def asleep(self, state: str) -> float:
        """How much of what the modules draw is left aside in a state: nearly all of it where none is fed [1]."""
        if not self.built:
            return 0.0
        if state not in self._asleep:
            model = Model.of(self.job)
            fed = any(model.fed(state, m.id) for m in self.job.modules)
            self._asleep[state] = 0.0 if fed else 1.0 - LEFT_ASLEEP
        return self._asleep[state]

    @cached_property
    def circuit(self) -> Circuit:
        """The netlist with joints, offsets and, as parameters, whatever any pair of probes puts on."""
        lines = [
            x
            for x in self.net.text.splitlines()
            if x != ".end" and not x.startswith((".op", ".ac", ".print"))
        ]
        lines.insert(1, ".param on=0 humming=0")
        for outside in (node_name(self.job, a) for a in OUTSIDE):
            lines.append(f"Rinsulation_{outside} {outside} 0 {INSULATION_OHM!r}")
        for k, joint in enumerate(self.joints):
            a, b = (node_name(self.job, address_of(end)) for end in (joint.a, joint.b))
            lines.append(f"Rjoint{k} {a} {b} {joint.ohm!r}")
        for k, held in enumerate(self.offsets):
            a, b = (node_name(self.job, address_of(end)) for end in (held.a, held.b))
            lines.append(
                f"Voffset{k} of{k} {b} DC {{{held.volts!r}*{1 if held.always else 'on'}}} AC {{{held.hum!r}*humming}}"
            )
            lines.append(f"Roffset{k} of{k} {a} {held.ohm!r}")
        for k, (red, black) in enumerate(self._pairs):
            a, b = node_name(self.job, red), node_name(self.job, black)
            lines.append(
                f".param pm_{k}={NOTHING} pc_{k}=0 pl_{k}={NOTHING} pi_{k}=0 pv_{k}=0 ps_{k}={NOTHING}"
            )
            lines += [
                f"Rpm{k} {a} {b} {{pm_{k}}}",
                f"Cpm{k} {a} {b} {{pc_{k}}}",
                f"Rpl{k} {a} {b} {{pl_{k}}}",
            ]
            lines += [f"Ipd{k} {b} {a} DC {{pi_{k}}} AC {{pv_{k}/ps_{k}}}", f"Rps{k} {a} {b} {{ps_{k}}}"]
        return parse("\n".join([*lines, ".end"]))

    def _at(self, spot: Touch) -> int:
        """The number of a spot's pair of probes; a pair that is new makes the circuit anew."""
        pair = (spot.red, spot.black)
        if pair not in self._pairs:
            self._pairs[pair] = len(self._pairs)
            self.__dict__.pop("circuit", None)
        return self._pairs[pair]

    def _given(self, spot: Touch, ohm: float, farad: float = 0.0, *, hum: bool = False) -> dict[str, float]:
        """The parameters of the circuit for one reading."""
        k, state = self._at(spot), spot.state
        found = dict(self.net.switches[state])
        on = self.powered(state)
        for address in self.job.addresses():
            self._of_terminal(found, address, spot, hum=hum)
        found |= {
            f"{subjects.winding(w.id).parameter()}__humming": float(hum) for w in self.job.host.windings
        }
        found |= {
            "asleep": self.asleep(state),
            "on": float(on),
            "humming": float(hum and on),
            f"pm_{k}": ohm,
            f"pc_{k}": farad,
        }
        if spot.load > 0:
            found[f"pl_{k}"] = spot.load
        if spot.current:
            found[f"pi_{k}"] = spot.current
        injected = isinstance(self.job.terminal(spot.red), AudioIn) and spot.tone_level > 0 and not hum
        if injected:
            found |= {f"pv_{k}": spot.tone_level, f"ps_{k}": max(spot.series, GENERATOR)}
        return found

    def _of_terminal(self, found: dict[str, float], address: str, spot: Touch, *, hum: bool) -> None:
        """What one terminal does meanwhile."""
        terminal, node = self.job.terminal(address), node_name(self.job, address)
        if address in self.blown:
            found[f"{node}__present"] = 0.0
        if isinstance(terminal, AudioOut):
            mine = spot.channel == "both" or terminal.channel in (Channel.MONO, Channel(spot.channel))
            follows = trait(self.job, terminal, Trait.FOLLOWS_VOLUME) is True
            level = spot.tone_level * (spot.volume if follows else 1.0)
            found[f"{node}__drive"] = level if mine and not hum else 0.0
        elif isinstance(terminal, Digital):
            found[f"{node}__level"] = LOGIC_MEAN * (terminal.level.nominal if terminal.level else 0.0)
        elif isinstance(terminal, AudioIn) and terminal.has(Trait.PASSIVE_NODE):
            found[f"{node}__carried"] = float(self.alive(address, spot.state) and not hum)
        elif isinstance(terminal, Rail) and address == spot.red and spot.load > 0:
            self._limited(found, address, terminal, spot.load)

    def _limited(self, found: dict[str, float], address: str, rail: Rail, load: float) -> None:
        """A rail that is asked for more than it can give comes down until the load takes that."""
        if rail.voltage is not None and rail.limit is not None and rail.limit.nominal > 0:
            least = abs(rail.voltage.nominal) / rail.limit.nominal - load
            own = rail.resistance.nominal if rail.resistance is not None else 0.0
            found[f"{node_name(self.job, address)}__resistance"] = max(own, least)

    def _samples(self, cases: Sequence[dict[str, float]]) -> dict[str, Array]:
        """The parameters of several readings as one batch: what a reading does not name is as the circuit has it."""
        known = {name for name, _ in self.circuit.parameters}
        usual = {f"p{kind}_{k}": NOTHING for k in self._pairs.values() for kind in "mls"}
        usual |= {i.name: i.ends[1] for i in self.net.inputs if i.in_deck}
        given = {n for case in cases for n in case if n in known}
        return {n: np.array([case.get(n, usual.get(n, 0.0)) for case in cases]) for n in given}

    def _volts(self, spots: Sequence[Touch], cases: list[dict[str, float]]) -> Array:
        if not spots:
            return np.zeros(0)
        solved = operating_point(self.circuit, self._samples(cases))
        return np.array(
            [np.broadcast_to(solved.v(*self._ends(s)), len(spots))[k] for k, s in enumerate(spots)],
            dtype=float,
        )

    def _tones(self, spots: Sequence[Touch], cases: list[dict[str, float]], hertz: Sequence[float]) -> Array:
        if not spots:
            return np.zeros(0)
        solved = ac(self.circuit, np.array(hertz)[:, None], self._samples(cases))
        return np.array([float(abs(solved.v(*self._ends(s))[k, 0])) for k, s in enumerate(spots)])

    def _ends(self, spot: Touch) -> tuple[str, str]:
        return node_name(self.job, spot.red), node_name(self.job, spot.black)


def _moved(cases: list[dict[str, float]], moves: Moves) -> list[dict[str, float]]:
    return [case | moved for case, moved in zip(cases, moves, strict=True)] if moves else cases
