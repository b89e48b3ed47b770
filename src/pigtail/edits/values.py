"""Edits of a job's name, brief and values."""

from __future__ import annotations

from msgspec.structs import replace

from pigtail.edits.change import checked, device_of, with_device
from pigtail.job.document import Brief, Host, Job, Module, SupplyClass
from pigtail.job.errors import EditError
from pigtail.job.quantities import quantity
from pigtail.language import tr
from pigtail.units.known import Known


def new_job(name: str, host: Host) -> Job:
    """A job with a host and nothing planned yet."""
    return checked(Job(name=name, host=host))


def rename(job: Job, name: str) -> Job:
    """Give the job another name. Raises EditError for no name."""
    if not name.strip():
        raise EditError(tr("a job needs a name"), value=name)
    return checked(replace(job, name=name.strip()))


def set_brief(job: Job, wanted: str, notes: str) -> Job:
    """Set what is wanted, in the person's words."""
    return checked(replace(job, brief=Brief(wanted=wanted, notes=notes)))


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
    """Set what the papers say of a terminal's value, or None for not known.

    Raises EditError for a terminal or value that is not there.
    """
    terminal = job.terminal(address)
    if terminal is None:
        raise EditError(tr("there is no terminal {address}", address=address), value=address)
    if quantity(terminal, field) is None:
        raise EditError(
            tr("{address} has no value called {field}", address=address, field=field), value=field
        )
    changed = replace(terminal, **{field: value})
    device_id = address.partition(".")[0]
    return with_device(
        job,
        device_id,
        terminals=tuple(changed if t is terminal else t for t in device_of(job, device_id).terminals),
    )


def set_values(job: Job, values: tuple[tuple[str, str, Known | None], ...]) -> Job:
    """Set what the papers say of several values in one edit: address, field, value."""
    for address, field, value in values:
        job = set_value(job, address, field, value)
    return job


def set_path(job: Job, device_id: str, path_id: str, resistance: Known | None) -> Job:
    """Set the resistance between two returns of a device. Raises EditError for a path that is not there."""
    device = device_of(job, device_id)
    if path_id not in {p.id for p in device.paths}:
        raise EditError(tr("there is no path {path_id}", path_id=path_id), value=path_id)
    return with_device(
        job,
        device_id,
        paths=tuple(replace(p, resistance=resistance) if p.id == path_id else p for p in device.paths),
    )


def add_module(job: Job, module: Module) -> Job:
    """Add a module to the job."""
    return checked(replace(job, modules=(*job.modules, module)))
