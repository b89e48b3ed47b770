"""The studies: what each calls good, what it catches, and that one change reaches every verdict."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

import pytest
from msgspec.structs import replace

from pigtail import edits
from pigtail.catalogue.topologies import topology
from pigtail.edits.plan import add_network, drop_network, set_converter, set_rail
from pigtail.edits.readings import log_reading, strike_reading
from pigtail.job.document import Function, Job, Section, SupplyClass
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity
from pigtail.studies.loom.found import LoomFound
from pigtail.units import Basis, Known

WHEN = datetime(2026, 11, 25, 10, 0)
STOP, FIX, UNKNOWN, WATCH, GOOD = (
    Severity.STOP,
    Severity.FIX,
    Severity.UNKNOWN,
    Severity.WATCH,
    Severity.GOOD,
)


def ohm(value: float) -> Known:
    """A resistor of 5 %."""
    return Known.of(value, "Ω", Basis.TYPICAL, tolerance=0.05)


def read(
    job: Job, point: str, value: float, state: str = "on", function: Function = Function.DC_VOLTS
) -> Job:
    """Log a DC reading against the point's usual return."""
    against = "host.input_return" if point == "host.record_in" else "host.star"
    return log_reading(
        job, point=point, against=against, state=state, function=function, value=value, when=WHEN
    )


def unread(job: Job) -> Job:
    """The job with all readings struck."""
    for reading in job.readings:
        job = strike_reading(job, reading.id)
    return job


def unbiased(job: Job) -> Job:
    """The feed without its coupling capacitor."""
    return drop_network(job, "feed", 1)


def heavy(job: Job) -> Job:
    """The feed with resistors so low that the outputs feel them."""
    for section, name, value in ((0, "r1", 10), (0, "r2", 10), (2, "r1", 10), (2, "r2", 10)):
        job = edits.set_part(job, "feed", section, name, ohm(value))
    return job


def routed(job: Job, metres: float | None, link_id: str = "supply_return") -> Job:
    """A return of another length, or of none known."""
    link = job.link(link_id)
    assert link is not None
    length = None if metres is None else Known.of(metres, "m", Basis.GUESSED, tolerance=0.1)
    joins = (replace(link.joins[0], conductor=replace(link.joins[0].conductor, length=length)), link.joins[1])
    return edits.replace_link(job, replace(link, joins=joins))


def topologyless(job: Job) -> Job:
    """The feed through a network that the catalogue does not hold."""
    return edits.set_sections(job, "feed", (Section(topology="warp"),))


#: What is done to the mended demo, and the finding that must follow.
CAUGHT: dict[str, tuple[Callable[[Job], Job], str, Severity]] = {
    "too loud": (lambda j: edits.set_value(j, "host.record_in", "wanted", Known.of(0.02, "V", Basis.DOCUMENTED)), "level.off_target", WATCH),
    "too quiet": (lambda j: edits.set_part(j, "feed", 2, "r2", ohm(100)), "level.too_quiet", FIX),
    "clips": (lambda j: edits.set_value(j, "host.record_in", "overload", Known.of(0.1, "V", Basis.DOCUMENTED)), "level.clips", FIX),
    "no bass": (lambda j: edits.set_part(j, "feed", 1, "c1", Known.of(1e-7, "F", Basis.TYPICAL)), "level.no_bass", FIX),
    "dull": (lambda j: edits.set_part(j, "feed", 1, "c1", Known.of(1e-6, "F", Basis.TYPICAL)), "level.thin_bass", WATCH),
    "loads": (heavy, "level.loads_source", FIX),
    "bias reaches the input": (unbiased, "level.dc_reaches_input", FIX),
    "no feed": (lambda j: edits.remove_link(j, "feed"), "level.no_feed", UNKNOWN),
    "wanted not known": (lambda j: edits.set_value(j, "host.record_in", "wanted", None), "level.fits", UNKNOWN),
    "no supply": (lambda j: edits.remove_link(j, "supply"), "power.no_supply", FIX),
    "raw rail to the module": (lambda j: set_converter(j, "supply", "direct"), "power.over_voltage", STOP),
    "hot regulator": (lambda j: set_converter(j, "supply", "linear"), "power.overheats", FIX),
    "burst over the regulator": (lambda j: set_converter(j, "supply", "linear"), "power.regulator_overload", FIX),
    "rail overloaded": (lambda j: set_converter(j, "supply", "linear_large"), "power.rail_overload", FIX),
    "rail limit not known": (lambda j: set_rail(j, "supply", "host.rail_high"), "power.rail", UNKNOWN),
    "rail sags": (lambda j: read(j, "host.rail_low", 5.5), "power.dropout", FIX),
    "module starves": (lambda j: edits.set_part(j, "supply", 0, "vout", Known.of(4.5, "V", Basis.TYPICAL)), "power.under_voltage", FIX),
    "no return": (lambda j: edits.remove_link(j, "audio_return"), "returns.missing", FIX),
    "long thin returns": (lambda j: routed(routed(set_converter(j, "supply", "buck"), 5.0), 5.0, "audio_return"), "returns.loop", FIX),
    "return length not known": (lambda j: routed(set_converter(j, "supply", "buck"), None), "returns.quiet", UNKNOWN),
    "loom length not known": (lambda j: routed(j, None, "audio_return"), "build.length_unknown", UNKNOWN),
    "colour clash": (lambda j: edits.set_conductor(j, "supply", "in", colour="black"), "build.colour_clash", WATCH),
    "5 V on the input": (lambda j: read(j, "host.record_in", 5.0), "survey.dc_on_input", STOP),
    "bias on the input": (lambda j: read(j, "host.record_in", 0.6), "survey.biased_input", WATCH),
    "rail not there": (lambda j: read(j, "host.rail_low", 0.1), "survey.rail_not_there", FIX),
    "rail stays": (lambda j: read(j, "host.rail_low", 6.0, "off"), "survey.rail_stays", WATCH),
    "still charged": (lambda j: read(j, "host.rail_low", 24.0, "off"), "survey.still_charged", STOP),
    "papers differ": (lambda j: read(j, "host.rail_low", 20.0), "survey.differs", WATCH),
    "points not read": (unread, "survey.not_read", UNKNOWN),
    "supply class not known": (lambda j: edits.set_supply(j, SupplyClass.UNKNOWN), "survey.supply_unknown", UNKNOWN),
    "hazardous rail": (lambda j: edits.set_value(j, "host.rail_high", "voltage", Known.of(300.0, "V", Basis.DOCUMENTED)), "survey.hazardous_rail", WATCH),
    "no such topology": (topologyless, "level.unsolved", FIX),
}  # fmt: skip


@pytest.mark.one_of(6)
@pytest.mark.parametrize("name", CAUGHT)
def test_a_mistake_is_caught_and_its_clean_twin_is_not(name: str, mended: Job) -> None:
    """The mistake gives its finding with its severity; the mended demo does not have it."""
    make, code, severity = CAUGHT[name]
    found = {f.code: f for f in study_job(make(mended)).findings}
    assert code in found, sorted(found)
    assert found[code].severity is severity
    clean = {f.code: f.severity for f in study_job(mended).findings}
    assert clean.get(code, GOOD) is GOOD


def test_the_flawed_demo_names_regulator_rail_and_returns(larkmoor: Job) -> None:
    """Its three faults on purpose, and no others; the build waits for them."""
    bad = {f.code for f in study_job(larkmoor).findings if f.severity is not GOOD}
    supply = {"power.rail_overload", "power.overheats", "power.regulator_overload"}
    to_come = {"prove.waits", "prove.to_do", "prove.holds"}
    assert bad == supply | {"returns.loop", "returns.drives_ground", "build.waits"} | to_come


def test_the_clean_and_the_mended_demo_are_good_throughout(tidewell: Job, mended: Job) -> None:
    """Every verdict good but that of the proof, which is still to come."""
    for job in (tidewell, mended):
        verdicts = study_job(job).verdicts
        assert verdicts.pop("prove") is WATCH
        assert set(verdicts.values()) == {GOOD}


def test_a_stereo_job_has_the_numbers_of_each_feed(tidewell: Job) -> None:
    """The plain names are those of the feed furthest from its target."""
    numbers = study_job(tidewell).numbers
    assert {"level.delivered_dbv", "level.feed_left.delivered_dbv", "level.feed_right.delivered_dbv"} <= set(
        numbers
    )
    assert "level.one_channel_dbv" not in numbers


def test_one_resistor_moves_level_hum_and_parts(mended: Job) -> None:
    """One model: R2 of the pad changes the level, the buzz at the input and the parts list."""
    job = set_converter(mended, "supply", "buck")
    before, after = study_job(job), study_job(edits.set_part(job, "feed", 2, "r2", ohm(1000)))
    for number in ("level.delivered_dbv", "returns.buzz_dbv"):
        assert before.numbers[number].value != after.numbers[number].value
    assert [p.value for p in before.of(LoomFound).parts] != [p.value for p in after.of(LoomFound).parts]


def test_the_converter_moves_heat_rail_and_hum(larkmoor: Job) -> None:
    """One model: the converter changes the junction, the rail and what the returns leave."""
    before, after = study_job(larkmoor), study_job(set_converter(larkmoor, "supply", "buck"))
    for number in ("power.regulator_tj_c", "power.rail_current_burst_a", "returns.buzz_db"):
        assert after.numbers[number].value < before.numbers[number].value  # type: ignore[operator]


def test_a_reading_moves_the_verdict_at_once(mended: Job) -> None:
    """A rail that reads 20 V: its voltage counts, and its basis becomes measured."""
    numbers = study_job(read(set_converter(mended, "supply", "buck"), "host.rail_low", 20.0)).numbers
    assert numbers["power.rail_v"].value == pytest.approx(20.0, abs=0.05)
    dropout = numbers["power.dropout_margin_v"].value
    assert dropout == pytest.approx(20.0 - 5.0 - 1.5, abs=0.05)


def test_a_lift_is_solved_not_assumed(larkmoor: Job) -> None:
    """With two returns the whole drop of the supply return then stands between the grounds: it gets louder."""
    lifted = edits.set_sections(larkmoor, "audio_return", (topology("lift").section(),))
    assert (
        study_job(lifted).numbers["returns.buzz_db"].value
        > study_job(larkmoor).numbers["returns.buzz_db"].value
    )  # type: ignore[operator]


def test_a_plan_of_wires_alone_is_solved(tidewell: Job) -> None:
    """A feed through nothing but wire still has its numbers."""
    job = drop_network(tidewell, "feed_left", 0)
    assert job.link("feed_left").sections[0].topology == "wire"  # type: ignore[union-attr]
    assert study_job(job).numbers["level.feed_left.delivered_dbv"].value is not None


def test_networks_stack_in_any_order(larkmoor: Job) -> None:
    """A cascade solves whatever is added behind what."""
    job = add_network(add_network(larkmoor, "feed", "series"), "feed", "coupling")
    assert [s.topology for s in job.link("feed").sections] == ["sum", "coupling", "coupling", "pad", "series"]  # type: ignore[union-attr]
    assert study_job(job).numbers["level.delivered_dbv"].value is not None


@pytest.mark.long
def test_every_sentence_stands_in_one_line_with_no_gap(larkmoor: Job, mended: Job, tidewell: Job) -> None:
    """No brace left unfilled, no “None”, a capital at its start and a full stop at its end."""
    jobs = [larkmoor, mended, tidewell, *(make(mended) for make, _, _ in CAUGHT.values())]
    for job in jobs:
        for finding in study_job(job).findings:
            assert not set("{}\n") & set(finding.sentence), finding.sentence
            assert "None" not in finding.sentence
            assert finding.sentence[0] == finding.sentence[0].upper()
            assert finding.sentence.endswith("."), finding.sentence
