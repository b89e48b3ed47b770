"""The demo's numbers against calculations by hand: each by the textbook formula, from the values as the job has them.

Divider, coupling corner, heat and current sharing are textbook network theory. Wire tables: ASTM B258 diameters and
IEC 60028 resistivity; the printed values here are those of common copper wire tables, from memory.
"""

from __future__ import annotations

import math

import pytest
import scipy.optimize
import scipy.signal

from pigtail.catalogue.demo import demo
from pigtail.edits.plan import set_converter
from pigtail.job.document import Job
from pigtail.studies.all import study_job
from pigtail.studies.returns.found import ReturnsFound
from pigtail.units.wire import awg_diameter_mm, ohm_per_m

STUDIES = study_job(demo("larkmoor").job)


def number(name: str) -> float:
    """A nominal number of the flawed demo."""
    value = STUDIES.numbers[name].value
    assert value is not None
    return value


def parallel(*ohms: float) -> float:
    """Resistances in parallel."""
    return 1 / sum(1 / r for r in ohms)


# The feed by hand: two outputs of 220 Ω through 4.7 kΩ each, 10 µF with 220 kΩ bleed, pad 1 kΩ / 2 kΩ, input 47 kΩ.
SOURCE = (220.0 + 4700.0) / 2
SHUNT = parallel(2000.0, 47e3)
AFTER_CAPACITOR = parallel(220e3, 1000.0 + SHUNT)


def test_delivered_level_is_the_divider_of_source_pad_and_load() -> None:
    """0.72 V · R∥/(Rs + R∥) · (R2∥RL)/(R1 + R2∥RL), in dBV."""
    volts = 0.72 * AFTER_CAPACITOR / (SOURCE + AFTER_CAPACITOR) * SHUNT / (1000.0 + SHUNT)
    assert number("level.delivered_dbv") == pytest.approx(20 * math.log10(volts), abs=2e-3)
    assert number("level.target_db") == pytest.approx(20 * math.log10(volts / 0.09), abs=2e-3)
    assert number("level.headroom_db") == pytest.approx(20 * math.log10(1.6 / volts), abs=2e-3)


def test_one_channel_alone_is_six_decibels_down() -> None:
    """With equal resistors and the other output silent but present, half the voltage arrives."""
    assert number("level.delivered_dbv") - number("level.one_channel_dbv") == pytest.approx(
        20 * math.log10(2), abs=1e-3
    )


def test_the_low_corner_is_that_of_the_coupling_capacitor() -> None:
    """1/(2πC·(Rs + Rload))."""
    corner = 1 / (2 * math.pi * 10e-6 * (SOURCE + AFTER_CAPACITOR))
    assert number("level.low_cut_hz") == pytest.approx(corner, rel=2e-3)


def test_the_low_corner_agrees_with_a_filter_library() -> None:
    """SciPy's response of the same first-order high-pass, its −3 dB point found by a root search."""
    zeros, poles = [0.0], [-1 / (10e-6 * (SOURCE + AFTER_CAPACITOR))]

    def above(hertz: float) -> float:
        _, h = scipy.signal.freqs_zpk(zeros, poles, 1.0, worN=[2 * math.pi * hertz])
        return abs(h[0]) - 1 / math.sqrt(2)

    assert number("level.low_cut_hz") == pytest.approx(scipy.optimize.brentq(above, 0.1, 100.0), rel=2e-3)


def test_the_high_corner_is_that_of_the_cable() -> None:
    """The input's 120 pF and the short open wire beside it, behind what the pad drives them from: 2 kΩ beside 1 kΩ and the sum."""
    capacitance = 120e-12 + 0.05 * 60e-12
    corner = 1 / (2 * math.pi * capacitance * parallel(SHUNT, 1000.0 + parallel(SOURCE, 220e3)))
    assert number("level.high_cut_hz") == pytest.approx(corner, rel=0.08)


def test_the_network_loads_each_output_with_its_share() -> None:
    """Both channels driven alike: each sees its own resistor and twice the common load."""
    assert number("level.load_ohm") == pytest.approx(4700.0 + 2 * AFTER_CAPACITOR, rel=2e-3)


WIRE_26 = 0.6 * ohm_per_m(26)
VIN = 24.1 - (0.045 + 0.004) * (0.2 + WIRE_26)


def test_regulator_heat_and_junction() -> None:
    """P = (Vin − Vout)·I + Vin·Iq; Tj = Ta + P·θ, with 24.1 V read on the rail."""
    vout = 5.0 - 0.045 * 0.1
    heat = (VIN - vout) * 0.045 + VIN * 0.004
    assert number("power.regulator_w") == pytest.approx(heat, rel=1e-3)
    assert number("power.regulator_tj_c") == pytest.approx(40 + 160 * heat, rel=1e-3)


def test_a_linear_regulator_takes_from_the_rail_what_the_module_draws() -> None:
    """35 mA used + 4 mA of its own + 45 mA average, 130 mA in bursts; the rail gives 120 mA."""
    assert number("power.rail_current_a") == pytest.approx(0.035 + 0.004 + 0.045, rel=1e-3)
    assert number("power.rail_current_burst_a") == pytest.approx(0.035 + 0.004 + 0.130, rel=1e-3)
    assert number("power.rail_margin_a") == pytest.approx(0.12 - 0.169, rel=1e-3)


def test_dropout_margin_is_taken_in_the_burst() -> None:
    """Vin − Vout − dropout with the burst's drop in rail and wire."""
    vin = 24.1 - 0.134 * (0.2 + WIRE_26)
    assert number("power.dropout_margin_v") == pytest.approx(vin - 5.0 - 2.0, rel=2e-3)


def test_a_buck_draws_by_power(larkmoor: Job) -> None:
    """Iin = Vout·Iout/(η·Vin) + Iq."""
    studies = study_job(set_converter(larkmoor, "supply", "buck"))
    wanted = 0.035 + 0.002 + 5.0 * 0.130 / (0.85 * 24.1)
    assert studies.numbers["power.rail_current_burst_a"].value == pytest.approx(wanted, rel=2e-3)


def test_module_voltage_is_what_the_short_wire_leaves() -> None:
    """Vout − I·Rout − I·R of 5 cm of AWG 26."""
    wanted = 5.0 - 0.130 * (0.1 + 2 * 0.05 * ohm_per_m(26))
    assert number("power.module_v_burst") == pytest.approx(wanted, abs=2e-3)


def test_two_returns_share_the_burst_as_their_conductances() -> None:
    """Ia = I·Rs/(Rs + Ra + Rboard + Rpath), its drop Ia·Ra divided like the signal, re programme, 18 dB under full scale."""
    total = 2 * WIRE_26 + 0.005 + 0.060
    beyond = 0.130 - 0.045  # the alternating part of a burst: what it draws beyond its average
    audio = beyond * WIRE_26 / total
    detail = STUDIES.of(ReturnsFound).detail
    assert detail is not None
    currents = {b.link: abs(b.current) for b in detail.branches if b.link}
    assert currents["audio_return"] == pytest.approx(audio, rel=0.03)
    assert currents["supply_return"] == pytest.approx(beyond - audio, rel=0.05)
    divider = AFTER_CAPACITOR / (SOURCE + AFTER_CAPACITOR) * SHUNT / (1000.0 + SHUNT)
    buzz = audio * WIRE_26 * divider
    assert number("returns.buzz_dbv") == pytest.approx(20 * math.log10(buzz), abs=0.3)
    assert number("returns.buzz_db") == pytest.approx(
        20 * math.log10(buzz / (0.72 * divider)) + 18.0, abs=0.3
    )


@pytest.mark.parametrize(
    ("gauge", "diameter_mm", "ohm_per_km"),
    [
        (10, 2.588, 3.277),
        (18, 1.024, 20.95),
        (20, 0.8118, 33.31),
        (24, 0.5106, 84.22),
        (26, 0.4049, 133.9),
        (30, 0.2546, 338.6),
    ],
)
def test_wire_agrees_with_the_printed_tables(gauge: int, diameter_mm: float, ohm_per_km: float) -> None:
    """Diameters by ASTM B258; resistance of annealed copper at 20 °C by IEC 60028."""
    assert awg_diameter_mm(gauge) == pytest.approx(diameter_mm, rel=1e-3)
    assert 1000 * ohm_per_m(gauge) == pytest.approx(ohm_per_km, rel=2e-3)


def test_three_gauges_double_the_resistance_nearly() -> None:
    """A facts-of-the-trade check: three numbers up halve the area, ten make it a tenth (to within 2 %)."""
    assert ohm_per_m(27) / ohm_per_m(24) == pytest.approx(2.0, rel=0.01)
    assert ohm_per_m(34) / ohm_per_m(24) == pytest.approx(10.0, rel=0.02)
