"""Two rails through a diode each: which of them feeds the module in each state, whether the diodes carry it and stand what is backward."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does
from pigtail.job.wiring import rails_of
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.cascade import networks, section_inputs
from pigtail.model.estimate import Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate, split
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.studies.power.supply import DirectSupply, lasting_draws
from pigtail.studies.wording import listed, tell
from pigtail.units import format_quantity

Array = NDArray[np.float64]
#: A rail feeds where it gives more than this [A].
FEEDING_A = 1e-4
#: And more than this part of what the other gives [1].
SHARING = 0.2


def either_findings(model: Model, supply: DirectSupply) -> Iterator[Finding]:
    """The findings about a supply that takes the higher of two rails; none of any other."""
    job, link, net = model.job, supply.link, supply.netlist
    pair = next((n for n in networks(link) if Does.EITHER in n.shape.does), None)
    rails = rails_of(job, link)
    if pair is None or len(rails) < 2:
        return
    subject = subjects.terminal
    wanted_of = {pair.subject, *(subject(r) for r in rails)}
    inputs = [i for i in net.inputs if i.in_deck or i.subject in wanted_of]
    heaviest = {"bursting": 1.0, "asleep": 0.0} | lasting_draws(job)
    cases = [heaviest | dict(net.switches[s]) for s in model.states]

    def solve(samples: Samples) -> dict[str, Array]:
        solved = net.each(samples, *cases)
        drawn = [split(np.abs(np.asarray(net.terminal_current(solved, r))), len(cases)) for r in rails]
        most = np.max([d for each in drawn for d in each], axis=0)
        volts = np.array([samples[subject(r).parameter("voltage")] for r in rails])
        apart = volts.max(axis=0) - np.minimum(volts.min(axis=0), 0.0)
        return {
            "diode_room_a": samples[pair.parameter("imax")] - most,
            "reverse_room_v": samples[pair.parameter("reverse_max")] - apart,
        }

    numbers = estimate(inputs, solve, {
        "diode_room_a": Wanted("A", tr("the room below what a diode carries")),
        "reverse_room_v": Wanted("V", tr("the room below what a diode stands backward, the other rail at nought")),
    })  # fmt: skip
    figures = {i.field: i.ends[1] for i in section_inputs(link, pair.at)}
    words = {
        "link": link.name,
        "most": format_quantity(figures["imax"], "A"),
        "stands": format_quantity(figures["reverse_max"], "V"),
    }
    yield judge("power.either_carries", numbers, link.id, words)
    yield judge("power.either_stands", numbers, link.id, words)
    solved = net.whole(net.cases(net.nominal, *cases))
    feeding = []
    for at, rail in enumerate(rails):
        drawn = np.abs(np.asarray(net.terminal_current(solved, rail)))
        others = [np.abs(np.asarray(net.terminal_current(solved, r))) for k, r in enumerate(rails) if k != at]
        up = [s.name for s in job.host.states if _feeds(drawn, others, model.states.index(s.id))]
        feeding.append(tr("{rail} feeds it {in_states}", rail=job.label(rail), in_states=_in_states(up)))
    yield tell("power.either", link.id, {"link": link.name, "feeding": "; ".join(feeding)})


def _feeds(drawn: Array, others: list[Array], at: int) -> bool:
    """Whether a rail gives a fair part of what is drawn in a state: of two that are alike both do."""
    return bool(drawn[at] > FEEDING_A and drawn[at] > SHARING * max(o[at] for o in others))


def _in_states(names: list[str]) -> str:
    return tr("while {listed}", listed=listed(f"“{n}”" for n in names)) if names else tr("in no state")
