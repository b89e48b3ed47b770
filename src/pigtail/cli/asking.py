"""`pigtail next`: what to measure next, for programs and for people."""

from __future__ import annotations

from typing import Any

from pigtail.advice.measure import next_readings
from pigtail.advice.rounds import round_of
from pigtail.job.ask import Ask, in_words
from pigtail.job.document import Job
from pigtail.job.tone import tone_of
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
        "tone": _tone(ask.drive),
        "load": ask.load,
        "series": ask.series,
        "current": ask.current,
        "expected": None
        if wanted is None
        else {"low": wanted.low, "high": wanted.high, "words": wanted.words, "source": wanted.source},
        "caution": ask.caution,
        "settles": ask.settles or ask.reason,
        "words": in_words(job, ask),
    }


def _heed(ask: Ask) -> str:
    return f" [{ask.caution}]" if ask.caution else ""


def _tone(drive: str) -> dict[str, Any] | None:
    """What is played, in parts; None where nothing is. `volts` is that of a generator into an input, null where the host plays."""
    tone = tone_of(drive)
    if tone is None:
        return None
    return {
        "hertz": tone.hertz, "volts": tone.volts, "full_scale": tone.full, "side": tone.side or "both", "volume_down": tone.down,
    }  # fmt: skip


def next_as_text(job: Job) -> str:
    """The same as lines."""
    asked = next_readings(job, study_job(job))
    if not asked:
        return "Nothing is asked for."
    lines = [f"{n:>3}  {in_words(job, ask)}: {ask.reason}{_heed(ask)}" for n, ask in enumerate(asked, 1)]
    return "\n".join([round_of(job, asked).words, *lines])
