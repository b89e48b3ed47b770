"""Joining a feed otherwise: from another point, the other channel alike, two feeds as one, a way home, a bypass."""

from __future__ import annotations

from msgspec.structs import replace

from pigtail import edits
from pigtail.catalogue.topologies import Does, does, first, topology
from pigtail.edits.host import set_point
from pigtail.edits.plan import link_of, rejoined
from pigtail.edits.usual import return_link
from pigtail.job.document import SIDE_PORTS, Job, Link, Purpose
from pigtail.job.errors import EditError
from pigtail.job.wiring import return_address
from pigtail.language import tr


def retapped(job: Job, link_id: str, moved: tuple[tuple[str, str], ...]) -> Job:
    """Edit: join what a link has at some terminals to others instead, by the same wires: pairs of addresses, old and new. The source's
    own return follows its point."""
    link = link_of(job, link_id)
    to = dict(moved)
    to |= {return_address(job, old): return_address(job, new) for old, new in moved}
    joins = tuple(
        replace(j, terminal=to.get(j.terminal, j.terminal)) if j.port not in ("com", "sup") else j
        for j in link.joins
    )
    return edits.replace_link(job, replace(link, joins=joins))


def mirrored(job: Job, link_id: str, moved: tuple[tuple[str, str], ...]) -> Job:
    """Edit: the same feed once more, from and to other terminals: pairs of addresses, those of the link and those of the new one."""
    link = link_of(job, link_id)
    twin = edits.free_id(job, f"{link.id}_other")
    job = edits.add_link(job, replace(link, id=twin, name=f"{link.name}, other side"))
    return retapped(job, twin, moved)


def summed(job: Job, link_id: str, others: tuple[str, ...], gone: tuple[str, ...] = ()) -> Job:
    """Edit: take other outputs into a feed beside its own, held apart by a sum, and leave out the feeds that they had.

    Raises EditError for a feed that has a sum already.
    """
    link = link_of(job, link_id)
    if len(topology(link.sections[0].topology).inputs) > 1:
        raise EditError(tr("{link} sums two outputs already", link=link.name), value=link_id)
    head = first("feed", Does.SUMS, without=(Does.RECOMBINES,))
    kept = tuple(s for s in link.sections if not does(s, Does.CONDUCTS))
    start = next(j for j in link.joins if j.port not in ("out", *SIDE_PORTS))
    joins = (start, *(replace(start, port=f"also{k}", terminal=a) for k, a in enumerate(others)))
    rest = tuple(j for j in link.joins if j.port in ("out", *SIDE_PORTS))
    for each in gone:
        job = edits.remove_link(job, each)
    return edits.replace_link(
        job, rejoined(job, replace(link, joins=(*joins, *rest)), (head.section(), *kept))
    )


def led_home(job: Job, link_id: str) -> Job:
    """Edit: a return from where a feed ends to where it starts. Raises EditError for an end without a return."""
    link = link_of(job, link_id)
    ends = [return_address(job, a) for a in (*link.at("out")[:1], *link.starts[:1])]
    if len(ends) < 2 or not all(ends):
        raise EditError(tr("{link} has an end without a return", link=link.name), value=link_id)
    return edits.add_link(
        job, return_link(edits.free_id(job, "audio_return"), tr("Audio return"), ends[0], ends[1], 24)
    )


def bypassed(job: Job, module_id: str) -> Job:
    """Edit: bypass a module's ways through by a relay that falls back while the module is unpowered."""
    modules = tuple(
        replace(m, throughs=tuple(replace(t, passes=True, relay=True) for t in m.throughs))
        if m.id == module_id
        else m
        for m in job.modules
    )
    return edits.checked(replace(job, modules=modules))


def swapped(job: Job, link_id: str, other_id: str) -> Job:
    """Edit: two feeds change the inputs that they end at."""
    a, b = link_of(job, link_id), link_of(job, other_id)
    return _ending(_ending(job, a, b), b, a)


def _ending(job: Job, link: Link, other: Link) -> Job:
    (end,) = (j for j in link.joins if j.port == "out")
    (there,) = other.at("out")
    joins = tuple(replace(j, terminal=there) if j is end else j for j in link.joins)
    return edits.replace_link(job, replace(link, joins=joins))


def exchanged(job: Job, address: str, other: str, field: str) -> Job:
    """Edit: what two points of the host were told to be is the other way round: their channels, or their ways, and their names. The
    feeds go to where each really is, by the same wires. Raises EditError where there is no second point."""
    a, b = (job.terminal(x) for x in (address, other))
    if a is None or b is None:
        raise EditError(tr("there is no second point of the pair"), value=address)
    job = set_point(job, address, **{field: getattr(b, field), "name": b.name})
    job = set_point(job, other, **{field: getattr(a, field), "name": a.name})
    places = {address: other, other: address}
    links = tuple(
        replace(x, joins=tuple(replace(j, terminal=places.get(j.terminal, j.terminal)) for j in x.joins))
        if x.purpose is Purpose.FEED
        else x
        for x in job.links
    )
    return edits.checked(replace(job, links=links))
