"""Changing what a link goes through: networks put in and taken out, converters and rails chosen, ports joined."""

from __future__ import annotations

from msgspec.structs import replace

from pigtail import edits
from pigtail.catalogue.kinds import make_adapter
from pigtail.catalogue.topologies import Does, Task, does, first, plain, topology
from pigtail.edits.usual import NEAR_M, join, return_link, supply_link, winding_link
from pigtail.job.document import (
    SIDE_PORTS,
    Job,
    Link,
    Part,
    Plus,
    Rail,
    Section,
)
from pigtail.job.errors import EditError
from pigtail.job.windings import winding_named, winding_of
from pigtail.job.wiring import (
    pin_of,
    rail_of,
    return_address,
    return_links,
    star_address,
    supply_links,
)
from pigtail.language import tr


def with_network(job: Job, link: Link, key: str) -> Link:
    """The feed with one more network: a capacitor before the others (behind a sum), else at the end.

    Raises EditError for one of several inputs.
    """
    shape = topology(key)
    sections = [s for s in link.sections if not does(s, Does.CONDUCTS)]
    if len(shape.inputs) > 1:
        raise EditError(
            tr("“{shape}” has several inputs; propose the plan again to sum two outputs", shape=shape.title),
            value=key,
        )
    behind_sum = bool(sections) and len(topology(sections[0].topology).inputs) > 1
    at = int(behind_sum) if shape.couples and Does.PADS not in shape.does else len(sections)
    sections.insert(at, shape.section())
    return rejoined(job, link, tuple(sections))


def without_network(job: Job, link: Link, index: int) -> Link:
    """The link with one network taken out; a plain wire is left where it was the only one.

    Raises EditError for the sum.
    """
    if len(topology(link.sections[index].topology).inputs) > 1:
        raise EditError(tr("the sum holds two outputs apart and cannot be taken out"), value=index)
    sections = tuple(s for k, s in enumerate(link.sections) if k != index)
    return rejoined(job, link, sections or (plain(),))


def rejoined(job: Job, link: Link, sections: tuple[Section, ...]) -> Link:
    """The link with other networks, its ports renamed and its common joined or dropped to suit them.

    A network that it had before keeps what was said of its parts: a locked part all of it, the others rating and polarity.
    """
    changed = replace(link, sections=as_held(sections, link.sections))
    shapes = [topology(s.topology) for s in changed.sections]
    starts = [j for j in link.joins if j.port not in ("out", *SIDE_PORTS)]
    joins = [replace(j, port=p) for j, p in zip(starts, shapes[0].inputs, strict=False)]
    out = [j for j in link.joins if j.port == "out"]
    joins += out
    ends = {"com": out[0].terminal if out else "", "back": starts[0].terminal if starts else ""}
    rectifies = any(Does.RECTIFIES in s.does for s in shapes)
    for port in SIDE_PORTS:
        if not any(port in s.ports for s in shapes) or (port == "back" and rectifies):
            continue
        there = next((j for j in link.joins if j.port == port), None)
        if there is None and port in ends and (back := return_address(job, ends[port])):
            there = join(port, back, NEAR_M)
        joins += [there] if there else []
    return replace(changed, joins=tuple(joins))


def as_held(sections: tuple[Section, ...], old: tuple[Section, ...]) -> tuple[Section, ...]:
    """Networks with what is said of the parts of those whose place they take: each goes by the first of its kind."""
    held: dict[tuple[str, str], Part] = {}
    for section in reversed(old):
        held |= {(section.topology, p.name): p for p in section.parts}

    def like(key: str, part: Part) -> Part:
        was = held.get((key, part.name))
        if was is None or was == part:
            return part
        if was.locked:
            return was
        return replace(
            part, rating=part.rating or was.rating, plus=was.plus if part.plus is Plus.UNSAID else part.plus
        )

    return tuple(replace(s, parts=tuple(like(s.topology, p) for p in s.parts)) for s in sections)


def link_of(job: Job, link_id: str) -> Link:
    """A link by its id; raises EditError."""
    link = job.link(link_id)
    if link is None:
        raise EditError(tr("there is no link {link_id}", link_id=link_id), value=link_id)
    return link


def add_network(job: Job, link_id: str, key: str) -> Job:
    """Edit: put a network into a feed."""
    return edits.replace_link(job, with_network(job, link_of(job, link_id), key))


def drop_network(job: Job, link_id: str, index: int) -> Job:
    """Edit: take a network out of a feed."""
    return edits.replace_link(job, without_network(job, link_of(job, link_id), index))


def put_head(job: Job, link_id: str, key: str) -> Job:
    """Edit: hold the outputs of a feed apart by another network."""
    return put_networks(job, link_id, (topology(key).section(), *link_of(job, link_id).sections[1:]))


def set_stage_rail(job: Job, link_id: str, rail: str) -> Job:
    """Edit: supply the stages of a feed from a rail, or from a supply of their own (empty).

    Raises EditError where no stage needs one.
    """
    link = link_of(job, link_id)
    if not any(topology(s.topology).supplied for s in link.sections):
        raise EditError(tr("{link} has no stage that needs a supply", link=link.name), value=link_id)
    joins = tuple(j for j in link.joins if j.port != "sup")
    return edits.replace_link(
        job, replace(link, joins=(*joins, join("sup", rail, NEAR_M)) if rail else joins)
    )


def put_networks(job: Job, link_id: str, sections: tuple[Section, ...]) -> Job:
    """Edit: put other networks into the place of those of a feed."""
    return edits.replace_link(job, rejoined(job, link_of(job, link_id), sections))


def without_pads(job: Job, link_id: str) -> Job:
    """Edit: take the pads of a feed out, as when the source is turned down instead."""
    kept = tuple(s for s in link_of(job, link_id).sections if not does(s, Does.PADS))
    return put_networks(job, link_id, kept or (plain(),))


def put_isolated(job: Job, link: Link, gone: str) -> Job:
    """Edit: put a feed through a transformer, and leave out the return wire that it makes needless."""
    return edits.remove_link(edits.replace_link(job, link), gone)


def reconverted(job: Job, link: Link, key: str) -> Link:
    """The supply link with what converts the supply, or the straight join in its place, by another topology; switches and whatever
    else stands in it, its joins and its wires stay."""
    shape = topology(key)
    straight = Does.CONDUCTS in shape.does
    kept = [s for s in link.sections if not does(s, Does.CONDUCTS)]
    there = next((k for k, s in enumerate(kept) if does(s, Does.CONVERTS)), None)
    last = next((k for k, s in enumerate(kept) if does(s, Does.FILTERS)), len(kept))
    at = last if there is None else there
    before, after = kept[:at], kept[at + (there is not None) :]
    middle = [] if straight and (before or after) else [shape.section()]
    return rejoined(job, link, (*before, *middle, *after))


def rerailed(job: Job, link: Link, rail: str) -> Link:
    """The supply link from another rail, everything else as it is."""
    old = _rail_of(job, link)
    joins = tuple(replace(j, terminal=rail) if j.terminal == old else j for j in link.joins)
    return replace(link, joins=joins)


def set_converter(job: Job, link_id: str, key: str) -> Job:
    """Edit: make a supply by another converter from the same rail.

    One that separates its two sides takes the module's supply return out where another return is left; one that does not draws it
    again.
    """
    link = link_of(job, link_id)
    return _with_homes(job, link, reconverted(job, link, key))


def put_supply(job: Job, pin: str, source: str, keys: tuple[str, ...], reservoir: float | None = None) -> Job:
    """Edit: supply a pin from a rail, or from a winding by its id, by these networks in a row, the reservoir [F] if there is one.

    The link that fed the pin before keeps its id and name. Raises EditError for a source that is not there.
    """
    before = next(iter(supply_links(job, pin)), None)
    link_id = before.id if before is not None else edits.free_id(job, "supply")
    winding = winding_named(job, source)
    if winding is not None:
        made = winding_link(job, link_id, winding, pin, *keys)
    elif isinstance(job.terminal(source), Rail):
        made = supply_link(job, link_id, source, pin, keys[0])
        for key in keys[1:]:
            made = rejoined(job, made, (*made.sections, topology(key).section()))
    else:
        raise EditError(tr("there is no rail and no winding {source}", source=source), value=source)
    if reservoir is not None:
        made = replace(made, sections=tuple(_with_reservoir(s, reservoir) for s in made.sections))
    if before is None:
        return _with_homes(edits.add_link(job, made), made, made)
    held = as_held(made.sections, before.sections)
    return _with_homes(
        job, before, replace(made, name=before.name, sections=held if reservoir is None else made.sections)
    )


def _with_reservoir(section: Section, farads: float) -> Section:
    """A rectifier with all its capacitors of one size [F]; any other network as it is."""
    shape = topology(section.topology)
    if Does.RECTIFIES not in shape.does:
        return section
    sizes = {p.name: farads for p in shape.bought() if p.role in (Task.RESERVOIR, Task.PUMP)}
    return shape.section(**sizes)


def turned_legs(job: Job, link_id: str) -> Job:
    """Edit: join the two wires from a winding the other way round. Raises EditError for a link without two."""
    link = link_of(job, link_id)
    ports = [p for p in topology(link.sections[0].topology).inputs if link.at(p)][:2]
    if len(ports) != 2:
        raise EditError(tr("{link} has not two wires from a winding", link=link.name), value=link_id)
    other = dict(zip(ports, ports[::-1], strict=True))
    joins = tuple(replace(j, port=other.get(j.port, j.port)) for j in link.joins)
    return edits.replace_link(job, replace(link, joins=joins))


def _with_homes(job: Job, link: Link, made: Link) -> Job:
    """The job with a supply link in the place of another, and the module's supply return as it then needs it."""
    changed = edits.replace_link(job, made)
    pin = pin_of(job, made)
    rail = rail_of(job, made)
    back = return_address(job, pin)
    star = return_address(job, rail) if rail else star_address(job) if winding_of(job, made) else ""
    if not pin or not back or not star:
        return changed
    homes = return_links(job, pin.partition(".")[0])
    own = [x for x in homes if any(j.terminal == back for j in x.joins)]
    separates = any(does(s, Does.SEPARATES) for s in made.sections)
    if separates and len(homes) > len(own):
        for wire in own:
            changed = edits.remove_link(changed, wire.id)
    elif not separates and not own and (link is made or any(does(s, Does.SEPARATES) for s in link.sections)):
        changed = edits.add_link(
            changed, return_link(edits.free_id(job, "supply_return"), tr("Supply return"), back, star, 20)
        )
    return changed


def turned_round(job: Job, link_id: str) -> Job:
    """Edit: join the input of a converter whose two sides are separate the other way round. Raises EditError for any other."""
    link = link_of(job, link_id)
    if not any(does(s, Does.SEPARATES) for s in link.sections):
        raise EditError(
            tr("{link} has no converter whose two sides are separate", link=link.name), value=link_id
        )
    (at,) = topology(link.sections[0].topology).inputs
    other = {at: "back", "back": at}
    joins = tuple(replace(j, port=other.get(j.port, j.port)) for j in link.joins)
    return edits.replace_link(job, replace(link, joins=joins))


def turned_converter(job: Job, link_id: str, key: str) -> Job:
    """Edit: make a supply by a converter whose two sides are separate, its plus where the host's ground is."""
    return turned_round(set_converter(job, link_id, key), link_id)


def own_adapter(job: Job, link_id: str, key: str) -> Job:
    """Edit: supply a module from an adapter of the catalogue of its own, whose minus is joined to the host by the module's return alone.

    Raises EditError for a link that feeds no supply pin.
    """
    link = link_of(job, link_id)
    pin = pin_of(job, link)
    if not pin:
        raise EditError(tr("{link} feeds no supply pin", link=link.name), value=link_id)
    return adapter_for(job, pin, key, link)


def adapter_for(job: Job, pin: str, key: str, link: Link | None = None) -> Job:
    """Edit: supply a pin from an adapter of the catalogue, in the place of a link, or where it is not supplied yet with the module's supply
    return to the host's star."""
    adapter = make_adapter(key, edits.free_id(job, "adapter"))
    job = edits.add_module(job, adapter)
    rail, minus, back = f"{adapter.id}.plus", f"{adapter.id}.minus", return_address(job, pin)
    straight = first("supply", Does.CONDUCTS).key
    if link is None:
        made = supply_link(job, edits.free_id(job, "supply"), rail, pin, straight)
        job = edits.add_link(job, made)
        if star_address(job) and not return_links(job, pin.partition(".")[0]):
            home = return_link(
                edits.free_id(job, "supply_return"), tr("Supply return"), back, star_address(job), 20
            )
            job = edits.add_link(job, home)
    elif winding_of(job, link) is not None:
        made = replace(supply_link(job, link.id, rail, pin, straight), name=link.name)
        job = edits.replace_link(job, made)
    else:
        job = edits.replace_link(job, reconverted(job, rerailed(job, link, rail), straight))
    return edits.add_link(
        job, return_link(edits.free_id(job, "adapter_return"), tr("Adapter's minus"), minus, back, 20)
    )


def add_filter(job: Job, link_id: str) -> Job:
    """Edit: put a filter at the module's end of a supply."""
    link = link_of(job, link_id)
    shape = first("supply", Does.FILTERS)
    kept = tuple(s for s in link.sections if not does(s, Does.CONDUCTS))
    return edits.replace_link(job, rejoined(job, link, (*kept, shape.section())))


def add_to_supply(job: Job, link_id: str, key: str) -> Job:
    """Edit: put a fuse or resistor before what converts a supply, or a filter behind it."""
    link = link_of(job, link_id)
    shape = topology(key)
    kept = [s for s in link.sections if not does(s, Does.CONDUCTS)]
    first_of = sum(does(s, Does.RECTIFIES, Does.EITHER) for s in kept)
    at = first_of if shape.does & {Does.FUSES, Does.LIMITS} else len(kept)
    return edits.replace_link(job, rejoined(job, link, (*kept[:at], shape.section(), *kept[at:])))


def add_second_rail(job: Job, link_id: str, rail: str) -> Job:
    """Edit: let a supply take the higher of its rail and another one, through a diode each. Raises EditError for a supply that comes from a
    winding or from two already, and for what is no rail or the same one."""
    link = link_of(job, link_id)
    now = _rail_of(job, link)
    if not isinstance(job.terminal(rail), Rail) or rail == now:
        raise EditError(tr("{value} is no other rail", value=rail or "nothing"), value=rail)
    if len(topology(link.sections[0].topology).inputs) > 1:
        raise EditError(
            tr("{link} comes from a winding or from two rails already", link=link.name), value=link_id
        )
    shape = first("supply", Does.EITHER)
    kept = tuple(s for s in link.sections if not does(s, Does.CONDUCTS))
    made = rejoined(job, link, (shape.section(), *kept))
    (at, *_) = made.joins
    second = replace(at, port=shape.inputs[1], terminal=rail)
    return edits.replace_link(job, replace(made, joins=(at, second, *made.joins[1:])))


def drop_from_supply(job: Job, link_id: str, index: int) -> Job:
    """Edit: take a fuse, resistor or filter out of a supply; where nothing is left it is joined straight."""
    link = link_of(job, link_id)
    kept = tuple(s for k, s in enumerate(link.sections) if k != index)
    return edits.replace_link(job, rejoined(job, link, kept or (first("supply", Does.CONDUCTS).section(),)))


def set_rail(job: Job, link_id: str, rail: str) -> Job:
    """Edit: take a supply from another rail by the same converter."""
    return edits.replace_link(job, rerailed(job, link_of(job, link_id), rail))


def _rail_of(job: Job, link: Link) -> str:
    """Address of the rail a supply link comes from; raises EditError if it comes from none."""
    rail = rail_of(job, link)
    if not rail:
        raise EditError(tr("{link} does not start at a rail of the host", link=link.name), value=link.id)
    return rail


def regauged(job: Job, link_id: str, gauge: int) -> Job:
    """Edit: make all wires of a link of one gauge [AWG]."""
    for each in link_of(job, link_id).joins:
        job = edits.set_conductor(job, link_id, each.port, gauge=gauge)
    return job
