"""Answering what is asked for, as the tests that follow questions do."""

from __future__ import annotations

from datetime import datetime

from pigtail.job.model import Job
from pigtail.job.reading_edits import log_reading
from pigtail.studies.findings import Measure
from pigtail.studies.protocol import Check

WHEN = datetime(2026, 11, 25, 10, 0)


def answered(job: Job, asked: Measure | Check, value: float) -> Job:
    """The job with a reading of what was asked for, taken as it was asked."""
    return log_reading(
        job,
        point=asked.point,
        against=asked.against,
        state=asked.state,
        function=asked.function,
        value=value,
        when=WHEN,
        drive=asked.drive,
        load=getattr(asked, "load", None),
        series=getattr(asked, "series", None),
    )
