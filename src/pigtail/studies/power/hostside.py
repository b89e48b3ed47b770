"""What the retrofit does to the host's own regulator, and what stands behind a module's supply pin.

Heat of a linear regulator: P = (Vin − Vout)·I; Tj = Ta + P·θ, with what the host draws already and what the module adds.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from pigtail.job.document import HOST, Rail, SupplyIn
from pigtail.job.energy import KeptBy, Regulator
from pigtail.job.markings import Decoded, decode
from pigtail.job.quantities import REGULATOR_QUANTITIES
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.estimate import Input, Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.judging import judge
from pigtail.studies.power.supply import ambient_input, lasting_draws
from pigtail.studies.wording import tell
from pigtail.units import Basis, Known, format_quantity

Array = NDArray[np.float64]
HOTTEST = Known.of(125.0, "°C", Basis.TYPICAL, source="catalogue")


def host_regulator(model: Model, rail: str) -> Iterator[Finding]:
    """Whether the host's own linear regulator stands what the modules add, and how hot it was before."""
    job, terminal = model.job, model.job.terminal(rail)
    if (
        not isinstance(terminal, Rail)
        or terminal.kept is not KeptBy.LINEAR
        or not rail.startswith(f"{HOST}.")
    ):
        return
    net, subject, heaviest = model.lean.netlist(), subjects.terminal(rail), lasting_draws(job)
    given = terminal.regulator or Regulator()
    own = [
        Input(
            f"regulator_{q.field}",
            f"{job.label(rail)}: {q.words}",
            q.of(given),
            q.plausible,
            subject,
            q.field,
            False,
        )
        for q in REGULATOR_QUANTITIES
    ]
    inputs = [i for i in net.inputs if i.in_deck or i.subject == subject] + own + [ambient_input(job)]

    def solve(samples: Samples) -> dict[str, Array]:
        solved = net.each(samples, {"bursting": 0.0} | heaviest)
        used = samples[subject.parameter("used")]
        across = np.maximum(
            samples["regulator_fed"] - np.asarray(solved.v(net.node(rail), net.reference(rail))), 0.0
        )
        added = np.maximum(np.asarray(net.terminal_current(solved, rail)), 0.0)
        before = samples["ambient"] + across * used * samples["regulator_theta"]
        after = samples["ambient"] + across * (used + added) * samples["regulator_theta"]
        return {
            "host_tj_c": after,
            "host_tj_before_c": before,
            "host_room_c": samples["regulator_hottest"] - after,
        }

    numbers = estimate(inputs, solve, {
        "host_tj_c": Wanted("°C", tr("the junction of the host's own regulator")),
        "host_tj_before_c": Wanted("°C", tr("the junction of the host's own regulator before")),
        "host_room_c": Wanted("°C", tr("the room below its hottest junction")),
    })  # fmt: skip
    words = {"name": job.label(rail), "before": numbers["host_tj_before_c"].short()}
    hottest = (given.hottest or HOTTEST).nominal
    yield judge("power.host_regulator", numbers, rail, words, watch=hottest)


def behind_pin(model: Model, pin: str) -> Iterator[Finding]:
    """What stands behind a module's supply pin: what its marking tells, and whether it stays cool."""
    job, terminal = model.job, model.job.terminal(pin)
    papers = model.papers.terminal(pin)
    if not isinstance(terminal, SupplyIn) or not terminal.behind:
        return
    words = {"name": job.label(pin), "marking": terminal.behind}
    found = decode(terminal.behind)
    if found is None or found.volts < 0:
        yield tell("power.marking_unknown", pin, words)
        return
    words |= {"told": found.sentence, "label": _label(papers)}
    mistaken = (
        isinstance(papers, SupplyIn)
        and papers.maximum is not None
        and papers.maximum.nominal < found.lowest_input
    )
    yield tell("power.behind", pin, words, severity=Severity.WATCH if mistaken else None)
    yield _behind_heat(model, pin, found, words)


def _label(papers: object) -> str:
    most = getattr(papers, "maximum", None)
    return (
        tr("Its papers say {nominal} at most. ", nominal=format_quantity(most.nominal, "V"))
        if most is not None
        else ""
    )


def _behind_heat(model: Model, pin: str, found: Decoded, words: dict[str, str]) -> Finding:
    """How hot the regulator behind a pin gets."""
    net, subject, heaviest = model.lean.netlist(), subjects.terminal(pin), lasting_draws(model.job)
    low, usual, high = found.family.theta
    theta = Known(nominal=usual, low=low, high=high, unit="°C/W", basis=Basis.TYPICAL, source="its family")
    told = tr("{marking}: heat resistance to air", marking=found.marking)
    own = Input("behind_theta", told, theta, (low, high), subject, "behind", False)
    inputs = [*(i for i in net.inputs if i.in_deck), own, ambient_input(model.job)]

    def solve(samples: Samples) -> dict[str, Array]:
        solved = net.each(samples, {"bursting": 0.0} | heaviest)
        volts = np.asarray(solved.v(net.node(pin), net.reference(pin)))
        heat = np.maximum(volts - found.volts, 0.0) * np.asarray(net.terminal_current(solved, pin))
        return {"behind_tj_c": samples["ambient"] + heat * samples["behind_theta"], "behind_w": heat}

    numbers = estimate(inputs, solve, {
        "behind_tj_c": Wanted("°C", tr("the junction of the regulator behind the pin")), "behind_w": Wanted("W", tr("its heat")),
    })  # fmt: skip
    return judge("power.behind_hot", numbers, pin, words | {"spent": numbers["behind_w"].short()})
