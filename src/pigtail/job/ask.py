"""What is asked of a meter: one struct for the protocol, what is next, the strip, bench mode, meters and the sheet."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any

import msgspec

from pigtail.job.document import UNPOWERED, Function, Job, Reading
from pigtail.job.log import log_of
from pigtail.job.taking import taken
from pigtail.job.tone import tone_of
from pigtail.language import tr
from pigtail.units import format_quantity


class Expected(msgspec.Struct, frozen=True):
    """What a reading should lie between [unit of its function], in words, and where that comes from."""

    low: float
    high: float
    words: str
    source: str


class Ask(msgspec.Struct, frozen=True):
    """A reading to be taken: the red and the black probe, the host state, what is read and why. A current is read in series with its point,
    against none.

    drive: what is played or injected meanwhile; load [Ω] clipped across the probes, series [Ω] between a generator and the
    point, current [A] driven through them; settles: what becomes known by it, in words; expected: what it should be; caution:
    what whoever takes it should heed, where it may hurt.
    """

    point: str
    against: str
    state: str
    function: Function
    reason: str = ""
    drive: str = ""
    load: float | None = None
    series: float | None = None
    current: float | None = None
    settles: str = ""
    expected: Expected | None = None
    caution: str = ""

    @property
    def key(self) -> tuple[object, ...]:
        """What tells one request from another: all that makes the reading, not why it is taken."""
        return (
            self.point, self.against, self.state, self.function, self.drive, self.load, self.series, self.current
        )  # fmt: skip

    @property
    def in_series(self) -> bool:
        """Whether the meter stands in the opened lead of the point, and not between two points."""
        return self.function is Function.CURRENT

    @property
    def unpowered(self) -> bool:
        """Whether it is read with the host switched off, unplugged and discharged; so is what a current is driven through."""
        return self.function in UNPOWERED or self.current is not None

    def taken(self, job: Job, value: float, when: datetime) -> Reading:
        """The reading as the log would hold it, with a value [unit of the function]. Raises EditError as `taken` does."""
        return taken(job, value=value, when=when, **self.setup())

    def setup(self) -> dict[str, Any]:
        """Where the probes are and what is done meanwhile, by the names that a reading has for them."""
        return {
            "point": self.point, "against": self.against, "state": self.state, "function": self.function,
            "drive": self.drive, "load": self.load, "series": self.series, "current": self.current,
        }  # fmt: skip

    def answered_by(self, reading: Reading) -> bool:
        """Whether a reading answers it: between the same points, of the same kind, and if something was to be played, with
        something played, the same side if one alone. Ringing out and a resistance answer each other, in whatever state."""
        rung = (Function.CONTINUITY, Function.RESISTANCE)
        same = reading.function is self.function or (self.function in rung and reading.function in rung)
        clipped = self.function is Function.HEARD or all(
            (getattr(reading, f) is None) is (getattr(self, f) is None) for f in ("load", "series", "current")
        )
        return (
            same
            and clipped
            and {reading.point, reading.against} == {self.point, self.against}
            and (reading.state == self.state or self.function in rung)
            and _played(self.drive, reading.drive)
        )


def unplugged(job: Job) -> str:
    """The state in which the host is off and resistances are read: the first that is off, else the first of all."""
    return job.off_state() or (job.host.states[0].id if job.host.states else "")


def unanswered(job: Job, asks: Iterable[Ask]) -> tuple[Ask, ...]:
    """The requests that no standing reading answers yet."""
    log = log_of(job)
    return tuple(a for a in asks if not any(a.answered_by(r) for r in log.touching(a.point)))


def _played(asked: str, drive: str) -> bool:
    """Whether what was played serves for what was asked."""
    wanted, tone = tone_of(asked), tone_of(drive)
    return wanted is None or (tone is not None and tone.answers(wanted))


#: Where the other probe is when a current is read.
IN_SERIES = tr("in series")
#: Where it is read.
OPENED = tr("its lead opened at a fuse or a link")
#: What is clipped on, by the field that holds it: its unit, and how it is said.
CLIPS = {"load": ("Ω", "across"), "series": ("Ω", tr("in series")), "current": ("A", tr("driven through"))}


def meanwhile(ask: Ask) -> str:
    """What is clipped on and played, in words that follow what is read; empty where it is the meter alone."""
    clipped = "".join(
        f", {format_quantity(value, unit)} {how}"
        for field, (unit, how) in CLIPS.items()
        if (value := getattr(ask, field)) is not None
    )
    tone = tone_of(ask.drive)
    if tone is not None and tone.volts is not None:
        return tr("{clipped}, {drive} put in", clipped=clipped, drive=ask.drive)
    return clipped + (tr(", playing {drive}", drive=ask.drive) if ask.drive else "")


def when_words(job: Job, ask: Ask) -> str:
    """In which state it is read, in words."""
    state = job.state(ask.state)
    return tr("power off") if ask.unpowered else f"while “{state.name}”" if state else ""


def in_words(job: Job, ask: Ask) -> str:
    """A request as a sentence without its end: `ring out J4-2 to U7-43, power off`, `read DC volts of the 5 V rail against the
    star, 100 Ω across, while “standby”`."""
    place = when_words(job, ask)
    return what_words(job, ask, f", {place}" if ask.unpowered else f" {place}" if place else "")


def what_words(job: Job, ask: Ask, tail: str = "") -> str:
    """What is read where, without the state it is read in."""
    point, against = job.label(ask.point), job.label(ask.against) if ask.against else "?"
    if ask.function is Function.LOOK:
        return tr("look at {point}, unplugged", point=point)
    if ask.unpowered and ask.function in UNPOWERED:
        verb = tr("ring out") if ask.function is Function.CONTINUITY else tr("read the resistance of")
        return tr(
            "{verb} {point} to {against}{meanwhile}{tail}",
            verb=verb,
            point=point,
            against=against,
            meanwhile=meanwhile(ask),
            tail=tail,
        )
    if ask.in_series:
        return tr(
            "read the current {in_series} with {point}, {opened}{tail}{meanwhile}",
            in_series=IN_SERIES,
            point=point,
            opened=OPENED,
            tail=tail,
            meanwhile=meanwhile(ask),
        )
    what = (
        tr("listen to")
        if ask.function is Function.HEARD
        else tr("read {function} of", function=tr(ask.function.value))
    )
    return tr(
        "{what} {point} against {against}{tail}{meanwhile}",
        what=what,
        point=point,
        against=against,
        tail=tail,
        meanwhile=meanwhile(ask),
    )
