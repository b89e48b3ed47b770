"""The reference trap: a winding whose end the host has joined to its ground, and a plan that joins another of its ends there too.

Solved, not ruled: the operating points at both crests of the winding, every capacitor empty of current, with what the host is known to
join, or, where nobody knows, with each end joined in turn. A short is a winding that loses most of its e.m.f. in its own resistance.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from pigtail.catalogue.topologies import Does
from pigtail.circuit import CircuitError
from pigtail.job.document import HOST, Job, Link
from pigtail.job.energy import Earthed, Winding
from pigtail.job.windings import winding_of
from pigtail.job.wiring import star_address
from pigtail.language import tr
from pigtail.model import names, subjects
from pigtail.model.cascade import networks
from pigtail.model.course import course_of
from pigtail.model.deck import EARTHED_OHM, NOT_EARTHED_OHM
from pigtail.model.model import Model
from pigtail.studies.findings import Finding
from pigtail.studies.wording import listed, tell
from pigtail.units import format_quantity

#: A winding that loses more than this part of its e.m.f. within itself is shorted [1]; at full load it loses a quarter.
SHORTED = 0.5


def trap_findings(model: Model, link: Link) -> list[Finding]:
    """What a supply link does to the winding that it starts at, as the host is known to join it, or might."""
    job = model.job
    winding = winding_of(job, link)
    assert winding is not None
    words = {
        "link": link.name,
        "winding": winding.name,
        "star": job.label(star_address(job)),
        "ends": listed(f"“{job.label(f'{HOST}.{e}')}”" for e in winding.ends),
        "rectifier": next(n.shape.short for n in networks(link) if Does.RECTIFIES in n.shape.does),
    }
    if winding.earthed is not Earthed.UNKNOWN:
        amps = short_amps(job, link, winding)
        if amps == 0.0:
            return []
        return [_trapped(job, link, winding, amps, words)]
    tried = {e: short_amps(job, link, replace(winding, earthed=e)) for e in _possible(winding)}
    bad = [e for e, amps in tried.items() if amps]
    if not bad:
        return []
    words["cases"] = " or ".join(tr("its {e}", e=e.value) for e in bad)
    words["amps"] = format_quantity(max(tried.values()), "A")
    return [tell("power.reference_unknown", link.id, words)]


def _possible(winding: Winding) -> Iterator[Earthed]:
    for earthed in (Earthed.FIRST, Earthed.SECOND, Earthed.TAP, Earthed.NONE):
        if earthed is not Earthed.TAP or winding.tap:
            yield earthed


def _trapped(job: Job, link: Link, winding: Winding, amps: float, words: dict[str, str]) -> Finding:
    """The finding of a short: of legs that are swapped where the other way round is none, else of the trap."""
    words["amps"] = format_quantity(amps, "A")
    words["earthed"] = job.label(f"{HOST}.{winding.earthed_at}") if winding.earthed_at else tr("no end")
    rectifier = next(n for n in networks(link) if Does.RECTIFIES in n.shape.does)
    leg = next(iter(link.at("leg")), "")
    ends = (winding.first, winding.second)
    if rectifier.shape.legged and winding.earthed_at in ends and leg != f"{HOST}.{winding.earthed_at}":
        hot = next(e for e in ends if e != winding.earthed_at)
        words["hot"] = job.label(f"{HOST}.{hot}")
        return tell("power.legs_swapped", link.id, words, value=amps, unit="A")
    return tell("power.reference_trap", link.id, words, value=amps, unit="A")


def short_amps(job: Job, link: Link, winding: Winding) -> float:
    """The current that a short would draw from a winding at its crest [A], the higher of both; nought where there is none."""
    course = course_of(job, link)
    name = subjects.winding(winding.id).parameter
    joints = {
        f"{name()}__{names.encoded(e)}__earth": EARTHED_OHM if e == winding.earthed_at else NOT_EARTHED_OHM
        for e in winding.ends
    }
    values = course.nominal | joints
    crests = np.array([1.0, -1.0])
    samples = {k: np.full(2, v) for k, v in values.items()} | {f"{name()}__crest": crests}
    try:
        solved = course.netlist.whole(samples)
    except CircuitError:
        return 0.0
    elements = course.netlist.winding_elements(winding.id)
    current = np.max([np.abs(np.asarray(solved.i(e))) for e in elements], axis=0)
    shorted = course.crest(values) / values[name("resistance")]
    return float(current.max()) if current.max() > SHORTED * shorted else 0.0
