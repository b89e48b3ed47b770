"""The latest reading at a point, in words, as it stands beside a pin."""

from __future__ import annotations

from pigtail.job.document import FUNCTION_UNITS, Function, Job
from pigtail.job.log import log_of
from pigtail.language import tr
from pigtail.units import format_quantity


def latest_words(job: Job, point: str) -> str:
    """The latest reading at a point, volts before anything else; empty where there is none."""
    found = [r for r in log_of(job).touching(point) if r.point == point]
    if not found:
        return ""
    volts = [r for r in found if r.function in (Function.DC_VOLTS, Function.AC_VOLTS)]
    last = (volts or found)[-1]
    state = job.state(last.state)
    if last.function is Function.HEARD:
        return tr("listened to")
    value = format_quantity(last.value.nominal, FUNCTION_UNITS[last.function])
    return f"{value} {tr(last.function.value)}, {state.name if state else '?'}"
