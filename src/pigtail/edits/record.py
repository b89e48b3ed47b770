"""Edits of the record: what was done is added, never changed; a wrong entry is struck. And what the work needs to be told."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from msgspec.structs import replace

from pigtail.edits.change import checked
from pigtail.edits.readings import log_reading
from pigtail.job.document import Job, Reading
from pigtail.job.errors import EditError
from pigtail.job.logbook import (
    Alteration,
    AnyEntry,
    Cover,
    Done,
    Fate,
    Filed,
    FileKind,
    KeptAt,
    Noted,
    Original,
    Passed,
    Spent,
    Waived,
    Work,
)
from pigtail.job.steps import Hold, RunStand, RunStep
from pigtail.language import tr


def _added(job: Job, *entries: AnyEntry) -> Job:
    first = _free_number(job)
    named = tuple(replace(e, id=f"e{first + k}") for k, e in enumerate(entries))
    return checked(replace(job, record=(*job.record, *named)))


def _free_number(job: Job) -> int:
    names = {e.id for e in job.record}
    return next(n for n in range(len(names) + 1, 2 * len(names) + 3) if f"e{n}" not in names)


def _stamp(when: datetime) -> str:
    return when.isoformat(timespec="seconds")


def _ready(stand: RunStand) -> RunStep:
    """The step of a stand; raises EditError, naming what comes first, where it cannot be done now."""
    if stand.blocked:
        raise EditError(stand.blocked, value=stand.step.id)
    return stand.step


def _own(step: RunStep) -> dict[str, Any]:
    """The step that an entry is of, and whether it takes it back: what is no longer planned is taken back under its own name."""
    if step.kind == "take_back":
        return {"step": step.of, "back": True, "words": step.says, "mark": step.mark}
    return {"step": step.id, "back": step.turned and not step.is_turn, "words": step.says, "mark": step.mark}


def do_step(
    job: Job,
    stand: RunStand,
    when: datetime,
    *,
    seconds: float = 0.0,
    note: str = "",
    where: str = "",
    how: str = "",
    files: tuple[tuple[str, str], ...] = (),
    fine: bool = True,
) -> Job:
    """Write that a step was done.

    Args: how long it took [s]; a note; where what it took off is kept, and how it went; files beside the job with their SHA-256; of one
    that is looked at whether all was as it should be. Raises EditError for a step that others come before, for a hold point that wants
    a reading, for something taken off that is kept nowhere, for an original sound without its recording.
    """
    step = _ready(stand)
    if step.hold is not None and step.hold.ask is not None:
        raise EditError(
            tr("this is a hold point: read it, or write the reason why it is passed without"), value=step.id
        )
    if step.keeps and not step.turned and not where.strip():
        raise EditError(
            tr("write where it is kept ({keeps}) before you go on", keeps=step.keeps), value=step.id
        )
    if step.files == FileKind.SOUND.value and not step.turned and not files:
        raise EditError(
            tr("file the recording with it, or write the reason why there is none"), value=step.id
        )
    made: list[AnyEntry] = [
        Done(id="", when=_stamp(when), note=note, seconds=seconds, fine=fine, **_own(step))
    ]
    if step.keeps and not step.turned:
        made.append(
            KeptAt(id="", when=_stamp(when), step=step.id, what=step.keeps, where=where.strip(), how=how)
        )
    made += [_filed(step, when, file, sha256) for file, sha256 in files]
    return _added(job, *made)


def _filed(step: RunStep, when: datetime, file: str, sha256: str) -> Filed:
    kind = FileKind(step.files) if step.files else FileKind.AFTER
    what = step.of if kind is FileKind.SOUND else ""
    return Filed(id="", when=_stamp(when), step=step.id, kind=kind, file=file, sha256=sha256, what=what)


def within(hold: Hold, reading: Reading) -> bool:
    """Whether a reading lies where a hold point wants it: its value in the range that is expected, all of its spread where it must stay."""
    if hold.low is None or hold.high is None or hold.unknown:
        return False
    value = reading.value
    return hold.low <= value.nominal <= hold.high and hold.least <= value.low and value.high <= hold.most


def _hold_of(step: RunStep) -> Hold:
    if step.hold is None or step.hold.ask is None:
        raise EditError(tr("nothing is read at this step"), value=step.id)
    return step.hold


def read_hold(
    job: Job, stand: RunStand, value: float, when: datetime, *, seconds: float = 0.0, note: str = ""
) -> Job:
    """Log a reading of a hold point [unit of its function], and pass it where it lies in range; out of range it is logged and nothing is
    passed. Raises EditError as `taken` does, and for a step that others come before."""
    step = _ready(stand)
    hold = _hold_of(step)
    assert hold.ask is not None
    read = log_reading(job, value=value, when=when, note=note, **hold.ask.setup())
    reading = read.readings[-1]
    if not within(hold, reading):
        return read
    return _added(read, _passed(step, hold, reading.id, when, seconds))


def take_reading(job: Job, stand: RunStand, when: datetime) -> Job:
    """Pass a hold point by the reading that it is offered. Raises EditError where there is none, or others come before."""
    step = _ready(stand)
    hold = _hold_of(step)
    if not stand.offer:
        raise EditError(tr("no reading that was taken passes it: read it now"), value=step.id)
    return _added(job, _passed(step, hold, stand.offer, when, 0.0))


def _passed(step: RunStep, hold: Hold, reading: str, when: datetime, seconds: float) -> Passed:
    return Passed(id="", when=_stamp(when), reading=reading, low=hold.low, high=hold.high, expected=hold.expected, seconds=seconds,
                  **_own(step))  # fmt: skip


def waive_hold(job: Job, stand: RunStand, reason: str, when: datetime, *, seconds: float = 0.0) -> Job:
    """Pass a step without its reading, its look or its recording, for a reason that stays on the record; it took so long [s].

    Raises EditError for no reason, and for a step that others come before."""
    step = _ready(stand)
    if not reason.strip():
        raise EditError(tr("write the reason: it stays on the record"), value=step.id)
    if step.hold is None and not step.files:
        raise EditError(tr("this is no hold point: do it, or change the plan"), value=step.id)
    last = _last_reading(job, step)
    return _added(
        job,
        Waived(id="", when=_stamp(when), reason=reason.strip(), reading=last, seconds=seconds, **_own(step)),
    )


def _last_reading(job: Job, step: RunStep) -> str:
    if step.hold is None or step.hold.ask is None:
        return ""
    return next((r.id for r in reversed(job.readings) if not r.struck and step.hold.ask.answered_by(r)), "")


def strike_entry(job: Job, entry_id: str) -> Job:
    """Strike an entry of the record: it is kept, and counts no more. Raises EditError for one that is not there."""
    if all(e.id != entry_id for e in job.record):
        raise EditError(tr("there is no entry {entry_id}", entry_id=entry_id), value=entry_id)
    return checked(
        replace(job, record=tuple(replace(e, struck=True) if e.id == entry_id else e for e in job.record))
    )


def keep_at(job: Job, step: str, what: str, where: str, when: datetime, *, how: str = "") -> Job:
    """Write where something is kept that a step took off. Raises EditError for no place."""
    if not where.strip():
        raise EditError(tr("write where it is kept"), value=what)
    return _added(job, KeptAt(id="", when=_stamp(when), step=step, what=what, where=where.strip(), how=how))


def file_with(
    job: Job, kind: FileKind, file: str, sha256: str, when: datetime, *, step: str = "", what: str = ""
) -> Job:
    """File a photo or recording that lies beside the job."""
    return _added(
        job, Filed(id="", when=_stamp(when), step=step, kind=kind, file=file, sha256=sha256, what=what)
    )


def spend(job: Job, what: str, amount: float | None, when: datetime, *, fate: Fate = Fate.USED) -> Job:
    """Write what was paid for something [currency of the job], None where its price is not known yet.

    Raises EditError for nothing named.
    """
    if not what.strip():
        raise EditError(tr("name what was paid for"))
    return _added(job, Spent(id="", when=_stamp(when), what=what.strip(), amount=amount, fate=fate))


def note(job: Job, text: str, when: datetime, *, otherwise: bool = False) -> Job:
    """Write a note; otherwise: what to do in another way next time. Raises EditError for no text."""
    if not text.strip():
        raise EditError(tr("write something first"))
    return _added(job, Noted(id="", when=_stamp(when), text=text.strip(), otherwise=otherwise))


# -- what the work needs to be told -------------------------------------------------------------------------


def _working(job: Job, **changes: Any) -> Job:
    return checked(replace(job, work=replace(job.work, **changes)))


def set_money(job: Job, **changes: Any) -> Job:
    """Set budget, price of the ready-made thing, or currency: fields of `Work`."""
    return _working(job, **changes)


def _put(items: tuple[Any, ...], item: Any) -> tuple[Any, ...]:
    if any(x.id == item.id for x in items):
        return tuple(item if x.id == item.id else x for x in items)
    return (*items, item)


def put_cover(job: Job, cover: Cover) -> Job:
    """Add something that is taken off to get inside, or put it in the place of the one of its id."""
    return _working(job, covers=_put(job.work.covers, cover))


def put_alteration(job: Job, alteration: Alteration) -> Job:
    """Add something that is done to the host, or put it in the place of the one of its id."""
    return _working(job, alterations=_put(job.work.alterations, alteration))


def put_sound(job: Job, sound: Original) -> Job:
    """Add an original sound to be kept, or put it in the place of the one of its id."""
    return _working(job, sounds=_put(job.work.sounds, sound))


def remove_work(job: Job, item_id: str) -> Job:
    """Take a cover, alteration or sound out of what is told of the work. Raises EditError for one that is not there."""
    work = job.work
    kept: dict[str, tuple[Any, ...]] = {
        f: tuple(x for x in getattr(work, f) if x.id != item_id) for f in ("covers", "alterations", "sounds")
    }
    if all(len(kept[f]) == len(getattr(work, f)) for f in kept):
        raise EditError(tr("there is no {item_id}", item_id=item_id), value=item_id)
    return _working(job, **kept)


def free_work_id(work: Work, stem: str) -> str:
    """An id that no cover, alteration or sound has yet: the stem with a number."""
    taken = {c.id for c in work.covers} | {a.id for a in work.alterations} | {x.id for x in work.sounds}
    return next(f"{stem}_{n}" for n in range(1, 100_000) if f"{stem}_{n}" not in taken)


def carried(to: Job, now: Job) -> Job:
    """A job of the history with the record as it is now: entries that it has not are kept, struck, since the record only grows."""
    if to.record == now.record:
        return to
    own = {e.id: e for e in to.record}
    kept = tuple(own.get(e.id) or replace(e, struck=True) for e in now.record)
    later = tuple(e for e in to.record if all(e.id != k.id for k in now.record))
    readings = {r.id for r in to.readings}
    missing = tuple(replace(r, struck=True) for r in now.readings if r.id not in readings)
    return replace(to, record=(*kept, *later), readings=(*to.readings, *missing) if missing else to.readings)
