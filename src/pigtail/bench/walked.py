"""One who does just what the runbook asks, step by step, and reads what the model says: for pictures, practice and tests."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta

from pigtail.edits.record import do_step, read_hold
from pigtail.job.document import Job
from pigtail.job.logbook import FileKind
from pigtail.job.steps import RunStand
from pigtail.model.model import Model
from pigtail.studies.prove.found import ProveFound
from pigtail.studies.prove.study import study_prove

BEGAN = datetime(2026, 11, 28, 9, 0)
#: A hash that a filed recording is told by; no file is read where the record alone is tried.
HASH = "0" * 64
#: More steps than any runbook has.
MOST = 600


def proved(job: Job) -> ProveFound:
    """The runbook of a job as it stands."""
    return study_prove(Model.of(job))


def right_value(stand: RunStand) -> float:
    """What a sound host reads at a hold point [unit of its function]."""
    hold = stand.step.hold
    assert hold is not None
    assert hold.low is not None
    assert hold.high is not None
    if hold.expected is not None and hold.low <= hold.expected <= hold.high:
        return hold.expected
    return 1e6 if hold.high > 1e9 else (hold.low + hold.high) / 2


def take(job: Job, stand: RunStand, at: datetime, value: float | None = None) -> Job:
    """The job with one step done as it asks, with a reading [unit of its function] in place of the right one.

    Raises EditError as the edits do.
    """
    step = stand.step
    if step.hold is not None and step.hold.ask is not None:
        return read_hold(job, stand, right_value(stand) if value is None else value, at, seconds=20.0)
    sound = step.files == FileKind.SOUND.value and not step.turned
    files = ((f"{step.of}.wav", HASH),) if sound else ()
    where = f"bag of {step.of}" if step.keeps and not step.turned else ""
    return do_step(job, stand, at, seconds=30.0, where=where, files=files)


def walked(
    job: Job,
    until: Callable[[RunStand], bool] = lambda _s: False,
    *,
    back: bool = False,
    seen: list[RunStand] | None = None,
) -> Job:
    """The job with its runbook done up to a step that is not done any more, or to its end; back: the way back. Raises RuntimeError for one
    that is held up or does not end."""
    for number in range(MOST):
        found = proved(job)
        stand = found.next_back if back else found.next
        if stand is None or until(stand):
            return job
        if stand.blocked:
            raise RuntimeError(f"{stand.step.id} is held up: {stand.blocked}")
        if seen is not None:
            seen.append(stand)
        job = take(job, stand, BEGAN + timedelta(minutes=len(job.record) + number))
    raise RuntimeError("the runbook does not end")
