"""Every part and stage of a plan is judged, whichever network it stands in: ratings, polarity, heat, supply; and by properties, not by
names. That a capacitor stands twice what lies across it and a resistor twice its heat is common practice."""

from __future__ import annotations

import pytest
from msgspec.structs import replace
from tests.feeds import known, pad, through

from pigtail import edits
from pigtail.advice.remedies import advised
from pigtail.catalogue.topologies import Task, those, topologies, topology
from pigtail.edits.plan import put_networks, set_stage_rail
from pigtail.job.document import Job, Link, Plus, Purpose
from pigtail.job.measured import Measured
from pigtail.model.estimate import Estimate
from pigtail.model.model import Model
from pigtail.model.netlist import compile_job
from pigtail.studies.all import study_job
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.judging import judge_all, judgements
from pigtail.studies.wording import tell, wordings
from pigtail.units import Basis

STAGES = [t.key for t in topologies().values() if t.supplied]
CAPACITORS = [
    (t.key, p.name) for t in those("feed") for p in t.bought()
    if p.kind == "capacitor" and p.nodes and t.supplied
]  # fmt: skip


def _feed(job: Job) -> Link:
    return next(x for x in job.links if x.purpose is Purpose.FEED)


def _staged(job: Job, key: str, volts: float | None = None) -> Job:
    """The first feed through one stage, with a supply of its own at some volts."""
    link = _feed(job)
    job = put_networks(job, link.id, (topology(key).section(),))
    rule = topology(key).doing(Task.SUPPLY)
    assert rule is not None
    return job if volts is None else edits.set_part(job, link.id, 0, rule.name, known(volts, "V", 0.02))


def _told(job: Job, *codes: str) -> list[Finding]:
    return [f for f in study_job(job).findings if f.code in codes]


@pytest.mark.long
@pytest.mark.parametrize(("key", "name"), CAPACITORS)
def test_every_capacitor_of_every_stage_is_judged_for_its_rating(key: str, name: str) -> None:
    """6.3 V on 16 V: the one that half of the supply or more lies across is too weak, whatever it is called, and its remedy mends it."""
    job = _staged(pad(), key, 16.0)
    link = _feed(job)
    rated = edits.set_capacitor(job, link.id, 0, name, plus=Plus.UNSAID, rating=known(6.3, "V", 0.0))
    found = [
        f for f in _told(rated, "level.capacitor_rating") if f.part == (0, name) and f.subject == link.id
    ]
    across = [f for f in _told(job, "level.capacitor") if f.part == (0, name) and f.subject == link.id]
    assert across, "judged when nothing is said of it"
    most = max(abs(across[0].low or 0.0), abs(across[0].high or 0.0))
    assert bool(found) is (2 * most > 6.3)
    for finding in found:
        assert finding.severity is (Severity.FIX if most > 6.3 else Severity.WATCH)
        told = next(
            f
            for f in advised(rated, study_job(rated)).findings
            if f.code == finding.code and f.part == finding.part
        )
        after = told.remedies[0].edit(rated)
        assert not [
            f for f in _told(after, "level.capacitor_rating") if f.part == (0, name) and f.subject == link.id
        ]


def test_the_output_capacitor_of_a_single_supply_stage_on_24_v() -> None:
    """12 V across 6.3 V of rating: fix, as the same slip in a coupling capacitor is; 25 V: nothing."""
    job = _staged(pad(), "gain_single", 24.0)
    link = _feed(job)
    for rating, severity in ((6.3, Severity.FIX), (16.0, Severity.WATCH), (25.0, None)):
        said = edits.set_capacitor(job, link.id, 0, "c3", plus=Plus.SOURCE, rating=known(rating, "V", 0.0))
        found = [
            f for f in _told(said, "level.capacitor_rating") if f.part == (0, "c3") and f.subject == link.id
        ]
        assert [f.severity for f in found] == ([severity] if severity else []), rating


@pytest.mark.one_of(4)
@pytest.mark.parametrize("key", STAGES)
def test_a_stage_on_more_than_it_stands_is_never_good(key: str, larkmoor: Job) -> None:
    """From a rail of 56 V, and from a supply of its own of as much: told as such. On half of what it stands: not."""
    rail = next(x for x in larkmoor.links if x.purpose is Purpose.SUPPLY).starts[0]
    bare = edits.set_value(replace(larkmoor, readings=()), rail, "voltage", known(56.0, "V", 0.02))
    joined = set_stage_rail(_staged(bare, key), _feed(bare).id, rail)
    for job in (joined, _staged(bare, key, 56.0)):
        found = [f for f in study_job(job).findings if f.judgement == "power.stage_voltage"]
        assert found
        assert all(f.severity in (Severity.STOP, Severity.FIX) for f in found)
    rule = topology(key).part("highest")
    fine = _staged(bare, key, rule.known().low / 2)
    assert not [
        f for f in study_job(fine).findings
        if f.judgement == "power.stage_voltage" and f.severity in (Severity.STOP, Severity.FIX)
    ]  # fmt: skip


def test_a_stages_own_supply_is_kept_when_it_is_joined_to_a_rail_and_back(larkmoor: Job) -> None:
    """Joining overwrites nothing: taken off the rail again it has the supply that was typed."""
    rail = next(x for x in larkmoor.links if x.purpose is Purpose.SUPPLY).starts[0]
    job = _staged(larkmoor, "gain", 9.0)
    link = _feed(job).id
    assert set_stage_rail(set_stage_rail(job, link, rail), link, "").link(link) == job.link(link)


def test_a_resistor_that_burns_is_told_and_a_larger_one_mends_it() -> None:
    """1 Ω across a loud source: watts in a quarter-watt part; the remedy asks for what stands twice as much."""
    job = pad()
    for point in ("out_left", "out_right"):
        job = edits.set_value(job, f"m.{point}", "emf", known(8.0, "V", 0.0))
        job = edits.set_value(job, f"m.{point}", "impedance", known(0.1, "Ω", 0.0))
    hot = through(job, "feed_left", "pad", r1=47.0, r2=47.0)
    found = [f for f in _told(hot, "level.resistor_hot") if f.subject == "feed_left"]
    assert {f.part for f in found} == {(0, "r1"), (0, "r2")}
    by_hand = (8.0 * 47 / (0.1 + 94)) ** 2 / (47 * 0.95)
    assert found[0].value == pytest.approx(by_hand, rel=0.02)
    mended = hot
    for finding in advised(hot, study_job(hot)).findings:
        if finding.code == "level.resistor_hot" and finding.subject == "feed_left":
            assert finding.remedies
            mended = finding.remedies[0].edit(mended)
    assert not [f for f in _told(mended, "level.resistor_hot") if f.subject == "feed_left"]
    clean = through(job, "feed_left", "pad", r1=4.7e3, r2=4.7e3)
    assert not [f for f in _told(clean, "level.resistor_hot") if f.subject == "feed_left"]


def test_a_pin_clamps_to_its_modules_supply_when_asked(larkmoor: Job) -> None:
    """With the diodes in, an unfed module's input takes current from a driven pin; without them, none."""
    job = Measured(larkmoor).job
    with_diodes = compile_job(job, job.working_state(), clamps=True)
    assert "clamps" in with_diodes.text
    assert "__clamp " in with_diodes.text
    assert "__clamp " not in Model.of(larkmoor).netlist().text
    plain = Model.of(larkmoor).netlist().rest.operating_point()
    clamped = with_diodes.rest.operating_point()
    for address in with_diodes.terminals:
        if address.startswith(f"{job.modules[0].id}."):
            node = with_diodes.node(address)
            assert float(clamped.v(node)[0]) == pytest.approx(float(plain.v(node)[0]), abs=1e-3), address


def test_a_judgement_applies_where_its_properties_say() -> None:
    """`when` names what must be true, “not” what must not; a number that the study has not is not judged."""
    some = next(code for code, entry in judgements().items() if entry.when)
    entry = judgements()[some]
    traits = {w for w in entry.when if not w.startswith("not ")}
    assert entry.applies(traits)
    assert not entry.applies(
        traits | {w[4:] for w in entry.when if w.startswith("not ")}
        if "not" in " ".join(entry.when)
        else set()
    )
    area, _, _ = some.partition(".")
    value = Estimate(1.0, 1.0, 1.0, "dB", Basis.TYPICAL, "a number")
    assert judge_all(area, {"no such number": value}, "x", {}, traits) == []


def test_every_finding_has_words_and_a_missing_word_is_an_error() -> None:
    """Wording is data: a code without an entry, or a sentence without one of its words, fails loudly in the tests, not on a screen."""
    assert len(wordings()) > 60
    with pytest.raises(KeyError):
        tell("level.no_such_code", "x")
    code = next(c for c, w in wordings().items() if "{" in w.says)
    with pytest.raises(KeyError):
        tell(code, "x", {})


@pytest.mark.long
def test_a_stage_on_too_much_is_offered_a_rail_that_it_stands(larkmoor: Job) -> None:
    """Beside the rail of 56 V there is one of 24 V: it is offered, and with it the stage is no longer told."""
    rail, other = (f"host.{x}" for x in ("rail_high", "rail_low"))
    job = edits.set_value(replace(larkmoor, readings=()), rail, "voltage", known(56.0, "V", 0.02))
    job = set_stage_rail(_staged(job, "gain"), _feed(job).id, rail)
    told = next(f for f in advised(job, study_job(job)).findings if f.judgement == "power.stage_voltage")
    assert told.severity is Severity.STOP
    labels = [r.label for r in told.remedies]
    assert any(job.label(other) in label for label in labels), labels
    after = told.remedies[0].edit(job)
    assert not [
        f for f in study_job(after).findings
        if f.judgement == "power.stage_voltage" and f.severity is not Severity.GOOD
    ]  # fmt: skip
