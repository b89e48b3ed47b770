"""What is commonly wrong with papers and gear, each as a change of the host that the same netlist is made of.

A fault of a point gives the hosts that it would make of these papers, with a value taken from what was read there where it has one. Which
there are, how often, and what is said of each stands in `data/faults.toml`; what it does to the host stands here, one function each.
"""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Iterator, Sequence
from functools import cache
from pathlib import Path

import msgspec
from msgspec.structs import replace

from pigtail.job.document import (
    HOST,
    AnyTerminal,
    AudioIn,
    AudioOut,
    Control,
    Function,
    Job,
    Rail,
    Reading,
    Return,
    Trait,
    Way,
)
from pigtail.job.readings import NEVER, plain
from pigtail.job.wiring import return_address, star_address, twin
from pigtail.language import said
from pigtail.model.probed import Joint, Offset, Probed
from pigtail.units import Basis, format_quantity
from pigtail.units.known import Known

TABLE = Path(__file__).parent / "data" / "faults.toml"
#: Ways home that are open or bad [Ω], and by how much a source is weaker [1].
BAD_OHMS, WEAKER = (3.0, 30.0, 1e6), (5.0, 30.0, 300.0)
#: What a joint that nobody drew has, and what loads a point that nothing should [Ω].
JOINED_OHM, LOADED_OHMS = 0.1, (300.0, 3000.0)
#: From here on a point stands at something [V].
SOMETHING_V = 0.2
#: What stands for nothing at all [V], and behind what a ground is held away [Ω].
NOTHING_V, HELD_OHM = 1e-3, 1.0


class Words(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How often a fault is met beside the others [1], and what is said of it."""

    often: float
    says: str


class Truth(msgspec.Struct, frozen=True):
    """A host with a fault: the job, what is joined or held in it, and words of this one."""

    job: Job
    joints: tuple[Joint, ...] = ()
    offsets: tuple[Offset, ...] = ()
    words: dict[str, str] = {}

    def probed(self) -> Probed:
        """The same with probes on it."""
        return Probed(self.job, self.joints, self.offsets)


Fault = Callable[[Job, str, Sequence[Reading]], Iterator[Truth]]


@cache
def words() -> dict[str, Words]:
    """What is said of each fault, by its key."""
    return msgspec.convert(
        said("faults.toml", tomllib.loads(TABLE.read_text(encoding="utf-8"))), dict[str, Words]
    )


def with_points(job: Job, *changed: AnyTerminal) -> Job:
    """The job with some points of its host changed."""
    by_id = {t.id: t for t in changed}
    host = replace(job.host, terminals=tuple(by_id.get(t.id, t) for t in job.host.terminals))
    return replace(job, host=host)


def measured(value: float, unit: str) -> Known:
    """A value that a fault has, known as it is [unit]."""
    return Known.of(value, unit, Basis.MEASURED)


def _id(address: str) -> str:
    return address.partition(".")[2]


def _field(terminal: AnyTerminal | None, fields: dict[type, str]) -> str:
    """The field of a kind of point; empty for a kind that has none."""
    return next((field for kind, field in fields.items() if isinstance(terminal, kind)), "")


def _read(readings: Sequence[Reading], address: str, function: Function) -> list[Reading]:
    return [r for r in readings if r.point == address and r.function is function and plain(r)]


def swapped(job: Job, address: str, _readings: Sequence[Reading]) -> Iterator[Truth]:
    """Left and right the other way round."""
    terminal, other = job.terminal(address), job.terminal(twin(job, address))
    if isinstance(terminal, AudioIn | AudioOut) and isinstance(other, AudioIn | AudioOut):
        yield Truth(with_points(job, *(replace(t, channel=t.channel.other) for t in (terminal, other))))


def joined(job: Job, address: str, _readings: Sequence[Reading]) -> Iterator[Truth]:
    """Both sides of a pair on one net."""
    other = twin(job, address)
    if other:
        yield Truth(job, (Joint(a=_id(address), b=_id(other), ohm=JOINED_OHM),))


def dead(job: Job, address: str, _readings: Sequence[Reading]) -> Iterator[Truth]:
    """Nothing comes out of a point that should give something."""
    terminal = job.terminal(address)
    if isinstance(terminal, AudioOut):
        yield Truth(with_points(job, replace(terminal, emf=measured(NOTHING_V, "V"))))
    elif isinstance(terminal, Rail | Control):
        yield Truth(with_points(job, replace(terminal, states=NEVER)))


def muted(job: Job, address: str, readings: Sequence[Reading]) -> Iterator[Truth]:
    """An output that is dead in a state in which nothing of it was read, and alive in the others."""
    terminal = job.terminal(address)
    if not isinstance(terminal, AudioOut):
        return
    read = {r.state for r in _read(readings, address, Function.AC_VOLTS)}
    for state in read:
        rest = tuple(s.id for s in job.host.states if s.id != state)
        if read - {state}:
            yield Truth(with_points(job, replace(terminal, states=rest)))


def behind_volume(job: Job, address: str, _readings: Sequence[Reading]) -> Iterator[Truth]:
    """An output whose level follows the control."""
    terminal = job.terminal(address)
    if isinstance(terminal, AudioOut) and terminal.has(Trait.FOLLOWS_VOLUME) is not True:
        lacks = tuple(t for t in terminal.lacks if t is not Trait.FOLLOWS_VOLUME)
        yield Truth(
            with_points(job, replace(terminal, traits=(*terminal.traits, Trait.FOLLOWS_VOLUME), lacks=lacks))
        )


def shared(job: Job, address: str, readings: Sequence[Reading]) -> Iterator[Truth]:
    """An input on which another source plays."""
    terminal = job.terminal(address)
    alone = [r for r in _read(readings, address, Function.AC_VOLTS) if not r.drive]
    if isinstance(terminal, AudioIn) and alone:
        carries = measured(max(alone[-1].value.nominal, NOTHING_V), "V")
        lacks = tuple(t for t in terminal.lacks if t is not Trait.PASSIVE_NODE)
        traits = tuple(dict.fromkeys((*terminal.traits, Trait.PASSIVE_NODE)))
        yield Truth(with_points(job, replace(terminal, traits=traits, lacks=lacks, carries=carries)))


def on_a_rail(job: Job, address: str, _readings: Sequence[Reading]) -> Iterator[Truth]:
    """A point that is the net of a rail or a line."""
    if isinstance(job.terminal(address), Rail | Return):
        return
    for other in job.host.terminals:
        if isinstance(other, Rail | Control) and f"{HOST}.{other.id}" != address:
            joint = Joint(a=_id(address), b=other.id, ohm=JOINED_OHM)
            yield Truth(job, (joint,), words={"other": other.name})


def other_net(job: Job, address: str, readings: Sequence[Reading]) -> Iterator[Truth]:
    """An audio point that is some stiff net at what was read."""
    if not isinstance(job.terminal(address), AudioIn | AudioOut):
        return
    high = [r for r in _read(readings, address, Function.DC_VOLTS) if abs(r.value.nominal) > SOMETHING_V]
    for read in high[-1:]:
        home = _id(return_address(job, address))
        held = Offset(a=_id(address), b=home, volts=read.value.nominal, ohm=HELD_OHM)
        yield Truth(job, offsets=(held,), words={"volts": format_quantity(read.value.nominal, "V")})


def biased(job: Job, address: str, readings: Sequence[Reading]) -> Iterator[Truth]:
    """A DC of its own that the papers do not tell."""
    terminal = job.terminal(address)
    field = _field(terminal, {AudioIn: "dc", AudioOut: "bias"})
    for read in _read(readings, address, Function.DC_VOLTS)[-1:] if field else ():
        assert terminal is not None
        yield Truth(with_points(job, replace(terminal, **{field: measured(read.value.nominal, "V")})))


def high_source(job: Job, address: str, _readings: Sequence[Reading]) -> Iterator[Truth]:
    """A source behind more than the papers say."""
    terminal = job.terminal(address)
    field = _field(terminal, {AudioOut: "impedance", Rail: "resistance", Control: "impedance"})
    known = getattr(terminal, field, None) if field else None
    if terminal is not None and known is not None:
        for factor in WEAKER:
            yield Truth(with_points(job, replace(terminal, **{field: measured(known.nominal * factor, "Ω")})))


def other_voltage(job: Job, address: str, readings: Sequence[Reading]) -> Iterator[Truth]:
    """A rail or line at what was read of it."""
    terminal = job.terminal(address)
    field = _field(terminal, {Rail: "voltage", Control: "level"})
    read = [r for r in _read(readings, address, Function.DC_VOLTS) if r.state == job.working_state()]
    if terminal is not None and field and read:
        yield Truth(with_points(job, replace(terminal, **{field: measured(read[-1].value.nominal, "V")})))


def alternating(job: Job, address: str, readings: Sequence[Reading]) -> Iterator[Truth]:
    """A rail that is AC."""
    terminal = job.terminal(address)
    for read in _read(readings, address, Function.AC_VOLTS)[-1:] if isinstance(terminal, Rail) else ():
        held = Offset(
            a=_id(address), b=_id(return_address(job, address)), hum=read.value.nominal, ohm=HELD_OHM
        )
        assert isinstance(terminal, Rail)
        yield Truth(with_points(job, replace(terminal, states=NEVER)), offsets=(held,))


def other_states(job: Job, address: str, readings: Sequence[Reading]) -> Iterator[Truth]:
    """A rail or line that is alive in the states in which it was found so."""
    terminal = job.terminal(address)
    level = getattr(terminal, "voltage", None) or getattr(terminal, "level", None)
    if not isinstance(terminal, Rail | Control) or level is None:
        return
    half = abs(level.nominal) / 2
    found = {r.state: abs(r.value.nominal) > half for r in _read(readings, address, Function.DC_VOLTS)}
    there = tuple(
        s.id for s in job.host.states if found.get(s.id, not terminal.states or s.id in terminal.states)
    )
    if found and set(there) != set(terminal.states or (s.id for s in job.host.states)):
        yield Truth(with_points(job, replace(terminal, states=there or NEVER)))


def _home(job: Job, address: str) -> str:
    home = return_address(job, address)
    return home if home != star_address(job) else ""


def open_return(job: Job, address: str, _readings: Sequence[Reading]) -> Iterator[Truth]:
    """A ground whose way to the supply negative is open or bad."""
    home = _home(job, address)
    for path in job.host.paths:
        if home and _id(home) in (path.a, path.b):
            for ohm in BAD_OHMS:
                worse = replace(path, resistance=measured(ohm, "Ω"))
                paths = tuple(worse if p is path else p for p in job.host.paths)
                host = replace(job.host, paths=paths)
                yield Truth(replace(job, host=host), words={"home": job.label(home)})


def _held(job: Job, address: str, readings: Sequence[Reading], function: Function) -> Iterator[Truth]:
    home, star = _home(job, address), star_address(job)
    read = [r for r in readings if {r.point, r.against} == {home, star} and r.function is function]
    if home and read:
        volts = read[-1].value.nominal * (1 if read[-1].point == home else -1)
        held = Offset(a=_id(home), b=_id(star), ohm=HELD_OHM)
        held = replace(held, volts=volts) if function is Function.DC_VOLTS else replace(held, hum=abs(volts))
        paths = tuple(p for p in job.host.paths if {p.a, p.b} != {_id(home), _id(star)})
        host = replace(job.host, paths=paths)
        yield Truth(replace(job, host=host), offsets=(held,), words={"home": job.label(home)})


def driven_ground(job: Job, address: str, readings: Sequence[Reading]) -> Iterator[Truth]:
    """A ground that is held away by DC."""
    yield from _held(job, address, readings, Function.DC_VOLTS)


def humming_ground(job: Job, address: str, readings: Sequence[Reading]) -> Iterator[Truth]:
    """A ground that is held away by AC."""
    yield from _held(job, address, readings, Function.AC_VOLTS)


def ways_swapped(job: Job, address: str, _readings: Sequence[Reading]) -> Iterator[Truth]:
    """The low way where the high one should be."""
    ways = [t for t in job.host.terminals if isinstance(t, AudioOut) and t.way is not Way.FULL]
    if any(f"{HOST}.{t.id}" == address for t in ways):
        yield Truth(with_points(job, *(replace(t, way=t.way.other) for t in ways)))


def loaded(job: Job, address: str, _readings: Sequence[Reading]) -> Iterator[Truth]:
    """Something across a point that no paper shows."""
    if isinstance(job.terminal(address), AudioIn | AudioOut | Control):
        home = _id(return_address(job, address))
        for ohm in LOADED_OHMS:
            yield Truth(job, (Joint(a=_id(address), b=home, ohm=ohm),))


#: Every fault by its key in the table of words.
FAULTS: dict[str, Fault] = {
    f.__name__: f
    for f in (
        swapped, joined, dead, muted, behind_volume, shared, on_a_rail, other_net, biased, high_source, other_voltage, alternating,
        other_states, open_return, driven_ground, humming_ground, ways_swapped, loaded,
    )
}  # fmt: skip
