"""Fed through: what becomes of the original source that is rerouted through a module, powered and unpowered.

The original's level at the far end of the way through, its e.m.f. driven alone: once with the module powered, when its
output follows its input, once with the module's supply taken out of the plan, when its contact passes or nothing does.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from pigtail.circuit import Batch
from pigtail.job.model import AudioIn, AudioOut, Job, Link, Module, Purpose, SupplyIn, Through
from pigtail.job.wiring import addresses_of, supply_links
from pigtail.studies.compile import Netlist, compile_job
from pigtail.studies.estimate import Estimate, Wanted
from pigtail.studies.feed import REFERENCE_HZ
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.judging import judge
from pigtail.studies.spread import Samples, estimate


def study_throughs(job: Job) -> list[Finding]:
    """The findings about every way through that the plan uses at both ends."""
    found: list[Finding] = []
    for module in job.modules:
        for through in module.throughs:
            ends = _used(job, module, through)
            if ends is not None:
                found += _judged(job, module, through, *ends)
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
    silent = {f"{net.node(a)}_drive": 0.0 for a in net.outputs}

    def solve(samples: Samples) -> dict[str, np.ndarray]:
        deck = net.deck_samples(samples, **silent | {f"{net.node(source)}_drive": 1.0})
        volts = np.abs(Batch(net.circuit, deck).ac([REFERENCE_HZ]).v(net.node(sink), net.reference(sink)))[
            :, 0
        ]
        return {"through": 20 * np.log10(np.maximum(volts, 1e-12) / samples[f"{net.node(source)}_emf"])}

    wanted = {"through": Wanted("dB", "what is left of the original source")}
    return estimate(inputs, solve, wanted)["through"]


def _judged(job: Job, module: Module, through: Through, into: Link, out: Link) -> list[Finding]:
    source = next((a for a in into.starts if isinstance(job.terminal(a), AudioOut)), None)
    sink = next((a for a in out.at("out") if isinstance(job.terminal(a), AudioIn)), None)
    if source is None or sink is None:
        return []
    words = {"source": job.label(source), "module": module.name, "name": job.label(sink)}
    powered = {"through_db": _level(compile_job(job, job.working_state()), source, sink)}
    found = [judge("level.through", powered, into.id, words)]
    if through.passes is None:
        sentence = (
            f"Whether {module.name} lets {job.label(source)} pass while it is unpowered is not known: "
            "the original may be silent then."
        )
        settle = f"With the module unpowered, ring out its {through.start} to its {through.end}."
        return [*found, Finding("level.through_unknown", Severity.UNKNOWN, into.id, sentence, settle=settle)]
    pins = addresses_of(job, SupplyIn, module.id)
    supplies = {x.id for p in pins for x in supply_links(job, p)}
    dark = replace(job, links=tuple(x for x in job.links if x.id not in supplies))
    unpowered = {"through_unpowered_db": _level(compile_job(dark, job.working_state()), source, sink)}
    return [*found, judge("level.through_unpowered", unpowered, into.id, words)]
