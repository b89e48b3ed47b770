"""`pigtail suggest --for SUPPLY`: the ranked supplies of a module, for programs and for people."""

from __future__ import annotations

from typing import Any

from pigtail.advice.found import SuppliesFound
from pigtail.advice.shapes import Wish
from pigtail.advice.supplies import pin_named, search_supplies
from pigtail.cli.suggesting import number_as_json, ranked, sections_as_json
from pigtail.job.document import HOST, Job, Purpose, SupplyIn
from pigtail.model.estimate import Estimate


def names_supply(job: Job, wanted: str) -> bool:
    """Whether a name is that of a supply link, a module or its supply pin, and no feed's."""
    link = job.link(wanted)
    if link is not None:
        return link.purpose is Purpose.SUPPLY
    return (wanted != HOST and job.device(wanted) is not None) or isinstance(job.terminal(wanted), SupplyIn)


def supplies(job: Job, wanted: str, wish: Wish | None = None) -> SuppliesFound:
    """The search of a module's supply. Raises EditError."""
    return search_supplies(job, pin_named(job, wanted), wish.stock if wish is not None else None)


def _number(estimate: Estimate | None) -> dict[str, Any] | None:
    return None if estimate is None or estimate.value is None else number_as_json(estimate)


def supplies_as_json(found: SuppliesFound) -> dict[str, Any]:
    """What was found, by the supply pin."""
    return {
        found.pin: {
            "solved": found.solved,
            "trouble": found.trouble,
            "options": [
                {
                    "source": o.source,
                    "supply": o.words,
                    "sections": sections_as_json(o.link),
                    "severity": o.severity.value,
                    "best_in_something": o.pareto,
                    "heat_w": o.heat_w,
                    "hottest_c": _number(o.hottest),
                    "dropout_v": _number(o.dropout),
                    "module_v": _number(o.volts),
                    "ripple_v": o.ripple_v,
                    "buzz_db": _number(o.buzz),
                    "on_while_off": list(o.idle),
                    "parts": o.parts,
                    "cost": o.cost,
                    "host_joints": o.host_joints,
                    "not_in_stock": list(o.lacks),
                    "catch": o.catch,
                    "unknown": list(o.unknown),
                }
                for o in found.options
            ],
        }
    }


def supplies_as_text(found: SuppliesFound) -> str:
    """The same as lines."""
    return "\n".join(
        ranked(
            f"{found.pin}: {found.solved:,} ways looked at. {found.trouble}",
            found.options,
            lambda o: f"{o.volts.short():>7} {o.heat_w:5.2f} W heat  {o.parts} parts  {o.source}: {o.words}",
        )
    )
