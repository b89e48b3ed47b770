"""The record as it is read: what was done last of each step, what is in the host, and how the host stands now."""

from __future__ import annotations

from typing import NamedTuple

from pigtail.edits.record import within
from pigtail.job.document import Job, Reading
from pigtail.job.logbook import AnyEntry, Doing, Done, KeptAt, Passed, Waived
from pigtail.job.steps import Power, RunStep
from pigtail.studies.prove.kinds import kinds
from pigtail.studies.prove.ordering import AT_FIRST, HostStand
from pigtail.units.store import cached_property

#: How the host stands once one of these is done; those that read the reservoir change nothing.
TURNS = {
    "unplug": Power.OFF,
    "on": Power.LIVE,
    "on_limited": Power.LIVE,
    "switch": Power.LIVE,
    "use": Power.USED,
}


#: What tells that nothing is left on the reservoir.
DRAINED = ("empty", "drain")


class Last(NamedTuple):
    """The last entry of a step, and its place in the record."""

    entry: Done | Passed | Waived
    place: int


def kind_of(step: str) -> str:
    """The kind of a step, by its id."""
    return step.partition(":")[0]


def looked_wrong(entry: AnyEntry) -> bool:
    """Whether an entry tells that a step was looked at and was not right: it does not count as done."""
    return isinstance(entry, Done) and not entry.fine


class Ledger:
    """The standing entries of a job's record."""

    def __init__(self, job: Job) -> None:
        self.job = job
        self.entries: tuple[tuple[int, AnyEntry], ...] = tuple(
            (k, e) for k, e in enumerate(job.record) if not e.struck
        )

    @cached_property
    def last(self) -> dict[str, Last]:
        """The last entry of each step: done, taken back, or looked at and not right."""
        return {e.step: Last(e, k) for k, e in self.entries if isinstance(e, Doing) and e.step}

    def done(self, step: str) -> Last | None:
        """The entry that says a step was done; None where it was not, was taken back since, or was looked at and not right."""
        found = self.last.get(step)
        if found is None or found.entry.back or looked_wrong(found.entry):
            return None
        return found

    def all_of(self, step: str) -> tuple[Last, ...]:
        """All entries of a step, the first first."""
        return tuple(Last(e, k) for k, e in self.entries if isinstance(e, Doing) and e.step == step)

    @cached_property
    def readings(self) -> dict[str, Reading]:
        """All readings by their id, struck ones too."""
        return {r.id: r for r in self.job.readings}

    def kept(self, step: str) -> KeptAt | None:
        """Where what a step took off is kept, as was written last."""
        return next((e for _, e in reversed(self.entries) if isinstance(e, KeptAt) and e.step == step), None)

    @cached_property
    def mode(self) -> HostStand:
        """How the host stands now, as the record tells."""
        for _, entry in reversed(self.entries):
            power = TURNS.get(kind_of(entry.step))
            if power is not None and isinstance(entry, Doing) and not looked_wrong(entry):
                return HostStand(
                    power, entry.mark if power is Power.LIVE else "", power is Power.OFF and self.emptied
                )
        return AT_FIRST

    @cached_property
    def unplugged_at(self) -> int:
        """The place of the last time that it was unplugged; −1 for never."""
        return max(
            (k for k, e in self.entries if isinstance(e, Doing) and kind_of(e.step) == "unplug"), default=-1
        )

    @cached_property
    def emptied(self) -> bool:
        """Whether the reservoir was read empty, or that was passed with a reason, since it was unplugged."""
        return any(
            k > self.unplugged_at
            and kind_of(e.step) in DRAINED
            and isinstance(e, Doing)
            and not looked_wrong(e)
            for k, e in self.entries
        )

    @cached_property
    def risky(self) -> bool:
        """Whether something new came into the host since it last had power."""
        powered = max(
            (k for k, e in self.entries if isinstance(e, Doing) and TURNS.get(kind_of(e.step)) is Power.LIVE),
            default=-1,
        )
        return any(
            k > powered
            and isinstance(e, Doing)
            and (kind := kinds().get(kind_of(e.step))) is not None
            and (kind.risks or (kind.lasting and kind.power is Power.OFF))
            for k, e in self.entries
        )

    @cached_property
    def in_host(self) -> dict[str, Last]:
        """What was done and left something in the host, and was not taken back: its entry by its step."""
        found = {}
        for step in self.last:
            kind = kinds().get(kind_of(step))
            done = self.done(step)
            if kind is not None and kind.lasting and done is not None:
                found[step] = done
        return found

    @cached_property
    def first_altered(self) -> int:
        """The place of the first entry that altered the host; past the end where none did."""
        return min(
            (k for k, e in self.entries if isinstance(e, Doing) and (kind := kinds().get(kind_of(e.step))) is not None
             and kind.lasting and kind.power is Power.OFF),
            default=len(self.job.record),
        )  # fmt: skip


def reads(step: RunStep, reading: Reading) -> bool:
    """Whether a reading is one of the hold point of a step: the same probes, state, function and load."""
    hold = step.hold
    if hold is None or hold.ask is None:
        return False
    ask = hold.ask
    same_way = (
        reading.point == ask.point or ask.unpowered
    )  # without power the probes may change places; volts have a sign
    load = reading.load.nominal if reading.load is not None else None
    alike = load == ask.load or (
        load is not None and ask.load is not None and abs(load - ask.load) <= 0.2 * ask.load
    )
    return ask.answered_by(reading) and same_way and alike


def in_range(step: RunStep, reading: Reading) -> bool:
    """Whether a reading lies where the hold point of a step wants it."""
    return step.hold is not None and within(step.hold, reading)
