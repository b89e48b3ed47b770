"""Values that two readings tell: against the truth over a thousand random hosts, and where they cannot tell."""

from __future__ import annotations

from datetime import datetime

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pigtail.catalogue.kinds import make_host
from pigtail.edits.readings import log_reading, strike_reading
from pigtail.edits.values import new_job
from pigtail.job.derive import (
    TooWeakError,
    advised_load,
    derived,
    gain_db,
    input_impedance,
    observed,
    path_resistance,
    source_impedance,
    telling,
)
from pigtail.job.document import Function, Job
from pigtail.job.log import log_of
from pigtail.job.meters import meter, meters
from pigtail.job.readings import effective
from pigtail.job.tone import FULL_SCALE
from pigtail.units import Basis
from pigtail.units.known import Known

WHEN = datetime(2026, 11, 25, 9, 0)
KINDS = sorted(meters())


def shown(kind: str, function: Function, true: float, errs: float) -> Known:
    """What a meter shows of a true value: `errs` from -1 to 1 says how much of its accuracy it errs by."""
    relative, floor = meter(kind).accuracy[function.value]
    read = true + errs * 0.98 * (abs(true) * relative + floor)
    return meter(kind).value(function, max(read, 0.0))


def resistor(ohm: float, errs: float) -> Known:
    """A resistor of one per cent that is off by `errs` of it: what is typed is its marking."""
    return Known.of(ohm / (1 + 0.0098 * errs), "Ω", Basis.DOCUMENTED, tolerance=0.01)


def test_derived_values_hold_the_truth_over_a_thousand_random_hosts() -> None:
    """Output and input impedance and a ground path, with every error within what meter and resistor allow: the stated
    spread holds the true value in each host, and is not so wide that it says nothing."""
    rng = np.random.default_rng(31)
    widths = []
    for _ in range(1000):
        kind = KINDS[rng.integers(len(KINDS))]
        e = rng.uniform(-1, 1, 6)
        zm = meter(kind).load_ohm(Function.AC_VOLTS)
        emf, rs = rng.uniform(0.3, 3.0), 10 ** rng.uniform(1.5, 4.2)
        load = rs * rng.uniform(0.8, 3.0)

        def across(z: float, emf: float = emf, rs: float = rs, zm: float = zm) -> float:
            beside = 1 / (1 / z + 1 / zm) if z else zm
            return emf * beside / (beside + rs)

        opened, loaded = (shown(kind, Function.AC_VOLTS, across(z), e[0]) for z in (0.0, load))
        try:
            found = source_impedance(opened, loaded, resistor(load, e[1]), zm * (1 + 0.05 * e[5]))
        except TooWeakError:
            continue
        assert found.low <= rs <= found.high
        widths.append((found.high - found.low) / rs)

        zin, series = 10 ** rng.uniform(3.5, 5.3), 10 ** rng.uniform(4.0, 5.0)
        seen = 1 / (1 / zin + 1 / zm)
        direct = shown(kind, Function.AC_VOLTS, emf, e[2])
        through = shown(kind, Function.AC_VOLTS, emf * seen / (seen + series), e[2])
        try:
            told = input_impedance(direct, through, resistor(series, e[3]), zm)
        except TooWeakError:
            continue
        assert told.low <= zin <= told.high

        ohm, ampere = 10 ** rng.uniform(-2, 0), 0.5
        volts = shown("bench", Function.DC_VOLTS, ohm * ampere, e[4])
        path = path_resistance(volts, Known.of(ampere, "A", Basis.DOCUMENTED, tolerance=0.03))
        assert path.low <= ohm <= path.high
    assert len(widths) > 700
    assert np.median(widths) < 0.5


def test_a_value_that_two_readings_cannot_tell_is_refused_with_a_better_resistor() -> None:
    """A load that hardly pulls, a load that pulls all, readings the wrong way round, a resistor that changes nothing."""
    volts = lambda x: meter("handheld").value(Function.AC_VOLTS, x)  # noqa: E731
    ohm = lambda x: Known.of(x, "Ω", Basis.DOCUMENTED, tolerance=0.01)  # noqa: E731
    with pytest.raises(TooWeakError, match="take one of about 1e"):
        source_impedance(volts(1.0), volts(0.999), ohm(1e5))
    with pytest.raises(TooWeakError, match="not below"):
        source_impedance(volts(0.5), volts(0.6), ohm(1e3))
    with pytest.raises(TooWeakError, match="larger resistor"):
        source_impedance(volts(1.0), volts(0.001), ohm(1.0))
    with pytest.raises(TooWeakError, match="as large as"):
        input_impedance(volts(1.0), volts(0.99), ohm(10.0))
    with pytest.raises(TooWeakError, match="play louder"):
        gain_db(volts(0.0), volts(1.0))


def test_gain_between_two_points_is_in_decibels() -> None:
    """Ten times as much is 20 dB, within the accuracy of both readings."""
    found = gain_db(
        meter("bench").value(Function.AC_VOLTS, 0.1), meter("bench").value(Function.AC_VOLTS, 1.0)
    )
    assert found.low < 20.0 < found.high
    assert found.high - found.low < 0.3


@settings(max_examples=100, deadline=None)
@given(st.floats(10, 1e5))
def test_the_advised_load_leaves_a_telling_part(ohm: float) -> None:
    """Between 0.4 and 0.8 of the open voltage, as common practice has it, from the nearest E12 member."""
    known = Known.of(ohm, "Ω", Basis.TYPICAL, tolerance=0.3)
    load = advised_load(known)
    part = load / (load + ohm)
    assert 0.4 <= part <= 0.8
    opened = meter("bench").value(Function.AC_VOLTS, 1.0)
    assert telling(opened, meter("bench").value(Function.AC_VOLTS, part))


@pytest.fixture
def job() -> Job:
    """A receiver-amplifier with nothing read yet."""
    return new_job("a job", make_host("receiver_amplifier"))


def logged(job: Job, point: str, value: float, function: Function = Function.AC_VOLTS, **more: object) -> Job:
    """A reading against the point's usual return while it plays."""
    given = {"against": "host.input_return", "state": "aux", "when": WHEN} | more
    return log_reading(job, point=point, function=function, value=value, **given)


def test_pairs_of_readings_feed_the_model(job: Job) -> None:
    """Open and loaded give an impedance, full scale an e.m.f., direct and through a resistor an input impedance."""
    job = logged(job, "host.rec_left", 0.30, drive=FULL_SCALE)
    job = logged(job, "host.rec_left", 0.30, drive="1 kHz")
    job = logged(job, "host.rec_left", 0.15, drive="1 kHz", load=1000.0)
    job = logged(job, "host.aux_left", 0.30, drive="1 kHz")
    job = logged(job, "host.aux_left", 0.15, drive="1 kHz", series=47e3)
    job = logged(job, "host.rail_12v", 12.0, Function.DC_VOLTS, against="host.star")
    job = logged(job, "host.rail_12v", 11.0, Function.DC_VOLTS, against="host.star", load=22.0)
    job = logged(job, "host.input_return", 0.05, Function.DC_VOLTS, against="host.star", current=0.5)
    real = effective(job)
    assert real.terminal("host.rec_left").impedance.nominal == pytest.approx(1000, rel=0.01)
    assert real.terminal("host.rec_left").impedance.source == "readings r2 and r3"
    assert real.terminal("host.rec_left").emf.nominal == pytest.approx(0.30, rel=0.01)
    assert real.terminal("host.aux_left").impedance.nominal == pytest.approx(47e3, rel=0.05)
    assert real.terminal("host.rail_12v").resistance.nominal == pytest.approx(2.0, rel=0.01)
    assert real.terminal("host.rail_12v").voltage.nominal == 12.0
    assert real.host.paths[0].resistance.nominal == pytest.approx(0.1)


def test_a_pair_needs_the_same_state_drive_and_meter(job: Job) -> None:
    """Open in one state and loaded in another tell nothing; struck readings neither."""
    job = logged(job, "host.rec_left", 0.30, drive="1 kHz", state="tuner")
    job = logged(job, "host.rec_left", 0.15, drive="1 kHz", load=1000.0)
    assert derived(job) == ()
    job = logged(job, "host.rec_left", 0.30, drive="1 kHz")
    assert [d.field for d in derived(job)] == ["impedance"]
    assert derived(strike_reading(job, "r3")) == ()


def test_what_a_pair_cannot_tell_stays_as_it_was(job: Job) -> None:
    """The trouble is told, the papers count on."""
    job = logged(job, "host.rec_left", 0.30, drive="1 kHz")
    job = logged(job, "host.rec_left", 0.31, drive="1 kHz", load=1000.0)
    assert "not below" in derived(job)[0].trouble
    assert effective(job).terminal("host.rec_left").impedance.basis is Basis.TYPICAL


def test_the_log_finds_readings_by_point_and_pair(job: Job) -> None:
    """By the red probe, by either probe, between two; struck ones are not there."""
    job = logged(job, "host.rec_left", 0.30)
    job = logged(job, "host.rec_left", 0.0, Function.DC_VOLTS)
    job = logged(job, "host.input_return", 0.2, Function.RESISTANCE, against="host.star", state="off")
    log = log_of(job)
    assert log_of(job) is log
    assert [r.id for r in log.at("host.rec_left", Function.AC_VOLTS)] == ["r1"]
    assert {r.id for r in log.touching("host.input_return")} == {"r1", "r2", "r3"}
    assert [r.id for r in log.between("host.star", "host.input_return", Function.RESISTANCE)] == ["r3"]
    assert log_of(strike_reading(job, "r3")).touching("host.star") == ()


def test_a_reading_is_corrected_for_the_meter_before_it_counts(job: Job) -> None:
    """An output behind a megohm, biased at 1 V, shows a tenth less on 10 MΩ: what counts is what is there."""
    from pigtail.edits.values import set_value

    job = set_value(job, "host.rec_left", "impedance", Known.of(1e6, "Ω", Basis.DOCUMENTED))
    job = logged(job, "host.rec_left", 1.0 / 1.1, Function.DC_VOLTS)
    bias = effective(job).terminal("host.rec_left").bias
    assert bias.nominal == pytest.approx(1.0)
    assert "corrected for the meter" in bias.source
    plain = logged(job, "host.aux_left", 0.001, Function.DC_VOLTS)
    assert effective(plain).terminal("host.aux_left").dc.source == "reading r2"


def test_gains_ripple_and_ground_differences_are_told(job: Job) -> None:
    """From readings with the same drive, AC on a rail, volts between two returns."""
    job = logged(job, "host.aux_left", 0.1, drive="1 kHz")
    job = logged(job, "host.rec_left", 0.2, drive="1 kHz")
    job = logged(job, "host.rail_12v", 0.05, against="host.star")
    job = logged(job, "host.input_return", 0.002, Function.DC_VOLTS, against="host.star")
    found = {o.words: o for o in observed(job)}
    assert found["gain"].value.nominal == pytest.approx(6.02, abs=0.01)
    assert found["gain"].value.low < 6.02 < found["gain"].value.high
    assert (found["ripple"].a, found["ripple"].value.nominal) == ("host.rail_12v", 0.05)
    assert found["difference, DC volts"].b == "host.star"
