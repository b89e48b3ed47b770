"""`pigtail next`: what to measure next, for programs and for people."""

from __future__ import annotations

from typing import Any

from pigtail.advice.measure import next_readings
from pigtail.job.model import UNPOWERED, Job
from pigtail.studies.all import study_job


def next_as_json(job: Job) -> list[dict[str, Any]]:
    """Readings worth taking, the most telling first."""
    return [
        {
            "point": m.point,
            "against": m.against,
            "state": m.state,
            "function": m.function.value,
            "drive": m.drive,
            "settles": m.reason,
        }
        for m in next_readings(job, study_job(job))
    ]


def next_as_text(job: Job) -> str:
    """The same as lines."""
    asked = next_readings(job, study_job(job))
    if not asked:
        return "Nothing is asked for."
    lines = []
    for number, m in enumerate(asked, 1):
        state = job.state(m.state)
        when = "power off" if m.function in UNPOWERED else f"while “{state.name if state else '?'}”"
        played = f", playing {m.drive}" if m.drive else ""
        lines.append(
            f"{number:>3}  {m.function.value}: {job.label(m.point)} against {job.label(m.against)}, {when}{played}: {m.reason}"
        )
    return "\n".join(lines)
