"""The bought parts of links: every capacitor judged for polarity and rating between its own nodes, every resistor for its heat.

DC across a capacitor: from the operating points of all host states, in the working state over the spread of everything.
Heat: P = V²/R, of the DC of the worst state and of full scale at 1 kHz together.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.catalogue.ratings import heavy, rated, ratings
from pigtail.catalogue.topologies import FILM_F, PartRule, Task
from pigtail.job.document import Job, Link, Part, Plus
from pigtail.language import tr
from pigtail.model.cascade import Network, networks
from pigtail.model.estimate import Estimate, Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.wording import tell
from pigtail.units import format_quantity

Array = NDArray[np.float64]
#: The DC that turns nothing round [V].
SMALL_V = 0.1


def study_parts(
    model: Model, link: Link, area: str, across: Mapping[tuple[int, str], Estimate] | None = None
) -> list[Finding]:
    """The findings about the parts of a link, under the codes of a study. Raises CompileError.

    Args: model; link; key of the study; the DC across its capacitors [V] by network and name, as far as it was estimated already.
    """
    placed = [(n, rule) for n in networks(link) for rule in n.shape.bought() if rule.nodes]
    capacitors = [(n, rule) for n, rule in placed if rule.kind == "capacitor"]
    found: list[Finding] = []
    if capacitors:
        known = across or {}
        unknown = [(n, rule) for n, rule in capacitors if (n.at, rule.name) not in known]
        volts = dict(known) | (_volts(model, unknown) if unknown else {})
        for network, rule in capacitors:
            told = _in_all_states(model, network, rule, volts[network.at, rule.name])
            found.append(_capacitor(model.job, link, network, rule, told, area))
    return found + _heat(model, link, [(n, rule) for n, rule in placed if rule.kind == "resistor"], area)


def _volts(model: Model, capacitors: list[tuple[Network, PartRule]]) -> dict[tuple[int, str], Estimate]:
    """The DC across capacitors [V] in the working state, the first of their nodes against the second."""
    net = model.about(capacitors[0][0].link).netlist()
    places = {(n.at, rule.name): (n, rule) for n, rule in capacitors}
    keys = {place: f"{place[0]}.{place[1]}" for place in places}

    def solve(samples: Samples) -> dict[str, Array]:
        rest = net.small(net.deck_samples(samples)).operating_point()
        return {
            keys[place]: np.asarray(rest.v(*(n.node(x) for x in rule.nodes)))
            for place, (n, rule) in places.items()
        }

    words = {
        keys[place]: Wanted(
            "V", tr("the DC across {short} {upper}", short=n.shape.short, upper=rule.name.upper())
        )
        for place, (n, rule) in places.items()
    }
    found = estimate([i for i in net.inputs if i.in_deck], solve, words)
    return {place: found[key] for place, key in keys.items()}


def _in_all_states(model: Model, network: Network, rule: PartRule, here: Estimate) -> Estimate:
    """The DC across a capacitor in the working state, widened to what it is in the others."""
    if here.value is None:
        return here
    others = np.atleast_1d(model.about(network.link).resting.v(*(network.node(x) for x in rule.nodes)))
    return replace(here, low=min(here.low, float(others.min())), high=max(here.high, float(others.max())))


def part_of(network: Network, rule: PartRule) -> Part:
    """A part as the job has it, else at its default."""
    given = next((p for p in network.section.parts if p.name == rule.name), None)
    return given or Part(name=rule.name, value=rule.known(), plus=rule.plus)


def _capacitor(
    job: Job, link: Link, network: Network, rule: PartRule, across: Estimate, area: str
) -> Finding:
    part = part_of(network, rule)
    words = {"part": tr("{rule} capacitor", rule=rule.words), "now": part.plus.value}
    place: dict[str, Any] = {
        "value": across.value, "low": across.low, "high": across.high, "unit": "V", "basis": across.basis.value,
        "part": (network.at, rule.name),
    }  # fmt: skip
    if across.value is None:
        names = tr(" and ").join(i.words for i in across.missing[:2])
        place |= {"low": None, "high": None}
        return _told(
            area,
            "capacitor_unknown",
            link,
            words | {"missing": names or tr("something it rests on is")},
            place,
        )
    most = max(abs(across.low), abs(across.high))
    margin = (
        ratings().capacitor.reservoir
        if rule.role in (Task.RESERVOIR, Task.PUMP)
        else ratings().capacitor.margin
    )
    rating = rated(margin * most)
    which, wrong = _way_round(job, link, network, rule, part, across)
    words |= {
        "which": which,
        "most": format_quantity(most, "V"),
        "rating": f"{rating:g} V" if rating else "none",
    }
    if wrong:
        return _told(area, "capacitor_reversed", link, words, place)
    if rating is None:
        return _told(area, "capacitor_beyond", link, words, place)
    if part.rating is not None and part.rating.nominal < margin * most:
        words["rated"] = format_quantity(part.rating.nominal, "V")
        severity = Severity.FIX if part.rating.nominal < most else Severity.WATCH
        return _told(area, "capacitor_rating", link, words, place, severity)
    if part.plus is Plus.UNSAID and part.value.nominal > FILM_F and most > SMALL_V:
        return _told(area, "capacitor_unsaid", link, words, place)
    return _told(area, "capacitor", link, words, place)


def _way_round(
    job: Job, link: Link, network: Network, rule: PartRule, part: Part, across: Estimate
) -> tuple[str, bool]:
    """Which way round a capacitor goes, in words, and whether it is said to go the other way."""
    assert across.value is not None
    ends = _ends(job, link, network, rule)
    polar = part.plus in (Plus.SOURCE, Plus.INPUT)
    if across.low < -SMALL_V and across.high > SMALL_V:
        return tr("either side may be the higher: take film, or two electrolytics back to back"), polar
    if max(abs(across.low), abs(across.high)) <= SMALL_V:
        return tr("next to no DC lies across it: film, or plus toward {ends}", ends=ends[0]), False
    first = across.low + across.high > 0
    least = abs(across.value) if abs(across.value) >= SMALL_V else max(abs(across.low), abs(across.high))
    volts = format_quantity(least, "V")
    right = Plus.SOURCE if first else Plus.INPUT
    return tr(
        "plus toward {ends}, which is {volts} higher", ends=ends[0 if first else 1], volts=volts
    ), polar and part.plus is not right


def _ends(job: Job, link: Link, network: Network, rule: PartRule) -> tuple[str, str]:
    """What lies to either side of a part, in words: what the link comes from or goes to, a common, or the network itself."""

    def words(node: str) -> str:
        if node in network.shape.inputs:
            return job.label(link.starts[0]) if link.starts else tr("what comes before it")
        if node == "out":
            return job.label(link.at("out")[0]) if link.at("out") else tr("what follows it")
        return (
            tr("the common") if node in network.shape.sides else tr("the {short}", short=network.shape.short)
        )

    return words(rule.nodes[0]), words(rule.nodes[1])


def _heat(model: Model, link: Link, resistors: list[tuple[Network, PartRule]], area: str) -> list[Finding]:
    """The resistors of a link that are too hot, at nominal values in the worst state: half of what they stand is kept in hand."""
    if not resistors:
        return []
    found, about = [], model.about(link.id)
    for network, rule in resistors:
        pair = network.lies_between(rule.name)
        if pair is None:
            continue
        part = part_of(network, rule)
        dc = float(np.abs(np.atleast_1d(about.resting.v(*pair))).max())
        ac = float(np.abs(about.played.v(*pair))[0, 0])
        watts = (dc**2 + ac**2) / part.value.low if part.value.low > 0 else 0.0
        stands = part.rating.nominal if part.rating is not None else ratings().resistor.usual
        if watts <= stands / ratings().resistor.margin:
            continue
        larger = heavy(ratings().resistor.margin * watts)
        words = {
            "part": tr("{rule} resistor", rule=rule.words),
            "heat": format_quantity(watts, "W"),
            "rated": format_quantity(stands, "W"),
            "rating": f"{larger:g} W" if larger else tr("several in series"),
        }
        severity = Severity.FIX if watts > stands else Severity.WATCH
        place: dict[str, Any] = {
            "value": watts,
            "limit": stands,
            "unit": "W",
            "part": (network.at, rule.name),
        }
        found.append(_told(area, "resistor_hot", link, words, place, severity))
    return found


def _told(
    area: str,
    code: str,
    link: Link,
    words: dict[str, str],
    place: dict[str, Any],
    severity: Severity | None = None,
) -> Finding:
    """A finding worded for parts in general, under the code of the study that the link belongs to."""
    return replace(tell(f"part.{code}", link.id, words, severity=severity, **place), code=f"{area}.{code}")
