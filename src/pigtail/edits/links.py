"""Edits of links: their networks, parts and wires."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from pigtail.catalogue.topologies import topology
from pigtail.edits.change import checked, wired
from pigtail.job.build import Relief, ScreenAt
from pigtail.job.checking import ID
from pigtail.job.document import HOST, Job, Join, Link, Part, Plus, Section
from pigtail.job.errors import EditError
from pigtail.language import tr
from pigtail.units.known import Known


def add_link(job: Job, link: Link) -> Job:
    """Add a link; refused where nothing may be joined to the host."""
    return wired(replace(job, links=(*job.links, link)))


def remove_link(job: Job, link_id: str) -> Job:
    """Take a link out of the plan."""
    _link(job, link_id)
    return checked(replace(job, links=tuple(x for x in job.links if x.id != link_id)))


def _link(job: Job, link_id: str) -> Link:
    link = job.link(link_id)
    if link is None:
        raise EditError(tr("there is no link {link_id}", link_id=link_id), value=link_id)
    return link


def _with_link(job: Job, link_id: str, **changes: Any) -> Job:
    _link(job, link_id)
    return checked(
        replace(job, links=tuple(replace(x, **changes) if x.id == link_id else x for x in job.links))
    )


def replace_link(job: Job, link: Link) -> Job:
    """Put another network and other joins in the place of a link of the same id."""
    _link(job, link.id)
    return wired(replace(job, links=tuple(link if x.id == link.id else x for x in job.links)))


def move_tap(job: Job, old: str, new: str) -> Job:
    """Join to another point whatever the plan joins to this one; refused for a point of another kind.

    Raises EditError.
    """
    was, becomes = job.terminal(old), job.terminal(new)
    if was is None or becomes is None or type(was) is not type(becomes):
        raise EditError(tr("a tap moves to a point of the same kind only"), value=new)
    if any(j.terminal == new for x in job.links for j in x.joins):
        raise EditError(tr("{becomes} is used by the plan already", becomes=becomes.name), value=new)

    def moved(link: Link) -> Link:
        joins = tuple(replace(j, terminal=new) if j.terminal == old else j for j in link.joins)
        return replace(link, joins=joins) if joins != link.joins else link

    return wired(replace(job, links=tuple(map(moved, job.links))))


def set_sections(job: Job, link_id: str, sections: tuple[Section, ...]) -> Job:
    """Give a link another cascade of networks."""
    return _with_link(job, link_id, sections=sections)


def set_part(job: Job, link_id: str, section: int, name: str, value: Known) -> Job:
    """Set a part value of a link's network, such as r2 of its pad. Raises EditError for a part that is not there."""
    _part(job, link_id, section, name)
    if value.low < 0 or (value.unit == "Ω" and value.low <= 0):
        raise EditError(
            tr(
                "{name} cannot be {nominal:g} {unit}; give a value above 0",
                name=name,
                nominal=value.nominal,
                unit=value.unit,
            ),
            value=value,
        )
    return _with_changed_part(job, link_id, section, name, value=value)


def set_parts(job: Job, link_id: str, section: int, values: tuple[tuple[str, Known], ...]) -> Job:
    """Set several part values of a link's network in one edit; one that the file leaves out is written down.

    Raises EditError for a network that is not there.
    """
    link = _link(job, link_id)
    if not 0 <= section < len(link.sections):
        raise EditError(
            tr("{link_id} has no network {section}", link_id=link_id, section=section), value=section
        )
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
    """Say which way round a capacitor of a link's network is fitted, and for what voltage [V]; None where not known.

    Raises EditError for another part.
    """
    if _part(job, link_id, section, name).value.unit != "F":
        raise EditError(tr("{name} of {link_id} is no capacitor", name=name, link_id=link_id), value=name)
    if rating is not None and rating.low <= 0:
        raise EditError(
            tr("a rating of {nominal:g} V cannot be; give volts above 0", nominal=rating.nominal),
            value=rating,
        )
    return _with_changed_part(job, link_id, section, name, plus=plus, rating=rating)


def set_rating(job: Job, link_id: str, section: int, name: str, rating: Known | None) -> Job:
    """Say what a part of a link's network is rated for: a capacitor in volts, a resistor in watts; None where not known.

    Raises EditError for a part that has none.
    """
    wanted = {"F": "V", "Ω": "W"}.get(_part(job, link_id, section, name).value.unit)
    if wanted is None:
        raise EditError(
            tr("{name} of {link_id} is no part that has a rating", name=name, link_id=link_id), value=name
        )
    if rating is not None and (rating.unit != wanted or rating.low <= 0):
        raise EditError(
            tr(
                "a rating of {nominal:g} {unit} cannot be; give one above 0 {wanted}",
                nominal=rating.nominal,
                unit=rating.unit,
                wanted=wanted,
            ),
            value=rating,
        )
    return _with_changed_part(job, link_id, section, name, rating=rating)


def _part(job: Job, link_id: str, section: int, name: str) -> Part:
    """A part of a link's network; raises EditError for what is not there."""
    link = _link(job, link_id)
    if not 0 <= section < len(link.sections):
        raise EditError(
            tr("{link_id} has no network {section}", link_id=link_id, section=section), value=section
        )
    here = link.sections[section]
    found = next((p for p in here.parts if p.name == name), None)
    if found is not None:
        return found
    rule = next((p for p in topology(here.topology).parts if p.name == name), None)
    if rule is None:
        raise EditError(
            tr("the network of {link_id} has no part {name}", link_id=link_id, name=name), value=name
        )
    return Part(name=name, value=rule.known())


def _with_changed_part(job: Job, link_id: str, section: int, name: str, **fields: Any) -> Job:
    link = _link(job, link_id)
    own = _part(job, link_id, section, name)
    given = link.sections[section].parts
    parts = tuple(replace(p, **fields) if p.name == name else p for p in given)
    if own not in given:  # one that the file leaves out is written down
        parts = (*parts, replace(own, **fields))
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
    screen: ScreenAt | None = None,
    twist: str | None = None,
    relief: Relief | None = None,
) -> Job:
    """Change the wire on a port of a link; what is None stays. Raises EditError for a port that the link has not."""
    link = _link(job, link_id)
    if port not in {j.port for j in link.joins}:
        raise EditError(tr("{link_id} has no port {port}", link_id=link_id, port=port), value=port)
    given = {
        "gauge": gauge, "length": length, "screened": screened, "colour": colour, "route": route, "screen": screen, "twist": twist,
        "relief": relief,
    }  # fmt: skip
    changes = {k: v for k, v in given.items() if v is not None}

    def changed(join: Join) -> Join:
        return replace(join, conductor=replace(join.conductor, **changes)) if join.port == port else join

    return _with_link(job, link_id, joins=tuple(map(changed, link.joins)))


def free_id(job: Job, stem: str) -> str:
    """An id that no link or module has yet: the stem, or the stem with a number.

    Raises EditError for a stem that is no id.
    """
    if not ID.fullmatch(stem):
        raise EditError(tr("“{stem}” is no id", stem=stem), value=stem)
    taken = {x.id for x in job.links} | {m.id for m in job.modules} | {HOST}
    return (
        stem if stem not in taken else next(f"{stem}{n}" for n in range(2, 1000) if f"{stem}{n}" not in taken)
    )
