"""Edits of where the energy comes from: windings, batteries, the mains, what keeps a rail, what stands behind a supply pin."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from pigtail.edits.change import checked
from pigtail.edits.host import add_point, id_of
from pigtail.job.document import HOST, Job, Rail, SupplyIn, WindingEnd
from pigtail.job.energy import Battery, Chemistry, Earthed, Hours, KeptBy, RailState, Regulator, Winding
from pigtail.job.errors import EditError
from pigtail.language import tr
from pigtail.units.known import Known


def add_winding(job: Job, name: str, *, tapped: bool = False) -> Job:
    """Add an AC winding or AC adapter to the host, with a point for each of its ends. Raises EditError for no name."""
    if not name.strip():
        raise EditError(tr("a winding needs a name"), value=name)
    winding_id = id_of(name, [w.id for w in job.host.windings])
    ends = []
    for words in (tr("one end"), tr("other end"), *(("tap",) if tapped else ())):
        end = id_of(f"{name} {words}", [t.id for t in job.host.terminals])
        job = add_point(job, WindingEnd(id=end, name=f"{name.strip()}, {words}"))
        ends.append(end)
    made = Winding(
        id=winding_id, name=name.strip(), first=ends[0], second=ends[1], tap=ends[2] if tapped else ""
    )
    return checked(replace(job, host=replace(job.host, windings=(*job.host.windings, made))))


def _set_source(job: Job, kind: str, words: str, source_id: str, changes: dict[str, Any]) -> Job:
    """Set what is known of one of the host's windings or batteries."""
    every: tuple[Winding | Battery, ...] = getattr(job.host, kind)
    if source_id not in {s.id for s in every}:
        raise EditError(
            tr("there is no {words} {source_id}", words=words, source_id=source_id), value=source_id
        )
    changed = tuple(replace(s, **changes) if s.id == source_id else s for s in every)
    return checked(replace(job, host=replace(job.host, **{kind: changed})))


def set_winding(job: Job, winding_id: str, **changes: Any) -> Job:
    """Set what is known of a winding. Raises EditError for one that is not there."""
    return _set_source(job, "windings", "winding", winding_id, changes)


def remove_winding(job: Job, winding_id: str) -> Job:
    """Take a winding off the host, its points with it. Raises EditError while a link or a reading uses them."""
    winding = next((w for w in job.host.windings if w.id == winding_id), None)
    if winding is None:
        raise EditError(tr("there is no winding {winding_id}", winding_id=winding_id), value=winding_id)
    ends = {f"{HOST}.{e}" for e in winding.ends}
    users = [x.name for x in job.links if any(j.terminal in ends for j in x.joins)]
    users += [tr("reading {id}", id=r.id) for r in job.readings if {r.point, r.against} & ends]
    if users:
        raise EditError(
            tr("{winding} is used by {users}; take it out there first", winding=winding.name, users=users[0]),
            value=winding_id,
        )
    host = replace(
        job.host,
        windings=tuple(w for w in job.host.windings if w is not winding),
        terminals=tuple(t for t in job.host.terminals if t.id not in winding.ends),
        stages=tuple(
            replace(s, points=tuple(p for p in s.points if p not in winding.ends)) for s in job.host.stages
        ),
    )
    return checked(replace(job, host=host))


def set_mains(job: Job, field: str, value: Known | None) -> Job:
    """Set how high the mains may stand against nominal, or their frequency [Hz]."""
    return checked(replace(job, mains=replace(job.mains, **{field: value})))


def add_battery(job: Job, rail: str, name: str) -> Job:
    """Say that a battery stands behind a rail of the host. Raises EditError for a rail that is not there or has one."""
    point = rail.removeprefix(f"{HOST}.")
    if any(b.rail == point for b in job.host.batteries):
        raise EditError(tr("a battery stands behind that rail already"), value=rail)
    battery_id = id_of(name or "battery", [b.id for b in job.host.batteries])
    made = Battery(id=battery_id, name=name.strip() or "battery", rail=point)
    return checked(replace(job, host=replace(job.host, batteries=(*job.host.batteries, made))))


def set_battery(job: Job, battery_id: str, **changes: Any) -> Job:
    """Set what is known of a battery. Raises EditError for one that is not there."""
    return _set_source(job, "batteries", "battery", battery_id, changes)


def remove_battery(job: Job, battery_id: str) -> Job:
    """Take a battery off its rail, which stays."""
    batteries = tuple(b for b in job.host.batteries if b.id != battery_id)
    return checked(replace(job, host=replace(job.host, batteries=batteries)))


def set_hours(job: Job, state: str, hours: float) -> Job:
    """Set how many hours of a day the host spends in a state [h]."""
    kept = tuple(h for h in job.day if h.state != state)
    return checked(replace(job, day=(*kept, Hours(state=state, hours=hours)) if hours else kept))


def set_rail(job: Job, address: str, **changes: Any) -> Job:
    """Set what keeps a rail of the host, its regulator, or what holds in a state. Raises EditError for what is no rail."""
    rail = job.terminal(address)
    if not isinstance(rail, Rail) or not address.startswith(f"{HOST}."):
        raise EditError(tr("{address} is no rail of the host", address=address), value=address)
    changed = replace(rail, **changes)
    terminals = tuple(changed if t is rail else t for t in job.host.terminals)
    return checked(replace(job, host=replace(job.host, terminals=terminals)))


def set_regulator(job: Job, address: str, field: str, value: Known | None) -> Job:
    """Set a figure of the host's own regulator of a rail. Raises EditError for what is no rail."""
    rail = job.terminal(address)
    given = rail.regulator if isinstance(rail, Rail) and rail.regulator is not None else Regulator()
    return set_rail(job, address, regulator=replace(given, **{field: value}))


def set_rail_state(job: Job, address: str, state: str, field: str, value: Known | None) -> Job:
    """Set the volts of a rail, what it can give, or what the host draws from it, in one state. Raises EditError for what is no rail."""
    rail = job.terminal(address)
    entry = replace(
        rail.in_state(state) if isinstance(rail, Rail) else RailState(state=state), **{field: value}
    )
    others = tuple(s for s in rail.per_state if s.state != state) if isinstance(rail, Rail) else ()
    keep = any(k is not None for k in (entry.voltage, entry.limit, entry.used))
    return set_rail(job, address, per_state=(*others, entry) if keep else others)


def set_behind(job: Job, address: str, marking: str) -> Job:
    """Set the marking of the regulator behind a module's supply pin, empty for none. Raises EditError for what is no supply pin."""
    pin, (module_id, _, _) = job.terminal(address), address.partition(".")
    if not isinstance(pin, SupplyIn):
        raise EditError(tr("{address} is no supply pin", address=address), value=address)
    changed = replace(pin, behind=marking.strip())
    modules = tuple(
        replace(m, terminals=tuple(changed if t is pin else t for t in m.terminals))
        if m.id == module_id
        else m
        for m in job.modules
    )
    return checked(replace(job, modules=modules))


def earthed_of(text: str, winding: Winding, names: dict[str, str]) -> Earthed:
    """Which end is earthed, from typed words: first, second, tap, none, ?, or the name of the end. Raises EditError."""
    words = text.strip().lower()
    usual = {
        "": Earthed.UNKNOWN,
        "?": Earthed.UNKNOWN,
        "first": Earthed.FIRST,
        "second": Earthed.SECOND,
        "no": Earthed.NONE,
    }
    usual |= {e.value: e for e in Earthed}
    usual |= {
        names.get(winding.first, "").lower(): Earthed.FIRST,
        names.get(winding.second, "").lower(): Earthed.SECOND,
    }
    if winding.tap:
        usual[names.get(winding.tap, "").lower()] = Earthed.TAP
    if words not in usual:
        raise EditError(
            tr("“{text}” is no end; write first end, second end, tap, none or ?", text=text[:30]), value=text
        )
    return usual[words]


def kept_of(text: str) -> KeptBy:
    """What keeps a rail, from typed words: nothing, linear, switching, ?. Raises EditError."""
    words = text.strip().lower()
    found = {
        "": KeptBy.UNKNOWN,
        "?": KeptBy.UNKNOWN,
        "linear": KeptBy.LINEAR,
        "switching": KeptBy.SWITCHING,
    } | {k.value: k for k in KeptBy}
    if words not in found:
        raise EditError(
            tr("“{text}” is not known; write nothing, linear, switching or ?", text=text[:30]), value=text
        )
    return found[words]


def chemistry_of(text: str) -> Chemistry:
    """What a cell is made of, from typed words, of which the beginning is enough. Raises EditError."""
    words = text.strip().lower()
    found = [c for c in Chemistry if words and c.value.startswith(words)]
    if not found:
        raise EditError(
            tr(
                "“{text}” is not known; write one of {listed}",
                text=text[:30],
                listed=", ".join(c.value for c in Chemistry),
            ),
            value=text,
        )
    return found[0]


_CELLS = re.compile(r"\s*(\d{1,3})\s*s?\s*(?:[x×]?\s*(\d{1,3})\s*p)?\s*", re.IGNORECASE)


def cells_of(text: str) -> tuple[int, int]:
    """Cells in series and in parallel, from typed text such as 3s2p or 6. A count each [1]. Raises EditError."""
    match = _CELLS.fullmatch(text)
    if match is None:
        raise EditError(
            tr("“{text}” cannot be read; write cells in series and parallel such as 3s1p", text=text[:30]),
            value=text,
        )
    return int(match[1]), int(match[2] or 1)


def yes_no(text: str) -> bool | None:
    """Yes, no or not known, from typed text. Raises EditError."""
    words = text.strip().lower()
    found = {"yes": True, "y": True, "no": False, "n": False, "": None, "?": None}
    if words not in found:
        raise EditError(tr("“{text}” is neither yes nor no; write yes, no or ?", text=text[:30]), value=text)
    return found[words]
