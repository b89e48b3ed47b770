"""Answering what is asked for, as the tests that follow questions do."""

from __future__ import annotations

from datetime import datetime

from pigtail.edits.readings import log_reading
from pigtail.job.ask import Ask
from pigtail.job.document import Job

WHEN = datetime(2026, 11, 25, 10, 0)


def answered(job: Job, asked: Ask, value: float) -> Job:
    """The job with a reading of what was asked for, taken as it was asked."""
    return log_reading(job, value=value, when=WHEN, **asked.setup())
