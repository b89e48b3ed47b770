"""How a number came about, told with the job's own figures: the steps reckon out, and nothing is told that was not reckoned."""

from __future__ import annotations

import math
import re

import pytest
from msgspec.structs import replace

from pigtail import edits
from pigtail.catalogue.demo import demo
from pigtail.job.document import Job, SupplyIn
from pigtail.job.measured import Measured
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity
from pigtail.studies.narrating import figures_of
from pigtail.units import Basis, Known, parse_quantity


def told(job: Job, code: str) -> tuple[str, ...]:
    """The steps of a finding by its code."""
    studies = study_job(job)
    finding = next(f for f in studies.findings if f.code == code)
    return figures_of(job, studies, finding)


def test_a_level_is_told_from_source_to_input_and_reckons_out() -> None:
    """The divider of the sentence, worked out by hand, gives the volts it names (IEC 60268-15 counts levels by e.m.f.)."""
    way, wanted = told(demo("larkmoor").job, "level.fits")
    assert "720 mV behind 220 Ω, through 4.7 kΩ and 4.7 kΩ (sum)" in way
    assert way.endswith("into 47 kΩ leaves 255 mV: −11.9 dBV.")
    half, load = (220 + 4700) / 2, 1 / (1 / 2000 + 1 / 47e3)
    behind = half + 1000 + load
    bled = 1 / (1 / 220e3 + 1 / (1000 + load))
    at_sum = 0.72 * bled / (half + bled)
    assert at_sum * load / (1000 + load) == pytest.approx(0.255, rel=0.02)
    assert behind > half
    assert wanted == "Record input wants 90 mV: −20.9 dBV; it gets 9.1 dB over that."
    assert 20 * math.log10(0.255 / 0.090) == pytest.approx(9.1, abs=0.1)


def test_heat_and_rail_are_told_in_steps_that_add_up() -> None:
    """P = (Vin − Vout)·I + Vin·Iq, and the junction over the case by its resistance."""
    heat, junction = told(demo("larkmoor").job, "power.overheats")
    volts = [float(x) for x in re.findall(r"([\d.]+) V", heat)]
    milliamps, milliwatts = (float(re.findall(rf"([\d.]+) {u}", heat)[0]) for u in ("mA", "mW"))
    least = (volts[0] - volts[1]) * milliamps
    assert least <= milliwatts <= 1.2 * least
    per_watt, rise, case, end = (float(x) for x in re.findall(r"(\d+) °C", junction))
    assert per_watt * milliwatts / 1000 == pytest.approx(rise, rel=0.02)
    assert rise + case == pytest.approx(end, abs=1.5)
    taken, spare = told(demo("larkmoor").job, "power.rail_overload")
    drawn = parse_quantity(re.findall(r"make ([\d.]+ mA)", taken)[0], "A")
    can, missing = (parse_quantity(x, "A") for x in re.findall(r"([\d.]+ mA)", spare))
    assert drawn - can == pytest.approx(missing, abs=1e-3)


def test_what_reaches_the_pins_is_told_against_what_they_stand() -> None:
    """Both ends."""
    low = told(demo("tidewell").job, "power.not_too_low")
    high = told(demo("tidewell").job, "power.not_too_high")
    assert "in a burst; it wants 3.5 V or more." in low[0]
    assert "at the most; it wants 5.25 V or less." in high[0]
    assert low[1].endswith("of room.")


@pytest.mark.parametrize("name", ["larkmoor", "tidewell"])
def test_every_number_that_moves_is_told_and_none_that_was_not_reckoned(name: str) -> None:
    """A finding with a value has its story or nothing at all; no “None”, “nan” or empty name; unknowns are never figures."""
    job = demo(name).job
    for paper in (
        job,
        edits.set_value(
            job, next(a for a in job.addresses() if a.startswith("host.") and "in" in a), "impedance", None
        ),
    ):
        studies = study_job(paper)
        for finding in studies.findings:
            for step in figures_of(paper, studies, finding):
                assert step.endswith(".")
                assert step[0] == step[0].upper()
                assert not re.search(r"None|nan|\?\?|  ", step)
    bare = replace(job, links=())
    studies = study_job(bare)
    assert not any(figures_of(bare, studies, f) for f in studies.of(type(studies.found[2])).findings)


def test_what_was_read_is_told_and_not_what_the_papers_said() -> None:
    """The sentence holds the values that were reckoned with: a reading counts above the paper."""
    job = demo("larkmoor").job
    paper = edits.set_value(
        job, "host.record_in", "impedance", Known.of(20e3, "Ω", Basis.TYPICAL, tolerance=0.5)
    )
    counts = Measured(paper).job.terminal("host.record_in").impedance
    assert counts.nominal == pytest.approx(49.0e3, rel=0.01)
    assert "into 49 kΩ leaves 256 mV" in told(paper, "level.fits")[0]


def test_a_number_that_is_not_settled_is_told_with_its_spread() -> None:
    """The middle alone would look like good: where the finding is unknown both ends are told, and nowhere else."""
    job = demo("tidewell").job
    pin = next(a for a in job.addresses() if isinstance(job.terminal(a), SupplyIn))
    wide = Known(nominal=4.9, low=3.5, high=5.2, unit="V", basis=Basis.TYPICAL)
    job = edits.set_value(job, pin, "minimum", wide)
    studies = study_job(job)
    finding = next(
        f for f in studies.findings if f.number.endswith("low_margin_v") and f.code.startswith("power.")
    )
    assert finding.severity is Severity.UNKNOWN
    assert "so it is not settled" in figures_of(job, studies, finding)[-1]
    settled = [f for f in studies.findings if f.severity is not Severity.UNKNOWN]
    assert not any("not settled" in s for f in settled for s in figures_of(job, studies, f))
