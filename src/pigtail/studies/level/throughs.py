"""Fed through: what becomes of the original source that is rerouted through a module, powered and unpowered.

The original's level at the far end of the way through, its e.m.f. driven alone: once with the module powered, when its
output follows its input, once with the module's supply taken out of the plan, when its contact passes or nothing does.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from pigtail.job.document import AudioIn, AudioOut, Job, Link, Module, Purpose, SupplyIn, Through
from pigtail.job.measured import Measured
from pigtail.job.wiring import addresses_of, supply_links
from pigtail.language import tr
from pigtail.model.estimate import Estimate, Wanted
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist
from pigtail.model.spread import Samples, estimate
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.studies.level.feed import REFERENCE_HZ
from pigtail.studies.wording import tell


def study_throughs(model: Model) -> list[Finding]:
    """The findings about every way through that the plan uses at both ends."""
    job = model.job
    found: list[Finding] = []
    for module in job.modules:
        for through in module.throughs:
            ends = _used(job, module, through)
            if ends is not None:
                found += _judged(model, module, through, *ends)
    return found


def _used(job: Job, module: Module, through: Through) -> tuple[Link, Link] | None:
    """The feed into a way through and the feed out of it, or None if the plan does not use both."""
    start, end = f"{module.id}.{through.start}", f"{module.id}.{through.end}"
    feeds = [x for x in job.links if x.purpose is Purpose.FEED]
    into = next((x for x in feeds if start in x.at("out")), None)
    out = next((x for x in feeds if end in x.starts), None)
    return None if into is None or out is None else (into, out)


def _level(netlist: Netlist, source: str, sink: str) -> Estimate:
    """The original source's level at the host's input over its own e.m.f. [dB]."""
    net = netlist
    inputs = [i for i in net.inputs if i.in_deck]
    silent = {f"{net.node(a)}__drive": 0.0 for a in net.outputs}

    def solve(samples: Samples) -> dict[str, np.ndarray]:
        deck = net.deck_samples(samples, **silent | {f"{net.node(source)}__drive": 1.0})
        volts = np.abs(net.small(deck).ac([REFERENCE_HZ]).v(net.node(sink), net.reference(sink)))[:, 0]
        return {"through": 20 * np.log10(np.maximum(volts, 1e-12) / samples[f"{net.node(source)}__emf"])}

    wanted = {"through": Wanted("dB", tr("what is left of the original source"))}
    return estimate(inputs, solve, wanted)["through"]


def _judged(model: Model, module: Module, through: Through, into: Link, out: Link) -> list[Finding]:
    job = model.job
    source = next((a for a in into.starts if isinstance(job.terminal(a), AudioOut)), None)
    sink = next((a for a in out.at("out") if isinstance(job.terminal(a), AudioIn)), None)
    if source is None or sink is None:
        return []
    words = {"source": job.label(source), "module": module.name, "name": job.label(sink)}
    powered = {"through_db": _level(model.about(into.id).netlist(), source, sink)}
    found = [judge("level.through", powered, into.id, words)]
    if through.passes is None:
        names = {t.id: t.name for t in module.terminals}
        told = words | {"start": names[through.start], "end": names[through.end]}
        return [*found, tell("level.through_unknown", into.id, told)]
    unfed = {
        "through_unpowered_db": _level(_without_supply(model.about(into.id), module).netlist(), source, sink)
    }
    return [*found, judge("level.through_unpowered", unfed, into.id, words)]


def _without_supply(model: Model, module: Module) -> Model:
    """The model with what is joined to a module's supply pins pulled off them."""
    job = model.job
    pins = addresses_of(job, SupplyIn, module.id)
    fed = {x.id for p in pins for x in supply_links(job, p)}
    links = tuple(
        replace(x, joins=tuple(j for j in x.joins if j.terminal in pins)) if x.id in fed else x
        for x in job.links
    )
    return Model(Measured(replace(job, links=links, readings=())))
