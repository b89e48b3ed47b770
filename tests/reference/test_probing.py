"""What a meter reads and what two readings tell, against independent routes: the circuit engine, closed forms, the standard's limits."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from pigtail.circuit import ac, operating_point, parse
from pigtail.job.derive import input_impedance, open_level, source_impedance
from pigtail.job.document import Function
from pigtail.job.meters import meter
from pigtail.studies.survey.discharge import SAFE_V, SOLDER_V, seconds_to
from pigtail.units import Basis
from pigtail.units.known import Known


def exact(value: float, unit: str) -> Known:
    """A value without spread."""
    return Known.of(value, unit, Basis.MEASURED)


@pytest.mark.parametrize(
    ("rs", "load", "zm"), [(470.0, 1e3, 10e6), (10e3, 22e3, 1e6), (100e3, 100e3, 1e6), (1e6, 1e6, 10e6)]
)
def test_source_impedance_by_loading_is_that_of_the_circuit(rs: float, load: float, zm: float) -> None:
    """Independent route: nodal analysis of source, meter and load; the relation must give back what was put in."""
    deck = f"s\nV1 e 0 0.7\nRs e a {rs}\nRm a 0 {zm}\n"
    opened = operating_point(parse(deck)).v("a")[0]
    loaded = operating_point(parse(deck + f"Rl a 0 {load}\n")).v("a")[0]
    found = source_impedance(exact(opened, "V"), exact(loaded, "V"), exact(load, "Ω"), zm)
    assert found.nominal == pytest.approx(rs, rel=1e-9)
    assert open_level(exact(opened, "V"), exact(rs, "Ω"), zm).nominal == pytest.approx(0.7, rel=1e-9)


@pytest.mark.parametrize(("zin", "series", "zm"), [(47e3, 47e3, 10e6), (10e3, 22e3, 1e6), (1e6, 470e3, 10e6)])
def test_input_impedance_by_a_series_resistor_is_that_of_the_circuit(
    zin: float, series: float, zm: float
) -> None:
    """Independent route as above: Zin = R·V2/(V1 − V2) with the meter's own load taken out."""
    through = operating_point(parse(f"s\nV1 e 0 1\nR1 e a {series}\nRi a 0 {zin}\nRm a 0 {zm}\n")).v("a")[0]
    found = input_impedance(exact(1.0, "V"), exact(through, "V"), exact(series, "Ω"), zm)
    assert found.nominal == pytest.approx(zin, rel=1e-9)


def test_a_meter_on_ac_is_the_parallel_of_its_resistance_and_capacitance() -> None:
    """Independent route: AC analysis of the two in parallel."""
    kind = meter("handheld")
    deck = f"m\nI1 0 a AC 1\nR1 a 0 {kind.ac_ohm}\nC1 a 0 {kind.ac_farad}\n"
    for hertz in (50.0, 1e3, 2e4):
        assert kind.load_ohm(Function.AC_VOLTS, hertz) == pytest.approx(
            abs(ac(parse(deck), [hertz]).v("a")[0, 0]), rel=1e-9
        )


@pytest.mark.parametrize(("volts", "ohm", "farad"), [(325.0, 470e3, 220e-6), (38.0, 4700.0, 4700e-6)])
def test_discharging_agrees_with_an_integrated_differential_equation(
    volts: float, ohm: float, farad: float
) -> None:
    """Independent route: dv/dt = −v/RC integrated numerically by SciPy to the moment at which the limit is crossed."""

    def crossed(_t: float, v: np.ndarray) -> float:
        return float(v[0] - SOLDER_V)

    crossed.terminal = True  # type: ignore[attr-defined]
    run = solve_ivp(
        lambda _t, v: -v / (ohm * farad), (0, 50 * ohm * farad), [volts], events=crossed, rtol=1e-9, atol=1e-9
    )
    assert seconds_to(volts, SOLDER_V, ohm, farad) == pytest.approx(run.t_events[0][0], rel=1e-6)


def test_limits_are_those_of_the_standard() -> None:
    """IEC 62368-1, class ES1 at the limit for direct voltage: 60 V (from memory). 10 V before soldering: common practice."""
    assert (SAFE_V, SOLDER_V) == (60.0, 10.0)
    assert seconds_to(60.0, SAFE_V, 1e3, 1e-3) == 0.0
    assert seconds_to(60.0 * math.e, SAFE_V, 1e3, 1e-3) == pytest.approx(1.0)
