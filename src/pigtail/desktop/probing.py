"""What strip and bench mode share: where the probes are, what a reading there would be, and what it would mean."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from pigtail.edits.readings import log_reading
from pigtail.job.document import HEARD, Function, Job
from pigtail.job.errors import JobError
from pigtail.job.reading_import import text_of, value_of
from pigtail.units import UnreadableError

if TYPE_CHECKING:
    from pigtail.edits.change import Edit
    from pigtail.job.ask import Ask

HINTS = {
    Function.DC_VOLTS: "1.65 V",
    Function.AC_VOLTS: "250m or -10 dBV",
    Function.RESISTANCE: "0.06, 4k7 or open",
    Function.CURRENT: "45 mA",
    Function.CONTINUITY: "0.3 or open",
    Function.DIODE: "0.62 V",
    Function.FREQUENCY: "44.1 kHz",
    Function.TEMPERATURE: "41 °C",
    Function.HEARD: ", ".join(HEARD),
}


class Verdict(NamedTuple):
    """What a reading means: a severity word, one sentence, what was expected."""

    severity: str
    sentence: str
    expected: str


def now() -> datetime:
    """The time on the wall."""
    return datetime.now().astimezone().replace(tzinfo=None)


def expected_text(job: Job, ask: Ask) -> str:
    """What is expected before anything is read, in words; empty where nothing is known."""
    from pigtail.studies.survey.onspot import expected

    wanted = expected(job, ask)
    return f"expected: {wanted.words} ({wanted.source})" if wanted else ""


def judge_text(job: Job, ask: Ask, text: str) -> Verdict | None:
    """What a typed value would mean; None while it is no value."""
    from pigtail.studies.survey.onspot import judged

    try:
        value = value_of(ask.function, text)
        finding = judged(job, ask.taken(job, value, now()))
    except (UnreadableError, JobError):
        return None
    return Verdict(finding.severity.value, finding.sentence, "")


def log_edit(job: Job, ask: Ask, text: str) -> tuple[str, Edit]:
    """Words and edit that log a typed value; raises UnreadableError or JobError."""
    value = value_of(ask.function, text)
    words = f"log {text_of(ask.function, value)} at {job.label(ask.point)}"
    edit: Callable[[Job], Job] = partial(log_reading, value=value, when=now(), **ask.setup())
    return words, edit
