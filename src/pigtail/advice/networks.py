"""Changing what a link goes through: networks put in and taken out, converters and rails chosen, ports joined."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from pigtail.advice.links import NEAR_M, join, supply_link
from pigtail.catalogue.topologies import topology
from pigtail.job import edits
from pigtail.job.errors import EditError
from pigtail.job.model import SIDE_PORTS, Job, Link, Rail, Section, SupplyIn
from pigtail.job.wiring import return_address


def with_network(job: Job, link: Link, key: str) -> Link:
    """The feed with one more network: a capacitor before the others (behind a sum), else at the end."""
    shape = topology(key)
    sections = [s for s in link.sections if s.topology != "wire"]
    if len(shape.inputs) > 1:
        raise EditError(
            f"“{shape.title}” has several inputs; propose the plan again to sum two outputs", value=key
        )
    behind_sum = bool(sections) and len(topology(sections[0].topology).inputs) > 1
    at = int(behind_sum) if key == "coupling" else len(sections)
    sections.insert(at, shape.section())
    return rejoined(job, link, tuple(sections))


def without_network(job: Job, link: Link, index: int) -> Link:
    """The link with one network taken out; a plain wire is left where it was the only one."""
    if len(topology(link.sections[index].topology).inputs) > 1:
        raise EditError("the sum holds two outputs apart and cannot be taken out", value=index)
    sections = tuple(s for k, s in enumerate(link.sections) if k != index)
    return rejoined(job, link, sections or (topology("wire").section(),))


def rejoined(job: Job, link: Link, sections: tuple[Section, ...]) -> Link:
    """The link with other networks, its ports renamed and its common joined or dropped to suit them."""
    changed = replace(link, sections=sections)
    shapes = [topology(s.topology) for s in changed.sections]
    starts = [j for j in link.joins if j.port not in ("out", *SIDE_PORTS)]
    joins = [replace(j, port=p) for j, p in zip(starts, shapes[0].inputs, strict=False)]
    out = next(j for j in link.joins if j.port == "out")
    joins.append(out)
    ends = {"com": out.terminal, "back": starts[0].terminal}
    for port in SIDE_PORTS:
        if not any(port in s.ports for s in shapes):
            continue
        there = next((j for j in link.joins if j.port == port), None)
        if there is None and port in ends and (back := return_address(job, ends[port])):
            there = join(port, back, NEAR_M)
        joins += [there] if there else []
    return replace(changed, joins=tuple(joins))


def add_network(job: Job, link_id: str, key: str) -> Job:
    """Edit: put a network into a feed."""
    return edits.replace_link(job, with_network(job, _link(job, link_id), key))


def drop_network(job: Job, link_id: str, index: int) -> Job:
    """Edit: take a network out of a feed."""
    return edits.replace_link(job, without_network(job, _link(job, link_id), index))


def put_head(job: Job, link_id: str, key: str) -> Job:
    """Edit: hold the outputs of a feed apart by another network."""
    return put_networks(job, link_id, (topology(key).section(), *_link(job, link_id).sections[1:]))


def set_stage_rail(job: Job, link_id: str, rail: str) -> Job:
    """Edit: supply the stages of a feed from a rail, or from a supply of their own (empty)."""
    link = _link(job, link_id)
    if not any(topology(s.topology).supplied for s in link.sections):
        raise EditError(f"{link.name} has no stage that needs a supply", value=link_id)
    joins = tuple(j for j in link.joins if j.port != "sup")
    return edits.replace_link(
        job, replace(link, joins=(*joins, join("sup", rail, NEAR_M)) if rail else joins)
    )


def put_networks(job: Job, link_id: str, sections: tuple[Section, ...]) -> Job:
    """Edit: put other networks into the place of those of a feed."""
    return edits.replace_link(job, rejoined(job, _link(job, link_id), sections))


def without_pads(job: Job, link_id: str) -> Job:
    """Edit: take the pads of a feed out, as when the source is turned down instead."""
    kept = tuple(s for s in _link(job, link_id).sections if s.topology != "pad")
    return put_networks(job, link_id, kept or (topology("wire").section(),))


def put_isolated(job: Job, link: Link, gone: str) -> Job:
    """Edit: put a feed through a transformer, and leave out the return wire that it makes needless."""
    return edits.remove_link(edits.replace_link(job, link), gone)


def on_each(job: Job, change: Callable[..., Job], links: tuple[str, ...]) -> Job:
    """Edit: the same change to several links, such as the feeds of both channels."""
    for link_id in links:
        job = change(job, link_id=link_id)
    return job


def resupplied(job: Job, link: Link, rail: str, key: str) -> Link:
    """The supply link by another converter or from another rail, its wires kept where the ports are the same."""
    pin = next((j.terminal for j in link.joins if isinstance(job.terminal(j.terminal), SupplyIn)), None)
    if pin is None:
        raise EditError(f"{link.name} does not end at a supply pin", value=link.id)
    fresh = supply_link(job, link.id, rail, pin, key)
    wires = {j.port: j.conductor for j in link.joins}
    joins = tuple(replace(j, conductor=wires.get(j.port, j.conductor)) for j in fresh.joins)
    return replace(fresh, name=link.name, joins=joins)


def set_converter(job: Job, link_id: str, key: str) -> Job:
    """Edit: make a supply by another converter from the same rail."""
    link = _link(job, link_id)
    return edits.replace_link(job, resupplied(job, link, rail_of(job, link), key))


def set_rail(job: Job, link_id: str, rail: str) -> Job:
    """Edit: take a supply from another rail by the same converter."""
    link = _link(job, link_id)
    return edits.replace_link(job, resupplied(job, link, rail, link.sections[-1].topology))


def rail_of(job: Job, link: Link) -> str:
    """Address of the rail a supply link starts at; raises EditError if it starts at none."""
    rail = next((j.terminal for j in link.joins if isinstance(job.terminal(j.terminal), Rail)), None)
    if rail is None:
        raise EditError(f"{link.name} does not start at a rail of the host", value=link.id)
    return rail


def regauged(job: Job, link_id: str, gauge: int) -> Job:
    """Edit: make all wires of a link of one gauge [AWG]."""
    for each in _link(job, link_id).joins:
        job = edits.set_conductor(job, link_id, each.port, gauge=gauge)
    return job


def propose_plan(job: Job, module_id: str) -> Job:
    """Edit: put a proposed plan in the place of all links of a module. The search is loaded when first asked for."""
    from pigtail.advice.plan import propose

    return propose(job, module_id)


def _link(job: Job, link_id: str) -> Link:
    link = job.link(link_id)
    if link is None:
        raise EditError(f"there is no link {link_id}", value=link_id)
    return link
