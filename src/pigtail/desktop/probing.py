"""What strip and bench mode share: where the probes are, what a reading there would be, and what it would mean."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from pigtail.edits.readings import log_reading
from pigtail.edits.values import set_supply
from pigtail.job.document import HEARD, SEEN, Function, Job
from pigtail.job.errors import JobError
from pigtail.job.reading_import import text_of, value_of
from pigtail.language import tr
from pigtail.units import UnreadableError

if TYPE_CHECKING:
    from pigtail.edits.change import Edit
    from pigtail.job.ask import Ask

HINTS = {
    Function.DC_VOLTS: "1.65 V",
    Function.AC_VOLTS: tr("250m or -10 dBV"),
    Function.RESISTANCE: tr("0.06, 4k7 or open"),
    Function.CURRENT: "45 mA",
    Function.CONTINUITY: tr("0.3 or open"),
    Function.DIODE: "0.62 V",
    Function.FREQUENCY: "44.1 kHz",
    Function.TEMPERATURE: "41 °C",
    Function.HEARD: ", ".join(HEARD),
    Function.LOOK: ", ".join(SEEN),
}


class Verdict(NamedTuple):
    """What a reading means: a severity word, one sentence, what was expected."""

    severity: str
    sentence: str
    expected: str


def now() -> datetime:
    """The time on the wall."""
    return datetime.now().astimezone().replace(tzinfo=None)


#: How the words of an edit that logs a reading begin.
LOGGED = tr("log {value} at {point}").partition("{")[0]


def expected_text(job: Job, ask: Ask) -> str:
    """What is expected before anything is read, in words; empty where nothing is known."""
    from pigtail.studies.survey.expecting import expected

    if ask.function is Function.LOOK:
        return tr("type one of: {hints}", hints=HINTS[Function.LOOK])
    wanted = expected(job, ask)
    return tr("expected: {wanted} ({source})", wanted=wanted.words, source=wanted.source) if wanted else ""


def judge_text(job: Job, ask: Ask, text: str) -> Verdict | None:
    """What a typed value would mean; None while it is no value."""
    from pigtail.studies.survey.onspot import judged

    try:
        value = value_of(ask.function, text)
        finding = judged(job, ask.taken(job, value, now()))
    except (UnreadableError, JobError):
        return None
    return Verdict(finding.severity.value, finding.sentence, "")


def words_of(job: Job, asks: Sequence[Ask]) -> str:
    """How many readings a round has, and about how long it takes, in words."""
    from pigtail.advice.rounds import round_of

    return round_of(job, asks).words


def slip_text(job: Job, ask: Ask, text: str) -> tuple[str, str] | None:
    """What was probably meant by a typed value: the question, and the text of what was meant; None where nothing is odd."""
    from pigtail.studies.survey.slips import slip_of

    if ask.function is Function.LOOK:
        return None
    try:
        slip = slip_of(job, ask, value_of(ask.function, text))
    except (UnreadableError, JobError):
        return None
    return (slip.question, text_of(ask.function, slip.value)) if slip is not None else None


def log_edit(job: Job, ask: Ask, text: str) -> tuple[str, Edit]:
    """Words and edit that log a typed value; raises UnreadableError or JobError."""
    value = value_of(ask.function, text)
    if ask.function is Function.LOOK:
        supply = tuple(SEEN.values())[int(value)]
        return tr("fed by: {supply}", supply=tr(supply.value)), partial(set_supply, supply=supply)
    words = tr("log {value} at {point}", value=text_of(ask.function, value), point=job.label(ask.point))
    edit: Callable[[Job], Job] = partial(log_reading, value=value, when=now(), **ask.setup())
    return words, edit
