"""The parts list of a plan, and what of it is bought for so many copies."""

from __future__ import annotations

import math

from pigtail.board.forms import Bodies, bodies_of
from pigtail.board.parts import Mounted
from pigtail.catalogue.topologies import FILM_F, Does, PartRule, Topology, topology
from pigtail.job.document import Job, Link, Plus, Section
from pigtail.language import tr
from pigtail.studies.loom.found import PartLine
from pigtail.units import Known, format_quantity

#: Small parts are bought in multiples of so many. Common practice.
PACKS = {"resistor": 10, "capacitor": 5, "diode": 5, "PNP": 5, "NPN": 5, "N-MOSFET": 5}


#: What is to be heeded of a part that is not bought by its value, by the letter of its designator.
_NOTES = {"C": tr("close to the chip")} | dict.fromkeys("QU", tr("check its pinout against its data sheet"))


def loom_parts(job: Job, board: Mounted) -> tuple[PartLine, ...]:
    """All parts of a plan, link by link, then what modules need besides; by the names that they have on its board."""
    names = {(p.link, p.at, p.rule): p.name for p in board.parts if p.rule}
    lines = [
        p
        for link in job.links
        for at, section in enumerate(link.sections)
        for p in _parts(link, at, section, names)
    ]
    lines += [
        PartLine(
            m.name,
            tr("relay, two change-over contacts"),
            tr("coil for its supply"),
            tr("falls back to the original unpowered"),
            "",
        )
        for m in job.modules
        if any(t.relay for t in m.throughs)
    ]
    return tuple(lines)


def _parts(link: Link, at: int, section: Section, names: dict[tuple[str, int, str], str]) -> list[PartLine]:
    shape = topology(section.topology)
    given = shape.values(section)
    lines = _units(link, shape, given)
    for rule in shape.bought():
        value = given[rule.name]
        tolerance = (value.high - value.nominal) / value.nominal if value.nominal else 0.0
        note = f"±{100 * tolerance:.0f} %" + _rating(section, rule, value.nominal)
        reference = f"{link.name}, {shape.short} {rule.name.upper()}"
        words, name = f"{rule.words} {rule.kind}", names.get((link.id, at, rule.name), "")
        lines.append(
            PartLine(reference, words, format_quantity(value.nominal, rule.unit), note, link.id, name)
        )
    return lines + _bodies(link, shape, bodies_of(shape.key))


def _units(link: Link, shape: Topology, given: dict[str, Known]) -> list[PartLine]:
    """What a network is bought as, besides the parts round it."""
    found: list[tuple[str, str, str]] = []
    if Does.CONVERTS in shape.does:
        found.append((shape.title, format_quantity(given["vout"].nominal, "V"), tr("capacitors close to it")))
    if Does.STORES in shape.does:
        note = tr(
            "with its own protection; fixed so that nothing presses or heats it, its leads fused or short"
        )
        found.append((tr("lithium cell, protected"), format_quantity(given["capacity"].nominal, "Ah"), note))
    if Does.EITHER in shape.does:
        found.append(
            (
                tr("two Schottky diodes"),
                format_quantity(given["reverse_max"].nominal, "V"),
                tr("the bar toward the module"),
            )
        )
    if shape.amplifies:
        loud = Does.DRIVES_SPEAKERS in shape.does
        note = tr("decoupled close to it; ") + (
            tr("short heavy wires to its supply") if loud else tr("a middle of its own, or two supplies")
        )
        found.append(
            (
                tr("amplifier chip") if loud else "op-amp",
                tr("from {nominal}", nominal=format_quantity(given["supply"].nominal, "V")),
                note,
            )
        )
    if Does.ISOLATES in shape.does:
        found.append((shape.title, "1:1", tr("mu-metal can, away from fields")))
    return [PartLine(link.name, *each, link.id) for each in found]


def _bodies(link: Link, shape: Topology, needs: Bodies) -> list[PartLine]:
    """What a network needs round what it is bought as: decoupling, transistors, diodes, lights."""
    told = shape.amplifies or Does.CONVERTS in shape.does
    found = []
    for body in needs.bodies:
        if (told and body.name == "U") or Does.EITHER in shape.does:
            continue
        value = body.words if body.name in "RC" else ""
        words = {"R": "resistor", "C": "capacitor"}.get(body.name, body.words)
        note = _NOTES.get(body.name, "")
        found.append(PartLine(f"{link.name}, {shape.short}", words, value, note, link.id))
    light = PartLine(
        f"{link.name}, {shape.short}", tr("LED, 3 mm"), "", tr("long leg toward the resistor"), link.id
    )
    found += [light] * len(needs.lights)
    return found


def _rating(section: Section, rule: PartRule, farads: float) -> str:
    """Kind, way round and rating of a capacitor, as they were chosen, else as is usual; what a resistor is rated for."""
    part = next((p for p in section.parts if p.name == rule.name), None)
    rated = part.rating if part is not None else None
    if rule.kind != "capacitor":
        return f"; {format_quantity(rated.nominal, 'W')}" if rated else ""
    volts = format_quantity(rated.nominal, "V") if rated else tr("16 V or more")
    if farads <= FILM_F or (part is not None and part.plus is Plus.FILM):
        return tr("; film, {volts}", volts=volts) if rated else "; film"
    if part is not None and part.plus is not Plus.UNSAID:
        return tr("; plus {plus}, {volts}", plus=part.plus.value, volts=volts)
    return tr("; electrolytic, plus toward the bias, {volts}", volts=volts)


def to_buy(parts: tuple[PartLine, ...], copies: int) -> tuple[tuple[str, str, str, int, int], ...]:
    """What to buy for so many copies: what, value, note, how many are needed, how many to buy, small parts in the multiples they come
    in."""
    needed: dict[tuple[str, str, str], int] = {}
    for p in parts:
        last = p.words.rpartition(" ")[2]
        kind = last if last in ("resistor", "capacitor") else p.words
        key = (kind, p.value, p.note)
        needed[key] = needed.get(key, 0) + copies
    found = []
    for (kind, value, note), count in sorted(needed.items()):
        pack = PACKS.get(kind, 1)
        found.append((kind, value, note, count, math.ceil(count / pack) * pack))
    return tuple(found)
