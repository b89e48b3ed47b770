"""Devices placed in a circuit: which unknowns their formulas read, which equations they feed, their values.

A B source is a device of its own making: its relation is its one formula, what it reads are its controls.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

import msgspec
import numpy as np

from pigtail.circuit.devices import (
    LETTERS,
    DeviceBranch,
    DeviceControl,
    DeviceKind,
    NoiseSource,
    device_kinds,
)
from pigtail.circuit.elements import TIME
from pigtail.circuit.errors import ParameterError
from pigtail.circuit.expressions import Expression, Name, Probe, Value, evaluate, leaves
from pigtail.circuit.netlist import Circuit, Element

Place = int | None
"""Number of an unknown or equation; None for node 0."""


class Sensed(msgspec.Struct, frozen=True):
    """A control of a placed device: sign·(x[plus] − x[minus]), under the name its formulas use."""

    name: Expression
    plus: Place
    minus: Place
    sign: int
    limit: str = "none"
    scale: Expression | None = None
    saturation: Expression | None = None
    breakdown: str = ""
    starts_on: bool = False


class DeviceFeed(msgspec.Struct, frozen=True):
    """A branch of a placed device: its current and charge are added to these equations, each with its sign."""

    rows: tuple[tuple[int, int], ...]
    current: Expression | None
    charge: Expression | None


class Instance(msgspec.Struct, frozen=True):
    """A placed device; parameters are one number or an array [S] each."""

    element: Element
    readings: tuple[Sensed, ...]
    feeds: tuple[DeviceFeed, ...]
    parameters: dict[str, Value]
    noise: tuple[tuple[NoiseSource, Place, Place], ...] = ()
    memory: tuple[tuple[str, Expression], ...] = ()


def inner_nodes(element: Element) -> dict[str, str]:
    """The inner nodes that an element's model makes: name in the formulas → name of the node."""
    assert element.model is not None
    kind, given = _kind(element), element.model.given
    return {i.name: f"{element.name}#{i.name}" for i in kind.inner if i.given in given}


def _kind(element: Element) -> DeviceKind:
    return device_kinds()[LETTERS[element.kind]]


def place_device(
    circuit: Circuit, element: Element, names: Mapping[str, Value], index: Callable[[str], Place]
) -> tuple[Instance, list[tuple[str, Place, Place, Value]]]:
    """A device as an instance, and the resistances [Ω] behind its nodes; raises ParameterError."""
    assert element.model is not None
    kind, given = _kind(element), element.model.given
    sign = kind.models[element.model.type]
    parameters = _parameters(kind, element, names)
    parameters["sign"] = float(sign)
    inner = inner_nodes(element)
    outer = dict(zip(kind.nodes, element.nodes, strict=True))
    at = {n: index(outer[n]) for n in kind.nodes}
    for i in kind.inner:
        at[i.name] = index(inner[i.name]) if i.name in inner else at[i.node]
    instance = Instance(
        element,
        tuple(_reading(c, at, sign, given) for c in kind.controls),
        tuple(_feed(b, at, sign) for b in kind.branches if _counts(b.given, given)),
        parameters,
        tuple((n, at[n.plus], at[n.minus]) for n in kind.noise if _counts(n.given, given)),
        tuple(kind.memory.items()),
    )
    resistances = [
        (i.given, at[i.node], at[i.name], _resistance(element, evaluate(i.resistance, parameters)))
        for i in kind.inner
        if i.name in inner
    ]
    return instance, resistances


def _counts(wanted: tuple[str, ...], given: frozenset[str]) -> bool:
    return not wanted or any(w in given for w in wanted)


def _resistance(element: Element, value: Value) -> Value:
    if not np.all(value > 0):
        raise ParameterError(
            f"the model of {element.name} has a resistance of {np.min(value):g}; give one above zero",
            line=element.line,
            element=element.name,
        )
    return value


#: Parameters that must be above nought for the formulas to have a value.
_POSITIVE = frozenset(("is", "n", "nf", "nr", "ne", "nc", "vj", "vje", "vjc", "pb", "phi", "bf", "br", "area", "m",
                       "w", "l", "kp", "ron", "roff", "ikf", "vaf", "bv", "ibv"))  # fmt: skip
_BELOW_ONE = frozenset(("m_", "mje", "mjc", "mj", "fc"))


def _parameters(kind: DeviceKind, element: Element, names: Mapping[str, Value]) -> dict[str, Value]:
    assert element.model is not None
    found: dict[str, Value] = dict(kind.parameters | kind.instance)
    given = [(k, v) for k, v in element.model.parameters]
    given += [(k, v) for k, v in element.options if k in kind.instance]
    for key, expression in given:
        value = evaluate(expression, names, element.line)
        low, high = float(np.min(value)), float(np.max(value))
        wrong = not np.all(np.isfinite(value)) or (low < 0 and key not in ("vto", "vt_"))
        wrong = wrong or (key in _POSITIVE and low <= 0) or (key in _BELOW_ONE and high >= 1)
        if wrong:
            raise ParameterError(
                f"{element.name} has {key.rstrip('_')} = {low:g}, which its formulas have no value for",
                line=element.line,
                element=element.name,
            )
        found[key] = value
    return found


def _reading(control: DeviceControl, at: Mapping[str, Place], sign: int, given: frozenset[str]) -> Sensed:
    return Sensed(
        Name(control.name),
        at[control.plus],
        at[control.minus],
        sign,
        control.limit,
        control.scale,
        control.saturation,
        control.breakdown if control.breakdown in given else "",
        control.starts_on,
    )


def _feed(branch: DeviceBranch, at: Mapping[str, Place], sign: int) -> DeviceFeed:
    rows = ((at[branch.plus], sign), (at[branch.minus], -sign))
    return DeviceFeed(tuple((r, s) for r, s in rows if r is not None), branch.current, branch.charge)


def place_relation(
    element: Element,
    names: Mapping[str, Value],
    index: Callable[[str], Place],
    branch: Mapping[str, int],
) -> Instance:
    """A B source as an instance; raises ParameterError for a current it cannot read."""
    readings: list[Sensed] = []
    parameters: dict[str, Value] = {}
    for leaf in dict.fromkeys(leaves(element.value)):
        if isinstance(leaf, Probe) and leaf.kind == "v":
            plus, minus = (*leaf.names, "0")[:2]
            readings.append(Sensed(leaf, index(plus), index(minus), 1))
        elif isinstance(leaf, Probe):
            if leaf.names[0] not in branch:
                raise ParameterError(
                    f"{element.name} reads the current of {leaf.names[0]}, and there is no such voltage source",
                    line=element.line,
                    element=element.name,
                )
            readings.append(Sensed(leaf, branch[leaf.names[0]], None, 1))
        elif leaf != TIME:
            parameters[leaf.name] = evaluate(leaf, names, element.line)
    if element.kind == "bv":
        rows: tuple[tuple[int, int], ...] = ((branch[element.name], -1),)
    else:
        ends = ((index(element.nodes[0]), 1), (index(element.nodes[1]), -1))
        rows = tuple((r, s) for r, s in ends if r is not None)
    return Instance(element, tuple(readings), (DeviceFeed(rows, element.value, None),), parameters)
