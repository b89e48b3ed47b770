"""What the devices do at given controls: currents, charges, their slopes, and the noise they make, for whole arrays.

The formulas are written out once for a structure and run on arrays of any shape that broadcast together.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from pigtail.circuit.elements import TIME
from pigtail.circuit.emitter import SET_UP, Emitter, Value, namespace
from pigtail.circuit.expressions import Expression, Name
from pigtail.circuit.instances import Instance, Place
from pigtail.circuit.program import Slope
from pigtail.circuit.system import System
from pigtail.units.store import Store

Array = NDArray[Any]


class FeedState(msgspec.Struct, frozen=True):
    """A branch of a device at its controls: current [A], charge [C], and the slope of each by each control."""

    rows: tuple[tuple[int, int], ...]
    current: Array
    charge: Array
    conductances: tuple[Array, ...]
    capacitances: tuple[Array, ...]


class NoiseState(msgspec.Struct, frozen=True):
    """A noise current of a device: density [A²/Hz], and the part that is divided by the frequency [A²]."""

    words: str
    plus: Place
    minus: Place
    density: Array
    flicker: Array


class DeviceState(msgspec.Struct, frozen=True):
    """A device at its controls."""

    instance: Instance
    feeds: tuple[FeedState, ...]
    noise: tuple[NoiseState, ...]


def controls_of(system: System, x: Array) -> list[Array]:
    """The controls of all devices at unknowns x [..., n]."""

    def at(place: Place) -> Any:
        return 0.0 if place is None else x[..., place]

    return [r.sign * (at(r.plus) - at(r.minus)) for i in system.instances for r in i.readings]


def device_states(
    system: System, controls: Sequence[Any], memories: Sequence[Any], time: Any = 0.0, trailing: int = 0
) -> list[DeviceState]:
    """All devices at their controls.

    Args: controls and memories as a Rest has them, one array for each; time [s]; trailing is the number of axes that
    the controls have after that of the samples.
    """
    code = _code_for(system)
    shape = (-1,) + (1,) * trailing
    values: dict[str, Any] = {f"s_{k}": np.float64(v) for k, v in system.surroundings.items()} | {
        "time": time
    }
    for number, instance in enumerate(system.instances):
        values |= {f"p{number}_{k}": np.reshape(v, shape) for k, v in instance.parameters.items()}
    values |= {f"u{k}": np.asarray(v) for k, v in enumerate(controls)}
    values |= {f"w{k}": np.asarray(v) for k, v in enumerate(memories)}
    with np.errstate(all="ignore"):
        flat = iter(code(**values))
    states = []
    for instance in system.instances:
        feeds = []
        for feed in instance.feeds:
            count = len(instance.readings)
            current, charge = next(flat), next(flat)
            slopes = [next(flat) for _ in range(2 * count)]
            feeds.append(FeedState(feed.rows, current, charge, tuple(slopes[:count]), tuple(slopes[count:])))
        noise = tuple(NoiseState(n.words, p, m, next(flat), next(flat)) for n, p, m in instance.noise)
        states.append(DeviceState(instance, tuple(feeds), noise))
    return states


def _code_for(system: System) -> Callable[..., tuple[Array, ...]]:
    key = system.circuit.structure
    return _CODE.get(key) or _CODE.put(key, _written(system))


def _written(system: System) -> Callable[..., tuple[Array, ...]]:
    code = Emitter(arrays=True)
    outputs: list[Value] = []
    surroundings: dict[Expression, Value] = {
        Name(k): code.variable(f"s_{k}", SET_UP) for k in system.surroundings
    }
    surroundings[TIME] = code.variable("time", SET_UP)
    controls = memories = 0
    for number, instance in enumerate(system.instances):
        names: dict[Expression, Value] = {**surroundings}
        names |= {Name(k): code.variable(f"p{number}_{k}", SET_UP) for k in instance.parameters}
        for reading in instance.readings:
            names[reading.name] = code.variable(f"u{controls}", SET_UP)
            controls += 1
        for name, _ in instance.memory:
            names[Name(name)] = code.variable(f"w{memories}", SET_UP)
            memories += 1

        def formula(
            expression: Expression | None,
            by: Expression | None = None,
            names: dict[Expression, Value] = names,
        ) -> Value:
            if expression is None:
                return Value("0.0")
            return code.formula(expression if by is None else Slope(expression, by), names)

        for feed in instance.feeds:
            outputs += [formula(feed.current), formula(feed.charge)]
            for relation in (feed.current, feed.charge):
                outputs += [formula(relation, reading.name) for reading in instance.readings]
        for noise, _, _ in instance.noise:
            outputs += [formula(noise.density), formula(noise.flicker)]
    written = {line.split("=", 1)[0] for line in code.sections[SET_UP]}
    inputs = [n for n in code.homes if n not in written]
    lines = [f"def states({','.join(inputs)}):", *(f" {x}" for x in code.sections[SET_UP])]
    lines.append(f" return ({''.join(v.text + ',' for v in outputs)})")
    names_here = namespace(arrays=True)
    exec(compile("\n".join(lines), "<devices>", "exec"), names_here)  # noqa: S102  our own text: see emitter
    found: Callable[..., tuple[Array, ...]] = names_here["states"]
    return found


_CODE: Store[object, Callable[..., tuple[Array, ...]]] = Store(f"{__name__}._CODE", 64)
