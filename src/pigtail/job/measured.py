"""A job as it was measured: what was read outranks what the papers say, and the papers stay beside it."""

from __future__ import annotations

import msgspec

from pigtail.job.document import Job
from pigtail.job.readings import effective
from pigtail.units.store import cached_property


class Measured(msgspec.Struct, frozen=True, dict=True):
    """What every study takes: `papers`, the job as it was written down, and `job`, the same with its readings applied.

    Made once for a job by `Measured(papers)`; whoever needs values of what is really there asks `job`.
    """

    papers: Job

    @cached_property
    def job(self) -> Job:
        """The job with each value replaced by the reading that outranks it; the same object if none does."""
        return effective(self.papers)
