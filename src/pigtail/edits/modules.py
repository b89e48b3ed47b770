"""Edits of modules: taken out, changed for another kind, doubled, given another name."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from pigtail.edits.change import checked, device_of, with_device
from pigtail.edits.links import free_id
from pigtail.job.document import Job, Link, Module
from pigtail.job.errors import EditError
from pigtail.job.logbook import Doing
from pigtail.language import tr, trn

#: What the ids of modules are made from.
STEM = "module"


def joined_to(job: Job, module_id: str) -> tuple[Link, ...]:
    """The links that join a module to anything."""
    return tuple(x for x in job.links if any(j.terminal.startswith(f"{module_id}.") for j in x.joins))


def goes_with(job: Job, module_id: str) -> str:
    """What is taken out together with a module, in words: `6 links and 2 readings`; empty for nothing."""
    links, readings = len(joined_to(job, module_id)), len(_read_at(job, module_id))
    told = [trn("{count} link", "{count} links", links)] if links else []
    told += [trn("{count} reading", "{count} readings", readings)] if readings else []
    return tr(" and ").join(told)


def _read_at(job: Job, module_id: str) -> set[str]:
    own = f"{module_id}."
    found = {r.id for r in job.readings if r.point.startswith(own) or r.against.startswith(own)}
    while more := {r.id for r in job.readings if r.corrects in found} - found:
        found |= more
    return found


def _module(job: Job, module_id: str) -> Module:
    device = job.device(module_id)
    if not isinstance(device, Module):
        raise EditError(tr("there is no module {module_id}", module_id=module_id), value=module_id)
    return device


def _refuse_built(job: Job, module: Module, links: tuple[Link, ...]) -> None:
    """Raise EditError for a module of which something is built already."""
    names = {module.id, *(x.id for x in links)}
    last = {e.step: e for e in job.record if isinstance(e, Doing) and not e.struck}
    for step, entry in last.items():
        if not entry.back and step.partition(":")[2].partition(".")[0] in names:
            raise EditError(
                tr(
                    "{module} is in the record as worked on; take it out by the way back in Prove first, or "
                    "begin a new job",
                    module=module.name,
                ),
                value=module.id,
            )


def remove_module(job: Job, module_id: str) -> Job:
    """Take a module out, with the links that join it, what was read at it, and what is told of it.

    Raises EditError for a module that is not there, or is built in already.
    """
    module = _module(job, module_id)
    links, readings = joined_to(job, module_id), _read_at(job, module_id)
    _refuse_built(job, module, links)
    return checked(
        _without(
            replace(job, modules=tuple(m for m in job.modules if m.id != module_id)),
            {x.id for x in links}, readings, lambda of: of == module_id or of.startswith(f"{module_id}."),
        )
    )  # fmt: skip


def _without(job: Job, links: set[str], readings: set[str], about: Callable[[str], bool]) -> Job:
    """The job without some links and readings, and without all that is told of them or of what is `about`."""

    def gone(of: str) -> bool:
        return of in links or about(of)

    mountings = tuple(m for m in job.build.mountings if not gone(m.of))
    pictures = tuple(replace(x, pins=tuple(p for p in x.pins if not about(p.point))) for x in job.pictures)
    return replace(
        job,
        links=tuple(x for x in job.links if x.id not in links),
        readings=tuple(r for r in job.readings if r.id not in readings),
        wants=tuple(w for w in job.wants if not gone(w.of)),
        build=replace(job.build, mountings=mountings),
        pictures=pictures,
    )


def change_module(job: Job, module_id: str, made: Module) -> Job:
    """Put a module of another kind in the place of one, under its id. Links whose every terminal the new one has too stay; the others go,
    and with them what was read at the old one.

    Raises EditError for a module that is not there, or is built in already.
    """
    old = _module(job, module_id)
    kinds = {f"{module_id}.{t.id}": type(t) for t in made.terminals}
    own = f"{module_id}."

    def fits(link: Link) -> bool:
        return all(
            not j.terminal.startswith(own) or kinds.get(j.terminal) is type(job.terminal(j.terminal))
            for j in link.joins
        )

    _refuse_built(job, old, joined_to(job, module_id))
    lost = {x.id for x in joined_to(job, module_id) if not fits(x)}
    new = replace(made, id=module_id)
    changed = replace(job, modules=tuple(new if m is old else m for m in job.modules))
    return checked(
        _without(changed, lost, _read_at(job, module_id), lambda of: of.startswith(own) and of not in kinds)
    )


def add_another(job: Job, made: Module) -> Job:
    """Add a module under an id of its own, and under a name of its own where there is one of that name already."""
    return checked(
        replace(job, modules=(*job.modules, replace(made, id=new_id(job), name=_own_name(job, made.name))))
    )


def new_id(job: Job) -> str:
    """The id that the next module gets."""
    return free_id(job, STEM)


def duplicate_module(job: Job, module_id: str) -> Job:
    """Add another module like one, joined to nothing yet. Raises EditError for a module that is not there."""
    return add_another(job, _module(job, module_id))


def _own_name(job: Job, name: str) -> str:
    taken = {m.name for m in job.modules}
    return (
        name
        if name not in taken
        else next(f"{name} {n}" for n in range(2, 1000) if f"{name} {n}" not in taken)
    )


def name_device(job: Job, device_id: str, name: str) -> Job:
    """Call the host or a module something else. Raises EditError for no name or a device that is not there."""
    if not name.strip():
        raise EditError(tr("the host and each module need a name"), value=name)
    device_of(job, device_id)
    return with_device(job, device_id, name=name.strip())
