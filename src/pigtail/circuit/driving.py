"""What drives a circuit in time, and the charges that it starts with."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from itertools import repeat
from typing import Any

import numpy as np

from pigtail.circuit.devicecode import device_states
from pigtail.circuit.netlist import Element
from pigtail.circuit.newton import Rest
from pigtail.circuit.system import System, first, source_signs
from pigtail.circuit.waveforms import Wave, make_wave


class Sources:
    """Right-hand sides in time: row by row, what stands still and what moves."""

    def __init__(self, system: System, rows: tuple[int, ...], step: float, stop: float, arrays: bool) -> None:
        self.rows, self.arrays = rows, arrays
        self.still: list[Any] = []
        self.moving: list[list[tuple[float, Wave]]] = []
        for row in rows:
            still: Any = 0.0
            moving: list[tuple[float, Wave]] = []
            for element, sign in _drivers(system, row):
                if element.waveform is not None:
                    wave = make_wave(element, system.wave_arguments(element), step, stop)
                    moving.append((sign, wave))
                else:
                    value = system.values[element.name]
                    still = still + sign * (value if arrays else first(value))
            self.still.append(still)
            self.moving.append(moving)
        self.waves = [w for moving in self.moving for _, w in moving]
        self.busy = [(k, m) for k, m in enumerate(self.moving) if m]

    def at(self, t: float) -> tuple[Any, ...]:
        """Right-hand sides at a time. The time in [s], sides in [A] or [V], numbers or arrays [S]."""
        values = list(self.still)
        for k, moving in self.busy:
            for sign, wave in moving:
                values[k] = values[k] + sign * wave.at(t)
        return tuple(values)

    def over(self, times: list[float]) -> Iterable[tuple[Any, ...]]:
        """Right-hand sides at many times. Times in [s], sides in [A] or [V], numbers or arrays [S]."""
        if not self.busy:
            still = tuple(self.still)
            return [still] * len(times)
        if self.arrays or any(w.over is None for w in self.waves):
            return map(self.at, times)
        columns: list[Any] = [repeat(v, len(times)) for v in self.still]
        for k, moving in self.busy:
            total = (
                sum(sign * wave.over(np.array(times)) for sign, wave in moving if wave.over) + self.still[k]
            )
            columns[k] = total.tolist()
        return zip(*columns, strict=True)

    def rows_at(self, t: float) -> dict[int, Any]:
        """The same by row. The time in [s], sides in [A] or [V]."""
        return dict(zip(self.rows, self.at(t), strict=True))

    def corner(self, t: float) -> float:
        """The next corner of any source after a time. Both in [s]; infinite when there is none."""
        return min((w.corner(t) for w in self.waves), default=math.inf)


def _drivers(system: System, row: int) -> list[tuple[Element, float]]:
    """The sources that drive a row, each with its sign."""
    sources = [e for e in system.circuit.elements if e.kind in ("v", "i")]
    return [(e, sign) for e in sources for at, sign in source_signs(system, e) if at == row]


def charges_at(system: System, stores: tuple[int, ...], rest: Rest, arrays: bool) -> tuple[Any, ...]:
    """Charge or flux of each storing row at rest."""
    q: dict[int, Any] = dict.fromkeys(stores, 0.0)
    for (row, column), value in system.c.items():
        q[row] = q[row] + value * rest.x[column]
    for state in device_states(system, rest.u, rest.w):
        for feed in state.feeds:
            for row, sign in feed.rows:
                if row in q:
                    q[row] = q[row] + sign * feed.charge
    return tuple(v if arrays else first(v) for v in q.values())


def initial_charges(
    system: System, stores: tuple[int, ...], arrays: bool, initial: Mapping[str, float]
) -> tuple[Any, ...]:
    """Charge or flux of each storing row by `initial`, else the `ic`, of capacitors [V] and inductors [A]; nought where none is given."""
    q: dict[int, Any] = dict.fromkeys(stores, 0.0)
    given = {
        e.name: system.value_of(e, ic) for e in system.circuit.elements if (ic := e.option("ic")) is not None
    } | dict(initial)
    for element in system.circuit.elements:
        if element.kind == "c" and element.name in given:
            charge = system.values[element.name] * given[element.name]
            for node, sign in zip(element.nodes, (1.0, -1.0), strict=True):
                if (row := system.index.get(node)) is not None:
                    q[row] = q[row] + sign * charge
    currents = {system.branch[n]: v for n, v in given.items() if system.elements[n].kind == "l"}
    for (row, column), value in system.c.items():
        if column in currents and row >= len(system.index):
            q[row] = q[row] + value * currents[column]
    return tuple(v if arrays else first(v) for v in q.values())
