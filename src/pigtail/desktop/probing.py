"""What strip and bench mode share: where the probes are, what a reading there would be, and what it would mean."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from pigtail.job.errors import JobError
from pigtail.job.model import HEARD, Function, Job
from pigtail.job.reading_edits import log_reading, taken
from pigtail.job.reading_import import text_of, value_of
from pigtail.units import UnreadableError

if TYPE_CHECKING:
    from pigtail.bench.meters import Request
    from pigtail.job.edits import Edit
    from pigtail.studies.findings import Measure

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


class Setup(NamedTuple):
    """Where the probes are and what is done meanwhile: load, series [Ω], current [A], what is played."""

    point: str
    against: str
    state: str
    function: Function
    drive: str = ""
    load: float | None = None
    series: float | None = None
    current: float | None = None

    @classmethod
    def of(cls, m: Measure) -> Setup:
        """Where the probes are for what is asked."""
        return cls(m.point, m.against, m.state, m.function, m.drive, m.load, m.series)

    def request(self) -> Request:
        """The same as a meter is asked."""
        from pigtail.bench.meters import Request

        return Request(
            function=self.function,
            red=self.point,
            black=self.against,
            state=self.state,
            drive=self.drive,
            load=self.load or 0.0,
            series=self.series or 0.0,
            current=self.current or 0.0,
        )


class Verdict(NamedTuple):
    """What a reading means: a severity word, one sentence, what was expected."""

    severity: str
    sentence: str
    expected: str


def now() -> datetime:
    """The time on the wall."""
    return datetime.now().astimezone().replace(tzinfo=None)


def expected_text(job: Job, setup: Setup) -> str:
    """What is expected before anything is read, in words; empty where nothing is known."""
    from pigtail.studies.onspot import expected

    try:
        wanted = expected(job, taken(job, value=0.0, when=now(), **setup._asdict()))
    except JobError:
        return ""
    return f"expected: {wanted.words} ({wanted.source})" if wanted else ""


def judge_text(job: Job, setup: Setup, text: str) -> Verdict | None:
    """What a typed value would mean; None while it is no value."""
    from pigtail.studies.onspot import judged

    try:
        value = value_of(setup.function, text)
        finding = judged(job, taken(job, value=value, when=now(), **setup._asdict()))
    except (UnreadableError, JobError):
        return None
    return Verdict(finding.severity.value, finding.sentence, "")


def log_edit(job: Job, setup: Setup, text: str) -> tuple[str, Edit]:
    """Words and edit that log a typed value; raises UnreadableError or JobError."""
    value = value_of(setup.function, text)
    words = f"log {text_of(setup.function, value)} at {job.label(setup.point)}"
    edit: Callable[[Job], Job] = partial(log_reading, value=value, when=now(), **setup._asdict())
    return words, edit
