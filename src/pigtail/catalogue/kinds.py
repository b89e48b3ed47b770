"""Modules and host kinds of the catalogue, made into structs of a job."""

from __future__ import annotations

import tomllib
from functools import cache
from typing import Any, NamedTuple

import msgspec

from pigtail.catalogue.errors import CatalogueError
from pigtail.catalogue.topologies import data
from pigtail.job.document import (
    Act,
    AudioIn,
    AudioOut,
    Control,
    ControlIn,
    Digital,
    Host,
    Module,
    Rail,
    Return,
    SupplyClass,
    SupplyIn,
    Video,
)
from pigtail.job.quantities import BESIDE, PATH_RESISTANCE, QUANTITIES, THROUGH_GAIN
from pigtail.language import said
from pigtail.units import Basis, Known, parse_known

_ROLES: dict[str, type[msgspec.Struct]] = {
    "audio out": AudioOut,
    "audio in": AudioIn,
    "rail": Rail,
    "supply in": SupplyIn,
    "return": Return,
    "control": Control,
    "control in": ControlIn,
    "digital": Digital,
    "video": Video,
}


#: Temperature inside a closed case that works, until it is measured: of transistor gear, and of gear that runs hot. From memory.
COOL_CASE, HOT_CASE = (
    parse_known(text, "°C", Basis.TYPICAL, "catalogue") for text in ("30 .. 37 .. 45 °C", "45 .. 55 .. 65 °C")
)


def ambient_in(host: Host) -> Known:
    """The temperature that is usual inside a host [°C]: hot where valves glow, or mains feeds a power amplifier."""
    amplifies = any(Act.AMPLIFY in s.acts for s in host.stages)
    mains = host.supply in (SupplyClass.MAINS_ISOLATED, SupplyClass.MAINS_SWITCHING)
    return HOT_CASE if host.supply is SupplyClass.VALVE or (mains and amplifies) else COOL_CASE


class Listed(NamedTuple):
    """An entry of the catalogue as a list shows it."""

    key: str
    name: str
    summary: str


def _values(raw: dict[str, Any], kind: type[msgspec.Struct]) -> dict[str, Any]:
    """A terminal's dict with its value texts made into Knowns on a typical basis. Raises ValueError for a field it has not."""
    strange = set(raw) - set(kind.__struct_fields__) - {"role"}
    if strange:
        raise ValueError(f"{raw['id']}: {raw['role']} has no {', '.join(sorted(strange))}")
    changed = dict(raw)
    if isinstance(raw.get("place"), str):
        changed["place"] = {"part": raw["place"]}
    for item in (*QUANTITIES.get(kind, ()), *BESIDE.get(kind, ())):
        if isinstance(raw.get(item.field), str):
            changed[item.field] = msgspec.to_builtins(
                parse_known(raw[item.field], item.unit, Basis.TYPICAL, source="catalogue")
            )
    return changed


def _device(raw: dict[str, Any]) -> dict[str, Any]:
    terminals = [_values(t, _ROLES[t["role"]]) for t in raw["terminals"]]
    paths = []
    for path in raw.get("paths", ()):
        resistance = path.get("resistance")
        known = (
            parse_known(resistance, PATH_RESISTANCE.unit, Basis.TYPICAL, "catalogue") if resistance else None
        )
        paths.append({**path, "resistance": msgspec.to_builtins(known)})
    made = {**raw, "terminals": terminals, "paths": paths}
    if "throughs" in raw:
        made["throughs"] = [_through(t) for t in raw["throughs"]]
    return made


def _through(raw: dict[str, Any]) -> dict[str, Any]:
    gain = parse_known(raw["gain"], THROUGH_GAIN.unit, Basis.TYPICAL, "catalogue")
    return {**raw, "gain": msgspec.to_builtins(gain)}


@cache
def _raw(file: str) -> dict[str, dict[str, Any]]:
    found: dict[str, dict[str, Any]] = said(file, tomllib.loads(data(file)))
    return found


def module_kinds() -> tuple[Listed, ...]:
    """The modules of the catalogue."""
    return tuple(Listed(k, r["name"], r.get("summary", "")) for k, r in _raw("modules.toml").items())


def host_kinds() -> tuple[Listed, ...]:
    """The host kinds of the catalogue."""
    return tuple(Listed(k, r["name"], r.get("supply", "")) for k, r in _raw("hosts.toml").items())


def make_module(key: str, module_id: str = "module") -> Module:
    """A module of a kind with its typical values; raises CatalogueError."""
    return _made("modules.toml", "module", key, module_id)


def _made(file: str, what: str, key: str, module_id: str) -> Module:
    raw = _raw(file).get(key)
    if raw is None:
        raise CatalogueError(what, key, list(_raw(file)))
    made = {k: v for k, v in _device(raw).items() if k not in ("summary", "antenna")}
    return msgspec.convert({**made, "id": module_id, "kind": key}, Module)


def has_antenna(module: Module) -> bool | None:
    """Whether a module talks by radio, by its kind in the catalogue; None where its kind is not in it."""
    raw = _raw("modules.toml").get(module.kind)
    return None if raw is None else bool(raw.get("antenna", False))


def adapter_kinds() -> tuple[Listed, ...]:
    """The adapters of the catalogue, which supply a module beside the host."""
    return tuple(Listed(k, r["name"], r["summary"]) for k, r in _raw("adapters.toml").items())


def make_adapter(key: str, module_id: str) -> Module:
    """An adapter as a device of a job, its values typical; raises CatalogueError."""
    return _made("adapters.toml", "adapter", key, module_id)


def make_host(key: str, name: str = "") -> Host:
    """A host of a kind with the values usual for it; raises CatalogueError."""
    raw = _raw("hosts.toml").get(key)
    if raw is None:
        raise CatalogueError("host kind", key, list(_raw("hosts.toml")))
    return msgspec.convert({**_device(raw), "name": name or raw["name"], "kind": key}, Host)
