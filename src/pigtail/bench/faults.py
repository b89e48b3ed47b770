"""Faults that papers and old gear have, planted into a stand-in: for practice, and to test that each is found."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from pigtail.bench.truth import Offset, StandIn, check_stand_in
from pigtail.job.document import AnyTerminal, AudioIn, AudioOut, Channel, Digital, Mode, Rail, Return
from pigtail.units import Basis
from pigtail.units.known import Known


class NoPlaceError(ValueError):
    """A stand-in that has nothing on which a fault could be planted."""


def _true(stand_in: StandIn, kind: type, **wanted: object) -> AnyTerminal:
    for terminal in stand_in.truth.terminals:
        if isinstance(terminal, kind) and all(getattr(terminal, k) == v for k, v in wanted.items()):
            return terminal
    raise NoPlaceError(f"{stand_in.title} has no {kind.__name__} for this fault")


def _with(stand_in: StandIn, words: str, *changed: AnyTerminal, **more: object) -> StandIn:
    by_id = {t.id: t for t in changed}
    terminals = tuple(by_id.get(t.id, t) for t in stand_in.truth.terminals)
    made = replace(
        stand_in, truth=replace(stand_in.truth, terminals=terminals), faults=(*stand_in.faults, words), **more
    )
    check_stand_in(made)
    return made


def rail_missing_in_standby(stand_in: StandIn) -> StandIn:
    """A rail that the papers call permanent is not there in one of the states.

    Raises NoPlaceError where there is nothing of the kind.
    """
    live = [s.id for s in stand_in.truth.states if s.kind is not Mode.OFF]
    if len(live) < 2:
        raise NoPlaceError(f"{stand_in.title} has no second live state")
    rail = next(
        (t for t in stand_in.truth.terminals if isinstance(t, Rail) and set(live) <= set(t.states or live)),
        None,
    )
    if rail is None:
        raise NoPlaceError(f"{stand_in.title} has no permanent rail")
    return _with(stand_in, f"{rail.name}: not there while {live[0]}", replace(rail, states=tuple(live[1:])))


def mislabelled_point(stand_in: StandIn) -> StandIn:
    """A point that should ring out to a chip pin is on another net.

    Raises NoPlaceError where there is nothing of the kind.
    """
    wanted = {t.id for t in stand_in.papers.host.terminals if t.rings_to}
    cut = next((j for j in stand_in.joints if j.a in wanted or j.b in wanted), None)
    if cut is None:
        raise NoPlaceError(f"{stand_in.title} has no point that rings out to another")
    joints = tuple(j for j in stand_in.joints if j is not cut)
    return _with(stand_in, f"{cut.a}: does not ring out to {cut.b}", joints=joints)


def swapped_channels(stand_in: StandIn) -> StandIn:
    """Left and right are the other way round. Raises NoPlaceError where there is nothing of the kind."""
    for kind in (AudioIn, AudioOut):
        sides = [t for t in stand_in.truth.terminals if isinstance(t, kind)]
        left = next((t for t in sides if t.channel is Channel.LEFT), None)
        right = next((t for t in sides if t.channel is Channel.RIGHT), None)
        if left and right:
            return _with(
                stand_in, "left and right are swapped",
                replace(left, channel=Channel.RIGHT), replace(right, channel=Channel.LEFT),
            )  # fmt: skip
    raise NoPlaceError(f"{stand_in.title} has no two channels")


def supply_on_audio(stand_in: StandIn) -> StandIn:
    """Five volts where the papers say audio. Raises NoPlaceError where there is nothing of the kind."""
    point = next((t for t in stand_in.truth.terminals if isinstance(t, AudioIn | AudioOut)), None)
    if point is None:
        raise NoPlaceError(f"{stand_in.title} has no audio point")
    live = tuple(s.id for s in stand_in.truth.states if s.kind is not Mode.OFF)
    star = next(t.id for t in stand_in.truth.terminals if isinstance(t, Return) and t.star)
    five = Rail(
        id=point.id,
        name=point.name,
        place=point.place,
        return_to=star,
        states=live,
        voltage=Known.of(5.0, "V", Basis.DOCUMENTED),
        resistance=Known.of(0.5, "Ω", Basis.DOCUMENTED),
    )
    return _with(stand_in, f"{point.name}: five volts", five)


def driven_ground(stand_in: StandIn) -> StandIn:
    """A ground at a jack that is not the supply negative but held away from it."""
    star = _true(stand_in, Return, star=True)
    jack = _true(stand_in, Return, star=False)
    paths = tuple(p for p in stand_in.truth.paths if {p.a, p.b} != {star.id, jack.id})
    made = replace(stand_in, truth=replace(stand_in.truth, paths=paths))
    offset = Offset(a=jack.id, b=star.id, volts=1.6, hum=0.0, ohm=3.0)
    return _with(made, f"{jack.name}: 1.6 V above the supply negative", offsets=(*made.offsets, offset))


def moved_clock(stand_in: StandIn) -> StandIn:
    """A digital line that carries nothing in the state in which it should."""
    line = _true(stand_in, Digital)
    return _with(stand_in, f"{line.name}: dead", replace(line, states=(stand_in.truth.states[0].id,)))


#: All faults, by the words for a list.
FAULTS: dict[str, Callable[[StandIn], StandIn]] = {
    "a rail that is not there in standby": rail_missing_in_standby,
    "a mislabelled point": mislabelled_point,
    "swapped channels": swapped_channels,
    "five volts where the papers say audio": supply_on_audio,
    "a ground that is not the supply negative": driven_ground,
    "a digital line that is dead": moved_clock,
}
