"""The logbook: what of the host is opened, taken out and kept for the work, and the record of what was done.

The record only grows: an entry is struck, never changed. The order of its entries is the order in which things were done.
"""

from __future__ import annotations

import enum

from pigtail.job.record import Name, Note, Record, Ref


class Glue(enum.Enum):
    """What a cover is held by besides its screws."""

    UNSAID = "not said"
    NONE = "nothing"
    RUBBERY = "rubbery adhesive, comes off again"
    INSTANT = "instant glue or epoxy"


class Cover(Record, frozen=True, kw_only=True):
    """Something that is taken off to get inside: its screws in words (how many, which), what glues it when it is closed, and whether it
    must open again."""

    id: Ref
    name: Note
    screws: Note = ""
    glue: Glue = Glue.UNSAID
    opens: bool = True


class Alters(enum.Enum):
    """What is done to the host itself."""

    LIFT = "part taken out"
    CUT = "track cut"
    JUMPER = "jumper set"


class Alteration(Record, frozen=True, kw_only=True):
    """Something done to the host: a part by its reference that is taken out, a track that is cut, a jumper that is set; how it stood
    before or is set now; whether it can be put back as it was (None where nobody said), and whether it has a way round."""

    id: Ref
    kind: Alters
    what: Note
    how: Note = ""
    back: bool | None = None
    way_round: bool = False


class Original(Record, frozen=True, kw_only=True):
    """A sound of the host that is gone once the board that makes it is out."""

    id: Ref
    name: Note


class Work(Record, frozen=True, kw_only=True):
    """What the work needs to be told besides the plan: covers, alterations, original sounds; the budget and what the ready-made thing
    costs, in one currency; of a copy of an earlier job how long that took [min] and what it cost."""

    covers: tuple[Cover, ...] = ()
    alterations: tuple[Alteration, ...] = ()
    sounds: tuple[Original, ...] = ()
    budget: float | None = None
    ready_made: float | None = None
    currency: Name = ""
    copy_of: Note = ""
    took_min: float | None = None
    cost_before: float | None = None


class LogEntry(Record, frozen=True, kw_only=True, tag_field="entry"):
    """What all entries of the record share: when it was, of which step of the runbook (empty for none), and a note."""

    id: Ref
    when: Name
    step: Name = ""
    note: Note = ""
    struck: bool = False


class Done(LogEntry, frozen=True, kw_only=True, tag="done"):
    """A step was done: what it was then, in a sign that changes with it and in words; how long it took [s]; taken back instead of done;
    of one that is looked at whether it was as it should be."""

    mark: Note = ""
    words: Note = ""
    seconds: float = 0.0
    back: bool = False
    fine: bool = True


class Passed(LogEntry, frozen=True, kw_only=True, tag="passed"):
    """A hold point was passed by a reading: its id, between what it was expected to lie then [unit of the reading], as `Done` else."""

    reading: Ref
    low: float | None = None
    high: float | None = None
    expected: float | None = None
    mark: Note = ""
    words: Note = ""
    seconds: float = 0.0
    back: bool = False


class Waived(LogEntry, frozen=True, kw_only=True, tag="waived"):
    """A hold point was passed without a reading in range, for a written reason; the reading that was out of range, if one was taken."""

    reason: Note
    reading: Ref = ""
    mark: Note = ""
    words: Note = ""
    seconds: float = 0.0
    back: bool = False


class KeptAt(LogEntry, frozen=True, kw_only=True, tag="kept"):
    """Where something that came off the host is kept, how it went, and whether it was put back since."""

    what: Note
    where: Note
    how: Note = ""
    returned: bool = False


class FileKind(enum.Enum):
    """What a file of the record holds."""

    BEFORE = "photo before"
    AFTER = "photo after"
    SOUND = "original sound"


class Filed(LogEntry, frozen=True, kw_only=True, tag="filed"):
    """A photo or recording beside the job, told by its SHA-256; of a sound which one."""

    kind: FileKind
    file: Name
    sha256: Name
    what: Note = ""


class Fate(enum.Enum):
    """What became of what was paid for."""

    USED = "built in"
    BURNT = "burnt or broken"
    SPARE = "left over"


class Spent(LogEntry, frozen=True, kw_only=True, tag="spent"):
    """Something paid for: what, how much (None where nobody told), and what became of it."""

    what: Note
    amount: float | None = None
    fate: Fate = Fate.USED


class Noted(LogEntry, frozen=True, kw_only=True, tag="noted"):
    """A note in the person's own words; otherwise: what to do in another way next time."""

    text: Note
    otherwise: bool = False


AnyEntry = Done | Passed | Waived | KeptAt | Filed | Spent | Noted
#: The entries that say that a step was done.
Doing = Done | Passed | Waived
