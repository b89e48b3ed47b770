"""Mistakes of the trade in a feed, each caught by a code of its own, each with a clean twin that is not."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from msgspec.structs import replace

from feeds import (
    crossover,
    fed_through,
    hall,
    headphones,
    known,
    pad,
    passive_node,
    record_input,
    speaker,
    through,
    with_sections,
)
from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.advice.remedies import advised
from pigtail.catalogue.kinds import make_host, make_module
from pigtail.catalogue.topologies import topology
from pigtail.edits.usual import join
from pigtail.job.document import AudioOut, Job, Link, Plus, Purpose, Section
from pigtail.model.model import Model
from pigtail.studies.all import study_job
from pigtail.studies.findings import ORDER, Finding, Severity
from pigtail.studies.level.found import LevelFound
from pigtail.studies.level.study import study_level, twin_of
from pigtail.units import Basis
from pigtail.units.known import Known


def sections(job: Job, *made: Section) -> Job:
    """The feed of the hall with other networks."""
    return with_sections(job, "feed", *made)


def with_bias(job: Job, volts: float) -> Job:
    """Both outputs biased alike."""
    for side in ("m.out_left", "m.out_right"):
        job = edits.set_value(job, side, "bias", known(volts, "V"))
    return job


def with_capacitor(job: Job, **changes: object) -> Job:
    """The coupling capacitor of the hall with a rating or a way round."""
    link = job.link("feed")
    assert link is not None
    made = tuple(
        replace(s, parts=tuple(replace(p, **changes) if p.name == "c1" else p for p in s.parts))
        if s.topology == "coupling"
        else s
        for s in link.sections
    )
    return edits.replace_link(job, replace(link, sections=made))


def inverted(job: Job) -> Job:
    """The high way of the crossover turned round."""
    turned = tuple(
        replace(t, inverted=True) if isinstance(t, AudioOut) and t.id == "high_out" else t
        for t in job.host.terminals
    )
    return replace(job, host=replace(job.host, terminals=turned))


def combined(point: str) -> Job:
    """A combined receiver and amplifier board into an auxiliary input, taken at one of its points."""
    job = edits.add_module(
        edits.new_job("x", make_host("receiver_amplifier")), make_module("receiver_amplifier_5v", "m")
    )
    job = propose(job, "m")
    for side in ("left", "right"):
        link = job.link(f"feed_{side}")
        assert link is not None
        joins = tuple(replace(j, terminal=f"m.{point}_{side}") if j.port == "in" else j for j in link.joins)
        job = edits.replace_link(job, replace(link, joins=joins))
    return job


def grounded(job: Job) -> Job:
    """A return wire from the speaker's minus to the host's star."""
    wire = Link(
        id="minus", name="Speaker return", purpose=Purpose.RETURN, sections=(topology("wire").section(),),
        joins=(join("in", "m.minus", 0.3), join("out", "host.star", 0.0)),
    )  # fmt: skip
    return edits.add_link(job, wire)


def wants(job: Job, watts: float) -> Job:
    """So much power wanted from the speaker."""
    return edits.set_value(job, "m.plus", "wanted", known(float(np.sqrt(watts * 4.0)), "V", 0.01))


def matched_to_tuner(job: Job, louder_db: float) -> Job:
    """The wanted level taken from a tuner that is so much louder than the receiver now is."""
    now = study_level(Model.of(job)).numbers["level.delivered_dbv"].value
    assert now is not None
    tuner = Known.of(10 ** ((now + louder_db) / 20), "V", Basis.MEASURED, tolerance=0.03)
    return edits.set_value(job, "host.record_in", "wanted", tuner)


SUM, TIED = topology("sum").section(), topology("sum").section(r1=10.0, r2=10.0)
CAP, SMALL_CAP = topology("coupling").section(), topology("coupling").section(c1=22e-9)
PAD, LOW_PAD = topology("pad").section(r1=1000.0, r2=2000.0), topology("pad").section(r1=47.0, r2=68.0)
MISTAKES: dict[str, tuple[str, Severity, Callable[[Job], Job], Callable[[Job], Job]]] = {
    "two outputs as good as tied": ("level.tied_outputs", Severity.FIX, lambda j: sections(j, TIED, CAP, PAD), lambda j: sections(j, SUM, CAP, PAD)),
    "bias into a DC-coupled input": ("level.dc_reaches_input", Severity.FIX, lambda j: sections(j, SUM, PAD), lambda j: sections(j, SUM, CAP, PAD)),
    "a pad of too low an input impedance": ("level.loads_source", Severity.FIX, lambda j: sections(j, TIED, CAP, LOW_PAD), lambda j: sections(j, SUM, CAP, PAD)),
    "a coupling capacitor that is too small": ("level.no_bass", Severity.FIX, lambda j: sections(j, SUM, SMALL_CAP, PAD), lambda j: sections(j, SUM, CAP, PAD)),
    "far too loud": ("level.off_target", Severity.WATCH, lambda j: edits.set_value(j, "host.record_in", "wanted", Known.of(0.02, "V", Basis.DOCUMENTED)), lambda j: j),
    "far too quiet": ("level.too_quiet", Severity.FIX, lambda j: edits.set_value(j, "host.record_in", "wanted", Known.of(2.0, "V", Basis.DOCUMENTED)), lambda j: j),
    "wireless 12 dB quieter than the tuner": ("level.too_quiet", Severity.FIX, lambda j: matched_to_tuner(j, 12.0), lambda j: matched_to_tuner(j, 0.0)),
    "a capacitor without a bleed": ("level.pops", Severity.FIX, lambda j: sections(j, SUM, PAD, topology("coupling").section(r1=1e9)), lambda j: sections(j, SUM, PAD, CAP)),
    "a capacitor the wrong way round": ("level.capacitor_reversed", Severity.FIX, lambda j: with_capacitor(j, plus=Plus.INPUT), lambda j: with_capacitor(j, plus=Plus.SOURCE)),
    "a capacitor rated too low": ("level.capacitor_rating", Severity.FIX, lambda j: with_capacitor(with_bias(j, 12.0), rating=known(10.0, "V")), lambda j: with_capacitor(with_bias(j, 12.0), rating=known(35.0, "V"))),
    "a straight join of two outputs": ("level.tied_outputs", Severity.FIX, lambda j: sections(j, topology("joined").section(), CAP, PAD), lambda j: sections(j, SUM, CAP, PAD)),
    "an input that overloads": ("level.clips", Severity.FIX, lambda j: edits.set_value(j, "host.record_in", "overload", Known.of(0.1, "V", Basis.DOCUMENTED)), lambda j: j),
}  # fmt: skip


#: Mistakes in other retrofits than the hall: code, severity, the job with it, its clean twin.
OTHERS: dict[str, tuple[str, Severity, Callable[[], Job], Callable[[], Job]]] = {
    "a bridge-tied output into a line input": ("level.bridge_tied", Severity.STOP, lambda: combined("speaker"), lambda: combined("before")),
    "headphones straight from a line output": ("level.not_for_headphones", Severity.FIX, lambda: through(headphones(), "feed_left", "wire"), headphones),
    "headphones too weakly driven": ("level.headphones_weak", Severity.FIX, lambda: through(headphones(), "feed_left", "series", r1=4700.0), headphones),
    "a line into an input equalised for records": ("level.equalised_input", Severity.FIX, lambda: through(record_input(), "feed_left", "pad", r1=10e3, r2=56.0), record_input),
    "a crossover sum with one way turned round": ("level.unflat_sum", Severity.FIX, lambda: inverted(crossover()), crossover),
    "a crossover sum of unequal resistors": ("level.unflat_sum", Severity.FIX, lambda: with_sections(crossover(), "feed_left", topology("recombine").section(r1=2.2e3, r2=10e3), CAP), crossover),
    "tens of watts from a 5 V chip": ("level.too_little_power", Severity.FIX, lambda: wants(speaker(), 20.0), lambda: wants(speaker(), 1.0)),
    "a bridge-tied speaker with a grounded end": ("level.bridge_grounded", Severity.STOP, lambda: grounded(speaker()), speaker),
    "a module that silences the original unpowered": ("level.through_dead", Severity.FIX, lambda: fed_through(passes=False), fed_through),
    "a way through of which nobody knows": ("level.through_unknown", Severity.UNKNOWN, lambda: fed_through(passes=None), fed_through),
    "an extra source that drowns the host's own": ("level.mix_weakens_host", Severity.FIX, lambda: through(passive_node(), "feed_left", "mix", r1=220.0), passive_node),
    "a tap that weakens the host": ("level.weakens_host", Severity.FIX, lambda: through(headphones(), "feed_left", "wire"), headphones),
    "two channels of different values": ("level.unbalanced", Severity.FIX, lambda: through(pad(), "feed_left", "pad", r1=10e3, r2=2.2e3), pad),
    "a transformer that saturates": ("level.saturates", Severity.FIX, lambda: through(hall_loud(), "feed_left", "transformer"), lambda: through(pad(), "feed_left", "transformer")),
    "a hissing chain": ("level.hisses", Severity.FIX, lambda: with_sections(pad(), "feed_left", topology("pad").section(r1=470e3, r2=47.0), topology("gain").section(r2=470e3, r1=47.0)), pad),
}  # fmt: skip


def hall_loud() -> Job:
    """A card player of professional level."""
    job = pad()
    return edits.set_value(job, "m.out_left", "emf", known(8.0, "V"))


def codes(found: tuple[Finding, ...]) -> dict[str, Severity]:
    """What was found, by code."""
    return {f.code: f.severity for f in found}


@pytest.mark.one_of(12, 1)
@pytest.mark.parametrize("mistake", OTHERS)
def test_mistakes_in_other_retrofits_have_clean_twins_too(mistake: str) -> None:
    """The code is there with its severity; in the twin it is not."""
    code, severity, spoilt, clean = OTHERS[mistake]
    assert codes(study_level(Model.of(spoilt())).findings).get(code) is severity
    assert code not in codes(study_level(Model.of(clean())).findings)


#: Mistakes that one edit mends, and what is offered first.
MENDED = {
    "a bridge-tied output into a line input": "through a capacitor",
    "headphones straight from a line output": "a volume control and a headphone amplifier",
    "headphones too weakly driven": "a volume control and a headphone amplifier",
    "a line into an input equalised for records": "an inverse record network in the place of the others",
    "a crossover sum of unequal resistors": "both resistors",
    "a bridge-tied speaker with a grounded end": "leave out",
    "an extra source that drowns the host's own": "R1 to",
    "a tap that weakens the host": "add a buffer at the tap",
    "two channels of different values": "the values of feed, right",
    "a transformer that saturates": "a pad of 10 dB before the transformer",
}


@pytest.mark.one_of(9, 1)
@pytest.mark.parametrize("mistake", MENDED)
def test_the_first_remedy_mends_the_mistake(mistake: str) -> None:
    """It is named as expected, and with it the finding is gone or milder, and nothing is worse."""
    code, severity, spoilt, _ = OTHERS[mistake]
    job = spoilt()
    finding = next(f for f in advised(job, study_job(job)).of(LevelFound).findings if f.code == code)
    assert finding.remedies, mistake
    assert finding.remedies[0].label.startswith(MENDED[mistake])
    after = study_level(Model.of(finding.remedies[0].edit(job))).findings
    left = [f.severity for f in after if f.code == code and f.subject == finding.subject]
    assert all(ORDER.index(s) > ORDER.index(severity) for s in left)


CAPACITORS = (
    "a capacitor without a bleed",
    "a capacitor the wrong way round",
    "a capacitor rated too low",
    "a straight join of two outputs",
)


@pytest.mark.one_of(4)
@pytest.mark.parametrize("mistake", CAPACITORS)
def test_mistakes_at_the_hall_are_mended_too(mistake: str) -> None:
    """The first remedy ends the finding."""
    code, _, spoil, _ = MISTAKES[mistake]
    job = spoil(hall())
    finding = next(f for f in advised(job, study_job(job)).of(LevelFound).findings if f.code == code)
    assert code not in codes(study_level(Model.of(finding.remedies[0].edit(job))).findings)


def test_a_sum_with_one_way_turned_round_says_so() -> None:
    """The polarity is named, not only the hole."""
    (found,) = [
        f for f in study_level(Model.of(inverted(crossover()))).findings if f.code == "level.unflat_sum"
    ][:1]
    assert "swap its polarity" in found.sentence


def test_one_source_for_two_inputs_carries_both_loads() -> None:
    """Mono to two jacks: each feed sees the other's load beside its own."""
    job = edits.add_module(
        edits.new_job("x", make_host("home_computer")), make_module("wireless_transmitter_5v", "m")
    )
    job = propose(job, "m")
    feeds = [x for x in job.links if x.purpose is Purpose.FEED]
    assert [x.starts for x in feeds] == [("host.sound_out",)] * 2
    both = study_level(Model.of(job)).numbers["level.load_ohm"].value
    alone = study_level(Model.of(edits.remove_link(job, feeds[1].id))).numbers["level.load_ohm"].value
    assert both == pytest.approx(alone / 2, rel=0.05)


def test_twins_are_the_two_channels_of_one_feed() -> None:
    """Left finds right, through the same networks only; a mono feed has none."""
    job = pad()
    left, right = job.link("feed_left"), job.link("feed_right")
    assert twin_of(job, left) == right
    assert twin_of(hall(), hall().link("feed")) is None
    assert twin_of(through(job, "feed_right", "wire"), left) is None


@pytest.mark.parametrize("mistake", MISTAKES)
def test_mistakes_are_caught_and_their_clean_twins_are_not(mistake: str) -> None:
    """The code is there with its severity; in the twin it is not."""
    code, severity, spoil, clean = MISTAKES[mistake]
    found = {f.code: f.severity for f in study_level(Model.of(spoil(hall()))).findings}
    assert found.get(code) is severity, found
    assert code not in {f.code for f in study_level(Model.of(clean(hall()))).findings}


@pytest.mark.parametrize(
    ("bias", "words", "rating"),
    [
        (1.65, "plus toward", 6.3),
        (12.0, "plus toward", 35.0),
        (-5.0, "plus toward record input", 16.0),
        (0.0, "next to no DC", 6.3),
    ],
)
def test_the_capacitor_is_told_its_way_round_and_its_rating(bias: float, words: str, rating: float) -> None:
    """The plus goes to the higher side; the rating is the next above twice what may lie across it."""
    job = edits.set_capacitor(with_bias(hall(), bias), "feed", 1, "c1", plus=Plus.UNSAID)
    (found,) = [f for f in study_level(Model.of(job)).findings if f.part == (1, "c1")]
    assert words in found.sentence
    assert f"{rating:g} V or more" in found.sentence
    unsaid = abs(bias) > 0.1
    assert (found.code, found.severity) == (
        ("level.capacitor_unsaid", Severity.WATCH) if unsaid else ("level.capacitor", Severity.GOOD)
    )


def test_an_electrolytic_whose_way_round_is_not_said_is_no_good_and_its_remedy_says_it() -> None:
    """10 µF with 1.65 V across it: a watch until it is said; film of the same value, or 1 µF, needs no plus. What is proposed says it."""
    proposed = hall()
    part = next(p for s in proposed.link("feed").sections for p in s.parts if p.name == "c1")  # type: ignore[union-attr]
    assert part.plus is Plus.SOURCE
    job = edits.set_capacitor(proposed, "feed", 1, "c1", plus=Plus.UNSAID)
    told = [f for f in advised(job, study_job(job)).findings if f.code == "level.capacitor_unsaid"]
    assert [f.severity for f in told] == [Severity.WATCH]
    mended = told[0].remedies[0].edit(job)
    assert not [f for f in study_job(mended).findings if f.code == "level.capacitor_unsaid"]
    for twin in (
        edits.set_capacitor(job, "feed", 1, "c1", plus=Plus.FILM),
        edits.set_part(job, "feed", 1, "c1", known(1e-6, "F", 0.1)),
    ):
        assert not [f for f in study_job(twin).findings if f.code == "level.capacitor_unsaid"]


def test_a_bias_that_may_be_of_either_sign_asks_for_film() -> None:
    """A spread about nought wide enough to matter."""
    wide = Known(nominal=0.0, low=-0.5, high=0.5, unit="V", basis=Basis.GUESSED)
    job = edits.set_value(edits.set_value(hall(), "m.out_left", "bias", wide), "m.out_right", "bias", wide)
    (found,) = [f for f in study_level(Model.of(job)).findings if f.part == (1, "c1")]
    assert "film" in found.sentence


def test_what_outputs_see_of_each_other_is_the_way_through_the_sum() -> None:
    """Two resistors and the silent output in series, beside what goes on to the input."""
    job = sections(
        hall(), topology("sum").section(r1=4700.0, r2=4700.0), CAP, topology("pad").section(r1=1e6, r2=1e6)
    )
    seen = study_level(Model.of(job)).numbers["level.cross_ohm"]
    silent = job.terminal("m.out_right").impedance.nominal
    assert seen.value == pytest.approx(4700 + 1 / (1 / (4700 + silent) + 1 / 220e3 + 1 / 1.04e6), rel=0.05)
