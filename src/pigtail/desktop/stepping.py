"""What the Prove station and bench mode share: a step in words, what a typed reading would mean for it, and the changes that it makes."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from pigtail.desktop.probing import now
from pigtail.edits.change import Change
from pigtail.edits.record import do_step, read_hold, take_reading, waive_hold
from pigtail.job.document import Job
from pigtail.job.errors import JobError
from pigtail.job.reading_import import text_of, value_of
from pigtail.language import tr
from pigtail.units import UnreadableError

if TYPE_CHECKING:
    from pigtail.job.steps import RunStand


class Said(NamedTuple):
    """What is said of a reading or an answer: a severity word, and lines, the most important first."""

    severity: str
    lines: tuple[str, ...]
    passes: bool = False


class Answered(NamedTuple):
    """What a person gives with a step: how long it took [s], a note, where something is kept, files with their hashes."""

    seconds: float = 0.0
    note: str = ""
    where: str = ""
    files: tuple[tuple[str, str], ...] = ()


def probes_words(job: Job, stand: RunStand) -> str:
    """Where the probes go at a hold point, and in which state, in words; empty where nothing is read."""
    from pigtail.job.ask import meanwhile, what_words, when_words

    hold = stand.step.hold
    if hold is None or hold.ask is None:
        return ""
    ask = hold.ask
    if ask.in_series:
        return what_words(job, ask)
    when = when_words(job, ask)
    return tr(
        "red on {point}, black on {against}: {function}{meanwhile}",
        point=job.label(ask.point),
        against=job.label(ask.against),
        function=tr(ask.function.value),
        meanwhile=meanwhile(ask),
    ) + (f", {when}" if when else "")


def range_words(stand: RunStand) -> str:
    """What a hold point must be, in words; empty for a step without one."""
    hold = stand.step.hold
    if hold is None:
        return ""
    if hold.question:
        return hold.question
    return (
        tr("nobody can tell its range: {unknown}", unknown=hold.unknown)
        if hold.unknown
        else tr("it must read {hold} ({source})", hold=hold.words, source=hold.source)
    )


def told_of(job: Job, stand: RunStand, text: str) -> Said | None:
    """What a typed reading means for a hold point, at once; None while it is no reading."""
    from pigtail.studies.prove.meaning import explained

    hold = stand.step.hold
    if hold is None or hold.ask is None:
        return None
    try:
        reading = hold.ask.taken(job, value_of(hold.ask.function, text), now())
    except (UnreadableError, JobError):
        return None
    found = explained(hold, reading.value)
    lines = tuple(x for x in (found.sentence, found.not_now, found.look) if x)
    return Said(
        "good" if found.passes else "stop" if hold.kind in ("plug", "joined", "no_short", "empty") else "fix",
        lines,
        found.passes,
    )


def told_of_no(stand: RunStand) -> Said:
    """What it means that a look was not as it should be."""
    from pigtail.studies.prove.meaning import not_so

    found = not_so(stand.step.hold) if stand.step.hold is not None else None
    if found is None:
        return Said("fix", (tr("Not done."),))
    return Said("fix", (tr("Not as it should be: {means}.", means=found.means), found.not_now, found.look))


def value_change(job: Job, stand: RunStand, text: str, seconds: float, note: str = "") -> Change:
    """The change that logs a reading at a hold point. Raises UnreadableError for a text that is no reading."""
    assert stand.step.hold is not None
    assert stand.step.hold.ask is not None
    ask = stand.step.hold.ask
    value = value_of(ask.function, text)
    edit: Callable[[Job], Job] = partial(
        read_hold, stand=stand, value=value, when=now(), seconds=seconds, note=note
    )
    return Change(
        tr("read {text_of} at {point}", text_of=text_of(ask.function, value), point=job.label(ask.point)),
        edit,
    )


def done_change(stand: RunStand, given: Answered, *, fine: bool = True) -> Change:
    """The change that writes that a step was done, or looked at and not right."""
    edit = partial(
        do_step,
        stand=stand,
        when=now(),
        seconds=given.seconds,
        note=given.note,
        where=given.where,
        files=given.files,
        fine=fine,
    )
    return Change(f"{tr('done') if fine else tr('not right')}: {short(stand)}", edit)


def offered_change(stand: RunStand) -> Change:
    """The change that passes a hold point by the reading that it is offered."""
    return Change(
        tr("passed by {offer}: {short}", offer=stand.offer, short=short(stand)),
        partial(take_reading, stand=stand, when=now()),
    )


def waived_change(stand: RunStand, reason: str, seconds: float) -> Change:
    """The change that passes a hold point with a written reason."""
    return Change(
        tr("passed with a reason: {short}", short=short(stand)),
        partial(waive_hold, stand=stand, reason=reason, when=now(), seconds=seconds),
    )


def short(stand: RunStand) -> str:
    """A step in a few words, for the history."""
    words = stand.step.says
    return words if len(words) <= 48 else f"{words[:46].rstrip()}…"
