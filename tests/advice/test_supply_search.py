"""The search for supplies against everything tried one by one, and what it offers against random samples of what is not known.

`PIGTAIL_RANDOM_JOBS` says how many random hosts; `make promises` takes thirty.
"""

from __future__ import annotations

import os

import numpy as np
import pytest

from pigtail import edits
from pigtail.advice import supplies, supply_candidates
from pigtail.advice.supplies import SupplyStep, _rank, _solved, search_supplies, take_step
from pigtail.advice.supply_candidates import SupplyCandidate, candidates_of, sources_of
from pigtail.catalogue.kinds import make_host, make_module
from pigtail.catalogue.topologies import Does, converters, those
from pigtail.edits.plan import put_supply
from pigtail.job.document import Job
from pigtail.job.energy import Earthed
from pigtail.job.errors import EditError
from pigtail.model.course import FINE
from pigtail.model.model import Model
from pigtail.studies.findings import Severity
from pigtail.studies.power.alternating import WindingSupply
from pigtail.studies.power.study import study_power, supply_of
from supplying import PIN, battery_job, rail_job, volts, winding_job

HOSTS = int(os.environ.get("PIGTAIL_RANDOM_JOBS", "2")) // 2
#: Everything one by one takes minutes: `make promises` does it, not every run of the tests.
thoroughly = pytest.mark.skipif(
    "PIGTAIL_RANDOM_JOBS" not in os.environ, reason="takes minutes: make promises does it"
)
#: What is tried one by one where the whole catalogue would take minutes.
FEW = ("direct", "linear_large", "ldo", "buck", "isolated_wide")
SIZES = (1e-3, 4.7e-3)


def random_host(seed: int) -> Job:
    """A module on a random winding, earthed somewhere."""
    rng = np.random.default_rng(seed)
    open_v, ohm = rng.uniform(6.0, 18.0), rng.uniform(0.2, 3.0)
    earthed = (Earthed.NONE, Earthed.FIRST, Earthed.SECOND)[rng.integers(3)]
    return winding_job(
        "half_wave",
        "ldo",
        open_v=f"{open_v:.2f} V",
        ohm=f"{ohm:.2f} Ω ±10 %",
        rated=f"{rng.uniform(0.3, 2):.2f} A",
        earthed=earthed,
    )


@thoroughly
@pytest.mark.parametrize("seed", range(HOSTS))
def test_nothing_that_is_tried_one_by_one_is_better(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of one source, with a few converters and sizes: the best of the search is the best of all."""
    job = random_host(seed)
    monkeypatch.setattr(supply_candidates, "RESERVOIRS", SIZES)
    monkeypatch.setattr(
        supply_candidates, "converters", lambda: tuple(c for c in converters() if c.key in FEW)
    )
    found = take_step(job, PIN, "ac", SupplyStep()).options
    every = []
    for rectifier in those("supply", Does.RECTIFIES):
        if len(rectifier.inputs) > 2:
            continue
        for key in FEW:
            keys = (rectifier.key,) if key == "direct" else (rectifier.key, key)
            for farads in SIZES:
                edit = SupplyCandidate(
                    "ac", keys, farads, lambda j, k=keys, f=farads: put_supply(j, PIN, "ac", k, f)
                )  # type: ignore[misc]
                option = _solved(job, PIN, edit, None).option
                every += [option] if option is not None else []
    assert bool(found) == bool(every)
    if every:
        best = min(every, key=_rank)
        assert _rank(min(found, key=_rank)) <= _rank(best), (best.words, [o.words for o in found])


@thoroughly
@pytest.mark.parametrize("seed", range(HOSTS))
def test_what_is_offered_breaks_no_limit_anywhere(seed: int) -> None:
    """Random mains, winding, reservoir, diodes and load within their spreads: room above dropout, input below its most."""
    job = random_host(100 + seed)
    rng = np.random.default_rng(seed)
    for option in take_step(job, PIN, "ac", SupplyStep()).options[:2]:
        model = Model.of(option.edit(job))
        link = model.job.link("supply")
        assert link is not None
        supply = supply_of(model, PIN, link, "host.w_a")
        assert isinstance(supply, WindingSupply)
        detail = supply.study()
        ends = {i.name: i.ends for i in supply.course.netlist.inputs if i.in_deck}
        for _ in range(4):
            values = {n: rng.uniform(low, high) for n, (low, _, high) in ends.items() if high > low}
            course = supply.course
            run = course.settled(values | {"bursting": 1.0, "asleep": 0.0}).solution
            period = course.last_period(run, FINE)
            if supply.converter is None:
                continue
            figures = {
                i.field: i.ends for i in model.netlist().inputs if i.subject == supply.converter.subject
            }
            v_in = course.probe(run, supply.converter, "in_v")[period]
            crest = detail.numbers["input_v"].high
            assert v_in.max() <= crest + 0.02
            volts_out = values.get(supply.converter.parameter("vout"), figures["vout"][1])
            dropout = values.get(
                supply.converter.parameter("dropout"), figures.get("dropout", (0.0, 0.0, 0.0))[1]
            )
            if Does.SEPARATES not in supply.converter.shape.does:
                assert v_in.min() - volts_out - dropout >= detail.numbers["dropout_margin_v"].low - 0.03


def test_a_rail_that_fits_is_taken_straight() -> None:
    """A steady 5 V for a 5 V module: no part at all."""
    found = search_supplies(rail_job("buck", "5 V ±1 %"), PIN)
    assert found.options[0].words == "direct supply"
    assert found.options[0].severity in (Severity.GOOD, Severity.WATCH)
    assert any(o.pareto for o in found.options)


def test_a_grounded_heater_winding_gets_one_diode_and_a_low_dropout_regulator(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """What the trade does with 6.3 V: half wave, a large reservoir, low dropout; never a bridge."""
    monkeypatch.setattr(supply_candidates, "RESERVOIRS", (2.2e-3,))
    monkeypatch.setattr(
        supply_candidates,
        "converters",
        lambda: tuple(c for c in converters() if c.key in ("linear_large", "ldo")),
    )
    found = take_step(winding_job(), PIN, "ac", SupplyStep())
    words = [o.words for o in found.options]
    assert any("half-wave" in w and "low-dropout" in w for w in words)
    assert not any("bridge" in w and "isolated" not in w for w in words)
    assert found.broken["power.reference_trap"] > 0


def test_a_cell_is_stepped_up_for_a_5_v_module() -> None:
    """3.7 V for 5 V: a converter that steps up, or nothing."""
    job = battery_job(
        "boost", kind="wireless_receiver_5v", resistance=volts("0.05 Ω", "Ω"), empty=volts("3.3 V")
    )
    options = take_step(job, PIN, "host.rail", SupplyStep()).options
    assert {o.words.partition(",")[0] for o in options} == {"boost converter board"}


def test_a_module_that_is_not_supplied_yet_is_offered_an_adapter() -> None:
    """From an empty job: an adapter of its own, its minus at the module's return; put in, the pin has its volts and nothing is wrong."""
    job = edits.add_module(
        edits.new_job("radio", make_host("portable_player")), make_module("wireless_receiver_5v", "rx")
    )
    found = search_supplies(job, PIN)
    (option,) = [o for o in found.options if "adapter" in o.source.lower()]
    made = option.edit(job)
    power = study_power(Model.of(made))
    assert not [f for f in power.findings if f.severity in (Severity.STOP, Severity.FIX)]
    assert power.supplies[0].numbers["module_v"].value == pytest.approx(5.0, abs=0.25)
    assert {x.name for x in made.links} == {"Supply", "Supply return", "Adapter's minus"}


def test_if_nothing_fits_the_limit_is_named() -> None:
    """1.2 V feeds no 5 V module, and what would have to change is said."""
    step = take_step(rail_job("direct", "1.2 V"), PIN, "host.rail", SupplyStep())
    assert not step.options
    told = supplies.ranked(rail_job("direct", "1.2 V"), PIN, step).trouble
    assert told.startswith("No supply fits") or "no rail" in told


def test_what_a_search_rests_on_is_asked_for() -> None:
    """A module of which nobody knows the volts is not searched for."""
    job = rail_job(pin={"minimum": None, "maximum": None})
    with pytest.raises(EditError, match="lowest supply, highest supply"):
        sources_of(job, PIN)
    assert list(candidates_of(rail_job(), PIN, "host.rail"))
