"""Edits of the host: its states, its chain, pictures of its boards; and of points with their places and traits, a module's too."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import msgspec
from msgspec.structs import replace

from pigtail.edits.change import checked, device_of, with_device
from pigtail.job.checking import ID
from pigtail.job.document import (
    HOST,
    Act,
    AnyTerminal,
    Host,
    Job,
    Mode,
    Module,
    Picture,
    Pin,
    Pinned,
    Return,
    Stage,
    State,
    Trait,
)
from pigtail.job.errors import EditError
from pigtail.job.places import Pad, Place
from pigtail.job.roles import ROLES
from pigtail.language import tr
from pigtail.units.known import Known

#: What points that carry sound have besides, those of them that have it.
OF_SOUND = ("channel", "way", "inverted", "use")
SHARED = (
    "id",
    "name",
    "place",
    "alternatives",
    "rings_to",
    "papers",
    "path",
    "traits",
    "lacks",
    "return_to",
    "states",
)
PLACE_FIELDS = ("board", "part", "pin", "connector", "position", "pad")
MOST_PINS = 200


def id_of(name: str, taken: Sequence[str]) -> str:
    """An id made of a name, that is not taken yet."""
    stem = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")[:30] or "point"
    stem = stem if ID.fullmatch(stem) else f"p_{stem}"
    return (
        stem
        if stem not in taken
        else next(f"{stem}_{n}" for n in range(2, 10_000) if f"{stem}_{n}" not in taken)
    )


def _point(job: Job, address: str) -> AnyTerminal:
    terminal = job.terminal(address)
    if terminal is None or job.device(_device_of(address)) is None:
        raise EditError(
            tr("there is no point {address} on the host or a module", address=address), value=address
        )
    return terminal


def _device_of(address: str) -> str:
    return address.partition(".")[0]


def _with_host(job: Job, **changes: Any) -> Job:
    return checked(replace(job, host=replace(job.host, **changes)))


def _with_point(job: Job, address: str, new: AnyTerminal) -> Job:
    device_id, _, point_id = address.partition(".")
    terminals = device_of(job, device_id).terminals
    return with_device(job, device_id, terminals=tuple(new if t.id == point_id else t for t in terminals))


def add_point(job: Job, terminal: AnyTerminal, stage: str = "", device_id: str = HOST) -> Job:
    """Add a point to the host, on a stage of its chain if one is named, or to a module.

    Raises EditError for no name, or a stage or device that is not there.
    """
    if not terminal.name.strip():
        raise EditError(tr("a point needs a name"), value=terminal.name)
    if device_id != HOST:
        return with_device(job, device_id, terminals=(*device_of(job, device_id).terminals, terminal))
    host = replace(job.host, terminals=(*job.host.terminals, terminal))
    if stage:
        if stage not in {s.id for s in host.stages}:
            raise EditError(tr("there is no stage {stage}", stage=stage), value=stage)
        stages = (replace(s, points=(*s.points, terminal.id)) if s.id == stage else s for s in host.stages)
        host = replace(host, stages=tuple(stages))
    return checked(replace(job, host=host))


def remove_point(job: Job, address: str) -> Job:
    """Take a point off the host or a module; refused while a link, a reading or a path uses it.

    Raises EditError where it is used.
    """
    point, device_id = _point(job, address), _device_of(address)
    device = device_of(job, device_id)
    users = [x.name for x in job.links if any(j.terminal == address for j in x.joins)]
    users += [tr("reading {id}", id=r.id) for r in job.readings if address in (r.point, r.against)]
    users += [tr("the path {id}", id=p.id) for p in device.paths if point.id in (p.a, p.b)]
    users += [t.name for t in device.terminals if point.id in (t.return_to, t.rings_to) and t is not point]
    if isinstance(device, Host):
        users += [tr("the switch {s}", s=s.name) for s in device.switches if point.id in (s.common, *s.ways)]
    else:
        users += [
            tr("the way through {id}", id=t.id) for t in device.throughs if point.id in (t.start, t.end)
        ]
        users += [
            tr("what it shows while {does}", does=d.does)
            for d in device.doings
            if point.id in (*d.active, *d.blinking)
        ]
    users += [tr("what is wanted of it") for w in job.wants if w.of == address]
    if users:
        raise EditError(
            tr("{point} is used by {users}; take it out there first", point=point.name, users=users[0]),
            value=address,
        )
    pictures = tuple(replace(x, pins=tuple(p for p in x.pins if p.point != address)) for x in job.pictures)
    job = replace(job, pictures=pictures)
    left = tuple(t for t in device.terminals if t is not point)
    if isinstance(device, Module):
        return with_device(job, device_id, terminals=left)
    stages = tuple(replace(s, points=tuple(p for p in s.points if p != point.id)) for s in device.stages)
    return _with_host(job, terminals=left, stages=stages)


def set_point(job: Job, address: str, **changes: Any) -> Job:
    """Change what all points have: name, rings_to, papers, path, return_to, states; or what sound points have: channel, way,
    Raises EditError for a field that such points have not.
    inverted, use."""
    point = _point(job, address)
    if "name" in changes and not str(changes["name"]).strip():
        raise EditError(tr("a point needs a name"), value=changes["name"])
    stray = set(changes) - set(SHARED) - {f for f in OF_SOUND if hasattr(point, f)}
    if stray or "id" in changes:
        raise EditError(
            tr("a point has no {value}", value=", ".join(sorted(stray)) or tr("other id")), value=changes
        )
    return _with_point(job, address, replace(point, **changes))


def set_role(job: Job, address: str, role: str) -> Job:
    """Make a point into one of another role; what both have is kept, other values are not known then.

    Raises EditError for a role that there is not, or a point in the plan.
    """
    point = _point(job, address)
    kind = ROLES.get(role)
    if kind is None:
        raise EditError(
            tr("there is no role “{role}”; choose one of {listed}", role=role, listed=", ".join(ROLES)),
            value=role,
        )
    if type(point) is kind:
        return job
    if any(j.terminal == address for x in job.links for j in x.joins):
        raise EditError(
            tr("{point} is used by the plan; take it out there first", point=point.name), value=address
        )
    kept = {f: getattr(point, f) for f in SHARED}
    if kind is Return:
        kept["return_to"] = ""
    return _with_point(job, address, kind(**kept))


def take_class(job: Job, address: str, role: str, states: tuple[str, ...]) -> Job:
    """Make a swept pin into a point of the role it was classed as, alive in the states in which it was."""
    return set_point(set_role(job, address, role), address, states=states)


def set_place(job: Job, address: str, **changes: Any) -> Job:
    """Change where a point can be reached: board, part, pin, connector, position, pad.

    Raises EditError for a field that places have not.
    """
    point = _point(job, address)
    stray = set(changes) - set(PLACE_FIELDS)
    if stray:
        raise EditError(tr("a place has no {listed}", listed=", ".join(sorted(stray))), value=changes)
    return _with_point(job, address, replace(point, place=replace(point.place, **changes)))


def add_alternative(job: Job, address: str, place: Place) -> Job:
    """Add another place on the same net. Raises EditError for an empty place."""
    point = _point(job, address)
    if not place:
        raise EditError(tr("say where the other place is"), value=address)
    return _with_point(job, address, replace(point, alternatives=(*point.alternatives, place)))


def use_alternative(job: Job, address: str, index: int) -> Job:
    """Take another place on the same net as the point's own; the old one becomes an alternative.

    Raises EditError for one that is not there.
    """
    point = _point(job, address)
    if not 0 <= index < len(point.alternatives):
        raise EditError(
            tr("{point} has no alternative {value}", point=point.name, value=index + 1), value=index
        )
    chosen = point.alternatives[index]
    others = tuple(p for k, p in enumerate(point.alternatives) if k != index)
    old = (point.place,) if point.place else ()
    return _with_point(job, address, replace(point, place=chosen, alternatives=(*old, *others)))


def set_trait(job: Job, address: str, trait: Trait, true: bool | None) -> Job:
    """Say whether a trait is true of a point, is not, or is not known."""
    point = _point(job, address)
    traits = tuple(t for t in point.traits if t is not trait) + ((trait,) if true else ())
    lacks = tuple(t for t in point.lacks if t is not trait) + ((trait,) if true is False else ())
    return _with_point(job, address, replace(point, traits=traits, lacks=lacks))


def add_connector(job: Job, name: str, pins: int, *, against: str = "") -> Job:
    """Add a connector as points of which nobody knows yet what they do, one for each pin.

    Raises EditError for a name that is taken or too many pins.
    """
    if not name.strip() or not 1 <= pins <= MOST_PINS:
        raise EditError(
            tr("a connector has a name and 1 to {most_pins} pins", most_pins=MOST_PINS), value=pins
        )
    if any(t.place.connector == name for t in job.host.terminals):
        raise EditError(tr("there is a connector {name} already", name=name), value=name)
    taken = [t.id for t in job.host.terminals]
    made: list[AnyTerminal] = []
    for position in range(1, pins + 1):
        pin = Pin(
            id=id_of(f"{name}_{position}", taken),
            name=f"{name}-{position}",
            place=Place(connector=name, position=position, pad=Pad.PIN),
            return_to=against,
        )
        taken.append(pin.id)
        made.append(pin)
    return _with_host(job, terminals=(*job.host.terminals, *made))


def set_states(job: Job, states: tuple[State, ...]) -> Job:
    """Set the states of the host; one that a reading or a point names cannot be taken away.

    Raises EditError for one that is named.
    """
    left = {s.id for s in states}
    gone = [s for s in job.host.states if s.id not in left]
    for state in gone:
        if any(r.state == state.id for r in job.readings):
            raise EditError(
                tr("readings were taken while “{state}”; it stays", state=state.name), value=state.id
            )
    return _with_host(job, states=states)


def add_state(job: Job, name: str) -> Job:
    """Add a state at the end: of a host that has none it is the one in which it is off, else one in which it is on.

    Raises EditError for no name.
    """
    if not name.strip():
        raise EditError(tr("a state needs a name"), value=name)
    kind = Mode.ON if job.host.states else Mode.OFF
    made = State(id=id_of(name, [s.id for s in job.host.states]), name=name.strip(), kind=kind)
    return set_states(job, (*job.host.states, made))


def set_state_kind(job: Job, state_id: str, kind: Mode) -> Job:
    """Say what kind of state one is; the one that was to be played in is then simply on.

    Raises EditError for a state that is not there.
    """
    if state_id not in {s.id for s in job.host.states}:
        raise EditError(tr("there is no state {state_id}", state_id=state_id), value=state_id)

    def changed(state: State) -> State:
        if state.id == state_id:
            return replace(state, kind=kind)
        demoted = kind is Mode.WORKING and state.kind is Mode.WORKING
        return replace(state, kind=Mode.ON) if demoted else state

    return set_states(job, tuple(map(changed, job.host.states)))


def set_stages(job: Job, stages: tuple[Stage, ...]) -> Job:
    """Set the stages of the chain in order."""
    return _with_host(job, stages=stages)


def add_stage(job: Job, name: str, before: int | None = None) -> Job:
    """Add a stage at a place of the chain, at its end if none is given. Raises EditError for no name."""
    if not name.strip():
        raise EditError(tr("a stage needs a name"), value=name)
    stages = list(job.host.stages)
    made = Stage(id=id_of(name, [s.id for s in stages]), name=name.strip())
    stages.insert(len(stages) if before is None else before, made)
    return set_stages(job, tuple(stages))


def remove_stage(job: Job, stage_id: str) -> Job:
    """Take a stage out of the chain; its points stay on the host."""
    return set_stages(job, tuple(s for s in job.host.stages if s.id != stage_id))


def move_stage(job: Job, stage_id: str, by: int) -> Job:
    """Move a stage along the chain. Raises EditError for a stage that is not there."""
    stages = list(job.host.stages)
    at = next((k for k, s in enumerate(stages) if s.id == stage_id), None)
    if at is None:
        raise EditError(tr("there is no stage {stage_id}", stage_id=stage_id), value=stage_id)
    stages.insert(max(0, min(len(stages) - 1, at + by)), stages.pop(at))
    return set_stages(job, tuple(stages))


def set_acts(job: Job, stage_id: str, acts: tuple[Act, ...]) -> Job:
    """Say what a stage does to the signal that passes through it."""
    return _with_stage(job, stage_id, acts=acts)


def set_domain(job: Job, stage_id: str, domain: str) -> Job:
    """Say what kind of signal a stage works on: analog audio, digital audio, radio, video, supply."""
    return _with_stage(job, stage_id, domain=domain.strip())


def rename_stage(job: Job, stage_id: str, name: str) -> Job:
    """Give a stage another name. Raises EditError for no name."""
    if not name.strip():
        raise EditError(tr("a stage needs a name"), value=name)
    return _with_stage(job, stage_id, name=name.strip())


def put_on_stage(job: Job, address: str, stage_id: str) -> Job:
    """Put a point on a stage of the chain, or on none. Raises EditError for a stage that is not there."""
    point = _point(job, address)
    if stage_id and stage_id not in {s.id for s in job.host.stages}:
        raise EditError(tr("there is no stage {stage_id}", stage_id=stage_id), value=stage_id)
    stages = tuple(
        replace(
            s, points=tuple(p for p in s.points if p != point.id) + ((point.id,) if s.id == stage_id else ())
        )
        for s in job.host.stages
    )
    return set_stages(job, stages)


def _with_stage(job: Job, stage_id: str, **changes: Any) -> Job:
    if stage_id not in {s.id for s in job.host.stages}:
        raise EditError(tr("there is no stage {stage_id}", stage_id=stage_id), value=stage_id)
    return set_stages(job, tuple(replace(s, **changes) if s.id == stage_id else s for s in job.host.stages))


def set_host_value(job: Job, field: str, value: Known | None) -> Job:
    """Set the reservoir, the voltage on it or the resistor across it. Raises EditError for another field."""
    if field not in ("reservoir", "reservoir_volts", "bleeder"):
        raise EditError(tr("the host has no value {field}", field=field), value=field)
    return _with_host(job, **{field: value})


def add_picture(job: Job, picture: Picture) -> Job:
    """Add a photo of a board or a page of the papers."""
    return checked(replace(job, pictures=(*job.pictures, picture)))


def remove_picture(job: Job, picture_id: str) -> Job:
    """Take a picture out of the job; its file stays where it is."""
    _picture(job, picture_id)
    return checked(replace(job, pictures=tuple(p for p in job.pictures if p.id != picture_id)))


def _picture(job: Job, picture_id: str) -> Picture:
    found = next((p for p in job.pictures if p.id == picture_id), None)
    if found is None:
        raise EditError(tr("there is no picture {picture_id}", picture_id=picture_id), value=picture_id)
    return found


def pin_point(job: Job, picture_id: str, address: str, x: float, y: float) -> Job:
    """Pin a point on a picture; a pin that it has there already moves.

    Its place as parts of width and height [0 to 1].
    """
    picture = _picture(job, picture_id)
    pins = tuple(p for p in picture.pins if p.point != address)
    changed = replace(picture, pins=(*pins, Pinned(point=address, x=x, y=y)))
    return _with_picture(job, picture, changed)


def unpin(job: Job, picture_id: str, address: str) -> Job:
    """Take the pin of a point off a picture."""
    picture = _picture(job, picture_id)
    return _with_picture(
        job, picture, replace(picture, pins=tuple(p for p in picture.pins if p.point != address))
    )


def set_scale(job: Job, picture_id: str, part_of_width: float, millimetres: float) -> Job:
    """Scale a picture by a distance on it, told as a part of its width, that is so many millimetres.

    A distance in [mm]. Raises EditError for no distance.
    """
    picture = _picture(job, picture_id)
    if not (part_of_width > 1e-4 and millimetres > 0):
        raise EditError(
            tr("click two places apart and give their distance in millimetres"), value=millimetres
        )
    return _with_picture(job, picture, replace(picture, mm_per_width=millimetres / part_of_width))


def _with_picture(job: Job, old: Picture, new: Picture) -> Job:
    return checked(replace(job, pictures=tuple(new if p is old else p for p in job.pictures)))


def replace_host(job: Job, host: Host) -> Job:
    """Put another host in the place of this one; refused while links or readings name points that it does not have."""
    return checked(msgspec.structs.replace(job, host=host))
