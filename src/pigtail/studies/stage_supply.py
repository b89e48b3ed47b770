"""What the amplifier stages of feeds draw: from which rail, and whether that rail has it to give.

A stage at rest draws its own current; a power stage at full output P/(η·supply) more, P its most from that supply.
"""

from __future__ import annotations

import numpy as np

from pigtail.job.model import AudioIn, Job, Link, Purpose, Rail
from pigtail.studies.compile import section_inputs, terminal_inputs
from pigtail.studies.estimate import Input, Wanted
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.judging import judge
from pigtail.studies.spread import Samples, estimate
from pigtail.studies.stages import Stage, stages, swing_volts


def stage_findings(job: Job) -> list[Finding]:
    """One finding for each amplifier stage of a feed."""
    found = []
    for link in job.links:
        if link.purpose is Purpose.FEED:
            found += [_one(job, link, s) for s in stages(link) if s.shape.supplied]
    return found


def _one(job: Job, link: Link, stage: Stage) -> Finding:
    rail = next((a for a in link.at("sup") if isinstance(job.terminal(a), Rail)), None)
    if rail is None:
        return Finding(
            "power.stage_not_supplied", Severity.WATCH, link.id,
            f"{link.name}: where its {stage.shape.short} gets its supply is not planned yet; join it to a rail.",
            why="without a rail its supply is taken as it is written in the stage",
        )  # fmt: skip
    inputs = [*section_inputs(link, stage.at), *terminal_inputs(job, rail), *_load(job, link)]
    stem, name = f"{link.id}_{stage.at}", rail.replace(".", "_")

    def solve(samples: Samples) -> dict[str, np.ndarray]:
        drawn = samples[f"{stem}_iq"]
        if stage.shape.power:
            volts = samples[f"{name}_voltage"]
            (load,) = link.at("out")
            ohm = samples[f"{load.replace('.', '_')}_impedance"]
            swing = swing_volts(samples | {f"{stem}_supply": volts}, link, stage)
            most = np.minimum(swing, samples[f"{stem}_imax"] / np.sqrt(2) * ohm) ** 2 / ohm
            drawn = drawn + most / (samples[f"{stem}_efficiency"] * volts)
        total = samples[f"{name}_used"] + drawn
        limit = samples[f"{name}_limit"]
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


def _load(job: Job, link: Link) -> tuple[Input, ...]:
    """The values of what the link ends at."""
    return tuple(
        i for a in link.at("out") if isinstance(job.terminal(a), AudioIn) for i in terminal_inputs(job, a)
    )
