"""Faults that papers and old gear have, planted into a stand-in: for practice, and to test that each is found.

Each fault takes a stand-in and the points that a plan uses, and plants itself where it can hurt that plan.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Any

from msgspec.structs import replace

from pigtail.bench.truth import StandIn, check_stand_in
from pigtail.job.chain import trait
from pigtail.job.document import (
    HOST,
    Act,
    AnyTerminal,
    AudioIn,
    AudioOut,
    Digital,
    Mode,
    Rail,
    Return,
    SupplyClass,
    Trait,
    Way,
)
from pigtail.job.hazards import MAINS, reservoir_point
from pigtail.job.wiring import return_address, twin
from pigtail.model.probed import Joint, Offset
from pigtail.units import Basis
from pigtail.units.known import Known

#: Every point of a host, where no plan says which it uses.
ALL: Collection[str] = ()
Fault = Callable[[StandIn, Collection[str]], StandIn]


class NoPlaceError(ValueError):
    """A stand-in that has nothing on which a fault could be planted."""


def known(value: float, unit: str) -> Known:
    """A true value [unit]."""
    return Known.of(value, unit, Basis.MEASURED)


def _true(stand_in: StandIn, used: Collection[str], *kinds: type, **wanted: Any) -> Any:
    """A point of the truth of one of some kinds that the plan uses. Raises NoPlaceError."""
    for terminal in stand_in.truth.terminals:
        fits = isinstance(terminal, kinds) and all(getattr(terminal, k) == v for k, v in wanted.items())
        if fits and (not used or f"{HOST}.{terminal.id}" in used):
            return terminal
    raise NoPlaceError(f"{stand_in.title} has no {kinds[0].__name__} for this fault")


def _with(stand_in: StandIn, words: str, *changed: AnyTerminal, **more: Any) -> StandIn:
    by_id = {t.id: t for t in changed}
    terminals = tuple(by_id.get(t.id, t) for t in stand_in.truth.terminals)
    made = replace(
        stand_in, truth=replace(stand_in.truth, terminals=terminals), faults=(*stand_in.faults, words), **more
    )
    check_stand_in(made)
    return made


def _live(stand_in: StandIn) -> list[str]:
    return [s.id for s in stand_in.truth.states if s.kind is not Mode.OFF]


def _pair(stand_in: StandIn, used: Collection[str], *kinds: type) -> tuple[Any, Any]:
    """A point that the plan uses, and its twin. Raises NoPlaceError."""
    job = stand_in.true_job()
    for terminal in stand_in.truth.terminals:
        address = f"{HOST}.{terminal.id}"
        other = twin(job, address)
        if isinstance(terminal, kinds) and other and (not used or address in used):
            return terminal, job.terminal(other)
    raise NoPlaceError(f"{stand_in.title} has no pair for this fault")


def rail_missing_in_a_state(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A rail that the papers have in every live state is not there in the first of them. Raises NoPlaceError where there is none."""
    live = _live(stand_in)
    for rail in stand_in.truth.terminals:
        there = isinstance(rail, Rail) and set(live) <= set(rail.states or live)
        if there and len(live) > 1 and (not used or f"{HOST}.{rail.id}" in used):
            return _with(
                stand_in, f"{rail.name}: not there while {live[0]}", replace(rail, states=tuple(live[1:]))
            )
    raise NoPlaceError(f"{stand_in.title} has no permanent rail, or one live state only")


def permanent_rail(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A rail that should be off in one of the states is there. Raises NoPlaceError where there is nothing of the kind."""
    live = _live(stand_in)
    for rail in stand_in.truth.terminals:
        if (
            isinstance(rail, Rail)
            and rail.states
            and set(live) - set(rail.states)
            and (not used or f"{HOST}.{rail.id}" in used)
        ):
            return _with(stand_in, f"{rail.name}: there in every state", replace(rail, states=tuple(live)))
    raise NoPlaceError(f"{stand_in.title} has no switched rail")


def mislabelled_point(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A point that should ring out to a chip pin is on another net. Raises NoPlaceError where there is nothing of the kind."""
    wanted = {
        t.id for t in stand_in.papers.host.terminals if t.rings_to and (not used or f"{HOST}.{t.id}" in used)
    }
    cut = next((j for j in stand_in.joints if j.a in wanted or j.b in wanted), None)
    if cut is None:
        raise NoPlaceError(f"{stand_in.title} has no point that rings out to another")
    joints = tuple(j for j in stand_in.joints if j is not cut)
    return _with(stand_in, f"{cut.a}: does not ring out to {cut.b}", joints=joints)


def swapped_channels(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """Left and right are the other way round; inputs only where anyone hears it. Raises NoPlaceError where there is none."""
    sounds = any(Act.AMPLIFY in s.acts for s in stand_in.truth.stages)
    first, _ = _pair(stand_in, used, *((AudioIn, AudioOut) if sounds else (AudioOut,)))
    sides = [t for t in stand_in.truth.terminals if isinstance(t, type(first))]
    return _with(
        stand_in, "left and right are swapped", *(replace(t, channel=t.channel.other) for t in sides)
    )


def joined_channels(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """Both sides of a pair lie on one net. Raises NoPlaceError where there is nothing of the kind."""
    first, second = _pair(stand_in, used, AudioIn, AudioOut)
    joint = Joint(a=first.id, b=second.id, ohm=0.2)
    return _with(stand_in, f"{first.name} and {second.name} are joined", joints=(*stand_in.joints, joint))


def supply_on_audio(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """Five volts where the papers say audio. Raises NoPlaceError where there is nothing of the kind."""
    point = _true(stand_in, used, AudioIn, AudioOut)
    star = next(t.id for t in stand_in.truth.terminals if isinstance(t, Return) and t.star)
    five = Rail(
        id=point.id, name=point.name, place=point.place, return_to=star, states=tuple(_live(stand_in)),
        voltage=known(5.0, "V"), resistance=known(0.5, "Ω"),
    )  # fmt: skip
    return _with(stand_in, f"{point.name}: five volts", five)


def bias_on_audio(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """An audio point with a bias that the papers do not tell. Raises NoPlaceError where there is nothing of the kind."""
    point = _true(stand_in, used, AudioIn, AudioOut)
    field = "dc" if isinstance(point, AudioIn) else "bias"
    told = getattr(point, field)
    if told is not None and abs(told.nominal) > 0.5:
        raise NoPlaceError(f"{point.name} is biased on paper")
    return _with(stand_in, f"{point.name}: biased at 1.7 V", replace(point, **{field: known(1.7, "V")}))


def dead_output(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """An output that gives nothing. Raises NoPlaceError where there is nothing of the kind."""
    point = _true(stand_in, used, AudioOut)
    return _with(stand_in, f"{point.name}: dead", replace(point, emf=known(1e-5, "V")))


def weak_output(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """An output behind a hundred times its impedance, as a cracked resistor. Raises NoPlaceError where there is none."""
    point = _true(stand_in, used, AudioOut)
    return _with(
        stand_in, f"{point.name}: weak", replace(point, impedance=known(100 * point.impedance.nominal, "Ω"))
    )


def quiet_output(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """An output that gives a fifth of its papers. Raises NoPlaceError where there is nothing of the kind."""
    point = _true(stand_in, used, AudioOut)
    if point.has(Trait.POWER_OUTPUT):
        raise NoPlaceError(f"{point.name} is not played at full scale")
    return _with(
        stand_in, f"{point.name}: a fifth of its level", replace(point, emf=known(point.emf.nominal / 5, "V"))
    )


def behind_the_volume(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """An output that follows the volume. Raises NoPlaceError where there is nothing of the kind, or no volume control."""
    point = _true(stand_in, used, AudioOut)
    if not any(Act.VOLUME in s.acts or Act.AMPLIFY in s.acts for s in stand_in.truth.stages):
        raise NoPlaceError(f"{stand_in.title} has no volume control")
    if trait(
        stand_in.papers,
        next(t for t in stand_in.papers.host.terminals if t.id == point.id),
        Trait.FOLLOWS_VOLUME,
    ):
        raise NoPlaceError(f"{point.name} is behind the volume on paper")
    lacks = tuple(t for t in point.lacks if t is not Trait.FOLLOWS_VOLUME)
    traits = tuple(dict.fromkeys((*point.traits, Trait.FOLLOWS_VOLUME)))
    return _with(stand_in, f"{point.name}: behind the volume", replace(point, traits=traits, lacks=lacks))


def muted_in_a_state(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """An output that is mute in one of the states in which it should play. Raises NoPlaceError where there is nothing of the kind."""
    point = _true(stand_in, used, AudioOut)
    on = [
        s.id
        for s in stand_in.truth.states
        if s.kind not in (Mode.OFF, Mode.STANDBY) and s.id in (point.states or _live(stand_in))
    ]
    if len(on) < 2:
        raise NoPlaceError(f"{point.name} plays in one state only")
    return _with(stand_in, f"{point.name}: mute while {on[0]}", replace(point, states=tuple(on[1:])))


def shared_input(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """An input on which another source plays. Raises NoPlaceError where there is nothing of the kind."""
    point = _true(stand_in, used, AudioIn)
    traits = tuple(dict.fromkeys((*point.traits, Trait.PASSIVE_NODE)))
    changed = replace(point, traits=traits, lacks=(), carries=known(0.15, "V"))
    return _with(stand_in, f"{point.name}: another source plays on it", changed)


def low_input(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """An input of a fiftieth of its impedance. Raises NoPlaceError where there is nothing of the kind."""
    point = _true(stand_in, used, AudioIn)
    if point.impedance is None or point.impedance.nominal < 2000:
        raise NoPlaceError(f"{point.name} is low on paper")
    return _with(
        stand_in, f"{point.name}: low", replace(point, impedance=known(point.impedance.nominal / 50, "Ω"))
    )


def ways_swapped(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """The low way where the high one should be. Raises NoPlaceError where there is nothing of the kind."""
    ways = [t for t in stand_in.truth.terminals if isinstance(t, AudioOut) and t.way is not Way.FULL]
    if not any(not used or f"{HOST}.{t.id}" in used for t in ways):
        raise NoPlaceError(f"{stand_in.title} has no ways")
    return _with(stand_in, "the ways are swapped", *(replace(t, way=t.way.other) for t in ways))


def weak_rail(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A rail behind 47 ohms, or a tired cell. Raises NoPlaceError where there is nothing of the kind."""
    rail = _true(stand_in, used, Rail)
    return _with(stand_in, f"{rail.name}: behind 47 Ω", replace(rail, resistance=known(47.0, "Ω")))


def other_voltage(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A rail at twice its volts. Raises NoPlaceError where there is nothing of the kind."""
    rail = _true(stand_in, used, Rail)
    paper = next(t for t in stand_in.papers.host.terminals if t.id == rail.id)
    if getattr(paper, "voltage", None) is None:
        raise NoPlaceError(f"the papers of {rail.name} tell no volts")
    return _with(
        stand_in, f"{rail.name}: twice its volts", replace(rail, voltage=known(2 * rail.voltage.nominal, "V"))
    )


def reversed_rail(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A rail of the other sign. Raises NoPlaceError where there is nothing of the kind."""
    rail = _true(stand_in, used, Rail)
    paper = next(t for t in stand_in.papers.host.terminals if t.id == rail.id)
    if getattr(paper, "voltage", None) is None:
        raise NoPlaceError(f"the papers of {rail.name} tell no volts")
    return _with(stand_in, f"{rail.name}: reversed", replace(rail, voltage=known(-rail.voltage.nominal, "V")))


def alternating_rail(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A rail that is a winding. Raises NoPlaceError where there is nothing of the kind, or the host has no AC."""
    rail = _true(stand_in, used, Rail)
    if stand_in.truth.supply not in (*MAINS, SupplyClass.ADAPTER_AC):
        raise NoPlaceError(f"{stand_in.title} has no AC inside")
    home = return_address(stand_in.true_job(), f"{HOST}.{rail.id}").partition(".")[2]
    held = Offset(a=rail.id, b=home, hum=abs(rail.voltage.nominal), ohm=0.4)
    return _with(
        stand_in,
        f"{rail.name}: AC",
        replace(rail, voltage=known(0.0, "V"), resistance=known(1e5, "Ω")),
        offsets=(*stand_in.offsets, held),
    )


def shorted_rail(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A rail with a short behind it. Raises NoPlaceError where there is nothing of the kind."""
    rail = _true(stand_in, used, Rail)
    home = return_address(stand_in.true_job(), f"{HOST}.{rail.id}").partition(".")[2]
    return _with(
        stand_in, f"{rail.name}: shorted", joints=(*stand_in.joints, Joint(a=rail.id, b=home, ohm=0.8))
    )


def _ground(stand_in: StandIn, used: Collection[str]) -> tuple[Any, Any]:
    star = _true(stand_in, (), Return, star=True)
    return _true(stand_in, used, Return, star=False), star


def _apart(stand_in: StandIn, jack: Any, star: Any) -> StandIn:
    paths = tuple(p for p in stand_in.truth.paths if {p.a, p.b} != {star.id, jack.id})
    return replace(stand_in, truth=replace(stand_in.truth, paths=paths))


def driven_ground(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A ground at a jack that is not the supply negative but held away from it. Raises NoPlaceError where there is none."""
    jack, star = _ground(stand_in, used)
    made = _apart(stand_in, jack, star)
    offset = Offset(a=jack.id, b=star.id, volts=1.6, hum=0.0, ohm=3.0)
    return _with(made, f"{jack.name}: 1.6 V above the supply negative", offsets=(*made.offsets, offset))


def humming_ground(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A ground with hum against the supply negative. Raises NoPlaceError where there is nothing of the kind."""
    jack, star = _ground(stand_in, used)
    made = _apart(stand_in, jack, star)
    offset = Offset(a=jack.id, b=star.id, hum=0.3, ohm=2.0)
    return _with(
        made, f"{jack.name}: 0.3 V of hum against the supply negative", offsets=(*made.offsets, offset)
    )


def high_return(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A ground behind three ohms. Raises NoPlaceError where there is nothing of the kind."""
    return _returning(stand_in, used, 3.0, "behind 3 Ω")


def open_return(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A ground that is joined to nothing. Raises NoPlaceError where there is nothing of the kind."""
    return _returning(stand_in, used, 1e6, "open")


def _returning(stand_in: StandIn, used: Collection[str], ohm: float, words: str) -> StandIn:
    jack, star = _ground(stand_in, used)
    if not any({p.a, p.b} == {jack.id, star.id} for p in stand_in.truth.paths):
        raise NoPlaceError(f"{stand_in.title} has no way between its grounds")
    paths = tuple(
        replace(p, resistance=known(ohm, "Ω")) if {p.a, p.b} == {jack.id, star.id} else p
        for p in stand_in.truth.paths
    )
    made = replace(stand_in, truth=replace(stand_in.truth, paths=paths))
    return _with(made, f"{jack.name}: {words}")


def live_chassis(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A host whose papers say transformer, and which has none. Raises NoPlaceError for a host that the mains does not feed, and for one
    in which a module is built in already: on such a chassis nothing is."""
    _true(stand_in, (), Return, star=True)
    if stand_in.truth.supply not in MAINS:
        raise NoPlaceError(f"{stand_in.title} is not fed by the mains")
    if stand_in.links:
        raise NoPlaceError(f"{stand_in.title} has a module joined to it")
    made = replace(stand_in, truth=replace(stand_in.truth, supply=SupplyClass.LIVE_CHASSIS))
    return _with(made, "live chassis")


def charged_reservoir(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A reservoir without a bleeder. Raises NoPlaceError for a host whose reservoir nobody reads."""
    if stand_in.truth.supply not in MAINS or not reservoir_point(stand_in.papers):
        raise NoPlaceError(f"{stand_in.title} has no reservoir that is read")
    charged = replace(
        stand_in.truth, reservoir=known(4.7e-3, "F"), reservoir_volts=known(38.0, "V"), bleeder=None
    )
    return _with(replace(stand_in, truth=charged), "the reservoir stays charged")


def moved_clock(stand_in: StandIn, used: Collection[str] = ALL) -> StandIn:
    """A digital line that carries nothing in the state in which it should. Raises NoPlaceError where there is none."""
    line = _true(stand_in, used, Digital)
    return _with(stand_in, f"{line.name}: dead", replace(line, states=(stand_in.truth.states[0].id,)))


#: All faults, by the words for a list.
FAULTS: dict[str, Fault] = {
    "a rail that is not there in standby": rail_missing_in_a_state,
    "a rail that stays on": permanent_rail,
    "a mislabelled point": mislabelled_point,
    "swapped channels": swapped_channels,
    "joined channels": joined_channels,
    "five volts where the papers say audio": supply_on_audio,
    "a bias that no paper tells": bias_on_audio,
    "a dead output": dead_output,
    "an output that gives way": weak_output,
    "an output that is too quiet": quiet_output,
    "an output behind the volume": behind_the_volume,
    "an output that is mute in a state": muted_in_a_state,
    "an input that is shared": shared_input,
    "an input that loads": low_input,
    "ways that are swapped": ways_swapped,
    "a rail that is weak": weak_rail,
    "a rail of other volts": other_voltage,
    "a rail that is reversed": reversed_rail,
    "a rail that is AC": alternating_rail,
    "a rail with a short": shorted_rail,
    "a ground that is not the supply negative": driven_ground,
    "a ground that hums": humming_ground,
    "a ground with a bad joint": high_return,
    "a ground that is open": open_return,
    "a chassis that is live": live_chassis,
    "a reservoir that stays charged": charged_reservoir,
    "a digital line that is dead": moved_clock,
}
