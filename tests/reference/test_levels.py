"""Levels, pads, equalisation and noise against published values and independent routes, solved by the engine."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import signal

from feeds import hall, headphones, known, speaker, through
from pigtail import edits
from pigtail.circuit import ac, noise, parse, transient
from pigtail.model.model import Model
from pigtail.model.netlist import compile_job
from pigtail.model.terminals import library
from pigtail.studies.level.study import study_level
from pigtail.units.decibels import dbv, from_dbu, from_dbv

#: Radians a second of 3180, 318 and 75 µs.
T1, T2, T3 = 3180e-6, 318e-6, 75e-6


def gain_db(deck: str, hertz: np.ndarray | list[float], node: str = "out") -> np.ndarray:
    """Gain [dB] from a source of 1 V to a node."""
    return 20 * np.log10(np.abs(ac(parse(deck), hertz).v(node)[0]))


@pytest.mark.parametrize(
    ("level", "volts"),
    [
        (from_dbu(4.0), 1.2277),
        (from_dbu(0.0), 0.77460),
        (from_dbv(-10.0), 0.31623),
        (from_dbv(0.0), 1.0),
        (from_dbu(-7.78), 0.3163),
    ],
)
def test_reference_levels(level: float, volts: float) -> None:
    """+4 dBu = 1.228 V, −10 dBV = 0.316 V (line levels as in IEC 61938, from memory); 0 dBu is 1 mW in 600 Ω: √0.6 V."""
    assert level == pytest.approx(volts, rel=3e-4)
    assert from_dbu(0.0) == pytest.approx(math.sqrt(0.6))
    assert dbv(from_dbu(4.0)) == pytest.approx(4.0 - 2.218, abs=1e-3)


@pytest.mark.parametrize(
    ("loss_db", "series", "shunt"),
    # 600 Ω T pads as in handbook tables (Tremaine, Audio Cyclopedia, from memory; they follow from
    # series = Z·(k − 1)/(k + 1), shunt = 2·Z·k/(k² − 1) with k = 10^(dB/20), the independent route used here)
    [(3.0, 102.6, 1703.0), (6.0, 199.4, 803.2), (10.0, 311.7, 421.6), (20.0, 490.9, 121.2)],
)
def test_matched_pads_lose_what_they_say_and_keep_the_impedance(
    loss_db: float, series: float, shunt: float
) -> None:
    """The engine on the printed values: the loss between 600 Ω and 600 Ω, and 600 Ω seen from either side."""
    k = 10 ** (loss_db / 20)
    assert series == pytest.approx(600 * (k - 1) / (k + 1), rel=2e-3)
    assert shunt == pytest.approx(1200 * k / (k * k - 1), rel=2e-3)
    pad = f"R1 a m {series}\nR2 m b {series}\nR3 m 0 {shunt}\n"
    through = gain_db(f"t\nV1 e 0 AC 2\nRs e a 600\n{pad}Rl b 0 600\n", [1e3], "b")
    assert through[0] == pytest.approx(-loss_db, abs=0.02)
    wave = ac(parse(f"t\nV1 a 0 AC 1\n{pad}Rl b 0 600\n"), [1e3])
    assert abs(wave.v("a") / wave.i("v1"))[0, 0] == pytest.approx(600, rel=3e-3)


#: Playback re 1 kHz [dB] by the time constants of IEC 60098 (3180, 318, 75 µs), as the standard's table prints them
#: (from memory; recomputed below by SciPy from the time constants, which are the standard's).
PLAYBACK = [
    (20, 19.27),
    (50, 16.95),
    (100, 13.09),
    (200, 8.22),
    (500, 2.65),
    (1000, 0.0),
    (2000, -2.59),
    (5000, -8.21),
    (10_000, -13.73),
    (20_000, -19.62),
]


@pytest.mark.parametrize(("hertz", "level"), PLAYBACK)
def test_an_equalised_input_follows_its_time_constants(hertz: float, level: float) -> None:
    """A passive network of two resistors and two capacitors with the three time constants, solved by the engine, against
    the printed table and against the transfer function evaluated by SciPy."""
    # One section each for pole/zero pairs, isolated: (1 + sT2)/((1 + sT1)(1 + sT3))
    deck = (
        "riaa\nV1 in 0 AC 1\n"
        f"R1 in a {T1 - T2!r}\nR2 a b {T2!r}\nC1 b 0 1\n"  # (1 + sT2)/(1 + sT1)
        f"E1 c 0 a 0 1\nR3 c out {T3!r}\nC2 out 0 1\n"
    )
    ours = gain_db(deck, [hertz, 1000.0])
    assert ours[0] - ours[1] == pytest.approx(level, abs=0.02)
    _, h = signal.freqs([T2, 1], np.polymul([T1, 1], [T3, 1]), 2 * np.pi * np.array([hertz, 1000.0]))
    theirs = 20 * np.log10(np.abs(h))
    assert ours[0] - ours[1] == pytest.approx(theirs[0] - theirs[1], abs=1e-6)


def test_a_kilohm_hisses_as_derived() -> None:
    """√(4·k·T·R·B) for 1 kΩ, 20 kHz, 300 K: 0.576 µV, by the engine's noise analysis between 1 Hz and 20 kHz + 1 Hz."""
    found = noise(parse("n\nI1 0 a 0\nR1 a 0 1k\n.temp 26.85\n"), np.linspace(1, 20_001, 11), "a")
    assert found.output_total[0] == pytest.approx(0.576e-6, rel=1e-3)
    assert found.output_total[0] == pytest.approx(math.sqrt(4 * 1.380649e-23 * 300 * 1e3 * 20e3), rel=1e-9)


@pytest.mark.parametrize("inverted", [False, True])
def test_a_two_way_crossover_sums_flat_or_not(inverted: bool) -> None:
    """Second-order low and high pass of the Linkwitz-Riley kind summed by two resistors: flat with one of them turned
    round, a notch at the crossover without. Independent route: the transfer functions by SciPy."""
    corner, q = 2000.0, 0.5
    w = 2 * np.pi * corner
    hertz = np.array([100.0, 1000.0, 2000.0, 4000.0, 16_000.0])
    low = signal.freqs([w * w], [1, w / q, w * w], 2 * np.pi * hertz)[1]
    high = signal.freqs([1, 0, 0], [1, w / q, w * w], 2 * np.pi * hertz)[1]
    sign = -1 if inverted else 1
    theirs = np.abs(low + sign * high) / 2
    r, c = 1000.0, 1 / (w * 1000.0)
    buffer = "E{n} {b} 0 {a} 0 1\n"
    deck = (
        "cross\nV1 in 0 AC 1\n"
        f"R1 in l1 {r}\nC1 l1 0 {c}\n{buffer.format(n=1, a='l1', b='l2')}R2 l2 l3 {r}\nC2 l3 0 {c}\n{buffer.format(n=2, a='l3', b='low')}"
        f"C3 in h1 {c}\nR3 h1 0 {r}\n{buffer.format(n=3, a='h1', b='h2')}C4 h2 h3 {c}\nR4 h3 0 {r}\nE4 high 0 h3 0 {sign}\n"
        "R5 low out 4.7k\nR6 high out 4.7k\n"
    )
    ours = np.abs(ac(parse(deck), hertz).v("out")[0])
    assert ours == pytest.approx(theirs, abs=1e-9)
    flat = np.ptp(20 * np.log10(np.maximum(ours, 1e-9)))
    assert bool(flat < 0.01) is inverted


@pytest.mark.parametrize(
    ("volts", "ohm", "sensitivity", "milliwatts", "spl"),
    # P = V²/Z and SPL = sensitivity + 10·lg(P/1 mW), worked by hand (common practice of headphone data sheets).
    [
        (0.179, 32.0, 100.0, 1.0, 100.0),
        (0.5, 32.0, 100.0, 7.81, 108.93),
        (1.0, 300.0, 97.0, 3.33, 102.23),
        (1.2, 600.0, 96.0, 2.4, 99.80),
    ],
)
def test_headphones_are_as_loud_as_the_arithmetic_says(
    volts: float, ohm: float, sensitivity: float, milliwatts: float, spl: float
) -> None:
    """Straight from an output of next to no impedance."""
    job = through(headphones(), "feed_left", "wire")
    for field, value, unit in (("emf", volts, "V"), ("impedance", 1e-3, "Ω")):
        job = edits.set_value(job, "host.out_left", field, known(value, unit, 0.0))
    for field, value, unit in (("impedance", ohm, "Ω"), ("sensitivity", sensitivity, "dB")):
        job = edits.set_value(job, "m.left", field, known(value, unit, 0.0))
    numbers = next(d for d in study_level(Model.of(job)).feeds if d.link == "feed_left").numbers
    assert numbers["power_w"].value == pytest.approx(milliwatts / 1e3, rel=0.02)
    assert numbers["spl_db"].value == pytest.approx(spl, abs=0.1)


@pytest.mark.parametrize(
    ("key", "supply", "drop", "ohm", "watts"),
    # P = (Vs/2 − Vdrop)²/(2·RL), four times that bridged: 5 V into 4 Ω bridged at best 3.1 W, as chip makers print it.
    [
        ("amp_bridged", 5.0, 0.0001, 4.0, 3.125),
        ("amp_bridged", 5.0, 0.2, 4.0, 2.645),
        ("amp_single", 5.0, 0.0001, 4.0, 0.781),
        ("amp_single", 12.0, 1.0, 8.0, 1.5625),
        ("amp_bridged", 12.0, 0.5, 8.0, 7.5625),
    ],
)
def test_a_supply_allows_the_power_that_its_swing_makes(
    key: str, supply: float, drop: float, ohm: float, watts: float
) -> None:
    """The study's most, and the same from the solved swing of a deck driven to its supply."""
    job = through(speaker(), "feed", key, supply=supply, drop=drop, imax=100.0)
    job = edits.set_value(job, "m.plus", "impedance", known(ohm, "Ω", 0.0))
    assert study_level(Model.of(job)).numbers["level.most_w"].value == pytest.approx(watts, rel=1e-3)
    peak = (supply / 2 - drop) * (2 if key == "amp_bridged" else 1)
    t = np.linspace(0, 1, 2000, endpoint=False)
    assert np.mean((peak * np.sin(2 * np.pi * t)) ** 2 / ohm) == pytest.approx(watts, rel=1e-3)


def test_the_ways_of_a_crossover_sum_flat_as_fourth_order_filters_do() -> None:
    """The macro-models of both ways against SciPy's Butterworth sections squared (fourth-order Linkwitz-Riley, whose sum is
    an all-pass: S. Linkwitz, JAES 24, 1976, from memory)."""
    corner = 1800.0
    hertz = np.geomspace(100, 20e3, 25)
    deck = f"t\n{library()}\nX1 a 0 way_low emf=1 impedance=100 drive=1 corner={corner}\nX2 b 0 way_high emf=1 impedance=100 drive=1 corner={corner}\n"
    ours = ac(parse(deck), hertz)
    theirs = {}
    for kind in ("low", "high"):
        b, a = signal.butter(2, 2 * np.pi * corner, kind, analog=True)
        theirs[kind] = signal.freqs(b, a, 2 * np.pi * hertz)[1] ** 2
    assert ours.v("a")[0] == pytest.approx(theirs["low"], rel=1e-6, abs=1e-9)
    assert ours.v("b")[0] == pytest.approx(theirs["high"], rel=1e-6, abs=1e-9)
    assert np.abs(ours.v("a")[0] + ours.v("b")[0]) == pytest.approx(1.0, abs=1e-6)


@pytest.mark.parametrize("bias", [0.5, 1.65])
def test_the_thump_is_that_of_a_run_in_time(bias: float) -> None:
    """The closed form of the study against the engine's own transient: the bias rising in 10 ms through the network."""
    job = hall()
    for side in ("m.out_left", "m.out_right"):
        job = edits.set_value(job, side, "bias", known(bias, "V", 0.0))
    told = study_level(Model.of(job)).numbers["level.thump_v"].value
    text = compile_job(job, job.working_state()).text
    full = f"{{1meg*{bias}/impedance}}"
    still = "Is 0 s DC {1meg*bias/impedance} AC {1meg*emf*drive/impedance}\nRs s 0 1u\nBe ret t"
    assert still in text
    text = text.replace(still, f"Is 0 s DC {full} PWL(0 0 10m {full})\nRs s 0 1u\nBe ret t")
    text = "\n".join(
        x
        for x in text.split("\n")
        if not x.startswith((".op", ".ac", ".print", ".end")) or x.startswith(".ends")
    )
    course = transient(parse(text), 0.08, 2e-5)
    seen = float(np.max(np.abs(course.v("host__record_in", "host__input_return"))))
    assert told == pytest.approx(seen, rel=0.05)
