"""What to measure next after a logged reading, on a host of 300 points and 5,000 readings: as a ratio to the study of the same job.

The study is what the window makes anyway after each reading; the reference is a host of 30 points and 500 readings in the same run. Last, a job
whose readings do not fit, so that faults are solved.
"""

from __future__ import annotations

from datetime import datetime

from bench_survey import made
from pigtail.advice.measure import next_readings
from pigtail.advice.plan import propose
from pigtail.edits.readings import log_reading
from pigtail.job.document import Function, Job
from pigtail.job.errors import JobError
from pigtail.studies.all import study_job
from timed import median

WHEN = datetime(2026, 11, 27, 12, 0)


def logged(job: Job, value: float) -> Job:
    """The job with one reading more at an input, where it should be silent."""
    return log_reading(
        job,
        point="host.aux_left",
        against="host.input_return",
        state="aux",
        function=Function.AC_VOLTS,
        value=value,
        when=WHEN,
    )


def main() -> None:
    """Print seconds and ratios."""
    for points, readings in ((30, 500), (300, 5000)):
        job = made(points, readings)
        try:
            job = propose(job, "rx")
        except JobError as error:
            print(error)
        for words, value in (("fits", 0.001), ("does not fit", 0.2)):
            now = logged(job, value)
            studies = study_job(now)
            study = median(lambda _k, j=now: study_job(j))  # type: ignore[misc]
            following = median(lambda _k, j=now, s=studies: next_readings(j, s))  # type: ignore[misc]
            count = len(next_readings(now, studies))
            print(
                f"{points} points, {readings} readings, {words}: study {1000 * study:.0f} ms, next {1000 * following:.0f} ms"
                f" ({following / study:.2f} of the study), {count} asked"
            )


if __name__ == "__main__":
    main()
