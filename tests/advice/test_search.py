"""The search for networks: against brute force, against the studies' own verdicts, and where nothing fits."""

from __future__ import annotations

import itertools
import json
import os
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from feeds import CASES, hall, known
from pigtail import edits
from pigtail.advice.found import SearchFound
from pigtail.advice.plan import propose
from pigtail.advice.search import SearchStep, ranked, search, steps_of, take_step
from pigtail.advice.shapes import Wish, table
from pigtail.catalogue.kinds import make_host, make_module
from pigtail.catalogue.stock import Stock
from pigtail.catalogue.topologies import topology
from pigtail.cli.main import parse
from pigtail.cli.main import run as command
from pigtail.cli.suggesting import searches
from pigtail.edits.plan import rejoined
from pigtail.job.document import AudioOut, Channel, Job
from pigtail.job.errors import EditError
from pigtail.job.file import Document, save
from pigtail.model.estimate import Input, Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate, estimate_many
from pigtail.studies.findings import Severity
from pigtail.studies.level.study import study_level
from pigtail.units.series import members

#: Where full scale is aimed at over the level wanted: the middle of 0 to 18 dB.
AIM_DB = 9.0
#: `make long` tries more of each.
LONG = "PIGTAIL_LONG" in os.environ
CAPACITORS = {"coupling", "capacitor"}


def one_feed(
    emf: float, source: float, wanted: float, load: float, bias: float = 0.0, spread: float = 0.0
) -> Job:
    """A mono output feeding a mono input over wires of next to no length, everything known."""
    job = bare_feed()
    for side in ("m.out_left", "m.out_right"):
        for field, value, unit in (("emf", emf, "V"), ("impedance", source, "Ω"), ("bias", bias, "V")):
            job = edits.set_value(job, side, field, known(value, unit, spread))
    for field, value, unit in (
        ("impedance", load, "Ω"),
        ("wanted", wanted, "V"),
        ("overload", 20 * wanted, "V"),
        ("dc", 0.0, "V"),
        ("capacitance", 0.0, "F"),  # the formulas of the tests know none
    ):
        job = edits.set_value(job, "host.record_in", field, known(value, unit, spread))
    return job


@cache
def bare_feed() -> Job:
    """The same without its values."""
    job = edits.add_module(
        edits.new_job("x", make_host("public_address")), make_module("wireless_receiver_5v", "m")
    )
    job = edits.set_path(propose(job, "m"), "host", "input_to_star", known(0.05, "Ω", 0.0))
    (module,) = job.modules
    mono = tuple(replace(t, channel=Channel.MONO) if isinstance(t, AudioOut) else t for t in module.terminals)
    job = replace(job, modules=(replace(module, terminals=mono),))
    (feed,) = [x for x in job.links if x.id == "feed"]
    joins = tuple(
        replace(j, port="in" if j.port == "in_l" else j.port)
        for j in feed.joins
        if j.port not in ("in_r", "com")
    )
    return edits.replace_link(job, replace(feed, sections=(topology("wire").section(),), joins=joins))


@pytest.mark.long
@settings(max_examples=200 if LONG else 60, deadline=None)
@given(st.floats(0.3, 3.0), st.floats(50.0, 2e3), st.floats(0.02, 0.2), st.floats(10e3, 1e6))
def test_the_best_pad_is_that_of_brute_force(emf: float, source: float, wanted: float, load: float) -> None:
    """Every E12 × E24 pair by the divider formula, an independent route: no pair comes nearer than the nearest that is offered."""
    job = one_feed(emf, source, wanted, load)
    found = ranked("feed", take_step(job, "feed", steps_of(job, "feed")[0], Wish(), SearchStep()))
    limits = next(m for f in table().family for m in f.member if m.sections == ("pad",)).vary
    r1, r2 = np.array(list(itertools.product(*(members(*limits[p]) for p in ("0.r1", "0.r2"))))).T
    beside = r2 * load / (r2 + load)
    error = np.abs(20 * np.log10(emf * beside / (source + r1 + beside) / wanted) - AIM_DB)
    nearest = min(abs(o.target.value - AIM_DB) for o in found.options)
    assert nearest <= error.min() + 0.05  # wires are not in the formula


@settings(max_examples=25 if LONG else 10, deadline=None)
@given(
    st.floats(0.2, 3.0),
    st.floats(50.0, 5e3),
    st.floats(0.02, 2.0),
    st.floats(5e3, 1e6),
    st.sampled_from([0.0, 1.3, 2.5]),
    st.sampled_from([0.0, 0.1, 0.25]),
)
def test_nothing_is_offered_that_breaks_a_limit_within_the_spread(
    emf: float, source: float, wanted: float, load: float, bias: float, spread: float
) -> None:
    """Each option put into the job: the study of levels finds nothing to mend, whatever the spread."""
    job = one_feed(emf, source, wanted, load, bias, spread)
    found = search(job, "feed")
    assert bool(found.options) != bool(found.trouble)
    for option in found.options[:4]:
        made = study_level(Model.of(edits.replace_link(job, option.link)))
        assert made.verdict not in (Severity.FIX, Severity.STOP), (
            option.words,
            [f.sentence for f in made.findings],
        )
        told = made.numbers["level.target_db"]
        assert option.target.low == pytest.approx(told.low, abs=0.02)
        assert option.target.high == pytest.approx(told.high, abs=0.02)


def test_a_bias_brings_a_capacitor_and_a_loud_source_a_pad() -> None:
    """With a bias every option blocks it; without one a capacitor comes only after what does without."""
    biased = search(one_feed(1.0, 220.0, 0.25, 47e3, bias=1.3), "feed")
    assert all(CAPACITORS & {s.topology for s in o.link.sections} for o in biased.options)
    plain = search(one_feed(1.0, 220.0, 0.25, 47e3), "feed")
    assert not CAPACITORS & {s.topology for s in plain.options[0].link.sections}
    assert plain.options[0].severity is Severity.GOOD


def test_options_are_ranked_and_the_undominated_marked() -> None:
    """The first is marked; of two marked ones neither is better in everything."""
    found = search(one_feed(1.0, 220.0, 0.25, 47e3, bias=1.3, spread=0.1), "feed")
    assert found.options[0].pareto
    marked = [o for o in found.options if o.pareto]
    for a, b in itertools.permutations(marked, 2):
        better = (a.off_db < b.off_db - 0.5) and a.parts < b.parts and a.noise_v < b.noise_v
        assert not better


@pytest.mark.parametrize(
    ("case", "words"),
    [
        ({"emf": 0.05, "source": 220.0, "wanted": 1.0, "load": 47e3}, "a higher supply for the stage"),
        ({"emf": 1e-4, "source": 220.0, "wanted": 1.0, "load": 47e3}, "short even straight"),
    ],
)
def test_where_nothing_fits_the_limit_in_the_way_is_named(case: dict[str, float], words: str) -> None:
    """And what would have to change: five volts give no volt, and no stage gives 80 dB."""
    found = search(one_feed(**case), "feed")
    assert found.options == ()
    assert words in found.trouble


def test_a_source_that_is_too_quiet_or_too_weak_gets_a_gain_stage() -> None:
    """Where even the straight join falls short, and where the input loads the source too much."""
    for case in (
        {"emf": 0.05, "source": 220.0, "wanted": 0.25, "load": 47e3},
        {"emf": 0.5, "source": 20e3, "wanted": 0.45, "load": 600.0},
    ):
        found = search(one_feed(**case), "feed")
        assert found.options
        stages = {"gain", "gain_single", "buffer", "buffer_single", "receiver"}
        assert all(stages & {s.topology for s in o.link.sections} for o in found.options)
        assert found.options[0].target.value > -0.5
        assert found.options[0].actives == 1
        assert not found.options[0].split  # one rail is all that most hosts have


def test_a_gain_stage_clips_at_its_own_swing() -> None:
    """(Supply/2 − drop)/√2: with five volts it may not give 0.9 V; the study says so, and not with twelve."""
    job = one_feed(0.1, 220.0, 0.9, 47e3)
    link = job.link("feed")
    assert link is not None
    for supply, fits in ((5.0, False), (12.0, True)):
        stage = topology("gain").section(r1=10e3, r2=82e3, r3=100e3, supply=supply)
        made = study_level(Model.of(edits.replace_link(job, rejoined(job, link, (stage,)))))
        (room,) = [f for f in made.findings if f.code in ("level.headroom", "level.clips")]
        assert (room.severity is Severity.GOOD) is fits
        assert "level.fits" in {f.judgement for f in made.findings}


WHAT_FITS = {
    "crossover": ("feed_left", {"recombine"}),
    "headphones": ("feed_left", {"headphone_amp"}),
    "speaker": ("feed", {"amp_single", "amp_bridged"}),
    "record input": ("feed_left", {"unrecord"}),
    "passive node": ("feed_left", {"mix"}),
}


@pytest.mark.one_of(2)
@pytest.mark.parametrize("case", WHAT_FITS)
def test_each_kind_of_end_gets_the_networks_of_its_kind(case: str) -> None:
    """An amplifier for headphones and speakers, the inverse network for a record input, and so on: in every option."""
    link, kinds = WHAT_FITS[case]
    job = sure(CASES[case](), case)
    found = search(job, link)
    assert found.options, found.trouble
    assert all(kinds & {s.topology for s in o.link.sections} for o in found.options)
    made = edits.replace_link(job, found.options[0].link)
    verdict = next(d for d in study_level(Model.of(made)).feeds if d.link == link)
    assert verdict.numbers["target_db"].value == pytest.approx(found.options[0].target.value, abs=0.02)


def sure(job: Job, case: str) -> Job:
    """The values that a case leaves vague pinned down, so that something fits."""
    pins = {
        "headphones": {"host.out_left": ("emf", 0.4, "V"), "m.left": ("wanted", 0.25, "V")},
        "speaker": {"host.sound_out": ("emf", 0.5, "V"), "m.plus": ("wanted", 1.0, "V")},
        "passive node": {"host.line_left": ("wanted", 0.05, "V")},
    }
    for address, (field, value, unit) in pins.get(case, {}).items():
        job = edits.set_value(job, address, field, known(value, unit, 0.02))
    return job


def test_a_locked_part_stays_put_in_every_option() -> None:
    """The series resistor of the pad is locked: every option has it, with its value, and networks without it are not offered."""
    job = one_feed(1.0, 220.0, 0.25, 47e3)
    link = job.link("feed")
    assert link is not None
    section = topology("pad").section(r1=3300.0, r2=1000.0)
    section = replace(section, parts=tuple(replace(p, locked=p.name == "r1") for p in section.parts))
    found = search(edits.replace_link(job, rejoined(job, link, (section,))), "feed")
    assert found.options
    for option in found.options:
        (part,) = [p for s in option.link.sections if s.topology == "pad" for p in s.parts if p.name == "r1"]
        assert part.value.nominal == 3300.0
        assert part.locked


def test_only_what_is_in_stock_is_taken_when_asked() -> None:
    """Three resistors: every pad is made of them; without them nothing is left of the pads."""
    job = one_feed(1.0, 220.0, 0.25, 47e3)
    few = Wish(stock=Stock((1000.0, 3300.0, 10e3), ()), only_stock=True)
    found = search(job, "feed", few)
    bought = [
        (s, r.name) for o in found.options for s in o.link.sections for r in topology(s.topology).bought()
    ]
    values = {p.value.nominal for s, name in bought for p in s.parts if p.name == name}
    assert values
    assert values <= {1000.0, 3300.0, 10e3}
    assert all(o.missing == 0 for o in found.options)


def test_a_finer_series_comes_nearer() -> None:
    """E96 against E12 for both resistors of the pad: more candidates, and never further off."""
    job = one_feed(1.0, 220.0, 0.237, 47e3)
    coarse, fine = (search(job, "feed", Wish(series=s)) for s in ("E12", "E96"))

    def nearest(found: SearchFound) -> float:
        return min(abs(o.target.value - AIM_DB) for o in found.options)

    assert fine.solved > 10 * coarse.solved
    pads = [(s, o) for o in fine.options for s in o.link.sections if s.topology == "pad"]
    assert all(p.value.spread == pytest.approx(0.02 * p.value.nominal) for s, _ in pads for p in s.parts)
    rough = [o for o in coarse.options for s in o.link.sections if s.topology == "pad"]
    assert min(o.target.high - o.target.low for _, o in pads) < min(
        o.target.high - o.target.low for o in rough
    )
    assert nearest(fine) <= nearest(coarse) + 1e-9


def test_a_search_taken_step_by_step_is_the_whole_search(larkmoor: Job) -> None:
    """The first step answers already; the last leaves what the whole finds."""
    step = SearchStep()
    seen = []
    for number in steps_of(larkmoor, "feed"):
        step = take_step(larkmoor, "feed", number, Wish(), step)
        seen.append(len(ranked("feed", step).options))
    assert seen[0] > 0
    whole = search(larkmoor, "feed")
    assert [o.words for o in ranked("feed", step).options] == [o.words for o in whole.options]


def test_an_option_shows_its_ladder_its_cost_and_its_joints(larkmoor: Job) -> None:
    """From the output pin to the input, ending at the delivered level; what the host is joined at."""
    for option in search(larkmoor, "feed").options:
        words, levels = zip(*option.ladder, strict=True)
        assert words[0] == "output pin"
        assert words[-1] == "at the input"
        assert len(words) == len(option.link.sections) + 1
        made = study_level(Model.of(edits.replace_link(larkmoor, option.link))).feeds[0]
        assert levels[-1] == pytest.approx(made.numbers["delivered_dbv"].value, abs=0.02)
        assert option.cost > 0
        assert option.host_joints >= 1


def test_two_outputs_always_get_a_sum(larkmoor: Job) -> None:
    """Never a straight join of two outputs."""
    found = search(larkmoor, "feed")
    assert found.options
    assert all(o.link.sections[0].topology == "sum" for o in found.options)
    assert found.solved > 20_000


def test_what_is_no_feed_is_refused(larkmoor: Job) -> None:
    """A supply has no levels; a link that is not there neither."""
    for link in ("supply", "nothing"):
        with pytest.raises(EditError, match="no feed"):
            search(larkmoor, link)


def test_estimates_of_many_cases_are_those_of_each() -> None:
    """One batch for all: the same values and spreads as case by case."""

    def inputs(r: float) -> list[Input]:
        return [
            Input("a", "a", known(r, "Ω", 0.1), (1, 2), "x", "a"),
            Input("b", "b", known(100.0, "Ω", 0.2), (1, 2), "x", "b"),
        ]

    def solve(samples: Samples) -> dict[str, Any]:
        return {"ratio": samples["b"] / (samples["a"] + samples["b"])}

    wanted = {"ratio": Wanted("", "the ratio")}
    together = estimate_many([inputs(r) for r in (50.0, 100.0, 400.0)], solve, wanted)
    for r, found in zip((50.0, 100.0, 400.0), together, strict=True):
        alone = estimate(inputs(r), solve, wanted)["ratio"]
        assert (found["ratio"].value, found["ratio"].low, found["ratio"].high) == (
            alone.value,
            alone.low,
            alone.high,
        )
        assert found["ratio"].low == pytest.approx(80 / (80 + 1.1 * r))
    assert estimate_many([], solve, wanted) == []


def test_suggest_prints_for_people_and_programs(
    larkmoor: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """A table with marks; an object by feed; a feed that is not there is exit 2."""
    path = tmp_path / "job.pigtail"
    save(Document(larkmoor), path)
    assert command(parse(["suggest", str(path)])) == 0
    assert "candidates solved" in capsys.readouterr().out
    assert command(parse(["suggest", str(path), "--for", "feed", "--json"])) == 0
    report = json.loads(capsys.readouterr().out)
    first = report["feed"]["options"][0]
    assert first["target_db"]["low"] <= first["target_db"]["value"] <= first["target_db"]["high"]
    assert first["sections"][0]["topology"] == "sum"
    assert command(parse(["suggest", str(path), "--for", "nope"])) == 2
    assert "no feed nope" in capsys.readouterr().err


def test_a_locked_bleed_keeps_its_value_and_what_is_not_in_stock_is_named() -> None:
    """A part that is not searched for stays as locked; with no part in stock nothing is offered, and it is said."""
    job = one_feed(1.0, 220.0, 0.25, 47e3, bias=1.3)
    link = job.link("feed")
    assert link is not None
    section = topology("coupling").section(r1=470e3)
    section = replace(section, parts=tuple(replace(p, locked=p.name == "r1") for p in section.parts))
    held = edits.replace_link(job, rejoined(job, link, (section,)))
    bleeds = {
        p.value.nominal
        for o in search(held, "feed").options
        for s in o.link.sections
        for p in s.parts
        if s.topology == "coupling" and p.name == "r1"
    }
    assert bleeds == {470e3}
    bare = search(one_feed(1.0, 220.0, 0.9, 47e3), "feed", Wish(stock=Stock((12.0,), ()), only_stock=True))
    assert {o.parts for o in bare.options} <= {0}
    poor = search(job, "feed", Wish(stock=Stock((1000.0, 3300.0), ()), only_stock=True))
    assert poor.options == ()
    assert "it lacks a capacitor of" in poor.trouble


@pytest.mark.one_of(2)
@pytest.mark.parametrize(
    ("address", "field", "words"),
    [
        ("m.out_left", "emf", "left out"),
        ("m.out_right", "impedance", "right out"),
        ("host.record_in", "impedance", "record input"),
        ("host.record_in", "wanted", "record input"),
    ],
)
def test_a_search_without_what_it_rests_on_says_what_to_measure(address: str, field: str, words: str) -> None:
    """One sentence, no figure; with a guess over the plausible range there are networks again. An overload that nobody knows does
    not stop a search."""
    job = edits.set_value(hall(), address, field, None)
    with pytest.raises(EditError, match="rests on what is not known") as refused:
        search(job, "feed")
    assert words in str(refused.value)
    (found,) = searches(job)
    assert found.options == ()
    assert words in found.trouble
    (guessed,) = searches(job, plausible=True)
    assert guessed.solved > 0
    assert search(edits.set_value(hall(), "host.record_in", "overload", None), "feed").options
