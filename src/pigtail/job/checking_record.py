"""Whether what is told of the work and the record makes sense: ids, lengths, sums, files and what they name."""

from __future__ import annotations

import math

from pigtail.job.checking import check_unique
from pigtail.job.document import Job
from pigtail.job.errors import JobError
from pigtail.job.logbook import Done, Filed, Passed, Spent, Waived
from pigtail.language import tr

#: The most that anything costs, and the longest that a step takes [s].
MOST_MONEY, MOST_S = 1e9, 1e7


def check_record(job: Job) -> None:
    """Raise JobError, naming the place and the mend, for what cannot be."""
    work = job.work
    for field in ("covers", "alterations", "sounds"):
        check_unique(f"work.{field}", (x.id for x in getattr(work, field)))
        for at, item in enumerate(getattr(work, field)):
            if not (getattr(item, "name", "") or getattr(item, "what", "")).strip():
                raise JobError(tr("give it a name"), where=f"work.{field}[{at}]")
    for field in ("budget", "ready_made", "cost_before", "took_min"):
        _amount(getattr(work, field), f"work.{field}")
    check_unique("record", (e.id for e in job.record))
    readings = {r.id for r in job.readings}
    for at, entry in enumerate(job.record):
        place = f"record[{at}]"
        if isinstance(entry, Spent):
            _amount(entry.amount, f"{place}.amount")
        if isinstance(entry, Done | Passed | Waived) and not (
            0 <= entry.seconds <= MOST_S and math.isfinite(entry.seconds)
        ):
            raise JobError(
                tr("a step takes from nought seconds to a few months"),
                where=f"{place}.seconds",
                value=entry.seconds,
            )
        if isinstance(entry, Passed):
            for field in ("low", "high", "expected"):
                value = getattr(entry, field)
                if value is not None and not math.isfinite(value):
                    raise JobError(tr("a range ends at numbers"), where=f"{place}.{field}", value=value)
        if isinstance(entry, Passed) and not entry.struck and entry.reading not in readings:
            raise JobError(
                tr("there is no reading “{reading}”; strike the entry", reading=entry.reading[:40]),
                where=f"{place}.reading",
            )
        if isinstance(entry, Filed):
            _beside(entry.file, f"{place}.file")


def _amount(value: float | None, where: str) -> None:
    if value is not None and not (math.isfinite(value) and 0 <= value <= MOST_MONEY):
        raise JobError(
            tr("give nought or more, up to {most_money:,.0f}", most_money=MOST_MONEY),
            where=where,
            value=value,
        )


def _beside(file: str, where: str) -> None:
    if not file or file.startswith(("/", "~")) or "\\" in file or ".." in file.split("/"):
        raise JobError(tr("a file of the record lies beside the job; give its path from there"), where=where)
