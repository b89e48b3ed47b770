"""The checks that a point must pass before it is used, in the order in which a modder takes them.

Common practice: ring it out with the power off, read DC in every state, play something through it, listen which side
it is, read what a supply does in every state and under load. A check is done when a standing reading answers it.
"""

from __future__ import annotations

from collections.abc import Iterator

from pigtail.job.ask import Ask
from pigtail.job.derive import advised_load
from pigtail.job.document import (
    HOST,
    AudioIn,
    AudioOut,
    Channel,
    Control,
    Digital,
    Function,
    Job,
    Pin,
    Rail,
    Return,
    SupplyIn,
    alive,
)
from pigtail.job.log import log_of
from pigtail.job.wiring import probe_against, return_address, star_address
from pigtail.units.series import nearest


def unplugged(job: Job) -> str:
    """The state in which the host is off and resistances are read: the first that is off, else the first of all."""
    return job.off_state() or (job.host.states[0].id if job.host.states else "")


def live_states(job: Job) -> tuple[str, ...]:
    """The states in which the host has power."""
    return tuple(s.id for s in job.live_states())


def checks(job: Job, address: str) -> tuple[Ask, ...]:
    """The checks of a host point in their order."""
    return tuple(_checks(job, address))


def _checks(job: Job, address: str) -> Iterator[Ask]:
    terminal = job.terminal(address)
    if terminal is None or not address.startswith(f"{HOST}."):
        return
    off, against, working = unplugged(job), probe_against(job, address), job.working_state()
    if terminal.rings_to:
        target = f"{HOST}.{terminal.rings_to}"
        yield Ask(address, target, off, Function.CONTINUITY, f"ring it out to {job.label(target)}, power off")
    if isinstance(terminal, Return):
        if against and against != address:
            yield Ask(address, against, off, Function.RESISTANCE, "how the two grounds are joined")
            star = star_address(job)
            if star != address:
                yield Ask(address, star, working, Function.DC_VOLTS, "whether it is the supply negative")
        return
    if not against:
        return
    if isinstance(terminal, AudioIn | AudioOut | Rail | Control | Pin):
        for state in live_states(job):
            yield Ask(address, against, state, Function.DC_VOLTS, _dc_reason(terminal, state))
    if isinstance(terminal, AudioOut | Digital) and alive(terminal, working):
        yield Ask(
            address, against, working, Function.AC_VOLTS, "that something arrives while it plays", "1 kHz"
        )
    if isinstance(terminal, AudioIn | AudioOut) and terminal.channel is not Channel.MONO:
        yield Ask(
            address,
            return_address(job, address),
            working,
            Function.HEARD,
            "which side it is",
            "a tone through 4k7",
        )


def _dc_reason(terminal: object, state: str) -> str:
    if isinstance(terminal, Rail):
        return "that it holds in this state" if alive(terminal, state) else "that it is off in this state"
    return "that no DC meets the module in this state"


def suggested_clip(job: Job, point: str, field: str) -> float | None:
    """What to clip on for a telling reading [Ω or A]: a load of twice an output's impedance, a resistor like an input's,
    a dummy load that draws from a rail what the modules will; None where nothing better than the usual is known."""
    terminal = job.terminal(point)
    impedance = getattr(terminal, "impedance", None)
    if field == "load" and isinstance(terminal, AudioOut):
        return advised_load(impedance)
    if field == "series" and isinstance(terminal, AudioIn) and impedance is not None:
        return nearest(impedance.nominal, "E12")
    if field == "load" and isinstance(terminal, Rail) and terminal.voltage is not None:
        drawn = sum(
            t.average.nominal
            for m in job.modules
            for t in m.terminals
            if isinstance(t, SupplyIn) and t.average
        )
        return nearest(abs(terminal.voltage.nominal) / drawn, "E12") if drawn > 0 else None
    return None


def open_checks(job: Job, address: str) -> tuple[Ask, ...]:
    """The checks of a point that no standing reading answers yet."""
    readings = log_of(job).touching(address)
    return tuple(c for c in checks(job, address) if not any(c.answered_by(r) for r in readings))


def done_part(job: Job, address: str) -> float | None:
    """Which part of a point's checks is done, from 0 to 1; None when it has none. A ratio [1]."""
    every = checks(job, address)
    return 1 - len(open_checks(job, address)) / len(every) if every else None
