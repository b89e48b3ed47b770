"""`pigtail suggest --for control:NAME`: what wakes a module, mutes an output or shows a line, ranked, for programs and for people."""

from __future__ import annotations

from typing import Any

from pigtail.advice.controls import search_controls
from pigtail.advice.found import ControlsFound
from pigtail.advice.shapes import Wish
from pigtail.cli.suggesting import ranked, sections_as_json
from pigtail.job.document import AudioIn, AudioOut, Control, ControlIn, Job, Module
from pigtail.units import format_quantity

#: What stands before a name whose control is wanted, and what asks for all that can be controlled.
PREFIX, ALL = "control:", "control"


def names_control(job: Job, wanted: str) -> bool:
    """Whether a name asks for control: by its prefix, or as the address of an output or of a line."""
    return (
        wanted.startswith(PREFIX)
        or wanted == ALL
        or isinstance(job.terminal(wanted), AudioOut | AudioIn | Control)
    )


def controls(job: Job, wanted: str, wish: Wish | None = None) -> list[ControlsFound]:
    """The search of what is named, or of all modules, gated outputs and lines of modules. Raises EditError."""
    stock = wish.stock if wish is not None else None
    names = list(_all(job)) if wanted == ALL else [wanted.removeprefix(PREFIX)]
    return [search_controls(job, n, stock) for n in names]


def _all(job: Job) -> dict[str, None]:
    found: dict[str, None] = {m.id: None for m in job.modules}
    for device_id, device in job.devices():
        for terminal in device.terminals:
            if isinstance(terminal, ControlIn):
                found |= {f"{device_id}.{g}": None for g in terminal.gates}
            elif isinstance(terminal, Control) and isinstance(device, Module):
                found[f"{device_id}.{terminal.id}"] = None
    return found


def controls_as_json(found: list[ControlsFound]) -> dict[str, Any]:
    """What was found, by what it is for."""
    return {
        s.of: {
            "solved": s.solved,
            "trouble": s.trouble,
            "options": [
                {
                    "control": o.words,
                    "line": o.line,
                    "sections": sections_as_json(o.link),
                    "severity": o.severity.value,
                    "best_in_something": o.pareto,
                    "from_line_a": o.stolen_a,
                    "while_off_a": o.drain_a,
                    "lost_v": o.lost_v,
                    "parts": o.parts,
                    "cost": o.cost,
                    "host_joints": o.host_joints,
                    "not_in_stock": list(o.lacks),
                    "catch": o.catch,
                    "unknown": list(o.unknown),
                }
                for o in s.options
            ],
        }
        for s in found
    }


def controls_as_text(found: list[ControlsFound]) -> str:
    """The same as lines."""
    lines = [
        line
        for s in found
        for line in ranked(
            f"{s.of}: {s.solved:,} ways looked at. {s.trouble}",
            s.options,
            lambda o: f"{format_quantity(o.stolen_a, 'A', 2):>8} from {o.line}  {o.parts} parts  {o.words}",
        )
    ]
    return "\n".join(lines) if lines else "There is nothing to control yet."
