"""`pigtail next`: what to measure next, for programs and for people."""

from __future__ import annotations

from typing import Any

from pigtail.advice.measure import next_readings
from pigtail.job.ask import Ask, in_words
from pigtail.job.document import Job
from pigtail.studies.all import study_job


def next_as_json(job: Job) -> list[dict[str, Any]]:
    """Readings worth taking, the most telling first: all that makes each of them, what it should be and what it settles."""
    return [_as_json(job, ask) for ask in next_readings(job, study_job(job))]


def _as_json(job: Job, ask: Ask) -> dict[str, Any]:
    wanted = ask.expected
    return {
        "point": ask.point,
        "against": ask.against,
        "state": ask.state,
        "function": ask.function.value,
        "drive": ask.drive,
        "load": ask.load,
        "series": ask.series,
        "current": ask.current,
        "expected": None
        if wanted is None
        else {"low": wanted.low, "high": wanted.high, "words": wanted.words, "source": wanted.source},
        "settles": ask.settles or ask.reason,
        "words": in_words(job, ask),
    }


def next_as_text(job: Job) -> str:
    """The same as lines."""
    asked = next_readings(job, study_job(job))
    if not asked:
        return "Nothing is asked for."
    return "\n".join(f"{n:>3}  {in_words(job, ask)}: {ask.reason}" for n, ask in enumerate(asked, 1))
