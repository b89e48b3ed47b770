"""What two jobs differ in, line by line, for somebody who must choose between them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec

from pigtail.job.document import Job
from pigtail.language import tr
from pigtail.units import format_quantity

MOST_LINES, MOST_SHOWN = 40, 60
NOTHING = "nothing"


def differences(mine: Job, theirs: Job) -> tuple[str, ...]:
    """Lines such as `host › terminals › record_in › impedance: 47 kΩ here, 22 kΩ in the file`; what is more is counted in the last."""
    found = list(_differ(msgspec.to_builtins(mine), msgspec.to_builtins(theirs), ()))
    shown = found[:MOST_LINES]
    return (
        (*shown, tr("… and {value} more", value=len(found) - MOST_LINES))
        if len(found) > MOST_LINES
        else tuple(shown)
    )


def _differ(mine: Any, theirs: Any, place: tuple[str, ...]) -> Iterator[str]:
    if mine == theirs:
        return
    a, b = _parts(mine), _parts(theirs)
    if a is None or b is None:
        yield tr(
            "{value}: {shown} here, {shown2} in the file",
            value=" › ".join(place) or tr("the job"),
            shown=_shown(mine),
            shown2=_shown(theirs),
        )
        return
    for name in dict.fromkeys((*a, *b)):
        yield from _differ(a.get(name, NOTHING), b.get(name, NOTHING), (*place, name))


def _parts(value: Any) -> dict[str, Any] | None:
    """The parts of a record by their fields, of a list by the id of each; of anything else None."""
    if isinstance(value, dict):
        # a value is one thing to a reader
        return None if "nominal" in value else value
    if not isinstance(value, list | tuple):
        return None
    found: dict[str, Any] = {}
    for at, item in enumerate(value):
        name = (
            next((str(item[k]) for k in ("id", "port", "name", "state") if k in item), "")
            if isinstance(item, dict)
            else ""
        )
        found[name if name and name not in found else f"number {at + 1}"] = item
    return found


def _shown(value: Any) -> str:
    if isinstance(value, dict):
        return format_quantity(value["nominal"], value.get("unit", "")) if "nominal" in value else "something"
    if not isinstance(value, str) or value == NOTHING:
        return str(value)[:MOST_SHOWN]
    return f"“{value}”" if len(value) <= MOST_SHOWN else f"“{value[:MOST_SHOWN]}…”"
