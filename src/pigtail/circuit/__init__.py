"""Netlist and its linear solution: a circuit, an analysis, named results."""

from pigtail.circuit.deck import Circuit, parse
from pigtail.circuit.errors import CircuitError, DeckError, FloatingNodeError, SourceLoopError, UnsolvedError
from pigtail.circuit.solve import Batch, Solution, ac, operating_point

__all__ = [
    "Batch",
    "Circuit",
    "CircuitError",
    "DeckError",
    "FloatingNodeError",
    "Solution",
    "SourceLoopError",
    "UnsolvedError",
    "ac",
    "operating_point",
    "parse",
]
