"""Edits: each takes a job and returns a new one, or raises EditError with the offending value.

Every edit ends in `check_job`, so a job that has been edited can always be saved and opened again.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from pigtail.job.check import ID, check_job
from pigtail.job.errors import EditError, JobError, LiveChassisError
from pigtail.job.model import (
    HOST,
    Brief,
    Host,
    Job,
    Join,
    Link,
    Module,
    Part,
    Plus,
    Section,
    SupplyClass,
)
from pigtail.job.quantities import quantity
from pigtail.units.known import Known

Edit = Callable[[Job], Job]


def checked(job: Job) -> Job:
    """The job itself; raises EditError, or LiveChassisError for a wire to a live chassis."""
    try:
        check_job(job)
    except LiveChassisError:
        raise
    except JobError as error:
        raise EditError(str(error), value=error.value) from error
    return job


def new_job(name: str, host: Host) -> Job:
    """A job with a host and nothing planned yet."""
    return checked(Job(name=name, host=host))


def rename(job: Job, name: str) -> Job:
    """Give the job another name."""
    if not name.strip():
        raise EditError("a job needs a name", value=name)
    return replace(job, name=name.strip())


def set_brief(job: Job, wanted: str, notes: str) -> Job:
    """Set what is wanted, in the person's words."""
    return replace(job, brief=Brief(wanted=wanted, notes=notes))


def set_name_and_brief(job: Job, name: str, wanted: str, notes: str) -> Job:
    """Name and brief in one edit, so that one undo takes both back."""
    return set_brief(rename(job, name), wanted, notes)


def set_supply(job: Job, supply: SupplyClass) -> Job:
    """Set how the host is fed; a live chassis is refused while links reach the host."""
    return checked(replace(job, host=replace(job.host, supply=supply)))


def set_ambient(job: Job, ambient: Known | None) -> Job:
    """Set the temperature inside the case [°C]."""
    return checked(replace(job, ambient=ambient))


def set_value(job: Job, address: str, field: str, value: Known | None) -> Job:
    """Set what the papers say of a terminal's value, or None for not known."""
    terminal = job.terminal(address)
    if terminal is None:
        raise EditError(f"there is no terminal {address}", value=address)
    if quantity(terminal, field) is None:
        raise EditError(f"{address} has no value called {field}", value=field)
    changed = replace(terminal, **{field: value})
    device_id = address.partition(".")[0]
    return _with_device(
        job,
        device_id,
        terminals=tuple(changed if t is terminal else t for t in _device(job, device_id).terminals),
    )


def set_values(job: Job, values: tuple[tuple[str, str, Known | None], ...]) -> Job:
    """Set what the papers say of several values in one edit: address, field, value."""
    for address, field, value in values:
        job = set_value(job, address, field, value)
    return job


def set_path(job: Job, device_id: str, path_id: str, resistance: Known | None) -> Job:
    """Set the resistance between two returns of a device."""
    device = _device(job, device_id)
    if path_id not in {p.id for p in device.paths}:
        raise EditError(f"there is no path {path_id}", value=path_id)
    return _with_device(
        job,
        device_id,
        paths=tuple(replace(p, resistance=resistance) if p.id == path_id else p for p in device.paths),
    )


def _device(job: Job, device_id: str) -> Host | Module:
    device = job.device(device_id)
    if device is None:
        raise EditError(f"there is no device {device_id}", value=device_id)
    return device


def _with_device(job: Job, device_id: str, **changes: Any) -> Job:
    if device_id == HOST:
        return checked(replace(job, host=replace(job.host, **changes)))
    return checked(
        replace(job, modules=tuple(replace(m, **changes) if m.id == device_id else m for m in job.modules))
    )


def add_module(job: Job, module: Module) -> Job:
    """Add a module to the job."""
    return checked(replace(job, modules=(*job.modules, module)))


def add_link(job: Job, link: Link) -> Job:
    """Add a link; refused for a live chassis."""
    return checked(replace(job, links=(*job.links, link)))


def remove_link(job: Job, link_id: str) -> Job:
    """Take a link out of the plan."""
    _link(job, link_id)
    return replace(job, links=tuple(x for x in job.links if x.id != link_id))


def _link(job: Job, link_id: str) -> Link:
    link = job.link(link_id)
    if link is None:
        raise EditError(f"there is no link {link_id}", value=link_id)
    return link


def _with_link(job: Job, link_id: str, **changes: Any) -> Job:
    _link(job, link_id)
    return checked(
        replace(job, links=tuple(replace(x, **changes) if x.id == link_id else x for x in job.links))
    )


def replace_link(job: Job, link: Link) -> Job:
    """Put another network and other joins in the place of a link of the same id."""
    _link(job, link.id)
    return checked(replace(job, links=tuple(link if x.id == link.id else x for x in job.links)))


def move_tap(job: Job, old: str, new: str) -> Job:
    """Join to another point whatever the plan joins to this one; refused for a point of another kind."""
    was, becomes = job.terminal(old), job.terminal(new)
    if was is None or becomes is None or type(was) is not type(becomes):
        raise EditError("a tap moves to a point of the same kind only", value=new)
    if any(j.terminal == new for x in job.links for j in x.joins):
        raise EditError(f"{becomes.name} is used by the plan already", value=new)

    def moved(link: Link) -> Link:
        joins = tuple(replace(j, terminal=new) if j.terminal == old else j for j in link.joins)
        return replace(link, joins=joins) if joins != link.joins else link

    return checked(replace(job, links=tuple(map(moved, job.links))))


def set_sections(job: Job, link_id: str, sections: tuple[Section, ...]) -> Job:
    """Give a link another cascade of networks."""
    return _with_link(job, link_id, sections=sections)


def set_part(job: Job, link_id: str, section: int, name: str, value: Known) -> Job:
    """Set a part value of a link's network, such as r2 of its pad."""
    _part(job, link_id, section, name)
    if value.low < 0 or (value.unit == "Ω" and value.low <= 0):
        raise EditError(
            f"{name} cannot be {value.nominal:g} {value.unit}; give a value above nought", value=value
        )
    return _with_changed_part(job, link_id, section, name, value=value)


def set_parts(job: Job, link_id: str, section: int, values: tuple[tuple[str, Known], ...]) -> Job:
    """Set several part values of a link's network in one edit; one that the file leaves out is written down."""
    link = _link(job, link_id)
    if not 0 <= section < len(link.sections):
        raise EditError(f"{link_id} has no network {section}", value=section)
    old = link.sections[section]
    given = {p.name: p for p in old.parts}
    for name, value in values:
        given[name] = replace(given[name], value=value) if name in given else Part(name=name, value=value)
    changed = replace(old, parts=tuple(given.values()))
    sections = tuple(changed if k == section else s for k, s in enumerate(link.sections))
    return _with_link(job, link_id, sections=sections)


def lock_part(job: Job, link_id: str, section: int, name: str, locked: bool) -> Job:
    """Lock a part of a link's network, so that searches and remedies leave it, or free it."""
    _part(job, link_id, section, name)
    return _with_changed_part(job, link_id, section, name, locked=locked)


def set_capacitor(
    job: Job, link_id: str, section: int, name: str, plus: Plus, rating: Known | None = None
) -> Job:
    """Say which way round a capacitor of a link's network is fitted, and for what voltage [V]; None where not known."""
    if _part(job, link_id, section, name).value.unit != "F":
        raise EditError(f"{name} of {link_id} is no capacitor", value=name)
    if rating is not None and rating.low <= 0:
        raise EditError(f"a rating of {rating.nominal:g} V cannot be; give volts above nought", value=rating)
    return _with_changed_part(job, link_id, section, name, plus=plus, rating=rating)


def _part(job: Job, link_id: str, section: int, name: str) -> Part:
    """A part of a link's network; raises EditError for what is not there."""
    link = _link(job, link_id)
    if not 0 <= section < len(link.sections):
        raise EditError(f"{link_id} has no network {section}", value=section)
    found = next((p for p in link.sections[section].parts if p.name == name), None)
    if found is None:
        raise EditError(f"the network of {link_id} has no part {name}", value=name)
    return found


def _with_changed_part(job: Job, link_id: str, section: int, name: str, **fields: Any) -> Job:
    link = _link(job, link_id)
    parts = tuple(replace(p, **fields) if p.name == name else p for p in link.sections[section].parts)
    changed = replace(link.sections[section], parts=parts)
    sections = tuple(changed if k == section else s for k, s in enumerate(link.sections))
    return _with_link(job, link_id, sections=sections)


def set_conductor(
    job: Job,
    link_id: str,
    port: str,
    *,
    gauge: int | None = None,
    length: Known | None = None,
    screened: bool | None = None,
    colour: str | None = None,
    route: str | None = None,
) -> Job:
    """Change the wire on a port of a link; what is None stays."""
    link = _link(job, link_id)
    if port not in {j.port for j in link.joins}:
        raise EditError(f"{link_id} has no port {port}", value=port)
    given = {"gauge": gauge, "length": length, "screened": screened, "colour": colour, "route": route}
    changes = {k: v for k, v in given.items() if v is not None}

    def changed(join: Join) -> Join:
        return replace(join, conductor=replace(join.conductor, **changes)) if join.port == port else join

    return _with_link(job, link_id, joins=tuple(map(changed, link.joins)))


def free_id(job: Job, stem: str) -> str:
    """An id that no link or module has yet: the stem, or the stem with a number."""
    if not ID.fullmatch(stem):
        raise EditError(f"“{stem}” is no id", value=stem)
    taken = {x.id for x in job.links} | {m.id for m in job.modules} | {HOST}
    return (
        stem if stem not in taken else next(f"{stem}{n}" for n in range(2, 1000) if f"{stem}{n}" not in taken)
    )
