"""What the trade knows of supplies, against what is solved.

Sources: ripple I/(f·C), crest less diode drops, regulator heat and the zener's current as in Horowitz and Hill, The Art of Electronics,
3rd edition, chapter 9 (from memory); EN 50160 for the mains; IEC 60028 for copper. The rest is common practice: peak charging current 5 to
10 times the DC, 1000 µF per 100 mA for a volt, four fifths of a battery's capacity, 0.5 to 1 of it an hour to charge it.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

from pigtail.job.document import Job
from pigtail.job.energy import Earthed, KeptBy, Mains, Regulator
from pigtail.job.markings import decode
from pigtail.model.estimate import Estimate
from pigtail.model.model import Model
from pigtail.studies.power.study import study_power
from supplying import battery_job, rail_job, volts, winding_job


def numbers(job: Job) -> dict[str, Estimate]:
    """The numbers of Power."""
    return study_power(Model.of(job)).numbers


def nominal(job: Job, name: str) -> float:
    """A nominal number of Power."""
    found = numbers(job)[f"power.{name}"].value
    assert found is not None
    return found


def steady(job: Job) -> Job:
    """The job on mains that stand still."""
    return replace(job, mains=Mains(level=volts("1", "")))


def drawing(milliamperes: float) -> dict[str, object]:
    """A supply pin that draws a steady current [mA]."""
    return {
        "average": volts(f"{milliamperes} mA", "A"),
        "burst": volts(f"{milliamperes} mA", "A"),
        "maximum": volts("40 V"),
        "minimum": volts("3 V"),
    }


@pytest.mark.parametrize("milliamperes", [20.0, 50.0, 100.0])
@pytest.mark.parametrize(("kind", "times"), [("bridge", 2), ("half_wave", 1)])
def test_the_ripple_is_the_current_over_frequency_and_capacity(
    kind: str, times: int, milliamperes: float
) -> None:
    """ΔV = I/(f·C), which is the most: the conduction takes a part of the period off, a third at most here."""
    job = winding_job(
        kind,
        open_v="12 V",
        ohm="0.5 Ω",
        earthed=Earthed.NONE if kind == "bridge" else Earthed.SECOND,
        pin=drawing(milliamperes),
    )
    farads = 1e-3 if kind == "bridge" else 2.2e-3
    rule = milliamperes * 1e-3 / (times * 50.0 * farads)
    assert 0.65 * rule < nominal(job, "ripple_v") < 1.02 * rule


def test_a_volt_of_ripple_takes_a_thousand_microfarads_for_each_hundred_milliamperes() -> None:
    """At 100 Hz, and 10 µF do not smooth at all: the valley falls below half of the crest."""
    job = winding_job("bridge", open_v="12 V", ohm="0.5 Ω", earthed=Earthed.NONE, pin=drawing(100.0))
    assert nominal(job, "ripple_v") == pytest.approx(0.85, abs=0.2)
    small = _with_reservoir(job, 10e-6)
    n = numbers(small)
    assert (n["power.valley_v"].value or 0.0) < 0.5 * (n["power.crest_v"].value or 0.0)


def _with_reservoir(job: Job, farads: float) -> Job:
    link = job.links[0]
    section = link.sections[0]
    parts = tuple(replace(p, value=volts(f"{farads} F", "F")) if p.name == "c1" else p for p in section.parts)
    changed = replace(link, sections=(replace(section, parts=parts), *link.sections[1:]))
    return replace(job, links=(changed, *job.links[1:]))


@pytest.mark.parametrize(("kind", "drops"), [("bridge", 2), ("half_wave", 1)])
def test_the_crest_is_the_root_of_two_less_the_diodes(kind: str, drops: int) -> None:
    """√2·V less 0.5 to 0.9 V a diode with next to nothing drawn."""
    job = winding_job(
        kind,
        open_v="12 V",
        ohm="0.5 Ω",
        earthed=Earthed.NONE if kind == "bridge" else Earthed.SECOND,
        pin=drawing(1.0),
    )
    lost = math.sqrt(2) * 12 - nominal(steady(job), "crest_v")
    assert 0.3 * drops < lost < 0.9 * drops


def test_a_doubler_gives_twice_the_crest() -> None:
    """Less two diodes."""
    job = winding_job("doubler", open_v="12 V", ohm="0.5 Ω", pin=drawing(1.0))
    assert 2 * math.sqrt(2) * 12 - nominal(steady(job), "crest_v") == pytest.approx(1.3, abs=0.6)


def test_the_charging_current_is_many_times_the_direct_one() -> None:
    """Five to ten times through a stiff winding."""
    job = winding_job("bridge", open_v="12 V", ohm="0.5 Ω", earthed=Earthed.NONE, pin=drawing(100.0))
    assert 4 < nominal(job, "charging_a") / 0.1 < 12


def test_the_mains_move_the_crest_by_a_tenth() -> None:
    """EN 50160: ±10 %."""
    job = winding_job("bridge", open_v="12 V", earthed=Earthed.NONE, pin=drawing(20.0))
    crest, usual = nominal(job, "crest_v"), nominal(steady(job), "crest_v")
    assert crest == pytest.approx(1.1 * math.sqrt(2) * 12, abs=1.6)
    assert crest / usual == pytest.approx(1.1, abs=0.015)
    assert nominal(job, "valley_v") / nominal(steady(job), "valley_v") == pytest.approx(0.9, abs=0.015)


def test_a_7805_on_a_heater_winding_fails_at_low_mains_and_a_low_dropout_one_holds() -> None:
    """6.3 V, 6.9 V with nothing drawn: half wave leaves a low-dropout regulator its room with a large reservoir."""
    hot = study_power(Model.of(winding_job("half_wave_schottky", "linear_large")))
    assert "power.dropout" in {f.judgement for f in hot.findings if f.severity.value in ("fix", "unknown")}
    low = study_power(Model.of(winding_job("half_wave_schottky", "ldo")))
    assert not {f.code for f in low.findings if f.severity.value in ("stop", "fix", "unknown")}


@pytest.mark.parametrize(("rail", "current"), [(12.0, 0.1), (9.0, 0.2), (24.0, 0.05)])
def test_a_linear_regulator_burns_the_difference(rail: float, current: float) -> None:
    """P = (Vin − Vout)·I + Vin·Iq and Tj = Ta + P·θ."""
    pin = {"average": volts(f"{current} A", "A"), "burst": volts(f"{current} A", "A")}
    n = numbers(rail_job("linear_large", f"{rail} V", pin=pin))
    wanted = (rail - 0.1 * (current + 0.005) - 5.0) * current + rail * 0.005
    heat = n["power.regulator_w"].value
    assert heat == pytest.approx(wanted, rel=0.02)
    assert n["power.regulator_tj_c"].value == pytest.approx(35.0 + 60.0 * wanted, rel=0.02)


def test_a_buck_takes_what_it_gives_over_its_efficiency() -> None:
    """Iin = Vout·Iout/(η·Vin)."""
    pin = {"average": volts("0.2 A", "A"), "burst": volts("0.2 A", "A")}
    n = numbers(rail_job("buck", "12 V", pin=pin, used=volts("0 A", "A")))
    wanted = 5.0 * 0.2 / (0.85 * 12.0) + 0.002
    assert n["power.rail_current_a"].value == pytest.approx(wanted, rel=0.02)


def test_a_zener_carries_what_the_module_does_not() -> None:
    """I = (Vin − Vz)/R, all of it in the zener with nothing drawn: the heat is the most then."""
    pin = {
        "average": volts("10 mA", "A"),
        "burst": volts("20 mA", "A"),
        "maximum": volts("6 V"),
        "minimum": volts("4.5 V"),
    }
    n = numbers(rail_job("zener", "9 V", pin=pin))
    current = (9.0 - 5.1) / (100.0 + 0.1 + 7.0)
    assert n["power.regulator_w"].value == pytest.approx((5.1 + 7.0 * current) * current, rel=0.03)


def test_a_battery_lasts_four_fifths_of_its_capacity_over_the_current() -> None:
    """Hours = mAh·0.8/mA: 1000 mAh and 70 mA, a new cell."""
    job = battery_job(health=volts("1", ""))
    detail = study_power(Model.of(job)).supplies[0].battery
    assert detail is not None
    on = next(x for x in detail.lasting if x.state == "on")
    assert on.hours.value == pytest.approx(1000 * 0.8 / 70, rel=0.01)
    assert on.before.value == pytest.approx(1000 * 0.8 / 40, rel=0.01)


def test_a_smaller_cell_with_a_larger_load_plays_for_hours_instead_of_tens() -> None:
    """250 mAh of a player that takes 8 mA, 120 mAh with a wireless board's 30 mA more: about 25 hours, then two or three."""
    job = battery_job(capacity=volts("120 mAh", "Ah"), before=volts("250 mAh", "Ah"), health=volts("1", ""))
    host = replace(
        job.host,
        terminals=tuple(
            replace(t, used=volts("8 mA", "A")) if t.id == "rail" else t for t in job.host.terminals
        ),
    )
    detail = study_power(Model.of(replace(job, host=host))).supplies[0].battery
    assert detail is not None
    on = next(x for x in detail.lasting if x.state == "on")
    assert 20 < (on.before.value or 0) < 30
    assert 2 < (on.hours.value or 0) < 3


@pytest.mark.parametrize(("charge", "severity"), [("0.5 A", "good"), ("1 A", "good"), ("2 A", "stop")])
def test_a_charge_of_half_to_the_whole_capacity_suits(charge: str, severity: str) -> None:
    """0.5 to 1 C; a cell of 1 Ah."""
    found = study_power(Model.of(battery_job(charge=volts(charge, "A"))))
    assert {f.severity.value for f in found.findings if f.judgement == "power.charge_rate"} == {severity}


def test_the_hosts_own_regulator_gets_hotter_by_what_the_module_burns_in_it() -> None:
    """(12 − 5)·45 mA · 20 K/W more than before."""
    regulator = Regulator(fed=volts("12 V"), theta=volts("20 °C/W", "°C/W"))
    found = study_power(Model.of(rail_job("direct", "5 V ±2 %", kept=KeptBy.LINEAR, regulator=regulator)))
    (told,) = (f for f in found.findings if f.judgement == "power.host_regulator")
    before = 35 + 7 * 0.04 * 20
    assert told.value == pytest.approx(before + 7 * 0.045 * 20, abs=0.3)
    assert f"{before:.0f} °C before" in told.sentence


@pytest.mark.parametrize(
    ("marking", "output", "amperes"),
    [("78M05", 5.0, 0.5), ("L7805CV", 5.0, 1.0), ("78L12", 12.0, 0.1), ("7924", -24.0, 1.0), ("1117-3.3", 3.3, 0.8), ("7812", 12.0, 1.0)],
)  # fmt: skip
def test_the_last_two_digits_are_volts(marking: str, output: float, amperes: float) -> None:
    """7805 5 V, 7812 12 V, 7824 24 V; 78M half an ampere, 78L a tenth."""
    found = decode(marking)
    assert found is not None
    assert (found.volts, found.family.amperes) == (output, amperes)


@pytest.mark.parametrize("marking", ["4A7", "662K", "78", "7807", "", "NE555", "1117", "A78"])
def test_a_code_that_tells_nothing_is_looked_up(marking: str) -> None:
    """Codes of tiny cases, other chips and half a marking are not guessed at."""
    assert decode(marking) is None


def test_copper_drops_what_its_standard_says() -> None:
    """IEC 60028: 0.017241 Ω·mm²/m; AWG 24 is 0.205 mm²: 84 mΩ a metre, in a lead of 0.4 m at 0.4 A."""
    pin = {"average": volts("0.4 A", "A"), "burst": volts("0.4 A", "A")}
    job = rail_job("direct", "5 V", pin=pin, resistance=volts("1 mΩ", "Ω"))
    n = numbers(job)
    assert n["power.module_v"].value is not None
    area = np.pi / 4 * (0.127 * 92 ** ((36 - 26) / 39)) ** 2
    back = np.pi / 4 * (0.127 * 92 ** ((36 - 20) / 39)) ** 2
    ohm = 0.017241 * (0.45 / area + 0.4 / back)
    assert 5.0 - n["power.module_v"].value == pytest.approx(0.4 * (ohm + 0.002), rel=0.05)


def test_what_flows_at_switch_on_is_the_crest_over_the_resistance() -> None:
    """At the crest of high mains, the reservoir empty."""
    job = winding_job("bridge", open_v="12 V", ohm="0.5 Ω", earthed=Earthed.NONE, pin=drawing(100.0))
    assert nominal(job, "inrush_a") == pytest.approx(1.1 * math.sqrt(2) * 12 / (0.5 + 0.08 + 0.04), rel=0.01)
