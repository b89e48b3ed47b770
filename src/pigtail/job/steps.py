"""What a runbook is made of: steps, what each needs and makes true, its hold point, and how each stands in the record."""

from __future__ import annotations

import enum

import msgspec

from pigtail.job.ask import Ask

#: The phase of steps that only bring the host from one way of standing to another.
TURN = "turn"


class Power(enum.Enum):
    """How the host stands while a step is done."""

    ANY = "any"
    USED = "closed, as it is used"
    OFF = "unplugged"
    LIVE = "open, with power"


class Hold(msgspec.Struct, frozen=True):
    """A hold point. A reading (`ask`) passes it within `low` to `high` [unit of its function], all of its spread within `least` to `most`;
    what is looked at or listened to is a question instead. expected: what the model says. words, source: the range in words and where it
    comes from. unknown: why nobody can tell the range, empty where it is known. kind: under which what is out of range is explained."""

    kind: str
    ask: Ask | None = None
    question: str = ""
    low: float | None = None
    high: float | None = None
    expected: float | None = None
    least: float = -float("inf")
    most: float = float("inf")
    words: str = ""
    source: str = ""
    unknown: str = ""


class RunStep(msgspec.Struct, frozen=True):
    """One step: one action. kind: its entry; of: what it is for; phase: the part of the work; heed: what may hurt; stays: what of it
    cannot be undone; back: how it is taken back, empty for what needs no taking back.

    needs must hold and must not have changed since; after only comes before; without must not be there. keeps, files: what is to be kept or
    filed by it. mark: a sign that changes where what is done changes. point: whose place is shown. lasting: whether it leaves something in
    the host; risks: whether what comes next is powered through a limit. until: the fact from which on it needs no taking back. outside:
    no hand is inside. turned: it is the way back, `back` then the way forth.
    """

    id: str
    kind: str
    of: str
    phase: str
    says: str
    why: str = ""
    heed: str = ""
    stays: str = ""
    back: str = ""
    power: Power = Power.ANY
    state: str = ""
    needs: tuple[str, ...] = ()
    after: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    makes: str = ""
    hold: Hold | None = None
    back_hold: Hold | None = None
    keeps: str = ""
    files: str = ""
    minutes: float = 1.0
    mark: str = ""
    point: str = ""
    lasting: bool = False
    risks: bool = False
    until: str = ""
    outside: bool = False
    turned: bool = False

    @property
    def is_turn(self) -> bool:
        """Whether it only brings the host from one way of standing to another."""
        return self.phase == TURN


class Standing(enum.Enum):
    """How a step stands in the record."""

    OPEN = "to do"
    DONE = "done"
    WAIVED = "passed with a reason"
    AGAIN = "to do again"


class RunStand(msgspec.Struct, frozen=True):
    """A step as it stands: why it is to be done again; what must come first, empty where it can be done now; the entry that says it was
    done, and the reading that passed it; offer: a reading that is taken already and would pass it."""

    step: RunStep
    standing: Standing = Standing.OPEN
    why: str = ""
    blocked: str = ""
    entry: str = ""
    reading: str = ""
    offer: str = ""

    @property
    def open(self) -> bool:
        """Whether it is still to be done."""
        return self.standing in (Standing.OPEN, Standing.AGAIN)
