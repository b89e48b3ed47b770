"""Whether a document makes sense: ids, references, units and signs. Raises JobError at the first fault."""

from __future__ import annotations

import re
from collections.abc import Iterable

from pigtail.job.errors import JobError
from pigtail.job.model import FUNCTION_UNITS, HOST, Host, Job, Link, Module, Return
from pigtail.job.quantities import PATH_RESISTANCE, Quantity, quantities
from pigtail.units.known import Known

ID = re.compile(r"[a-z][a-z0-9_]{0,39}")
MAX_ITEMS = 20_000
LARGEST = 1e12


def check_job(job: Job) -> None:
    """Raise JobError, naming the place and the mend, if the document does not make sense."""
    _unique("modules", (m.id for m in job.modules))
    _unique("links", (x.id for x in job.links))
    _unique("readings", (r.id for r in job.readings))
    _unique("host.states", (s.id for s in job.host.states))
    for at, module in enumerate(job.modules):
        if module.id == HOST:
            raise JobError(f"a module cannot be called {HOST}; rename it", where=f"modules[{at}].id")
        _device(module, f"modules[{at}]", set())
    _device(job.host, "host", {s.id for s in job.host.states})
    _stages(job)
    addresses = set(job.addresses())
    for at, link in enumerate(job.links):
        _link(link, f"links[{at}]", addresses)
    _readings(job, addresses)
    if job.ambient is not None:
        check_known(job.ambient, "°C", "ambient", lowest=-273.15)


def check_known(known: Known, unit: str, where: str, *, lowest: float) -> None:
    """Raise JobError for a value in the wrong unit or below what it can be at all."""
    if known.unit != unit:
        raise JobError(f"the unit is “{known.unit}” but “{unit}” is wanted", where=where, value=known)
    if max(abs(known.low), abs(known.high)) > LARGEST:
        raise JobError(
            f"{known.nominal:g} {unit} is beyond anything electrical; give a value below {LARGEST:g}",
            where=where,
            value=known,
        )
    if known.low < lowest:
        raise JobError(
            f"{known.low:g} {unit} is below {lowest:g} {unit}, the least it can be; give a larger value",
            where=where,
            value=known,
        )


def _unique(where: str, ids: Iterable[str]) -> None:
    seen: set[str] = set()
    for at, name in enumerate(ids):
        place = f"{where}[{at}].id"
        if at >= MAX_ITEMS:
            raise JobError(f"there are more than {MAX_ITEMS:,} entries", where=where)
        if not ID.fullmatch(name):
            raise JobError(
                f"“{name[:50]}” is no id; use a small letter, then small letters, digits or _", where=place
            )
        if name in seen:
            raise JobError(f"“{name}” is there twice; give each its own id", where=place, value=name)
        seen.add(name)


def _check_quantity(owner: object, item: Quantity, where: str) -> None:
    known: Known | None = getattr(owner, item.field)
    if known is not None:
        check_known(known, item.unit, f"{where}.{item.field}", lowest=item.lowest)


def _device(device: Host | Module, where: str, states: set[str]) -> None:
    _unique(f"{where}.terminals", (t.id for t in device.terminals))
    _unique(f"{where}.paths", (p.id for p in device.paths))
    returns = {t.id for t in device.terminals if isinstance(t, Return)}
    for at, terminal in enumerate(device.terminals):
        place = f"{where}.terminals[{at}]"
        if terminal.return_to and terminal.return_to not in returns:
            raise JobError(
                f"“{terminal.return_to}” is not a return of this device; choose one of {_list(returns)}",
                where=f"{place}.return_to",
            )
        if isinstance(terminal, Return) and terminal.return_to:
            raise JobError("a return has no return of its own; leave it out", where=f"{place}.return_to")
        for state in terminal.states:
            if state not in states:
                raise JobError(
                    f"“{state}” is not a state of the host; choose one of {_list(states)}",
                    where=f"{place}.states",
                )
        for item in quantities(terminal):
            _check_quantity(terminal, item, place)
    if len([t for t in device.terminals if isinstance(t, Return) and t.star]) > 1:
        raise JobError("only one return can be the star", where=f"{where}.terminals")
    for at, path in enumerate(device.paths):
        place = f"{where}.paths[{at}]"
        for end in (path.a, path.b):
            if end not in returns:
                raise JobError(
                    f"“{end}” is not a return of this device; choose one of {_list(returns)}", where=place
                )
        if path.a == path.b:
            raise JobError(f"the path goes from “{path.a}” to itself; choose two returns", where=place)
        _check_quantity(path, PATH_RESISTANCE, place)


def _stages(job: Job) -> None:
    terminals = {t.id for t in job.host.terminals}
    _unique("host.stages", (s.id for s in job.host.stages))
    for at, stage in enumerate(job.host.stages):
        for point in stage.points:
            if point not in terminals:
                raise JobError(f"“{point}” is not a point of the host", where=f"host.stages[{at}].points")


def _link(link: Link, where: str, addresses: set[str]) -> None:
    if not link.sections:
        raise JobError(
            "a link needs at least one network; use “wire” for a plain wire", where=f"{where}.sections"
        )
    ports: set[str] = set()
    for at, join in enumerate(link.joins):
        place = f"{where}.joins[{at}]"
        if join.terminal not in addresses:
            raise JobError(
                f"“{join.terminal}” does not exist; choose one of {_list(addresses)}",
                where=f"{place}.terminal",
            )
        if join.port in ports:
            raise JobError(f"the port “{join.port}” is joined twice", where=place)
        ports.add(join.port)
        if not 0 <= join.conductor.gauge <= 44:
            raise JobError(
                f"gauge {join.conductor.gauge} is not between AWG 0 and AWG 44", where=f"{place}.conductor"
            )
        if join.conductor.length is not None:
            check_known(join.conductor.length, "m", f"{place}.conductor.length", lowest=0.0)
    for at, section in enumerate(link.sections):
        names = [p.name for p in section.parts]
        if len(set(names)) != len(names):
            raise JobError("a part is there twice", where=f"{where}.sections[{at}].parts")


def _readings(job: Job, addresses: set[str]) -> None:
    states = {s.id for s in job.host.states}
    for at, reading in enumerate(job.readings):
        place = f"readings[{at}]"
        for end in (reading.point, reading.against):
            if end not in addresses:
                raise JobError(f"“{end}” does not exist; choose one of {_list(addresses)}", where=place)
        if reading.state not in states:
            raise JobError(
                f"“{reading.state}” is not a state of the host; choose one of {_list(states)}",
                where=f"{place}.state",
            )
        check_known(reading.value, FUNCTION_UNITS[reading.function], f"{place}.value", lowest=-1e12)


def _list(names: Iterable[str]) -> str:
    ordered = sorted(names)
    shown = ", ".join(ordered[:6])
    return f"{shown} …" if len(ordered) > 6 else shown or "none: there are none yet"
