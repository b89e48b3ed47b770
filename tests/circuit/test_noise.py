"""Noise against closed forms: thermal, shot and flicker, carried to the output and referred to the source."""

import math

import numpy as np
import pytest

from pigtail.circuit import CircuitError, noise, parse
from pigtail.circuit.noises import integral

BOLTZMANN = 1.380649e-23
CHARGE = 1.602176634e-19
FOUR_KT = 4 * BOLTZMANN * 300.15
AUDIO = np.geomspace(20, 20e3, 61)


def test_a_resistor_makes_the_noise_of_its_resistance() -> None:
    """Density √(4kTR): 4.07 nV/√Hz for 1 kΩ at 27 °C, 0.575 µV over 20 Hz to 20 kHz."""
    found = noise(parse("r\nV1 in 0 0\nR1 in out 1k\nR2 out 0 1e15\n"), AUDIO, "out", "v1")
    assert found.output_density[0] == pytest.approx(np.full(61, math.sqrt(FOUR_KT * 1e3)), rel=1e-6)
    assert found.output_total[0] == pytest.approx(math.sqrt(FOUR_KT * 1e3 * 19980), rel=1e-6)
    assert found.output_total[0] == pytest.approx(0.575e-6, rel=2e-3)


def test_a_capacitor_bounds_it_to_kt_over_c() -> None:
    """Over all frequencies a resistor across a capacitor leaves √(kT/C), whatever its resistance."""
    wide = np.geomspace(1e-2, 1e11, 2001)
    for ohm in (1e3, 1e5):
        found = noise(parse(f"rc\nI1 0 out 0\nR1 out 0 {ohm}\nC1 out 0 100p\n"), wide, "out")
        assert found.output_total[0] == pytest.approx(math.sqrt(BOLTZMANN * 300.15 / 100e-12), rel=1e-3)


def test_a_divider_makes_the_noise_of_its_parallel_resistance() -> None:
    """R1 ∥ R2 at the output; referred to the source it is that over the gain; the parts add as squares."""
    found = noise(parse("d\nV1 in 0 0\nR1 in out 10k\nR2 out 0 2k\n"), AUDIO, "out", "v1")
    parallel = 1 / (1 / 10e3 + 1 / 2e3)
    assert found.output_density[0, 0] == pytest.approx(math.sqrt(FOUR_KT * parallel), rel=1e-9)
    assert found.input_density == pytest.approx(found.output_density * 6)
    assert found.input_total == pytest.approx(found.output_total * 6)
    assert found.part_total("r1")[0] ** 2 + found.part_total("r2")[0] ** 2 == pytest.approx(
        found.output_total[0] ** 2
    )
    assert found.part_total("r1")[0] / found.part_total("r2")[0] == pytest.approx(math.sqrt(2e3 / 10e3))


def test_noise_between_two_nodes_counts_what_is_common_once() -> None:
    """A resistor that feeds both nodes alike is not heard between them."""
    found = noise(
        parse("b\nV1 s 0 0\nRc s c 10k\nR1 c a 1k\nR2 c b 1k\nRl a b 1e12\n"), AUDIO, "a", against="b"
    )
    assert found.output_density[0, 0] == pytest.approx(math.sqrt(FOUR_KT * 2e3), rel=1e-6)
    assert found.part_total("rc")[0] < 1e-12


def test_a_diode_makes_shot_noise() -> None:
    """√(2qI) into the resistance of the diode, kT/qI: half the power of a resistor of that size."""
    found = noise(parse("s\n.model d d(is=1e-14)\nI1 0 a 1m\nD1 a 0 d\n"), AUDIO, "a")
    slope = BOLTZMANN * 300.15 / CHARGE / 1e-3
    assert found.output_density[0] == pytest.approx(np.full(61, math.sqrt(FOUR_KT * slope / 2)), rel=1e-6)


def test_a_transistor_makes_shot_noise_of_both_currents() -> None:
    """Collector noise √(2q·IC)·RC and base noise √(2q·IB) times the current gain, at a base held by a large resistor."""
    deck = "q\n.model n npn(is=1e-15 bf=100)\nV1 s 0 10\nIb 0 b 10u\nRc s c 1k\nQ1 c b 0 n\n"
    found = noise(parse(deck), AUDIO, "c")
    collector, base = found.part_total("q1: collector shot")[0], found.part_total("q1: base shot")[0]
    span = math.sqrt(19980)
    assert collector == pytest.approx(math.sqrt(2 * CHARGE * 1e-3) * 1e3 * span, rel=1e-3)
    assert base == pytest.approx(math.sqrt(2 * CHARGE * 10e-6) * 100 * 1e3 * span, rel=1e-3)


def test_flicker_falls_as_one_over_the_frequency() -> None:
    """KF·I^AF/f: its total over n decades grows with the square root of ln(f2/f1)."""
    deck = "f\n.model d d(is=1e-14 kf=1e-14 af=1)\nI1 0 a 1m\nD1 a 0 d\n"
    three = noise(parse(deck), np.geomspace(1, 1e3, 31), "a").part_total("d1: flicker")[0]
    slope = BOLTZMANN * 300.15 / CHARGE / 1e-3
    assert three == pytest.approx(slope * math.sqrt(1e-14 * 1e-3 * math.log(1e3)), rel=1e-6)


def test_a_switch_makes_the_noise_of_its_resistance() -> None:
    """A closed analog switch is a resistor to the noise."""
    found = noise(
        parse("s\n.model s sw(vt=1 ron=100 roff=1g)\nVc c 0 2\nV1 in 0 0\nS1 in o c 0 s\nR1 o 0 1g\n"),
        AUDIO,
        "o",
    )
    assert found.part_total("s1: thermal")[0] == pytest.approx(math.sqrt(FOUR_KT * 100 * 19980), rel=1e-5)


def test_a_warm_resistor_is_noisier() -> None:
    """As the square root of the absolute temperature."""
    cold, warm = (
        noise(parse(f"t\nI1 0 a 0\nR1 a 0 1k\n.temp {t}\n"), AUDIO, "a").output_total[0] for t in (27, 87)
    )
    assert warm / cold == pytest.approx(math.sqrt(360.15 / 300.15), rel=1e-12)


def test_noise_of_a_batch_has_a_row_for_each_sample() -> None:
    """Sampled resistances: √R each."""
    found = noise(parse("b\n.param r=1k\nI1 0 a 0\nR1 a 0 {r}\n"), AUDIO, "a", samples={"r": [1e3, 4e3, 9e3]})
    assert found.output_density.shape == (3, 61)
    assert found.output_total / found.output_total[0] == pytest.approx([1, 2, 3])


@pytest.mark.parametrize("power", [0.0, -1.0, -2.0, 1.5])
def test_the_integral_of_a_power_is_exact(power: float) -> None:
    """Between points a density is taken to follow a power of the frequency, 1/f among them."""
    f = np.geomspace(10, 1000, 4)
    exact = math.log(100) if power == -1 else (1000 ** (power + 1) - 10 ** (power + 1)) / (power + 1)
    assert integral(f, f[None] ** power)[0] == pytest.approx(exact, rel=1e-9)


@pytest.mark.parametrize(
    ("hertz", "node", "against", "source", "words"),
    [
        ([1e3, 1e2], "a", "0", "", "rising order"), ([0.0, 1e2], "a", "0", "", "above zero"), ([1e3, 2e3], "a", "a", "", "between two nodes"),
        ([1e3, 2e3], "z", "0", "", "no node z"), ([1e3, 2e3], "a", "0", "v9", "v9"), ([1e3, 2e3], "a", "0", "r1", "r1"), ([1e3, 2e3], "a", "0", "v2", "does not reach"),
    ],
)  # fmt: skip
def test_noise_without_a_meaning_is_refused(
    hertz: list[float], node: str, against: str, source: str, words: str
) -> None:
    """Frequencies out of order, nodes and sources that are not there."""
    circuit = parse("n\nV1 in 0 0\nR1 in a 1k\nR2 a 0 1k\nV2 q 0 0\nR3 q 0 1\n")
    with pytest.raises(CircuitError, match=words):
        noise(circuit, hertz, node, source, against=against)


def test_a_part_without_noise_is_named() -> None:
    """A capacitor has none, and the answer says who has."""
    found = noise(parse("n\nV1 in 0 0\nR1 in a 1k\nC1 a 0 1n\n"), AUDIO, "a")
    with pytest.raises(CircuitError, match="c1 makes no noise here; parts are r1"):
        found.part_total("c1")
