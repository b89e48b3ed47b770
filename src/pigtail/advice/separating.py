"""The reading that tells two explanations apart: what each would show at every place that may be probed, per minute that it takes."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from msgspec.structs import replace

from pigtail.advice.rounds import minutes_of
from pigtail.job.ask import Ask, unanswered, unplugged
from pigtail.job.document import HOST, AudioIn, AudioOut, Function, Job, Rail, Return
from pigtail.job.measured import Measured
from pigtail.job.tone import SIDES, Tone
from pigtail.job.wiring import probe_against, return_address, star_address, twin
from pigtail.language import tr
from pigtail.studies.faults.explain import Explanation, Misfit, alone, misfits
from pigtail.studies.faults.fit import FLOOR, blur, shown
from pigtail.studies.taps.protocol import checks

#: An explanation that is so much likelier than the next needs no further reading [1].
CLEARLY = 10.0
#: From so many spreads on a reading tells two explanations apart.
TELLS = 3.0


def separating(job: Job) -> tuple[Ask, ...]:
    """For each point whose readings two faults explain about as well, the reading that tells them apart best per minute."""
    if not job.readings:
        return ()
    found = (_of(job, m) for m in misfits(Measured(job)))
    return tuple(ask for ask in found if ask is not None)


def _of(job: Job, misfit: Misfit) -> Ask | None:
    if len(misfit.explained) < 2:
        return None
    first, second = misfit.explained[:2]
    if first.likelihood > CLEARLY * second.likelihood:
        return None
    asks = unanswered(job, dict.fromkeys(_candidates(job, misfit.point)))
    best, most = None, TELLS
    for ask, apart in zip(asks, _apart(asks, first, second), strict=True):
        if apart / minutes_of(job, [ask]) > most and apart > TELLS:
            best, most = ask, apart / minutes_of(job, [ask])
    return (
        replace(best, reason=tr("whether {one}, or {other}", one=first.words, other=second.words))
        if best is not None
        else None
    )


def _apart(asks: Sequence[Ask], first: Explanation, second: Explanation) -> list[float]:
    """By how many spreads two explanations differ in what they would show at each."""
    if not asks:
        return []
    values = [shown(e.truth.probed(), asks) for e in (first, second)]
    found = []
    for ask, one, other in zip(asks, *values, strict=True):
        if math.isinf(one) or math.isinf(other):
            found.append(0.0 if one == other else math.inf)
            continue
        found.append(abs(one - other) / blur(ask.function, one, other))
    return found


def _candidates(job: Job, point: str) -> Iterator[Ask]:
    """What may be read about a point: its own checks and its twin's, each side alone, its ground, every state."""
    job = replace(alone(job), readings=job.readings)
    off, working = unplugged(job), job.working_state()
    for address in (point, twin(job, point)):
        if not address or not address.startswith(f"{HOST}."):
            continue
        terminal, against = job.terminal(address), probe_against(job, address)
        yield from (c for c in checks(job, address) if c.function in FLOOR)
        if isinstance(terminal, AudioOut) and terminal.channel.value in SIDES:
            for side in SIDES:
                yield Ask(
                    address, against, working, Function.AC_VOLTS, drive=Tone(full=True, side=side).text()
                )
        if isinstance(terminal, AudioIn | AudioOut | Rail):
            for state in job.live_states():
                yield Ask(address, against, state.id, Function.DC_VOLTS)
    home, star = return_address(job, point), star_address(job)
    if home != star and isinstance(job.terminal(home), Return):
        yield Ask(home, star, off, Function.RESISTANCE)
        yield Ask(home, star, working, Function.DC_VOLTS)
        yield Ask(home, star, working, Function.AC_VOLTS)
