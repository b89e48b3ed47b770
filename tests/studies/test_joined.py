"""Mistakes in how feeds are joined, each beside its clean twin, and each mended by its first remedy.

Facts of the trade, without a source: left and right swapped, one side forgotten, two outputs on one net, a sender behind the volume
control, a stage without a middle, a speaker without a way home, DC through a transformer, a capacitor that resonates with it.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

import pytest
from msgspec.structs import replace

from feeds import fed_through, hall, known, pad, speaker, through, with_sections
from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.advice.remedies import advised
from pigtail.catalogue.kinds import make_host, make_module
from pigtail.catalogue.topologies import topology
from pigtail.edits.plan import set_converter, set_stage_rail
from pigtail.edits.readings import log_reading
from pigtail.edits.usual import join
from pigtail.job.document import (
    Act,
    Digital,
    Function,
    Job,
    Link,
    Plus,
    Purpose,
    Rail,
    Wire,
)
from pigtail.studies.all import study_job
from pigtail.studies.findings import ORDER, Finding, Severity
from pigtail.studies.level.found import LevelFound

WHEN = datetime(2026, 11, 27, 12, 0)
FIX, WATCH, STOP = Severity.FIX, Severity.WATCH, Severity.STOP


def rejoined_to(job: Job, link_id: str, port: str, terminal: str) -> Job:
    """A port of a link on another terminal."""
    link = job.link(link_id)
    assert link is not None
    joins = tuple(replace(j, terminal=terminal) if j.port == port else j for j in link.joins)
    return edits.replace_link(job, replace(link, joins=joins))


def crossed() -> Job:
    """Left and right of the card player change places."""
    job = rejoined_to(pad(), "feed_left", "in", "m.out_right")
    return rejoined_to(job, "feed_right", "in", "m.out_left")


def one_net() -> Job:
    """Both outputs at one input, each by a wire."""
    job = through(through(pad(), "feed_left", "wire"), "feed_right", "wire")
    return rejoined_to(job, "feed_right", "out", "host.line_left")


def half(job: Job) -> Job:
    """Only the left output into the mono input."""
    link = job.link("feed")
    assert link is not None
    joins = tuple(
        replace(j, port="in" if j.port == "in_l" else j.port) for j in link.joins if j.port != "in_r"
    )
    return edits.replace_link(job, replace(link, sections=link.sections[1:], joins=joins))


def sender(follows: bool) -> Job:
    """A transmitter at the record output of a receiver-amplifier, which lies before or behind the volume control."""
    job = edits.add_module(
        edits.new_job("x", make_host("receiver_amplifier")), make_module("wireless_transmitter_5v", "m")
    )
    if follows:
        stages = list(job.host.stages)
        at = next(k for k, s in enumerate(stages) if Act.VOLUME in s.acts)
        record = next(k for k, s in enumerate(stages) if "rec_left" in s.points)
        stages.insert(record, stages.pop(at))
        job = replace(job, host=replace(job.host, stages=tuple(stages)))
    return propose(job, "m")


def on_one_rail(key: str) -> Job:
    """A stage supplied from the host's 12 V."""
    job = edits.set_value(through(pad(), "feed_left", key), "host.rail_5v", "voltage", known(12.0, "V", 0.02))
    return set_stage_rail(job, "feed_left", "host.rail_5v")


def headphones_lost() -> Job:
    """A module's ground that is joined to nothing: the audio return forgotten, the supply isolated."""
    job = set_converter(hall(), "supply", "isolated_wide")
    return edits.remove_link(job, "audio_return")


def magnetised(volts: float) -> Job:
    """A transformer straight at an output with a bias."""
    job = through(pad(), "feed_left", "transformer")
    return edits.set_value(job, "m.out_left", "bias", known(volts, "V", 0.05))


def resonating(farads: float) -> Job:
    """A capacitor before a transformer."""
    parts = (topology("capacitor").section(c1=farads), topology("transformer").section())
    return with_sections(pad(), "feed_left", *parts)


#: Code, severity, the job with it, its clean twin, whether its first remedy ends it.
CASES: dict[str, tuple[str, Severity, Callable[[], Job], Callable[[], Job], bool]] = {
    "left and right swapped": ("level.channels_swapped", FIX, crossed, pad, True),
    "one side forgotten": ("level.side_missing", FIX, lambda: edits.remove_link(pad(), "feed_right"), pad, True),
    "half of a stereo source": ("level.half_of_stereo", FIX, lambda: half(hall()), hall, True),
    "two outputs on one net": ("level.tied_outputs", FIX, one_net, pad, True),
    "a sender behind the volume control": ("level.behind_volume", WATCH, lambda: sender(True), lambda: sender(False), False),
    "a stage on one rail without a middle": ("level.no_middle", FIX, lambda: on_one_rail("gain"), lambda: on_one_rail("gain_single"), True),
    "a buffer on one rail without a middle": ("level.no_middle", FIX, lambda: on_one_rail("buffer"), lambda: on_one_rail("buffer_single"), True),
    "nothing leads home": ("level.no_way_home", FIX, headphones_lost, hall, True),
    "DC through a transformer": ("level.magnetised", FIX, lambda: magnetised(2.5), lambda: magnetised(0.0), True),
    "a capacitor that resonates": ("level.resonates", FIX, lambda: resonating(4.7e-6), lambda: resonating(220e-6), True),
    "an unpowered way through": ("level.through_dead", FIX, lambda: fed_through(passes=False), fed_through, True),
}  # fmt: skip


def found(job: Job, code: str) -> list[Finding]:
    """The findings of a code, with remedies."""
    return [f for f in advised(job, study_job(job)).findings if f.code == code]


@pytest.mark.one_of(12)
@pytest.mark.parametrize("name", CASES)
def test_a_mistake_is_told_its_twin_is_not_and_its_remedy_ends_it(name: str) -> None:
    """With its severity; the first remedy leaves the finding gone or milder."""
    code, severity, spoilt, clean, mended = CASES[name]
    job = spoilt()
    told = found(job, code)
    assert told, sorted({f.code for f in study_job(job).findings})
    assert severity in {f.severity for f in told} or told[0].severity is FIX
    assert code not in {f.code for f in study_job(clean()).findings}
    if mended:
        assert told[0].remedies, told[0].sentence
        after = study_job(told[0].remedies[0].edit(job))
        left = [f.severity for f in after.findings if f.code == code and f.subject == told[0].subject]
        assert all(ORDER.index(s) > ORDER.index(severity) for s in left), told[0].remedies[0].label


def test_a_stage_without_a_middle_has_no_headroom_to_speak_of() -> None:
    """The common at the foot of the one rail: it cannot swing below, and 13.8 dB of room are not told."""
    numbers = study_job(on_one_rail("gain")).of(LevelFound).numbers
    assert (numbers["level.feed_left.headroom_db"].value or 0.0) < -20.0
    own = study_job(on_one_rail("gain_single")).of(LevelFound).numbers["level.feed_left.headroom_db"]
    assert own.value is not None
    assert own.value > 0.0


def test_digital_picture_and_control_links_are_no_open_feeds() -> None:
    """A bit clock from the host to a module: nothing is said of it in Level, and no return is missing for it."""
    job = edits.add_module(edits.new_job("x", make_host("disc_player")), make_module("headphones_32", "m"))
    (module,) = job.modules
    pin = Digital(id="data_in", name="data in", wire=Wire.DATA, return_to="sleeve")
    job = replace(job, modules=(replace(module, terminals=(*module.terminals, pin)),))
    wire = Link(
        id="data", name="Data", purpose=Purpose.FEED, sections=(topology("wire").section(),),
        joins=(join("in", "host.data", 0.1), join("out", "m.data_in", 0.05)),
    )  # fmt: skip
    codes = {f.code for f in study_job(edits.add_link(job, wire)).findings}
    assert "level.open_feed" not in codes
    assert "returns.missing" not in codes


def test_a_bridge_driven_speaker_needs_no_return() -> None:
    """Neither missing nor grounded."""
    codes = {f.code for f in study_job(speaker()).findings}
    assert not codes & {"returns.missing", "level.bridge_grounded", "level.no_way_home"}


@pytest.mark.one_of(3)
@pytest.mark.parametrize(("volts", "stop"), [(6.0, False), (11.5, False), (-6.0, True)])
def test_an_output_that_is_documented_so_is_no_surprise(volts: float, stop: bool) -> None:
    """6 V on an output whose papers say so, blocked by a capacitor, is good; what the papers do not say is a stop."""
    job = sender(False)
    for side in ("rec_left", "rec_right"):
        job = edits.set_value(job, f"host.{side}", "bias", known(abs(volts), "V", 0.05))
    for link in job.links:
        if link.purpose is Purpose.FEED:
            job = with_sections(job, link.id, topology("coupling").section())
            job = edits.set_capacitor(job, link.id, 0, "c1", Plus.SOURCE, known(35.0, "V", 0.0))
    job = log_reading(
        job, point="host.rec_left", against="host.input_return", state=job.working_state(),
        function=Function.DC_VOLTS, value=volts, when=WHEN,
    )  # fmt: skip
    told = {f.code: f.severity for f in study_job(job).findings if f.subject == "host.rec_left"}
    assert ("survey.dc_on_output" in told) is stop
    if not stop:
        assert told.get("survey.biased_output") is None


def test_an_impossible_reading_is_never_good() -> None:
    """33 kV on a rail: not plausible, strike it; 24.1 V is its twin."""
    job = log_reading(
        pad(), point="host.rail_5v", against="host.star", state="on", function=Function.DC_VOLTS, value=33e3, when=WHEN,
    )  # fmt: skip
    assert "reading.implausible" in {f.code for f in study_job(job).findings}


def test_a_reading_in_another_state_confirms_nothing() -> None:
    """Read while off, used while on: still to be read."""
    job = log_reading(
        pad(), point="host.line_left", against="host.input_return", state="off", function=Function.DC_VOLTS, value=0.0, when=WHEN,
    )  # fmt: skip
    assert "survey.not_read" in {f.code for f in study_job(job).findings if f.subject == "host.line_left"}
    again = log_reading(
        job, point="host.line_left", against="host.input_return", state="on", function=Function.DC_VOLTS, value=0.0, when=WHEN,
    )  # fmt: skip
    assert "survey.not_read" not in {
        f.code for f in study_job(again).findings if f.subject == "host.line_left"
    }


def test_a_driven_ground_is_shorted_and_an_isolated_supply_ends_it() -> None:
    """2.5 V between the jack's ground and the star: audio return and supply return short it; with an isolated supply they do not."""
    job = edits.set_value(hall(), "host.rail_low", "voltage", known(24.0, "V", 0.02))
    job = set_converter(job, "supply", "buck")
    assert "returns.driven_ground" not in {f.code for f in study_job(job).findings}
    driven = log_reading(
        job, point="host.input_return", against="host.star", state="on", function=Function.DC_VOLTS, value=2.5, when=WHEN,
    )  # fmt: skip
    (told,) = [f for f in study_job(driven).findings if f.code == "returns.driven_ground"]
    assert told.severity is STOP
    isolated = set_converter(driven, "supply", "isolated_wide")
    assert "returns.driven_ground" not in {f.code for f in study_job(isolated).findings}


def test_an_electrolytic_leaks_and_film_does_not() -> None:
    """10 µF at 1.65 V without a bleed behind it to speak of: tens of millivolts (0.1 to 1 µA, from memory); film next to nothing."""
    job = with_sections(hall(), "feed", topology("sum").section(), topology("coupling").section())
    wet = study_job(job).of(LevelFound).numbers["level.pop_v"]
    film = (
        study_job(edits.set_capacitor(job, "feed", 1, "c1", Plus.FILM)).of(LevelFound).numbers["level.pop_v"]
    )
    assert wet.value is not None
    assert film.value is not None
    assert 0.02 < wet.value < 0.2 or 0.02 < wet.high < 0.3
    assert film.high < 0.005


def test_a_high_pad_into_an_input_with_capacitance_is_dull() -> None:
    """55 kΩ into 300 pF: 1/(2πRC) = 9.6 kHz; 1 kΩ is its twin."""

    def job(r1: float, r2: float) -> Job:
        made = through(pad(), "feed_left", "pad", r1=r1, r2=r2)
        made = edits.set_value(made, "host.line_left", "impedance", known(1e6, "Ω"))
        return edits.set_value(made, "host.line_left", "capacitance", known(300e-12, "F"))

    dull = study_job(job(110e3, 110e3)).of(LevelFound).numbers["level.feed_left.high_cut_hz"].value
    assert dull == pytest.approx(9.6e3, rel=0.08)
    fine = study_job(job(2e3, 2e3)).of(LevelFound).numbers["level.feed_left.high_cut_hz"].value
    assert fine is not None
    assert fine > 100e3


def test_a_chopper_beside_a_tuner_is_a_finding_and_a_linear_regulator_is_none() -> None:
    """A receiver with a tuner; the same host without one says nothing."""
    job = sender(False)
    rail = next(a for a in job.addresses() if isinstance(job.terminal(a), Rail))
    link = next(x for x in job.links if x.purpose is Purpose.SUPPLY)
    chopped = set_converter(job, link.id, "buck")
    assert rail
    code = "power.chops_near_tuner"
    assert code in {f.code for f in study_job(chopped).findings}
    assert code not in {f.code for f in study_job(set_converter(job, link.id, "linear_large")).findings}
    deaf = replace(chopped, host=replace(chopped.host, stages=tuple(replace(s, acts=tuple(a for a in s.acts if a is not Act.RECEIVE)) for s in chopped.host.stages)))  # fmt: skip
    assert code not in {f.code for f in study_job(deaf).findings}


def test_the_foot_of_a_heater_supply_is_asked_for() -> None:
    """Which end is joined to the chassis is not known: unknown until it was rung out."""
    job = edits.add_module(
        edits.new_job("x", make_host("valve_amplifier")), make_module("wireless_receiver_5v", "m")
    )
    job = propose(job, "m")
    code = "power.foot_unknown"
    assert code in {f.code for f in study_job(job).findings}
    known_foot = edits.set_path(job, "host", "heater_to_star", known(0.05, "Ω"))
    assert code not in {f.code for f in study_job(known_foot).findings}


def test_full_scale_over_wanted_is_how_line_sources_meet_line_inputs() -> None:
    """720 mV into 250 mV wanted that stands 2.5 V: good without any pad; programme at the wanted level would be 9 dB quieter."""
    job = hall()
    for field, value in (("wanted", 0.25), ("overload", 2.5)):
        job = edits.set_value(job, "host.record_in", field, known(value, "V", 0.05))
    job = with_sections(job, "feed", topology("sum").section(), topology("coupling").section(c1=1e-6))
    told = {f.judgement: f.severity for f in study_job(job).of(LevelFound).findings}
    assert told["level.fits"] is Severity.GOOD
