"""Circuits: deck text in and out, operating point, AC, noise, sweeps and transients, over batches of samples.

What solves noise, sweeps and runs in time is loaded when it is first asked for: the studies' first answer waits for less.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

from pigtail.circuit.analysis import Batch, ac, impedance, operating_point
from pigtail.circuit.deck import parse
from pigtail.circuit.errors import (
    CircuitError,
    ConvergenceError,
    DeckError,
    FloatingNodeError,
    MissingModelError,
    ParameterError,
    SourceLoopError,
    UnsolvedError,
)
from pigtail.circuit.netlist import Circuit
from pigtail.circuit.results import Solution
from pigtail.circuit.writing import to_deck

__all__ = [
    "Batch",
    "Circuit",
    "CircuitError",
    "ConvergenceError",
    "DeckError",
    "FloatingNodeError",
    "MissingModelError",
    "ParameterError",
    "Solution",
    "SourceLoopError",
    "UnsolvedError",
    "ac",
    "impedance",
    "noise",
    "noise_of",
    "operating_point",
    "parse",
    "sweep",
    "to_deck",
    "transient",
]

if TYPE_CHECKING:
    from pigtail.circuit.noises import noise, noise_of
    from pigtail.circuit.running import transient
    from pigtail.circuit.sweeping import sweep

_LATER = {"noise": "noises", "noise_of": "noises", "sweep": "sweeping", "transient": "running"}


def __getattr__(name: str) -> Any:
    if name not in _LATER:
        raise AttributeError(name)
    return getattr(import_module(f"{__name__}.{_LATER[name]}"), name)
