"""The round of measuring: what is asked, put into the order in which somebody who does this daily would take it, and how long it takes.

Common practice: what may hurt first; then everything without power at one go; then state by state, each with all its readings, DC of every
point before anything is played; the least moving of probes, the two sides of a pair next to each other. A state that the host is in
already is finished before it is switched.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from pigtail.job.ask import Ask
from pigtail.job.document import Function, Job
from pigtail.job.hazards import hazard_checks
from pigtail.job.wiring import twin
from pigtail.language import tr, trn

#: What takes how long [min]: a reading, a probe that is moved, the host switched, a clip or a tone changed, unplugging and discharging.
READING, MOVED, SWITCHED, CHANGED, UNPLUGGED = 0.2, 0.1, 0.5, 0.15, 2.0
#: What is read of a point in which order while a host has power.
ORDER = (Function.DC_VOLTS, Function.CURRENT, Function.AC_VOLTS, Function.FREQUENCY, Function.HEARD)


class Round(msgspec.Struct, frozen=True):
    """What is asked, in order; about how many minutes it takes; how often the host is switched."""

    asks: tuple[Ask, ...]
    minutes: float
    switches: int

    @property
    def words(self) -> str:
        """As the screens tell it: `12 readings, about 6 minutes`."""
        count = len(self.asks)
        minutes = max(1, round(self.minutes))
        return tr(
            "{readings}, about {minutes}",
            readings=trn("{count} reading", "{count} readings", count),
            minutes=trn("{count} minute", "{count} minutes", minutes),
        )


def round_of(job: Job, asks: Sequence[Ask]) -> Round:
    """A round of what is asked, with its time [min] and its switches."""
    order = ordered(job, asks)
    return Round(order, minutes_of(job, order), switches_of(job, order))


def ordered(job: Job, asks: Sequence[Ask], first: Sequence[Ask] = ()) -> tuple[Ask, ...]:
    """What is asked, in the order of a round; some before the others of their state."""
    ahead = {ask.key for ask in first}
    hazards = {ask.key: k for k, ask in enumerate(hazard_checks(job))}
    states = {s: k for k, s in enumerate(_states(job))}
    places = {address: k for k, address in enumerate(job.addresses())}

    def place(ask: Ask) -> tuple[int, int]:
        other = twin(job, ask.point)
        own = places.get(ask.point, -1)
        return min(own, places.get(other, own)), own

    def rank(ask: Ask) -> tuple[object, ...]:
        danger = hazards.get(ask.key, len(hazards))
        pair, own = place(ask)
        if not live_state(job, ask):
            return (0, danger, ask.key not in ahead, pair, ask.current is not None, own)
        at = ORDER.index(ask.function) if ask.function in ORDER else len(ORDER)
        alone = ask.function is Function.DC_VOLTS and ask.load is None
        how = (at, ask.series or 0.0, ask.load or 0.0, ask.drive)
        return (1, states.get(ask.state, 0), danger, ask.key not in ahead, not alone, pair, how, own)

    return tuple(sorted(asks, key=rank))


def live_state(job: Job, ask: Ask) -> str:
    """The state that the host is switched to for a reading; empty where it is off."""
    return "" if ask.unpowered or ask.state == job.off_state() else ask.state


def _states(job: Job) -> list[str]:
    """The live states in the order in which they are gone through: that of the last reading first."""
    live = [s.id for s in job.live_states()]
    last = next((r.state for r in reversed(job.readings) if not r.struck), "")
    return sorted(live, key=lambda s: s != last)


def switches_of(job: Job, asks: Sequence[Ask]) -> int:
    """How often the host is switched over while these are taken one after another, from off."""
    states = [live_state(job, a) for a in asks]
    before = ["", *states]
    return sum(now != was for now, was in zip(states, before, strict=False))


def minutes_of(job: Job, asks: Sequence[Ask]) -> float:
    """About how long these take one after another [min]."""
    total, last = 0.0, None
    for ask in asks:
        total += READING
        if last is None:
            total += SWITCHED if live_state(job, ask) else UNPLUGGED
        else:
            total += MOVED * len({ask.point, ask.against} - {last.point, last.against})
            total += SWITCHED * (live_state(job, ask) != live_state(job, last))
            total += CHANGED * ((ask.drive, ask.load, ask.series) != (last.drive, last.load, last.series))
        last = ask
    return total
