"""Fuses in supplies: whether one holds what is drawn, and goes at a short.

A fuse carries three quarters of its rating for good and goes for sure from twice of it on (common practice; IEC 60127 has the curves). The
short is that of the source behind its resistance through the fuse alone.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does
from pigtail.job.document import Link, Rail
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.cascade import networks, section_inputs
from pigtail.model.estimate import Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate, split
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.studies.power.supply import lasting_draws
from pigtail.units import format_quantity

Array = NDArray[np.float64]


def fuse_findings(model: Model, link: Link, source: str) -> Iterator[Finding]:
    """The findings about the fuses of a supply that starts at a rail."""
    job, net, heaviest = model.job, model.lean.netlist(), lasting_draws(model.job)
    for fuse in networks(link):
        if Does.FUSES not in fuse.shape.does:
            continue
        terminal = job.terminal(source)
        wanted_of = {fuse.subject, subjects.terminal(source)}
        inputs = [i for i in net.inputs if i.in_deck or i.subject in wanted_of]
        name, rail = fuse.parameter, subjects.terminal(source).parameter

        def solve(samples: Samples, fuse=fuse, name=name, rail=rail, terminal=terminal) -> dict[str, Array]:  # type: ignore[no-untyped-def]
            solved = net.each(samples, {"bursting": 0.0} | heaviest, {"bursting": 1.0} | heaviest)
            average, burst = split(np.abs(np.asarray(net.probe(solved, fuse, "through"))), 2)
            rated = samples[name("rated")]
            results = {"fuse_room": 1 - average / rated, "fuse_burst": burst / rated}
            if isinstance(terminal, Rail):
                results["fuse_clears"] = (
                    np.abs(samples[rail("voltage")])
                    / (samples[rail("resistance")] + samples[name("ohm")])
                    / rated
                )
            return results

        wanted = {
            "fuse_room": Wanted("", tr("what the fuse has to spare")),
            "fuse_burst": Wanted("", tr("the burst over the fuse's rating")),
        }
        if isinstance(terminal, Rail):
            wanted["fuse_clears"] = Wanted("", tr("the short over the fuse's rating"))
        numbers = estimate(inputs, solve, wanted)
        figures = {i.field: i.ends[1] for i in section_inputs(link, fuse.at)}
        words = {"link": link.name, "fuse": fuse.shape.short, "rated": format_quantity(figures["rated"], "A")}
        yield judge("power.fuse_holds", numbers, link.id, words)
        if "fuse_clears" in numbers:
            yield judge("power.fuse_clears", numbers, link.id, words)
