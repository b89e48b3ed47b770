"""What the survey found. Free of numerical packages."""

from __future__ import annotations

from pigtail.job.document import Job
from pigtail.studies.findings import Study


class SurveyFound(Study, frozen=True):
    """Findings about the host; `job` is the job with the readings that outrank its documents."""

    job: Job | None = None


FOUND = SurveyFound
