"""The record as tables: what came off the host and is kept where, readings against what was expected, time a step, cost, notes."""

from __future__ import annotations

import msgspec

from pigtail.job.document import Job
from pigtail.job.logbook import Done, Filed, KeptAt, LogEntry, Noted, Passed, Spent, Waived
from pigtail.job.reading_import import text_of
from pigtail.language import tr
from pigtail.studies.prove.ledger import Ledger, kind_of
from pigtail.studies.prove.telling import cost_of, money
from pigtail.units import format_quantity


class RecordLine(msgspec.Struct, frozen=True):
    """A line of a table of the record: its entry (empty for a sum), its cells, whether it is struck."""

    entry: str
    cells: tuple[str, ...]
    struck: bool = False


class RecordTables(msgspec.Struct, frozen=True):
    """The record of a job as tables: what was done, what is kept where, readings, cost, files, notes; each as lines of cells."""

    done: tuple[RecordLine, ...] = ()
    kept: tuple[RecordLine, ...] = ()
    readings: tuple[RecordLine, ...] = ()
    cost: tuple[RecordLine, ...] = ()
    files: tuple[RecordLine, ...] = ()
    notes: tuple[RecordLine, ...] = ()


#: The columns of the tables.
DONE = ("when", "step", "how", "took", "note")
KEPT = ("what", tr("kept where"), tr("how it went"), "now")
READINGS = (tr("hold point"), "reading", "expected", "range", tr("what it says"))
COST = ("what", "price", "became")
FILES = ("what", "file")
NOTES = ("when", "note")


def tables_of(job: Job) -> RecordTables:
    """The record of a job as tables."""
    ledger = Ledger(job)
    return RecordTables(
        tuple(_done(e) for e in job.record if isinstance(e, Done | Passed | Waived)),
        tuple(_kept(e, ledger) for e in job.record if isinstance(e, KeptAt)),
        tuple(_reading(job, e, ledger) for e in job.record if isinstance(e, Passed | Waived)),
        (*(_cost(job, e) for e in job.record if isinstance(e, Spent)), *_sums(job)),
        tuple(
            RecordLine(e.id, (e.kind.value + (f": {e.what}" if e.what else ""), e.file), e.struck)
            for e in job.record
            if isinstance(e, Filed)
        ),
        tuple(_note(e) for e in job.record if isinstance(e, Noted) or (e.note and not e.struck)),
    )


def took(seconds: float) -> str:
    """A time [s] in words: `40 s`, `12 min`."""
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"


def _when(entry: LogEntry) -> str:
    return entry.when.replace("T", " ")[:16]


def _done(entry: Done | Passed | Waived) -> RecordLine:
    if isinstance(entry, Passed):
        how = tr("passed by {reading}", reading=entry.reading)
    elif isinstance(entry, Waived):
        how = tr("passed for a reason: {reason}", reason=entry.reason)
    else:
        how = "done" if entry.fine else tr("looked at: not right")
    how = tr("taken back, {how}", how=how) if entry.back else how
    return RecordLine(
        entry.id,
        (_when(entry), entry.words, how, took(entry.seconds) if entry.seconds else "", entry.note),
        entry.struck,
    )


def _kept(entry: KeptAt, ledger: Ledger) -> RecordLine:
    last = ledger.last.get(entry.step)
    closed = ledger.done(f"close:{entry.step.partition(':')[2]}") if kind_of(entry.step) == "open" else None
    now = tr("put back") if closed is not None or (last is not None and last.entry.back) else "kept"
    return RecordLine(entry.id, (entry.what, entry.where, entry.how, now), entry.struck)


def _reading(job: Job, entry: Passed | Waived, ledger: Ledger) -> RecordLine:
    reading = ledger.readings.get(entry.reading)
    where = entry.words or (job.label(reading.point) if reading is not None else entry.step)
    shown = (
        f"{text_of(reading.function, reading.value.nominal)} ({reading.id})"
        if reading is not None
        else "none"
    )
    if isinstance(entry, Waived):
        return RecordLine(
            entry.id,
            (where, shown, "", "", tr("passed for a reason: {reason}", reason=entry.reason)),
            entry.struck,
        )
    unit = reading.value.unit if reading is not None else ""
    said = format_quantity(entry.expected, unit) if entry.expected is not None else ""
    span = (
        tr("{end} to {end2}", end=_end(entry.low, unit), end2=_end(entry.high, unit))
        if entry.low is not None and entry.high is not None
        else ""
    )
    verdict = _against(entry, reading.value.nominal) if reading is not None and unit == "V" else ""
    return RecordLine(entry.id, (where, shown, said, span, verdict), entry.struck)


#: Nearer than this a reading is what the model says [V].
EXACT_V = 1e-6
#: From this part of the way to the end of its range on a reading tells that some value lies at the end of its spread.
EDGE = 0.8


def _against(entry: Passed, value: float) -> str:
    """What a reading [V] says of the model: how far it lies from what that said, and whether that is nearly all that its spread allows."""
    if entry.expected is None or entry.low is None or entry.high is None:
        return ""
    off = value - entry.expected
    side = (entry.high - entry.expected) if off > 0 else (entry.expected - entry.low)
    if abs(off) <= EXACT_V:
        return tr("as the model says")
    edge = (
        tr(": some value of the plan lies at the end of its spread")
        if side > 0 and abs(off) > EDGE * side
        else ""
    )
    size = format_quantity(abs(off), "V")
    return (
        tr("{size} above the model", size=size) if off > 0 else tr("{size} below the model", size=size)
    ) + edge


def _end(value: float, unit: str) -> str:
    if abs(value) >= 1e6 and unit == "V":
        return "any"
    return "open" if value >= 1e9 else format_quantity(value, unit)


def _cost(job: Job, entry: Spent) -> RecordLine:
    price = money(job, entry.amount) if entry.amount is not None else tr("not known")
    return RecordLine(entry.id, (entry.what, price, entry.fate.value), entry.struck)


def _sums(job: Job) -> list[RecordLine]:
    """The sum against the budget, the ready-made thing, and the copy before."""
    cost, work = cost_of(job), job.work
    limits = (
        ("budget", work.budget, ("left", "over")), (tr("the ready-made thing"), work.ready_made, ("cheaper", "dearer")),
        (tr("the copy before"), work.cost_before, ("cheaper", "dearer")),
    )  # fmt: skip
    told = [(words, limit, sides) for words, limit, sides in limits if limit is not None]
    if not told and not any(isinstance(e, Spent) and not e.struck for e in job.record):
        return []
    open_words = tr(", and {count} without a price", count=len(cost.unpriced)) if cost.unpriced else ""
    burnt = tr("{money} of it burnt", money=money(job, cost.burnt)) if cost.burnt else ""
    lines = [RecordLine("", (tr("in all"), money(job, cost.total) + open_words, burnt))]
    for words, limit, (less, more) in told:
        left = limit - cost.total
        lines.append(
            RecordLine(
                "", (words, money(job, limit), f"{money(job, abs(left))} {less if left >= 0 else more}")
            )
        )
    return lines


def _note(entry: LogEntry) -> RecordLine:
    if isinstance(entry, Noted):
        return RecordLine(
            entry.id,
            (_when(entry), (tr("Next time: ") if entry.otherwise else "") + entry.text),
            entry.struck,
        )
    return RecordLine(entry.id, (_when(entry), entry.note), entry.struck)
