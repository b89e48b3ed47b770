"""Large linear circuits: factored by a sparse solver, one frequency at a time.

The planned elimination is made for circuits of a few hundred unknowns that are solved thousands of times; a circuit of thousands, solved
once, is nothing for it. Every answer is checked against its equations.
"""

from __future__ import annotations

import importlib
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pigtail.circuit.errors import UnsolvedError
from pigtail.circuit.system import System, first

Array = NDArray[Any]
Matrix = Mapping[tuple[int, int], Any]
#: From so many unknowns on a circuit of one sample is factored.
LARGE = 300
RESIDUAL_LIMIT, REFINED = 1e-9, 3


def is_large(system: System) -> bool:
    """Whether a circuit is solved by factors: it is large, and of one sample."""
    return system.samples == 1 and system.size > LARGE


def rest_of_large(system: System, g: Matrix, b: Mapping[int, Any]) -> Array:
    """Unknowns [1, n] of G·x = b. Raises UnsolvedError."""
    places = list(g)
    values = np.array([first(g[p]) for p in places])
    return _Factored(system, places).solved(values, b)[None, :]


def waves_of_large(system: System, g: Matrix, c: Matrix, b: Mapping[int, Any], hertz: Array) -> Array:
    """Unknowns [1, F, n] of (G + jωC)·x = b at frequencies [Hz] of shape [F]. Raises UnsolvedError."""
    places = list(dict.fromkeys((*g, *c)))
    still = np.array([complex(first(g[p])) if p in g else 0.0 for p in places])
    storing = np.array([first(c[p]) if p in c else 0.0 for p in places])
    factored = _Factored(system, places)
    return np.stack([factored.solved(still + 2j * np.pi * f * storing, b) for f in hertz])[None]


class _Factored:
    """A structure of equations, solved for the values of its entries."""

    def __init__(self, system: System, places: list[tuple[int, int]]) -> None:
        self.system = system
        self.rows = np.array([i for i, _ in places], dtype=np.int32)
        self.columns = np.array([j for _, j in places], dtype=np.int32)
        self.sparse: Any = importlib.import_module("scipy.sparse")
        self.linalg: Any = importlib.import_module("scipy.sparse.linalg")

    def solved(self, values: Array, b: Mapping[int, Any]) -> Array:
        size = self.system.size
        right = np.zeros(size, dtype=complex if np.iscomplexobj(values) else float)
        for row, value in b.items():
            one = np.ravel(value)[0]
            if np.iscomplexobj(one) and not np.iscomplexobj(right):
                right = right.astype(complex)
            right[row] = one
        matrix = self.sparse.csc_matrix((values, (self.rows, self.columns)), shape=(size, size))
        sizes = abs(matrix)
        try:
            factors = self.linalg.splu(matrix)
            x = factors.solve(right)
            for _ in range(REFINED):
                if self._holds(matrix, sizes, x, right):
                    return np.asarray(x)
                x = x + factors.solve(right - matrix @ x)
        except (RuntimeError, ValueError) as error:
            raise UnsolvedError(
                "the equations have no single solution; look for a loop of sources or a node that nothing holds"
            ) from error
        if self._holds(matrix, sizes, x, right):
            return np.asarray(x)
        raise UnsolvedError(
            f"the solution of “{self.system.circuit.title}” does not satisfy its own equations; "
            "look for a part of zero or values too many decades apart"
        )

    def _holds(self, matrix: Any, sizes: Any, x: Array, right: Array) -> bool:
        terms = sizes @ np.abs(x) + np.abs(right)
        return bool((np.abs(matrix @ x - right) <= RESIDUAL_LIMIT * terms + 1e-30).all())
