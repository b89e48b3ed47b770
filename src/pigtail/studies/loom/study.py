"""Loom: the wires and parts that the plan needs, and whether they can be cut and coloured as written."""

from __future__ import annotations

from msgspec.structs import replace

from pigtail.catalogue.topologies import FILM_F, Does, does, topology
from pigtail.job.document import HOST, Channel, Job, Join, Link, Plus, Purpose, Section, SupplyIn
from pigtail.model.model import Model
from pigtail.studies.findings import Finding
from pigtail.studies.loom.found import LoomFound, LoomWire, PartLine
from pigtail.studies.wording import listed, tell
from pigtail.units import Known, format_quantity

SLACK = 0.10  # common practice: cut a tenth longer than routed


def study_loom(model: Model) -> LoomFound:
    """The loom and parts list of a job."""
    job = model.papers
    wires = tuple(_wire(job, link, join) for link in job.links for join in _wires(link))
    parts = tuple(p for link in job.links for p in _parts(link)) + tuple(
        PartLine(
            m.name,
            "relay, two change-over contacts",
            "coil for its supply",
            "falls back to the original unpowered",
            "",
        )
        for m in job.modules
        if any(t.relay for t in m.throughs)
    )
    findings = _judge(wires) if wires else [tell("build.no_links", "")]
    return LoomFound("build", {}, tuple(findings), wires, parts)


def _wires(link: Link) -> tuple[Join, ...]:
    """The joins that are a wire each; a link of two ends through nothing but wire is one piece."""
    if not _straight(link):
        return link.joins
    first, second = link.joins
    a, b = first.conductor.length, second.conductor.length
    if a is None or b is None:
        return (first,)
    whole = Known(
        nominal=a.nominal + b.nominal,
        low=a.low + b.low,
        high=a.high + b.high,
        unit="m",
        basis=a.basis,
        source=a.source,
    )
    return (replace(first, conductor=replace(first.conductor, length=whole)),)


def _straight(link: Link) -> bool:
    return len(link.joins) == 2 and all(does(s, Does.CONDUCTS) for s in link.sections)


def _wire(job: Job, link: Link, join: Join) -> LoomWire:
    conductor = join.conductor
    length = conductor.length.nominal * (1 + SLACK) if isinstance(conductor.length, Known) else None
    start = _end(job, join.terminal)
    end = (
        _end(job, _other(link, join))
        if _straight(link)
        else f"{link.name} network, {PORTS.get(join.port, join.port)}"
    )
    return LoomWire(
        link.id, join.port, usual_function(job, link, join), start, end,
        conductor.colour or usual_colour(job, link, join), conductor.gauge, length, conductor.screened, conductor.route,
    )  # fmt: skip


#: How the ports of a network are called on paper.
PORTS = {
    "in": "in", "in_l": "left in", "in_r": "right in", "in_low": "low in", "in_high": "high in", "out": "out",
    "com": "common", "back": "source's return", "sup": "its supply",
}  # fmt: skip


def _end(job: Job, address: str) -> str:
    """An end of a wire: whose terminal it is, its name and place."""
    terminal = job.terminal(address)
    device_id = address.partition(".")[0]
    owner = "host" if device_id == HOST else "module"
    if device_id != HOST and len(job.modules) > 1:
        owner = next(m.name for m in job.modules if m.id == device_id)
    if terminal is None:
        return address
    return f"{owner}: {terminal.name}" + (f", {terminal.place.text()}" if terminal.place else "")


def _other(link: Link, join: Join) -> str:
    return next((j.terminal for j in link.joins if j.port != join.port), join.terminal)


def usual_function(job: Job, link: Link, join: Join) -> str:
    """What a wire carries, in a word or two."""
    if join.port == "sup":
        return "supply, from the rail"
    if join.port in ("com", "back"):
        return "return of the network" if link.purpose is Purpose.FEED else "supply negative"
    if link.purpose is Purpose.RETURN:
        return "return"
    if link.purpose is Purpose.SUPPLY:
        return (
            "supply, at the pin"
            if isinstance(job.terminal(join.terminal), SupplyIn)
            else "supply, from the rail"
        )
    terminal = job.terminal(join.terminal)
    channel = getattr(terminal, "channel", Channel.MONO)
    return f"signal, {channel.value}"


#: One colour one meaning. Common practice.
COLOURS = {
    "return": "black",
    "return of the network": "black",
    "supply negative": "black",
    "supply, at the pin": "red",
    "supply, from the rail": "orange",
    "signal, left": "white",
    "signal, right": "green",
    "signal, mono": "yellow",
}


def usual_colour(job: Job, link: Link, join: Join) -> str:
    """The colour a wire has unless the job says otherwise."""
    return COLOURS[usual_function(job, link, join)]


def _parts(link: Link) -> list[PartLine]:
    lines: list[PartLine] = []
    for section in link.sections:
        shape = topology(section.topology)
        given = shape.values(section)
        if Does.CONVERTS in shape.does:
            lines.append(
                PartLine(
                    link.name,
                    shape.title,
                    format_quantity(given["vout"].nominal, "V"),
                    "capacitors close to it",
                    link.id,
                )
            )
        if Does.STORES in shape.does:
            cell = format_quantity(given["capacity"].nominal, "Ah")
            note = (
                "with its own protection; fixed so that nothing presses or heats it, its leads fused or short"
            )
            lines.append(PartLine(link.name, "lithium cell, protected", cell, note, link.id))
        if Does.EITHER in shape.does:
            stands = format_quantity(given["reverse_max"].nominal, "V")
            lines.append(
                PartLine(link.name, "two Schottky diodes", stands, "the bar toward the module", link.id)
            )
        if shape.amplifies:
            supply = format_quantity(given["supply"].nominal, "V")
            note = (
                "decoupled close to it; short heavy wires to its supply"
                if Does.DRIVES_SPEAKERS in shape.does
                else "decoupled close to it; a middle of its own, or two supplies"
            )
            lines.append(
                PartLine(
                    link.name,
                    "amplifier chip" if Does.DRIVES_SPEAKERS in shape.does else "op-amp",
                    f"from {supply}",
                    note,
                    link.id,
                )
            )
        if Does.ISOLATES in shape.does:
            lines.append(PartLine(link.name, shape.title, "1:1", "mu-metal can, away from fields", link.id))
        for rule in shape.bought():
            value = given[rule.name]
            tolerance = (value.high - value.nominal) / value.nominal if value.nominal else 0.0
            note = f"±{100 * tolerance:.0f} %" + (
                f"; {_rating(section, rule.name, value.nominal)}" if rule.kind == "capacitor" else ""
            )
            reference = f"{link.name}, {shape.short} {rule.name.upper()}"
            lines.append(
                PartLine(
                    reference,
                    f"{rule.words} {rule.kind}",
                    format_quantity(value.nominal, rule.unit),
                    note,
                    link.id,
                )
            )
    return lines


def _rating(section: Section, name: str, farads: float) -> str:
    """Kind, way round and rating of a capacitor, as they were chosen, else as is usual."""
    part = next((p for p in section.parts if p.name == name), None)
    rated = part.rating if part is not None else None
    volts = format_quantity(rated.nominal, "V") if rated else "16 V or more"
    if farads <= FILM_F or (part is not None and part.plus is Plus.FILM):
        return f"film, {volts}" if rated else "film"
    if part is not None and part.plus is not Plus.UNSAID:
        return f"plus {part.plus.value}, {volts}"
    return f"electrolytic, plus toward the bias, {volts}"


def _judge(wires: tuple[LoomWire, ...]) -> list[Finding]:
    found = [tell("build.length_unknown", w.link, {"start": w.start}) for w in wires if w.length is None]
    meanings: dict[str, set[str]] = {}
    for wire in wires:
        family = wire.function.split(",")[0] if "signal" not in wire.function else wire.function
        family = "return" if "return" in family or "negative" in family else family
        family = wire.function if family == "supply" else family
        meanings.setdefault(wire.colour, set()).add(family)
    for colour, functions in meanings.items():
        if len(functions) > 1:
            words = {"Colour": colour.capitalize(), "functions": listed(sorted(functions))}
            found.append(tell("build.colour_clash", colour, words))
    if not found:
        found.append(tell("build.loom", "", {"count": str(len(wires))}))
    return found
