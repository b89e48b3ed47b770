"""The kinds of devices that are not linear, read from the table `data/devices.toml` when first needed."""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path
from typing import Any

import msgspec

from pigtail.circuit.expressions import Expression, parse_expression, substitute
from pigtail.units.store import remembered


class Inner(msgspec.Struct, frozen=True):
    """A node inside the device behind a resistance [Ω]; there only where the model gives the parameter."""

    name: str
    node: str
    resistance: Expression
    given: str


class DeviceControl(msgspec.Struct, frozen=True):
    """A voltage that the formulas read, and how Newton's steps on it are limited.

    limit is `junction` (steps shrink as the logarithm of what they would multiply the current by; scale [V] and
    saturation [A] say where), `step` (a few volts at a time) or `none`; breakdown names the voltage [V] beyond which
    the junction conducts backward; starts_on says that the search begins with the junction conducting.
    """

    name: str
    plus: str
    minus: str
    limit: str
    scale: Expression | None
    saturation: Expression | None
    breakdown: str
    starts_on: bool


class DeviceBranch(msgspec.Struct, frozen=True):
    """A current [A] and a charge [C] from one node to another, as formulas."""

    plus: str
    minus: str
    current: Expression | None
    charge: Expression | None
    given: tuple[str, ...]


class NoiseSource(msgspec.Struct, frozen=True):
    """Noise current between two nodes: a density [A²/Hz] and a part [A²] that falls with frequency."""

    words: str
    plus: str
    minus: str
    density: Expression | None
    flicker: Expression | None
    given: tuple[str, ...]


class DeviceKind(msgspec.Struct, frozen=True):
    """All there is to know of one kind of device."""

    name: str
    nodes: tuple[str, ...]
    models: dict[str, int]
    instance: dict[str, float]
    parameters: dict[str, float]
    aliases: dict[str, str]
    ignored: frozenset[str]
    inner: tuple[Inner, ...]
    controls: tuple[DeviceControl, ...]
    branches: tuple[DeviceBranch, ...]
    noise: tuple[NoiseSource, ...]
    memory: dict[str, Expression]


TABLE = Path(__file__).parent / "data" / "devices.toml"
#: Which element letter is which kind of device.
LETTERS = {"d": "diode", "q": "bipolar", "m": "mosfet", "s": "switch"}


@cache
def device_kinds() -> dict[str, DeviceKind]:
    """The kinds by name."""
    table = tomllib.loads(TABLE.read_text(encoding="utf-8"))
    return {name: _kind(name, row) for name, row in table.items()}


@remembered(64)
def kind_of_model(model_type: str) -> DeviceKind | None:
    """The kind of device that a .model card's type stands for: d, npn, pnp, nmos, pmos, sw."""
    return next((k for k in device_kinds().values() if model_type in k.models), None)


def _kind(name: str, table: dict[str, Any]) -> DeviceKind:
    formulas: dict[str, Expression] = {}
    for key, text in table.get("formulas", {}).items():
        formulas[key] = substitute(parse_expression(text), formulas)

    def formula(row: dict[str, Any], key: str) -> Expression | None:
        return substitute(parse_expression(row[key]), formulas) if key in row else None

    return DeviceKind(
        name=name,
        nodes=tuple(table["nodes"]),
        models=table["models"],
        instance=table["instance"],
        parameters=table["parameters"],
        aliases=table.get("aliases", {}),
        ignored=frozenset(table["ignored"]),
        inner=tuple(
            Inner(key, row["node"], parse_expression(row["resistance"]), row["given"])
            for key, row in table.get("inner", {}).items()
        ),
        controls=tuple(
            DeviceControl(
                row["name"],
                row["plus"],
                row["minus"],
                row["limit"],
                formula(row, "scale"),
                formula(row, "saturation"),
                row.get("breakdown", ""),
                row.get("starts_on", False),
            )
            for row in table["controls"]
        ),
        branches=tuple(
            DeviceBranch(
                row["plus"],
                row["minus"],
                formula(row, "current"),
                formula(row, "charge"),
                tuple(row.get("given", ())),
            )
            for row in table["branches"]
        ),
        noise=tuple(
            NoiseSource(
                row["words"],
                row["plus"],
                row["minus"],
                formula(row, "density"),
                formula(row, "flicker"),
                tuple(row.get("given", ())),
            )
            for row in table.get("noise", ())
        ),
        memory={k: substitute(parse_expression(v), formulas) for k, v in table.get("memory", {}).items()},
    )
