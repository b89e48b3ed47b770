"""Named results: voltages, currents and powers of a solved circuit, the sample axis first."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from pigtail.circuit.errors import CircuitError
from pigtail.circuit.netlist import Element
from pigtail.circuit.system import BRANCHES, DEVICES, System
from pigtail.units.store import cached_property

if TYPE_CHECKING:
    from pigtail.circuit.devicecode import DeviceState

Array = NDArray[Any]


class Solution:
    """A solved circuit. Axes: the samples, then the frequencies [Hz] or the times [s] if there are any.

    Attributes: x [S, unknowns], [S, F, unknowns] or [S, T, unknowns]; frequencies, times or None.
    kept are the numbers of the unknowns that x holds, None for all of them.
    """

    def __init__(
        self,
        system: System,
        x: Array,
        *,
        frequencies: Array | None = None,
        times: Array | None = None,
        kept: tuple[int, ...] | None = None,
        states: Callable[[], list[DeviceState]] | None = None,
        memories: tuple[Any, ...] = (),
    ) -> None:
        self._system, self.x, self.frequencies, self.times = system, x, frequencies, times
        self._column = None if kept is None else {k: c for c, k in enumerate(kept)}
        self._small_states, self._memories = states, memories

    def v(self, node: str, against: str = "0") -> Array:
        """Voltage [V] of a node against another; raises CircuitError for an unknown node."""
        first = self._potential(node)
        return first if against == "0" else first - self._potential(against)

    def _potential(self, node: str) -> Array:
        place = self._system.place(node.lower() if node not in self._system.index else node)
        if place is None:
            return np.zeros(self.x.shape[:-1], dtype=self.x.dtype)
        return self._unknown(place, node)

    def _unknown(self, place: int, name: str) -> Array:
        if self._column is not None:
            if place not in self._column:
                raise CircuitError(f"{name} was not among the outputs that were asked for", node=name)
            place = self._column[place]
        found: Array = self.x[..., place]
        return found

    def i(self, name: str) -> Array:
        """Current [A] through an element from its first node to its second.

        For E, G, F and H that of the output; into the drain or collector for a transistor; at rest, of a device's
        conduction. Raises CircuitError for an unknown element.
        """
        element = self._element(name)
        if element.kind in BRANCHES:
            return self._unknown(self._system.branch[element.name], name)
        if element.kind in DEVICES or element.kind == "bi":
            return self._device_current(element)
        if element.kind == "k":
            raise CircuitError(f"{name} is a coupling and carries no current", element=name)
        value: Any = self._system.values[element.name]
        if element.kind == "i":
            return self._source_current(element)
        if self.x.ndim > 2:
            value = _beside(value)
        if element.kind == "r":
            return np.asarray(self.v(*element.nodes) / value)
        if element.kind == "c":
            return self._rate(value * self.v(*element.nodes))
        if element.kind == "f":
            return np.asarray(self.i(element.senses[0]) * value)
        return np.asarray(self.v(*element.nodes[2:]) * value)

    def power(self, name: str) -> Array:
        """Power [W] that an element takes up; in AC the mean for amplitudes that are peak values.

        Raises CircuitError for a coupling.
        """
        element = self._element(name)
        if element.kind == "k":
            raise CircuitError(f"{name} is a coupling and takes no power", element=name)
        if element.kind in ("q", "m"):
            return self._transistor_power(element)
        across, through = self.v(*element.nodes[:2]), self.i(element.name)
        if self.frequencies is not None:
            return np.real(across * np.conj(through)) / 2
        return across * through

    def _element(self, name: str) -> Element:
        element = self._system.elements.get(name.lower())
        if element is None:
            raise CircuitError(f"there is no element {name} in the circuit", element=name)
        return element

    def _rate(self, charge: Array) -> Array:
        """d/dt of a charge."""
        if self.frequencies is not None:
            return charge * (2j * np.pi * self.frequencies)
        if self.times is None:
            return np.zeros_like(charge)
        return np.gradient(charge, self.times, axis=1, edge_order=1) if self.times.size > 1 else 0 * charge

    def _source_current(self, element: Element) -> Array:
        if self.frequencies is not None:
            value = _beside(self._system.amplitudes[element.name])
        elif self.times is not None and element.waveform is not None:
            from pigtail.circuit.waveforms import make_wave

            stop = float(self.times[-1])
            wave = make_wave(element, self._system.wave_arguments(element), stop / 1000, stop)
            value = np.stack(
                [np.broadcast_to(wave.at(float(t)), self.x.shape[0]) for t in self.times], axis=1
            )
        else:
            value = self._system.values[element.name]
            value = _beside(value) if self.times is not None else value
        return np.broadcast_to(value, self.x.shape[:-1])

    def states(self) -> list[DeviceState]:
        """All devices at this solution (at rest or in time)."""
        return self._states

    @cached_property
    def _states(self) -> list[DeviceState]:
        from pigtail.circuit.devicecode import controls_of, device_states

        controls = controls_of(self._system, self.x)
        times: Any = 0.0 if self.times is None else self.times[None, :]
        trailing = self.x.ndim - 2
        memories = self._memories or tuple(0.0 for i in self._system.instances for _ in i.memory)
        return device_states(self._system, controls, memories, times, trailing)

    def _device_current(self, element: Element) -> Array:
        """Current into the first node."""
        first = self._system.index.get(self._entry(element))
        if self.frequencies is not None:
            return self._small_signal_current(element, first)
        state = next(s for s in self.states() if s.instance.element.name == element.name)
        total = np.zeros(self.x.shape[:-1])
        ends = [self._system.index.get(n) for n in element.nodes[:2]]
        for feed in state.feeds:
            for row, sign in feed.rows:
                if row == first:
                    total = total + sign * (
                        feed.current + self._rate(np.broadcast_to(feed.charge, total.shape))
                    )
            if first is None and element.kind in ("bi", "d", "s") and len(feed.rows) == 1:
                row, sign = feed.rows[0]
                assert row in ends
                total = total - sign * feed.current
        return total

    def _entry(self, element: Element) -> str:
        """The first node of an element, or the inner one behind its resistance."""
        inner = [n for n in self._system.index if n.startswith(f"{element.name}#")]
        letter = {"d": "a", "q": "c", "m": "d"}.get(element.kind)
        name = f"{element.name}#{letter}i"
        return name if name in inner else element.nodes[0]

    def _small_signal_current(self, element: Element, first: int | None) -> Array:
        from pigtail.circuit.devicecode import controls_of

        assert self._small_states is not None
        assert self.frequencies is not None
        state = next(s for s in self._small_states() if s.instance.element.name == element.name)
        controls = controls_of(self._system, self.x)
        at = 0
        for instance in self._system.instances:
            if instance.element.name == element.name:
                break
            at += len(instance.readings)
        total = np.zeros(self.x.shape[:-1], dtype=complex)
        omega = 2j * np.pi * self.frequencies
        for feed in state.feeds:
            for row, sign in feed.rows:
                if row == first or (first is None and len(feed.rows) == 1):
                    way = sign if row == first else -sign
                    for k, (g, c) in enumerate(zip(feed.conductances, feed.capacitances, strict=True)):
                        y = np.reshape(g, (-1, 1)) + omega * np.reshape(c, (-1, 1))
                        total = total + way * y * controls[at + k]
        return total

    def _transistor_power(self, element: Element) -> Array:
        """Power of a transistor: the voltage across each of its branches times the current."""
        if self.frequencies is not None:
            raise CircuitError(
                f"the power of {element.name} is given at rest and in time only", element=element.name
            )
        state = next(s for s in self.states() if s.instance.element.name == element.name)
        total = np.zeros(self.x.shape[:-1])
        for feed in state.feeds:
            for row, sign in feed.rows:
                total = total + sign * feed.current * self.x[..., row]
        inner = [n for n in self._system.index if n.startswith(f"{element.name}#")]
        for node in inner:
            outer = element.nodes["dgs".index(node[-2]) if element.kind == "m" else "cbe".index(node[-2])]
            place = self._system.index[node]
            outside = self._system.index.get(outer)
            conductance = (
                -self._system.g[place, outside] if outside is not None else self._system.g[place, place]
            )
            drop = self.v(node, outer)
            total = total + drop**2 * (conductance if self.x.ndim == 2 else _beside(conductance))
        return total


def _beside(value: Any) -> Any:
    """Values of the samples with an axis for frequencies or times beside them."""
    return value[:, None] if isinstance(value, np.ndarray) and value.ndim else value
