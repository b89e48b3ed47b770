"""Sources in time: each waveform at its corners, between them and over an array of times."""

import math

import numpy as np
import pytest

from pigtail.circuit import CircuitError, parse, to_deck
from pigtail.circuit.carry import carry_out, frequencies
from pigtail.circuit.netlist import AcCard
from pigtail.circuit.system import System
from pigtail.circuit.waveforms import Wave, make_wave


def wave(text: str, step: float = 1e-4, stop: float = 10e-3) -> Wave:
    """The waveform of a source as a deck writes it."""
    circuit = parse(f"w\nV1 a 0 {text}\nR1 a 0 1k\n")
    system = System(circuit)
    element = circuit.by_name["v1"]
    return make_wave(element, system.wave_arguments(element), step, stop)


@pytest.mark.parametrize(
    ("text", "points"),
    [
        ("SIN(1 2 1k)", [(0, 1), (0.25e-3, 3), (0.75e-3, -1)]),
        ("SIN(0 1 1k 1m)", [(0.5e-3, 0), (1e-3, 0), (1.25e-3, 1)]),
        ("SIN(0 1 1k 0 100)", [(0.25e-3, math.exp(-0.025))]),
        ("SIN(0 1 1k 0 0 90)", [(0, 1), (0.25e-3, 0)]),
        (
            "PULSE(0 5 1m 1m 2m 1m 10m)",
            [(0, 0), (1e-3, 0), (1.5e-3, 2.5), (2.5e-3, 5), (4e-3, 2.5), (6e-3, 0), (11.5e-3, 2.5)],
        ),
        ("PULSE(0 1 0 1u 1u 1m 2m 1)", [(0.5e-3, 1), (1.5e-3, 0), (2.5e-3, 0)]),
        ("PULSE(0 1)", [(0, 0), (1e-4, 1), (9e-3, 1)]),
        ("PWL(0 0 1m 1 3m -1)", [(0, 0), (0.5e-3, 0.5), (2e-3, 0), (5e-3, -1)]),
        ("PWL(1m 2 2m 3)", [(0, 2), (1.5e-3, 2.5)]),
        (
            "EXP(0 1 1m 1m 4m 0.5m)",
            [(0.5e-3, 0), (2e-3, 1 - math.exp(-1)), (5e-3, 1 - math.exp(-4) - (1 - math.exp(-2)))],
        ),
    ],
)
def test_waveforms_have_their_values(text: str, points: list[tuple[float, float]]) -> None:
    """Value by value, from their definitions."""
    found = wave(text)
    for t, value in points:
        assert found.at(t) == pytest.approx(value, abs=1e-9), t


def test_corners_come_one_after_the_other() -> None:
    """Those of a pulse train repeat with its period; those of a piecewise line are its points."""
    train = wave("PULSE(0 1 1m 0.1m 0.2m 0.5m 2m)")
    t, found = 0.0, []
    for _ in range(8):
        t = train.corner(t)
        found.append(round(t * 1e3, 9))
    assert found == [1.0, 1.1, 1.6, 1.8, 3.0, 3.1, 3.6, 3.8]
    line = wave("PWL(0 0 1m 1 3m 0)")
    assert [line.corner(0.0), line.corner(1e-3), line.corner(3e-3)] == [1e-3, 3e-3, math.inf]


def test_a_sine_over_many_times_is_that_at_each() -> None:
    """What equal steps use is what single steps use."""
    found = wave("SIN(0.5 2 440 1m 30 10)")
    times = np.linspace(0, 10e-3, 57)
    assert found.over is not None
    assert found.over(times) == pytest.approx([found.at(float(t)) for t in times], rel=1e-12)
    assert found.longest == pytest.approx(1 / (50 * 440))


@pytest.mark.parametrize(
    ("text", "words"),
    [("PWL(0 0 0 1)", "must rise"), ("PWL(0 0 2m 1 1m 0)", "must rise"), ("PULSE(0 1 -1m)", "time of -0.001"), ("EXP(0 1 0 0 1 1)", "above zero"),
     ("PWL(0 0 1m)", "pwl|pairs|needs"), ("SIN()", "sin|needs|numbers")],
)  # fmt: skip
def test_waveforms_without_a_meaning_are_refused(text: str, words: str) -> None:
    """One sentence with the source's name or the form that is wanted."""
    with pytest.raises(CircuitError, match=words):
        wave(text)


def test_times_cannot_be_sampled_but_levels_can() -> None:
    """All samples go in step, so their corners fall together."""
    circuit = parse("w\n.param a=1 d=1m\nV1 a 0 PULSE(0 {a} {d} 1u 1u 1m 2m)\nR1 a 0 1k\n")
    element = circuit.by_name["v1"]
    levels = System(circuit, {"a": [1.0, 2.0]})
    assert make_wave(element, levels.wave_arguments(element), 1e-6, 1e-2).at(1.5e-3) == pytest.approx(
        [1.0, 2.0]
    )
    with pytest.raises(CircuitError, match="cannot differ from sample to sample"):
        System(circuit, {"d": [1e-3, 2e-3]})


@pytest.mark.parametrize(
    ("sweep", "count", "middle"),
    [(AcCard("dec", 10, 20.0, 20e3), 31, None), (AcCard("oct", 1, 100.0, 1600.0), 5, 400.0), (AcCard("lin", 3, 10.0, 30.0), 3, 20.0), (AcCard("lin", 5, 7.0, 7.0), 1, 7.0)],
)  # fmt: skip
def test_frequencies_are_spread_as_their_card_says(sweep: AcCard, count: int, middle: float | None) -> None:
    """Points a decade, an octave or in all; first and last are those of the card."""
    found = frequencies(sweep)
    assert found.size == count
    assert found[0] == sweep.start_hz
    assert found[-1] == pytest.approx(sweep.stop_hz)
    if middle is not None:
        assert found[count // 2] == pytest.approx(middle)


def test_analyses_of_one_deck_are_each_carried_out() -> None:
    """Every card gives its part of the answers; asking twice for one is an error."""
    deck = "all\n.model d d()\nV1 in 0 DC 2 AC 1 SIN(2 0.1 1k)\nR1 in o 1k\nD1 o 0 d\nC1 o 0 1n\n.op\n.ac dec 2 10 1k\n.dc V1 0 2 1\n.tran 10u 1m\n.noise v(o) V1 dec 2 10 1k\n"
    answers = carry_out(parse(deck))
    assert all(x is not None for x in (answers.op, answers.ac, answers.noise, answers.tran, answers.dc))
    assert to_deck(parse(to_deck(parse(deck)))) == to_deck(parse(deck))
    with pytest.raises(CircuitError, match="asks twice for"):
        carry_out(parse(deck + ".ac dec 2 10 1k\n"))


@pytest.mark.parametrize(
    ("card", "words"),
    [(".dc v1 0 1 -0.1", "leads from START to STOP"), (".dc v1 0 1 1e-9", "20,000"), (".dc v1 0 1 1m v2 0 1 1m", "in all"), (".dc v1 0 1", "write .dc"), (".tran 0 1m", "a .tran needs"),
     (".tran 1m", "write .tran"), (".noise v(a) v1", "write .noise"), (".ac dec 0 1 10", "1 to 10,000"), (".ac lin 5 0 10", "0 < START"), (".temp", "write .temp"),
     (".temp 5000", "lies between"), (".options method=euler", "gear or trap"), (".options reltol=2", "reltol lies"), (".ac dec 10 1", "write the sweep")],
)  # fmt: skip
def test_cards_without_a_meaning_are_refused(card: str, words: str) -> None:
    """Each names the form that it takes."""
    with pytest.raises(CircuitError, match=words):
        parse(f"c\nV1 a 0 1\nV2 b 0 1\nR1 a b 1k\n{card}\n")
