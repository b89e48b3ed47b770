"""Edits of the log: readings are added, struck and corrected; none is ever overwritten."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any

from msgspec.structs import replace

from pigtail.edits.change import checked
from pigtail.job.document import Job, Reading
from pigtail.job.errors import EditError
from pigtail.job.meters import meter, meters
from pigtail.job.taking import free_number, taken
from pigtail.language import tr


def log_reading(job: Job, **what: Any) -> Job:
    """Add a reading to the log; its arguments are those of `taken`."""
    return checked(replace(job, readings=(*job.readings, taken(job, **what))))


def log_readings(job: Job, rows: Iterable[Reading]) -> Job:
    """Add readings that were imported, each under an id of its own."""
    number = free_number(job)
    added = tuple(replace(r, id=f"r{number + k}") for k, r in enumerate(rows))
    return checked(replace(job, readings=(*job.readings, *added)))


def strike_reading(job: Job, reading_id: str) -> Job:
    """Strike a reading: it is kept, and counts no more."""
    _find(job, reading_id)
    return replace(
        job, readings=tuple(replace(r, struck=True) if r.id == reading_id else r for r in job.readings)
    )


def correct_reading(job: Job, reading_id: str, value: float, when: datetime) -> Job:
    """Strike a reading and put another beside it that says what it should have been.

    The value in the [unit of its function].
    """
    old = _find(job, reading_id)
    known = meter(old.instrument or job.meter).value(old.function, value)
    new = replace(
        old,
        id=f"r{free_number(job)}",
        value=known,
        when=when.isoformat(timespec="seconds"),
        corrects=old.id,
        struck=False,
    )
    struck = strike_reading(job, reading_id)
    return checked(replace(struck, readings=(*struck.readings, new)))


def _find(job: Job, reading_id: str) -> Reading:
    found = next((r for r in job.readings if r.id == reading_id), None)
    if found is None:
        raise EditError(tr("there is no reading {reading_id}", reading_id=reading_id), value=reading_id)
    return found


def set_meter(job: Job, key: str) -> Job:
    """Choose the kind of meter that readings are taken with from now on.

    Raises EditError for a meter that there is not.
    """
    if key not in meters():
        raise EditError(
            tr("there is no meter {key}; choose one of {listed}", key=key, listed=", ".join(meters())),
            value=key,
        )
    return checked(replace(job, meter=key))
