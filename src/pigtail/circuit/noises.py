"""Noise of a circuit: what every resistor and device makes, carried to the output by one adjoint solution.

A noise current from node p to node m reaches the output by the transfer impedance y_p − y_m, where y solves the
transposed equations for a unit at the output: one solution serves all sources. Densities add as squares. Sources:
thermal noise 4kT/R (Johnson, Nyquist 1928), shot noise 2qI (Schottky 1918), flicker as KF·I^AF/f where the model gives it.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec
import numpy as np
from numpy.typing import ArrayLike, NDArray

from pigtail.circuit.analysis import Batch, frequencies_of
from pigtail.circuit.errors import CircuitError
from pigtail.circuit.instances import Place
from pigtail.circuit.linear import solve_waves
from pigtail.circuit.netlist import Circuit

Array = NDArray[Any]


class Noise(msgspec.Struct, frozen=True):
    """Noise at an output.

    Attributes: frequencies [F] Hz; output_density and input_density [S, F] V/√Hz (or A/√Hz for a current source);
    parts by `element` or `element: words` [S, F] V²/Hz at the output; output_signal [S, F] V what the sources of the circuit
    themselves bring to the output, by the same adjoint solution.
    """

    frequencies: Array
    output_density: Array
    input_density: Array
    parts: dict[str, Array]
    output_signal: Array

    @property
    def output_total(self) -> Array:
        """Noise voltage [S] V rms at the output over all the frequencies."""
        return np.sqrt(integral(self.frequencies, self.output_density**2))

    @property
    def input_total(self) -> Array:
        """The same referred to the source. In [V] or [A] rms, shape [S]."""
        return np.sqrt(integral(self.frequencies, self.input_density**2))

    def part_total(self, name: str) -> Array:
        """Noise voltage [S] V rms at the output from one part; raises CircuitError for a part that makes none."""
        if name not in self.parts:
            raise CircuitError(f"{name} makes no noise here; parts are {', '.join(self.parts)}", element=name)
        return np.sqrt(integral(self.frequencies, self.parts[name]))


def integral(frequencies: Array, density: Array) -> Array:
    """Integral of a density [S, F] over frequency: between two points it follows a power of the frequency."""
    if frequencies.size < 2:
        return np.zeros(density.shape[0])
    f0, f1 = frequencies[:-1], frequencies[1:]
    d0, d1 = np.maximum(density[:, :-1], 1e-300), np.maximum(density[:, 1:], 1e-300)
    power = np.log(d1 / d0) / np.log(f1 / f0)
    steep = np.abs(power + 1) > 1e-6
    safe = np.where(steep, power + 1, 1.0)
    area = np.where(steep, d0 * f0 * ((f1 / f0) ** safe - 1) / safe, d0 * f0 * np.log(f1 / f0))
    return np.asarray(area.sum(axis=1))


def noise(
    circuit: Circuit,
    frequencies: ArrayLike,
    node: str,
    source: str = "",
    *,
    against: str = "0",
    samples: Mapping[str, ArrayLike] | None = None,
) -> Noise:
    """Noise between two nodes at frequencies [Hz] in rising order, referred to a source if one is named.

    Raises CircuitError for an output or source that is not there.
    """
    return noise_of(Batch(circuit, samples), frequencies, node, source, against=against)


def noise_of(
    batch: Batch, frequencies: ArrayLike, node: str, source: str = "", *, against: str = "0"
) -> Noise:
    """The same of a circuit whose samples are set up already.

    Frequencies in [Hz], shape [F]. Raises CircuitError as `noise` does.
    """
    system = batch.system
    hertz = frequencies_of(frequencies)
    if hertz.ndim != 1 or np.any(np.diff(hertz) <= 0) or hertz[0] <= 0:
        raise CircuitError("noise is taken at frequencies above zero in rising order")
    p, m = system.place(node), system.place(against)
    b = {k: value for k, value in ((p, 1.0), (m, -1.0)) if k is not None}
    if len(b) == 0 or p == m:
        raise CircuitError("noise is taken between two nodes", node=node)
    g, c = ({(j, i): v for (i, j), v in matrix.items()} for matrix in batch.matrices)
    y = solve_waves(system, (g, c), b, hertz, None, f"adjoint{batch.kind}")
    parts = {name: power * _reach(y, plus, minus) for name, power, plus, minus in _sources(batch, hertz)}
    output = np.sqrt(sum(parts.values(), start=np.zeros(y.shape[:2])))
    signal = sum(
        (y[..., row] * np.reshape(value, (-1, 1)) for row, value in system.b_ac.items()),
        start=np.zeros(y.shape[:2], dtype=complex),
    )
    if not source:
        return Noise(hertz, output, output, parts, signal)
    gain = _gain(batch, source, y)
    if not np.all(gain > 0):
        raise CircuitError(
            f"{source} does not reach the output, so its noise cannot be told at {source}", element=source
        )
    return Noise(hertz, output, output / gain, parts, signal)


def _reach(y: Array, plus: Place, minus: Place) -> Array:
    """Square of the transfer impedance [Ω²] from a current between two nodes to the output."""
    ends = [np.zeros(y.shape[:2]) if k is None else y[..., k] for k in (plus, minus)]
    return np.abs(ends[0] - ends[1]) ** 2


def _sources(batch: Batch, hertz: Array) -> list[tuple[str, Array, Place, Place]]:
    """Every noise current: its name, power density [A²/Hz] and ends."""
    system = batch.system
    four_kt = system.surroundings["four_kt"]
    found: list[tuple[str, Array, Place, Place]] = []
    for element in system.circuit.elements:
        if element.kind == "r":
            ends = [system.index.get(n) for n in element.nodes]
            density = four_kt / np.reshape(system.values[element.name], (-1, 1))
            found.append((element.name, density, ends[0], ends[1]))
    if system.circuit.linear:
        return found
    for name, plus, minus, ohm in system.resistances:
        found.append((name, four_kt / np.reshape(ohm, (-1, 1)), plus, minus))
    for state in batch.states:
        for source in state.noise:
            density = np.reshape(source.density, (-1, 1)) + np.reshape(source.flicker, (-1, 1)) / hertz
            name = f"{state.instance.element.name}: {source.words}"
            found.append((name, density, source.plus, source.minus))
    return found


def _gain(batch: Batch, source: str, y: Array) -> Array:
    """Magnitude of the gain from a source to the output, by the same adjoint solution."""
    system = batch.system
    element = system.elements.get(source.lower())
    if element is None or element.kind not in ("v", "i"):
        raise CircuitError(
            f"there is no voltage or current source {source} to refer the noise to", element=source
        )
    if element.kind == "v":
        return np.abs(y[..., system.branch[element.name]])
    ends = [system.index.get(n) for n in element.nodes]
    return np.sqrt(_reach(y, ends[0], ends[1]))
