"""Circuits in time against closed forms, and what must hold in any run: charge, corners, batches."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pigtail.circuit import CircuitError, ConvergenceError, parse, transient

RC = "rc\n.param r=1k c=1u\nV1 in 0 PULSE(0 1 0 1n 1n 1 2)\nR1 in out {r}\nC1 out 0 {c}\n"
RLC = "rlc\nV1 in 0 PULSE(0 1 0 1n 1n 1 2)\nR1 in a 100\nL1 a out 10m\nC1 out 0 1u\n"


def test_a_capacitor_charges_by_its_exponential() -> None:
    """v = 1 − exp(−t/RC) at every step that the error control takes."""
    run = transient(parse(RC), 5e-3, 1e-5)
    exact = 1 - np.exp(-run.times / 1e-3)
    assert run.v("out")[0] == pytest.approx(exact, abs=5e-4)
    assert 20 < run.times.size < 2000


@pytest.mark.parametrize("method", ["gear", "trap"])
def test_a_resonant_circuit_rings_as_it_should(method: str) -> None:
    """Step response of a series RLC: 1 − exp(−at)·(cos wt + a/w·sin wt), with a = R/2L."""
    run = transient(parse(RLC), 2e-3, 1e-6, method=method)
    a, w0 = 100 / (2 * 10e-3), 1 / math.sqrt(10e-3 * 1e-6)
    w = math.sqrt(w0**2 - a**2)
    t = run.times
    exact = 1 - np.exp(-a * t) * (np.cos(w * t) + a / w * np.sin(w * t))
    assert run.v("out")[0] == pytest.approx(exact, abs=6e-3)
    assert float(run.v("out").max()) == pytest.approx(1 + math.exp(-a * math.pi / w), abs=3e-3)


@pytest.mark.parametrize("method", ["gear", "trap"])
def test_half_the_step_makes_a_quarter_of_the_error(method: str) -> None:
    """Both rules are of second order: with equal steps the error falls with the square of the step."""
    deck = parse("decay\nI1 0 a SIN(0 1m 200)\nR1 a 0 1k\nC1 a 0 1u\n")
    reference = transient(deck, 10e-3, 2e-7, fixed=True, method=method).v("a")[0, -1]
    errors = [
        abs(transient(deck, 10e-3, h, fixed=True, method=method).v("a")[0, -1] - reference)
        for h in (2e-5, 1e-5)
    ]
    assert errors[0] / errors[1] == pytest.approx(4.0, rel=0.15)


def test_the_trapezoidal_rule_keeps_the_energy_of_a_resonance() -> None:
    """An LC without loss goes on for a hundred periods; Gear's rule damps it a little, which is why it may be chosen."""
    deck = parse("tank\nC1 a 0 1u ic=1\nL1 a 0 1m\nR1 a 0 1g\n")
    period = 2 * math.pi * math.sqrt(1e-9)
    kept, damped = (
        np.abs(
            transient(deck, 100 * period, period / 200, fixed=True, from_initial=True, method=m).v("a")[
                0, -200:
            ]
        ).max()
        for m in ("trap", "gear")
    )
    assert kept == pytest.approx(1.0, abs=2e-3)
    assert damped < kept


def test_charge_is_neither_made_nor_lost() -> None:
    """Two capacitors joined by a resistor share their charge: C1·v1 + C2·v2 stays, to rounding."""
    deck = parse("share\nC1 a 0 2u ic=5\nC2 b 0 1u ic=-1\nR1 a b 1k\n")
    run = transient(deck, 20e-3, 1e-5, from_initial=True)
    charge = 2e-6 * run.v("a")[0] + 1e-6 * run.v("b")[0]
    assert charge[1:] == pytest.approx(np.full(run.times.size - 1, 9e-6), rel=1e-9)
    assert run.v("a")[0, -1] == pytest.approx(3.0, abs=1e-3)


def test_charge_through_a_diode_is_what_the_capacitor_holds() -> None:
    """A bent capacitance conserves charge too: the integral of the current is C·v at the end."""
    deck = parse(
        "d\n.model d d(is=1n cjo=200p tt=20n)\nV1 in 0 PULSE(-2 3 1u 10n 10n 5u 20u)\nR1 in a 1k\nD1 a b d\nC1 b 0 10n\nR2 b 0 1g\n"
    )
    run = transient(deck, 15e-6, 1e-8)
    into = np.trapezoid(run.i("r1")[0], run.times)
    on_diode = run.v("a", "b")[0]
    stored = 10e-9 * (run.v("b")[0, -1] - run.v("b")[0, 0])
    assert into == pytest.approx(stored, rel=0.02, abs=200e-12 * np.ptp(on_diode))


def test_steps_land_on_the_corners_of_a_source() -> None:
    """Every corner of a pulse and of a piecewise line is a point of the run."""
    deck = parse(
        "c\nV1 a 0 PULSE(0 1 1m 0.1m 0.2m 1m 4m)\nV2 b 0 PWL(0 0 0.5m 2 3m -1)\nR1 a b 1k\nC1 b c 1n\nR2 c 0 1k\n"
    )
    run = transient(deck, 5e-3, 1e-4)
    for corner in (0.5e-3, 1e-3, 1.1e-3, 2.1e-3, 2.3e-3, 3e-3, 5e-3):
        assert np.min(np.abs(run.times - corner)) < 1e-12, corner
    assert run.v("b")[0] == pytest.approx(
        np.interp(run.times, [0, 0.5e-3, 3e-3, 5e-3], [0, 2, -1, -1]), abs=1e-9
    )


def test_a_run_from_rest_starts_at_the_operating_point() -> None:
    """Without `uic` nothing moves until a source does; with it the given charges count."""
    still = transient(parse("s\nV1 in 0 DC 5\nR1 in a 1k\nC1 a 0 1u ic=1\n"), 1e-3, 1e-5)
    assert still.v("a")[0] == pytest.approx(np.full(still.times.size, 5.0))
    moving = transient(parse("s\nV1 in 0 DC 5\nR1 in a 1k\nC1 a 0 1u ic=1\n"), 1e-3, 1e-5, from_initial=True)
    assert moving.v("a")[0] == pytest.approx(5 - 4 * np.exp(-moving.times / 1e-3), abs=2e-3)


def test_an_inductor_may_start_with_a_current() -> None:
    """L/R decay of a given current."""
    run = transient(parse("l\nL1 a 0 10m ic=20m\nR1 a 0 100\n"), 5e-4, 1e-6, from_initial=True)
    assert run.i("l1")[0] == pytest.approx(20e-3 * np.exp(-run.times / 1e-4), abs=2e-5)


def test_the_kept_part_starts_where_it_is_asked_to() -> None:
    """Results before `start`, and nodes that are not wanted, are not kept."""
    run = transient(parse(RC), 5e-3, 1e-5, start=2e-3, outputs=["out"])
    assert run.times[0] >= 2e-3 * (1 - 1e-9)
    assert run.v("out")[0] == pytest.approx(1 - np.exp(-run.times / 1e-3), abs=5e-4)
    with pytest.raises(CircuitError, match="not among the outputs"):
        run.v("in")


def test_a_batch_in_time_equals_its_samples_one_by_one() -> None:
    """Equal steps: the same points, the same values as each sample alone."""
    circuit = parse(
        "half wave\n.param r=1k c=10u\n.model d d(is=2.5n n=1.75 rs=0.1)\nV1 in 0 SIN(0 8 50)\nR0 in a 2\nD1 a out d\nC1 out 0 {c}\nR1 out 0 {r}\n"
    )
    rng = np.random.default_rng(5)
    r, c = rng.uniform(300, 3000, 6), rng.uniform(2e-6, 5e-5, 6)
    together = transient(circuit, 40e-3, 1e-4, fixed=True, samples={"r": r, "c": c})
    assert together.v("out").shape == (6, together.times.size)
    for k in range(6):
        alone = transient(circuit, 40e-3, 1e-4, fixed=True, samples={"r": r[k], "c": c[k]})
        assert together.v("out")[k] == pytest.approx(alone.v("out")[0], abs=2e-3)


def test_error_control_of_a_batch_goes_by_its_worst_sample() -> None:
    """All samples in step, each as accurate as alone."""
    taus = np.array([1e-4, 1e-3, 1e-2])
    run = transient(parse(RC), 5e-3, 1e-5, samples={"r": taus / 1e-6})
    exact = 1 - np.exp(-run.times[None] / taus[:, None])
    assert run.v("out") == pytest.approx(exact, abs=6e-4)


def test_ripple_follows_the_rule_of_the_trade() -> None:
    """Full wave: ripple is near I/(2fC) while it is small (the discharge lasts a little less than the half period)."""
    deck = """full wave
.model d d(is=2.5n n=1.75 rs=0.02)
V1 a b SIN(0 14 50)
D1 a p d
D2 b p d
D3 0 a d
D4 0 b d
C1 p 0 4700u
I1 p 0 0.2
R1 p 0 1meg
R2 b 0 10meg
"""
    run = transient(parse(deck), 0.2, 5e-5, start=0.16)
    ripple = float(np.ptp(run.v("p")))
    rule = 0.2 / (2 * 50 * 4700e-6)
    assert 0.75 * rule < ripple < rule


@settings(max_examples=25, deadline=None)
@given(st.floats(10, 1e5), st.floats(1e-9, 1e-5), st.floats(0.1, 100))
def test_scaling_impedance_or_time_changes_nothing_else(r: float, c: float, scale: float) -> None:
    """All impedances times k leaves voltages alone; the course depends on t/RC only."""
    tau = r * c

    def end(resistance: float, capacitance: float, span: float) -> float:
        deck = f"s\nV1 in 0 PULSE(0 1 0 {span * 1e-6!r} 1 {9 * span!r} {99 * span!r})\nR1 in o {resistance!r}\nC1 o 0 {capacitance!r}\n"
        return float(transient(parse(deck), span, span / 200, fixed=True).v("o")[0, -1])

    plain = end(r, c, 2 * tau)
    assert end(r * scale, c / scale, 2 * tau) == pytest.approx(plain, rel=1e-6)
    assert end(r * scale, c, 2 * tau * scale) == pytest.approx(plain, rel=1e-6)


@pytest.mark.parametrize(("stop", "step", "start"), [(0.0, 1e-3, 0.0), (1e-3, 2e-3, 0.0), (1e-3, 1e-4, 1e-3), (math.inf, 1e-3, 0.0), (1e-3, -1e-4, 0.0)])  # fmt: skip
def test_times_without_a_meaning_are_refused(stop: float, step: float, start: float) -> None:
    """A run ends after it starts, by steps above nought."""
    with pytest.raises(CircuitError, match="a transient needs"):
        transient(parse(RC), stop, step, start=start)


def test_a_run_that_would_not_end_is_refused_at_once() -> None:
    """A sine of a gigahertz for a second asks for more steps than anyone would wait for."""
    with pytest.raises(ConvergenceError, match="more than 1,000,000 steps"):
        transient(parse("t\nV1 a 0 SIN(0 1 1g)\nR1 a 0 1k\n"), 1.0, 1e-3)


def test_a_relation_of_time_is_followed() -> None:
    """A B source may read the time itself."""
    run = transient(
        parse("t\nB1 a 0 v=2*sin(6283.185307179586*time)\nR1 a 0 1k\n"), 1e-3, 1e-5, max_step=1e-5
    )
    assert run.v("a")[0] == pytest.approx(2 * np.sin(2 * np.pi * 1e3 * run.times), abs=1e-9)


def test_a_switch_opens_and_closes_at_its_moment() -> None:
    """A comparator with hysteresis driven by a ramp: the output changes within a thousandth of the longest step."""
    deck = parse(
        "t\n.model s sw(vt=1 vh=0 ron=1 roff=1meg)\nV1 c 0 PWL(0 0 1m 2)\nV2 p 0 5\nR1 p o 1k\nS1 o 0 c 0 s\nC1 o 0 1p\n"
    )
    run = transient(deck, 1e-3, 1e-5)
    moment = run.times[np.argmax(run.v("o")[0] < 2.5)]
    assert moment == pytest.approx(0.5e-3, abs=1e-3 * 1e-3 / 50 * 3)
