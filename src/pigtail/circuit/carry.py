"""Carrying out what the cards of a deck ask for: each analysis once, its results by kind."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from pigtail.circuit.analysis import Batch
from pigtail.circuit.errors import DeckError
from pigtail.circuit.netlist import (
    AcCard,
    Analysis,
    Circuit,
    DirectSweep,
    NoiseCard,
    OperatingPoint,
    Transient,
)
from pigtail.circuit.noises import Noise, noise
from pigtail.circuit.results import Solution
from pigtail.circuit.running import run_card as run_transient
from pigtail.circuit.sweeping import SweepSolution
from pigtail.circuit.sweeping import run_card as run_sweep

MAX_SOLUTIONS = 5_000_000


class Answers(msgspec.Struct):
    """What a deck's analyses gave; None for those that it does not ask for."""

    op: Solution | None = None
    ac: Solution | None = None
    noise: Noise | None = None
    tran: Solution | None = None
    dc: SweepSolution | None = None


def frequencies(sweep: AcCard) -> NDArray[np.float64]:
    """The frequencies [Hz] of a sweep, evenly spaced on its scale.

    >>> frequencies(Sweep("dec", 1, 10.0, 1000.0))
    array([  10.,  100., 1000.])
    """
    if sweep.spacing == "lin" or sweep.start_hz == sweep.stop_hz:
        return np.linspace(
            sweep.start_hz, sweep.stop_hz, 1 if sweep.start_hz == sweep.stop_hz else sweep.points
        )
    spans = np.log(sweep.stop_hz / sweep.start_hz) / np.log(10.0 if sweep.spacing == "dec" else 2.0)
    return np.geomspace(sweep.start_hz, sweep.stop_hz, max(int(sweep.points * spans + 1e-9), 1) + 1)


def carry_out(circuit: Circuit) -> Answers:
    """Run the analyses of a deck, its operating point if it asks for none. Raises CircuitError and its kinds."""
    kinds = [type(a) for a in circuit.analyses]
    for kind in kinds:
        if kinds.count(kind) > 1:
            raise DeckError(f"the deck asks twice for .{kind.__struct_config__.tag}; keep one of the cards")
    answers = Answers()
    batch = Batch(circuit) if {OperatingPoint, AcCard} & set(kinds) or not kinds else None
    for analysis in circuit.analyses or (OperatingPoint(),):
        _carry_out(circuit, batch, analysis, answers)
    return answers


def _carry_out(circuit: Circuit, batch: Batch | None, analysis: Analysis, answers: Answers) -> None:
    match analysis:
        case AcCard():
            assert batch is not None
            hertz = frequencies(analysis)
            _check_size(circuit, hertz.size)
            answers.ac = batch.ac(hertz)
        case NoiseCard(node, against, source, across):
            hertz = frequencies(across)
            _check_size(circuit, hertz.size)
            answers.noise = noise(circuit, hertz, node, source, against=against)
        case DirectSweep():
            answers.dc = run_sweep(circuit, analysis)
        case Transient():
            answers.tran = run_transient(circuit, analysis)
        case _:
            assert batch is not None
            answers.op = batch.operating_point()


def _check_size(circuit: Circuit, count: int) -> None:
    if count * max(len(circuit.nodes), 1) > MAX_SOLUTIONS:
        raise DeckError(
            f"{count:,} frequencies for {len(circuit.nodes):,} nodes are too many; ask for fewer points"
        )
