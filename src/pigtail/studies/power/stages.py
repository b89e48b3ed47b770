"""What the amplifier stages of feeds draw: from which rail, and whether that rail has it to give and the stage stands it.

A stage at rest draws its own current; a power stage at full output P/(η·supply) more, P its most from that supply. All that hangs
on a rail is counted together.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does
from pigtail.job.document import AudioIn, Job, Link, Purpose, Rail
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.cascade import Network, networks, section_inputs, swing_volts
from pigtail.model.estimate import Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate
from pigtail.model.subjects import Subject
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.judging import judge
from pigtail.studies.wording import tell

Array = NDArray[np.float64]


def stage_findings(model: Model, told: Collection[str] = ()) -> list[Finding]:
    """The findings of every amplifier stage of a feed, and of each rail that supplies some, but for the rails told of already."""
    found, rails = [], set(told)
    for link in model.job.links:
        for stage in networks(link) if link.purpose is Purpose.FEED else ():
            if not stage.shape.supplied:
                continue
            rail = next((a for a in link.at("sup") if isinstance(model.job.terminal(a), Rail)), "")
            if not rail:
                words = {"link": link.name, "stage": stage.shape.short}
                found.append(tell("power.stage_not_supplied", link.id, words))
            elif rail not in rails:
                rails.add(rail)
                found.append(_rail(model, rail))
            found.append(_volts(model, link, stage, rail))
    return found


class Driven(NamedTuple):
    """A power stage that a rail feeds: what it draws at full output beyond what it draws at rest."""

    stage: Network
    load: str

    @property
    def subjects(self) -> tuple[Subject, Subject]:
        """What its current rests on: the stage and what it drives."""
        return self.stage.subject, subjects.terminal(self.load)

    def draws(self, samples: Samples, volts: Array) -> Array:
        """Current at full output [A], shape [S]: P/(η·supply), P its most from that supply."""
        name = self.stage.parameter
        ohm = samples[subjects.terminal(self.load).parameter("impedance")]
        supply = np.maximum(volts, 1e-3)
        swing = swing_volts(samples, self.stage, supply)
        most = np.minimum(swing, samples[name("imax")] / np.sqrt(2) * ohm) ** 2 / ohm
        return np.asarray(most / (samples[name("efficiency")] * supply))


def outputs_on(job: Job, rail: str) -> tuple[Driven, ...]:
    """The power stages of all feeds that are supplied from a rail."""
    return tuple(
        Driven(stage, link.at("out")[0])
        for link in job.links
        if link.purpose is Purpose.FEED and rail in link.at("sup") and link.at("out")
        for stage in networks(link)
        if Does.DRIVES_SPEAKERS in stage.shape.does and isinstance(job.terminal(link.at("out")[0]), AudioIn)
    )


def drawn_by(outputs: Sequence[Driven], samples: Samples, volts: Array) -> Array:
    """What power stages draw together at full output [A], shape [S]."""
    return np.asarray(sum((o.draws(samples, volts) for o in outputs), start=np.zeros(np.shape(volts))))


def _rail(model: Model, rail: str) -> Finding:
    """Whether a rail has it to give: to all modules in a burst, all stages at rest, all power stages at full output, together."""
    job, net, outputs = model.job, model.lean.netlist(), outputs_on(model.job, rail)
    value = subjects.terminal(rail).parameter
    wanted_of = {subjects.terminal(rail), *(s for o in outputs for s in o.subjects)}
    inputs = [i for i in net.inputs if i.in_deck or i.subject in wanted_of]

    def solve(samples: Samples) -> dict[str, Array]:
        solved = net.each(samples, {"bursting": 1.0})
        volts = np.asarray(solved.v(net.node(rail), net.reference(rail)))
        total = (
            np.asarray(net.terminal_current(solved, rail))
            + samples[value("used")]
            + drawn_by(outputs, samples, volts)
        )
        limit = samples[value("limit")]
        return {
            "rail_margin_a": limit - total,
            "rail_room": 1 - total / np.maximum(limit, 1e-9),
            "drawn": total,
        }

    wanted = {
        "rail_margin_a": Wanted("A", tr("the current the rail can still give")),
        "rail_room": Wanted("", tr("the part of the rail's current to spare")),
        "drawn": Wanted("A", tr("the current from the rail, everything at its most")),
    }
    numbers = estimate(inputs, solve, wanted)
    limit = getattr(job.terminal(rail), "limit", None)
    words = {
        "name": job.label(rail),
        "burst": numbers["drawn"].short(),
        "most": "?" if limit is None else f"{limit.nominal:g} A",
        "margin": numbers["rail_margin_a"].short(),
    }
    return judge("power.rail", numbers, rail, words)


def _volts(model: Model, link: Link, stage: Network, rail: str) -> Finding:
    """Whether the rail, or its own supply, lies within what the stage stands, as solved at its supply pins in every state."""
    net = model.lean.netlist()
    inputs = [i for i in net.inputs if i.in_deck or i.subject == stage.subject]
    cases = [dict(s) for s in ({tuple(x.items()): x for x in net.switches.values()}).values()]

    def solve(samples: Samples) -> dict[str, np.ndarray]:
        solved = net.each(samples, *cases) if cases else net.whole(net.deck_samples(samples))
        volts = np.asarray(net.probe(solved, stage, "supply_v")).reshape(max(len(cases), 1), -1)
        highest = samples[stage.parameter("highest")]
        most = volts.max(axis=0)
        return {"stage_room_v": highest - most, "stage_v": most, "stage_least_v": volts.min(axis=0)}

    wanted = {
        "stage_room_v": Wanted("V", tr("the room below what the stage stands")),
        "stage_v": Wanted("V", tr("the supply of the stage")),
        "stage_least_v": Wanted("V", tr("the least that the stage is supplied with")),
    }
    numbers = estimate(inputs, solve, wanted)
    figures = {i.field: i.ends[1] for i in section_inputs(link, stage.at)}
    words = {
        "link": link.name,
        "stage": stage.shape.short,
        "name": model.job.label(rail) if rail else tr("its own supply"),
        "volts": numbers["stage_v"].short(),
        "highest": f"{figures['highest']:g} V",
    }
    turned = judge("power.stage_reversed", numbers, link.id, words)
    return (
        turned if turned.severity is Severity.STOP else judge("power.stage_voltage", numbers, link.id, words)
    )
