"""What the amplifier stages of feeds draw: from which rail, and whether that rail has it to give and the stage stands it.

A stage at rest draws its own current; a power stage at full output P/(η·supply) more, P its most from that supply.
"""

from __future__ import annotations

import numpy as np

from pigtail.catalogue.topologies import Does
from pigtail.job.document import AudioIn, Job, Link, Purpose, Rail
from pigtail.model import subjects
from pigtail.model.cascade import Network, networks, section_inputs, swing_volts
from pigtail.model.estimate import Input, Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate
from pigtail.model.terminals import terminal_inputs
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.judging import judge
from pigtail.studies.wording import tell


def stage_findings(model: Model) -> list[Finding]:
    """The findings of every amplifier stage of a feed."""
    found = []
    for link in model.job.links:
        if link.purpose is Purpose.FEED:
            for stage in networks(link):
                if stage.shape.supplied:
                    found += _of_stage(model, link, stage)
    return found


def _of_stage(model: Model, link: Link, stage: Network) -> list[Finding]:
    job = model.job
    rail = next((a for a in link.at("sup") if isinstance(job.terminal(a), Rail)), None)
    if rail is None:
        words = {"link": link.name, "stage": stage.shape.short}
        return [tell("power.stage_not_supplied", link.id, words), *_volts(model, link, stage, "")]
    return [_rail(job, link, stage, rail), *_volts(model, link, stage, rail)]


def _rail(job: Job, link: Link, stage: Network, rail: str) -> Finding:
    inputs = [*section_inputs(link, stage.at), *terminal_inputs(job, rail), *_load(job, link)]
    name, value = stage.parameter, subjects.terminal(rail).parameter

    def solve(samples: Samples) -> dict[str, np.ndarray]:
        drawn = samples[name("iq")]
        if Does.DRIVES_SPEAKERS in stage.shape.does:
            volts = np.maximum(samples[value("voltage")], 1e-3)
            (load,) = link.at("out")
            ohm = samples[subjects.terminal(load).parameter("impedance")]
            swing = swing_volts(samples, stage, volts)
            most = np.minimum(swing, samples[name("imax")] / np.sqrt(2) * ohm) ** 2 / ohm
            drawn = drawn + most / (samples[name("efficiency")] * volts)
        total = samples[value("used")] + drawn
        limit = samples[value("limit")]
        return {
            "rail_margin_a": limit - total,
            "rail_room": 1 - total / np.maximum(limit, 1e-9),
            "drawn": total,
        }

    wanted = {
        "rail_margin_a": Wanted("A", "the current the rail can still give"),
        "rail_room": Wanted("", "the part of the rail's current to spare"),
        "drawn": Wanted("A", "the current from the rail at full output"),
    }
    numbers = estimate(inputs, solve, wanted)
    terminal = job.terminal(rail)
    limit = getattr(terminal, "limit", None)
    words = {
        "name": job.label(rail),
        "burst": numbers["drawn"].short(),
        "most": "?" if limit is None else f"{limit.nominal:g} A",
        "margin": numbers["rail_margin_a"].short(),
    }
    return judge("power.rail", numbers, rail, words)


def _volts(model: Model, link: Link, stage: Network, rail: str) -> list[Finding]:
    """Whether the rail, or its own supply, lies within what the stage stands, as solved at its supply pins in every state."""
    net = model.netlist()
    inputs = [i for i in net.inputs if i.in_deck or i.subject == stage.subject]
    cases = [dict(s) for s in ({tuple(x.items()): x for x in net.switches.values()}).values()]

    def solve(samples: Samples) -> dict[str, np.ndarray]:
        solved = net.whole(net.cases(samples, *cases)) if cases else net.whole(net.deck_samples(samples))
        volts = np.asarray(net.probe(solved, stage, "supply_v")).reshape(max(len(cases), 1), -1)
        highest = samples[stage.parameter("highest")]
        most = volts.max(axis=0)
        return {"stage_room_v": highest - most, "stage_v": most, "stage_least_v": volts.min(axis=0)}

    wanted = {
        "stage_room_v": Wanted("V", "the room below what the stage stands"),
        "stage_v": Wanted("V", "the supply of the stage"),
        "stage_least_v": Wanted("V", "the least that the stage is supplied with"),
    }
    numbers = estimate(inputs, solve, wanted)
    figures = {i.field: i.ends[1] for i in section_inputs(link, stage.at)}
    words = {
        "link": link.name,
        "stage": stage.shape.short,
        "name": model.job.label(rail) if rail else "its own supply",
        "volts": numbers["stage_v"].short(),
        "highest": f"{figures['highest']:g} V",
    }
    turned = judge("power.stage_reversed", numbers, link.id, words)
    return [
        turned if turned.severity is Severity.STOP else judge("power.stage_voltage", numbers, link.id, words)
    ]


def _load(job: Job, link: Link) -> tuple[Input, ...]:
    """The values of what the link ends at."""
    return tuple(
        i for a in link.at("out") if isinstance(job.terminal(a), AudioIn) for i in terminal_inputs(job, a)
    )
