"""Advice: proposals that hold, remedies that mend, arrangements side by side, and the next reading."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from asking import answered, by_its_papers, followed
from feeds import hall
from pigtail import edits
from pigtail.advice.measure import next_readings, with_asked
from pigtail.advice.plan import propose, with_plus
from pigtail.advice.remedies import advised, schools
from pigtail.bench.truth import StandIn
from pigtail.catalogue.kinds import host_kinds, make_host, make_module, module_kinds
from pigtail.edits.plan import drop_network, set_converter
from pigtail.job.check import check_job
from pigtail.job.document import Function, Job, Plus, Purpose, SupplyClass
from pigtail.job.errors import EditError
from pigtail.service.server import SERVICES
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity
from pigtail.studies.found import Studies
from pigtail.studies.level.found import LevelFound
from pigtail.studies.power.found import PowerFound
from pigtail.studies.survey.found import SurveyFound
from pigtail.units import Basis, Known, parse_known


def with_remedies(job: Job) -> Studies:
    """The studies of a job with its remedies."""
    return advised(job, study_job(job))


def known(text: str, unit: str) -> Known:
    """A documented value."""
    return parse_known(text, unit, Basis.DOCUMENTED)


def test_taking_the_first_remedy_again_and_again_mends_the_flawed_demo(larkmoor: Job) -> None:
    """Three faults; in at most four steps every verdict is good, and nothing gets worse on the way."""
    job, steps = larkmoor, 0
    while True:
        studies = with_remedies(job)
        offered = [f.remedies[0] for f in studies.findings if f.remedies and f.severity is not Severity.GOOD]
        if not offered:
            break
        job, steps = offered[0].edit(job), steps + 1
        assert steps <= 4
    verdicts = study_job(job).verdicts
    assert verdicts.pop("prove") is Severity.WATCH  # planned, and not proved yet
    assert set(verdicts.values()) == {Severity.GOOD}


def test_each_remedy_offered_betters_its_finding(larkmoor: Job) -> None:
    """No remedy of the trade is offered on reputation alone."""
    studies = with_remedies(larkmoor)
    numbers = {"returns.drives_ground": ("returns.next_db", -1), "power.overheats": ("power.regulator_tj_c", -1), "returns.loop": ("returns.buzz_db", -1),
               "power.rail_overload": ("power.rail_margin_a", 1), "power.regulator_overload": ("power.regulator_margin_a", 1)}  # fmt: skip
    tried = 0
    for finding in studies.findings:
        for remedy in finding.remedies:
            name, sense = numbers[finding.code]
            mended = study_job(remedy.edit(larkmoor))
            if name not in mended.numbers:  # what was too weak is not there any more
                assert finding.code not in {f.code for f in mended.findings}
                continue
            after = mended.numbers[name].value
            before = studies.numbers[name].value
            assert after is not None
            assert before is not None
            assert sense * (after - before) > 0, remedy.label
            tried += 1
    assert tried >= 6


@pytest.mark.one_of(3)
@pytest.mark.parametrize(
    ("section", "part", "value", "label"),
    [(2, "r2", 20e3, "R2 to 2 kΩ"), (2, "r2", 300.0, "R2 to 2 kΩ"), (1, "c1", 1e-7, "C1 to 10 µF")],
)
def test_a_wrong_part_is_mended_by_its_preferred_value(
    mended: Job, section: int, part: str, value: float, label: str
) -> None:
    """The remedy names the part and the value, and with it the verdict is good again."""
    unit = "F" if part == "c1" else "Ω"
    job = edits.set_part(mended, "feed", section, part, Known.of(value, unit, Basis.TYPICAL, tolerance=0.05))
    remedy = next(f.remedies[0] for f in with_remedies(job).of(LevelFound).findings if f.remedies)
    assert remedy.label == label
    assert study_job(remedy.edit(job)).of(LevelFound).verdict is Severity.GOOD


def test_a_bias_at_the_input_is_mended_by_a_capacitor(mended: Job) -> None:
    """The capacitor goes behind the sum, its bleed on the outer side."""
    job = drop_network(mended, "feed", 1)
    finding = next(
        f for f in with_remedies(job).of(LevelFound).findings if f.code == "level.dc_reaches_input"
    )
    after = finding.remedies[0].edit(job)
    assert [s.topology for s in after.link("feed").sections] == ["sum", "coupling", "pad"]  # type: ignore[union-attr]
    assert study_job(after).of(LevelFound).verdict is Severity.GOOD


def test_a_raw_rail_on_the_module_is_mended_before_anything_burns(mended: Job) -> None:
    """A stop has its remedy too."""
    job = set_converter(mended, "supply", "direct")
    finding = next(f for f in with_remedies(job).of(PowerFound).findings if f.code == "power.over_voltage")
    assert finding.severity is Severity.STOP
    assert "use a buck converter" in [r.label for r in finding.remedies]


def test_the_schools_are_solved_side_by_side(larkmoor: Job) -> None:
    """The plan as it is stands among the others, the quietest first; lifting is shown with what it brings here."""
    found = schools(larkmoor)
    labels = [s.label for s in found]
    assert "as planned" in labels
    assert "lift the audio return with 10 Ω" in labels
    values = [s.buzz.value for s in found]
    assert values == sorted(values)  # type: ignore[type-var]


@pytest.mark.one_of(24)
@pytest.mark.parametrize("kind", [k.key for k in host_kinds()])
@pytest.mark.parametrize("module", [k.key for k in module_kinds()])
def test_a_plan_is_proposed_or_refused_for_every_pair(kind: str, module: str) -> None:
    """What is proposed can be saved and studied; nothing known too little is called good; nothing burns."""
    job = edits.add_module(edits.new_job("x", make_host(kind)), make_module(module, "m"))
    try:
        job = propose(job, "m")
    except EditError as error:
        unknown = job.host.supply is SupplyClass.UNKNOWN and "how the host is fed is not known" in str(error)
        assert unknown or "no output and input" in str(error)
        return
    assert job.host.supply is not SupplyClass.UNKNOWN
    check_job(job)
    studies = study_job(job)
    assert Severity.STOP not in studies.verdicts.values()
    assert studies.of(SurveyFound).verdict is not Severity.GOOD


def _hall(wanted: str = "80 mV ±10 %") -> Job:
    job = edits.new_job("x", make_host("public_address"))
    for address, field, text, unit in (
        ("host.record_in", "wanted", wanted, "V"), ("host.record_in", "impedance", "47 kΩ ±10 %", "Ω"),
        ("host.rail_low", "voltage", "24 V ±2 %", "V"), ("host.rail_low", "limit", "120 mA", "A"),
        ("host.rail_low", "used", "35 mA", "A"),
    ):  # fmt: skip
        job = edits.set_value(job, address, field, known(text, unit))
    job = edits.set_path(job, "host", "input_to_star", known("60 mΩ", "Ω"))
    return edits.add_module(job, make_module("wireless_receiver_5v", "m"))


def test_the_proposal_for_the_hall_sums_blocks_pads_and_separates() -> None:
    """What the demo came to by remedies, the proposal has at once."""
    job = propose(_hall(), "m")
    feed = next(x for x in job.links if x.purpose is Purpose.FEED)
    supply = next(x for x in job.links if x.purpose is Purpose.SUPPLY)
    assert [s.topology for s in feed.sections] == ["sum", "coupling", "pad"]
    assert supply.sections[0].topology == "isolated_wide"
    assert study_job(job).of(PowerFound).verdict in (Severity.GOOD, Severity.UNKNOWN)


@settings(deadline=None, max_examples=6)
@given(st.floats(0.02, 0.08))
def test_the_proposed_pad_meets_the_wanted_level(volts: float) -> None:
    """Within half an E24 step, for any level below what arrives without a pad."""
    job = propose(_hall(f"{volts:.6f} V"), "m")
    target = study_job(job).numbers["level.target_db"].value
    assert target is not None
    assert abs(target - 9.0) < 0.5


def test_proposing_again_replaces_the_plan(larkmoor: Job) -> None:
    """The module's old links go, others would stay."""
    job = propose(larkmoor, "rx")
    assert {x.id for x in job.links} == {"feed", "supply", "audio_return"}


def test_points_of_the_plan_are_asked_for_first_then_what_verdicts_rest_on() -> None:
    """From nothing read: each used point is asked for, nothing twice, with probes, state and reason."""
    job = propose(_hall(), "m")
    asked = next_readings(job, study_job(job))
    assert {m.point for m in asked} >= {"host.record_in", "host.rail_low", "host.input_return"}
    assert len({m.key for m in asked}) == len(asked)
    assert all(m.against and m.state and m.reason for m in asked)


def test_answering_what_is_asked_ends_the_questions() -> None:
    """Log what is asked for, again and again: the list runs dry and every used point is read."""
    job = propose(_hall(), "m")
    job = followed(job, by_its_papers(job))
    assert next_readings(job, study_job(job)) == ()
    assert study_job(job).of(SurveyFound).verdict is Severity.GOOD


def test_a_job_with_no_plan_is_offered_one() -> None:
    """The remedy of an empty job is a plan."""
    job = _hall()
    labels = [r.label for f in with_remedies(job).findings for r in f.remedies]
    assert "propose a plan for Wireless receiver, 5 V" in labels


def test_the_service_knows_what_the_window_asks_for(larkmoor: Job) -> None:
    """The same studies come back through the service as by a direct call, with what to measure next."""
    given, direct = SERVICES["study"](larkmoor), with_asked(larkmoor, study_job(larkmoor))
    assert [(f.code, f.severity, f.sentence) for f in given.findings] == [
        (f.code, f.severity, f.sentence) for f in direct.findings
    ]
    assert given.asked == direct.asked
    document, studies = SERVICES["first_demo"]("larkmoor")
    assert document.job == larkmoor
    assert studies.verdicts == study_job(larkmoor).verdicts


def test_an_impedance_that_a_verdict_wants_is_asked_for_by_two_readings() -> None:
    """Open, then with a telling resistor across or in series; what the two give ends the question."""
    job = propose(
        edits.add_module(
            edits.new_job("x", make_host("tape_recorder")), make_module("wireless_transmitter_5v", "m")
        ),
        "m",
    )
    job = edits.set_value(job, "host.out_left", "impedance", None)
    asked = [
        m
        for m in next_readings(job, study_job(job))
        if m.point == "host.out_left" and m.function is Function.AC_VOLTS
    ]
    at_full = [m for m in asked if m.state == job.working_state() and "down" not in m.drive]
    assert [m.load for m in at_full] == [None, 1000.0]
    assert {m.drive for m in at_full} == {"full scale 1 kHz left"}
    for m in asked:
        job = answered(job, m, 0.2 if m.load else 0.4)
    again = [
        m
        for m in next_readings(job, study_job(job))
        if m.point == "host.out_left" and m.function is Function.AC_VOLTS
    ]
    assert again == []
    told = study_job(job).of(SurveyFound).job.terminal("host.out_left").impedance
    assert told.nominal == pytest.approx(1000, rel=0.01)


def test_a_telling_resistor_follows_what_is_thought_of_the_point() -> None:
    """Twice an output's impedance, an input's own, on a rail more than twice what the module draws in a burst; else the usual."""
    from pigtail.studies.taps.protocol import suggested_clip

    job = edits.add_module(
        edits.new_job("x", make_host("receiver_amplifier")), make_module("wireless_receiver_5v", "m")
    )
    assert suggested_clip(job, "host.rec_left", "load") == 2200.0
    assert suggested_clip(job, "host.aux_left", "series") == 47_000.0
    drawn = 2.4 * sum(t.burst.nominal for t in job.modules[0].terminals if getattr(t, "burst", None))
    load = suggested_clip(job, "host.rail_5v", "load")
    assert load is not None
    assert 5.0 / load == pytest.approx(drawn, rel=0.15)
    assert suggested_clip(job, "host.star", "load") is None


@pytest.mark.parametrize("supply", [SupplyClass.LIVE_CHASSIS, SupplyClass.UNKNOWN])
def test_no_reading_is_asked_of_a_host_that_no_probe_may_touch(supply: SupplyClass, brindle: StandIn) -> None:
    """A live chassis, and one of which nobody knows how it is fed: whatever is open, no probe is sent there under power."""
    job = propose(edits.add_module(brindle.papers, make_module("wireless_receiver_5v", "m")), "m")
    assert next_readings(job, study_job(job))
    unwired = job
    for link in job.links:
        unwired = edits.remove_link(unwired, link.id)
    asked = edits.set_supply(unwired, supply)
    wanted = next_readings(asked, study_job(asked))
    assert all(a.unpowered for a in wanted)
    assert [a.function for a in wanted[:1]] == ([Function.LOOK] if supply is SupplyClass.UNKNOWN else [])


def test_dc_at_an_input_that_nobody_knows_decides_no_polarity() -> None:
    """A capacitor is proposed the way round that both ends ask for; where one end is not known nothing is said."""
    job = hall()
    assert [p.plus for p in with_plus(job, job.link("feed")).sections[1].parts if p.name == "c1"] == [
        Plus.SOURCE
    ]  # type: ignore[arg-type]
    unsaid = edits.set_capacitor(job, "feed", 1, "c1", plus=Plus.UNSAID)
    unknown = edits.set_value(unsaid, "host.record_in", "dc", None)
    link = unknown.link("feed")
    assert link is not None
    assert [p.plus for p in with_plus(unknown, link).sections[1].parts if p.name == "c1"] == [Plus.UNSAID]
    told = [f for f in study_job(unknown).findings if f.part == (1, "c1")]
    assert [f.severity for f in told] == [Severity.UNKNOWN]
