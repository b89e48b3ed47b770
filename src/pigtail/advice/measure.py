"""What to measure next: the reading that settles most, where the probes go and why."""

from __future__ import annotations

from msgspec.structs import replace

from pigtail.advice.rounds import ordered
from pigtail.advice.separating import separating
from pigtail.job.ask import Ask, unplugged
from pigtail.job.document import HOST, AudioIn, AudioOut, Control, Function, Job, Pin, Rail, WindingEnd, alive
from pigtail.job.hazards import open_hazards
from pigtail.job.log import log_of
from pigtail.job.quantities import quantity
from pigtail.job.readings import feeding
from pigtail.job.safety import Safety, safety
from pigtail.job.wiring import first_function, probe_against, used_points
from pigtail.language import tr
from pigtail.model.estimate import Estimate, Input
from pigtail.model.subjects import SubjectKind
from pigtail.studies.control.meant import pins_of, steered
from pigtail.studies.findings import Severity
from pigtail.studies.found import Studies
from pigtail.studies.survey.expecting import with_expected
from pigtail.studies.survey.found import SurveyFound
from pigtail.studies.survey.sweep import connectors, pins, sweep
from pigtail.studies.taps.protocol import (
    drawn_a,
    open_checks,
    played,
    put_in,
    suggested_clip,
)

#: What is driven through a path whose resistance an ohmmeter tells too coarsely [A].
FOUR_WIRE_A = 0.5


def next_readings(job: Job, studies: Studies) -> tuple[Ask, ...]:
    """Readings worth taking, in the order of a round: how the host is fed, the checks of points that the plan uses, values that open
    verdicts rest on and a meter can tell, pins that a sweep leaves open. Of a host whose supply nobody knows what tells it; none of
    one that no probe may be put on."""
    if safety(job) is Safety.LIVE:
        return ()
    if safety(job) is Safety.NOT_KNOWN:
        return tuple(with_expected(job, m) for m in ordered(job, open_hazards(job)))
    telling = separating(job)
    found: list[Ask] = list(open_hazards(job)) if used_points(job) or connectors(job) else []
    found += telling
    for address in used_points(job):
        found += open_checks(job, address)
    for finding in studies.of(SurveyFound).findings:
        if finding.code == "survey.not_read" and not isinstance(job.terminal(finding.subject), WindingEnd):
            found.append(
                _at(
                    job,
                    finding.subject,
                    first_function(job, finding.subject),
                    tr("confirm the point before it is used"),
                )
            )
    for study in studies.each():
        for finding in study.findings:
            if finding.severity in (Severity.UNKNOWN, Severity.FIX, Severity.STOP):
                for estimate in study.numbers.values():
                    found += _of(job, estimate, finding.severity)
    found += _built_in(job)
    for connector in connectors(job):
        rows = sweep(job, connector) if any(isinstance(t, Pin) for t in pins(job, connector)) else ()
        found += [r.settle for r in rows if r.settle is not None and isinstance(job.terminal(r.address), Pin)]
    # a return that is the only one is confirmed by what is read against it
    found = [m for m in found if m.against or m.in_series]
    first = {_same(m): m for m in reversed(found)}
    fresh = [m for m in found if first[_same(m)] is m]
    return tuple(with_expected(job, m) for m in ordered(job, fresh, telling))


def _built_in(job: Job) -> list[Ask]:
    """The volts at the supply pin of a module that somebody has begun to read, in every state in which something else than its rail decides
    whether it is on."""
    found = []
    for module in job.modules:
        for pin in pins_of(job, module) if steered(job, module) else ():
            taken = log_of(job).at(pin, Function.DC_VOLTS)
            for state in job.host.states if taken else ():
                if not any(r.state == state.id for r in taken) and state.id != unplugged(job):
                    reason = tr("that it is off where it is to be off, and on where it is to be on")
                    found.append(Ask(pin, probe_against(job, pin), state.id, Function.DC_VOLTS, reason))
    return found


def _same(ask: Ask) -> tuple[object, ...]:
    """What makes two requests one: without power the two probes may change places."""
    if not ask.unpowered:
        return ask.key
    ends, rest = frozenset((ask.point, ask.against)), ask.key[2:]
    kind = Function.RESISTANCE if ask.function is Function.CONTINUITY else ask.function
    return (ends, *(kind if part is ask.function else part for part in rest))


def with_asked(job: Job, studies: Studies) -> Studies:
    """The studies with what to measure next put in."""
    return replace(studies, asked=next_readings(job, studies))


def _of(job: Job, estimate: Estimate, severity: Severity) -> list[Ask]:
    inputs: tuple[Input, ...] = estimate.missing if severity is Severity.UNKNOWN else ()
    if severity is Severity.UNKNOWN and not inputs:
        inputs = estimate.leading[:1]
    found = []
    for item in inputs:
        if item.subject.kind is SubjectKind.PATH:
            found += _path(job, item, estimate)
            continue
        terminal = job.terminal(item.subject.owner) if item.subject.kind is SubjectKind.TERMINAL else None
        what = quantity(terminal, item.field) if terminal is not None else None
        if terminal is None or what is None or not item.subject.owner.startswith(f"{HOST}."):
            continue
        if what.feeds is None:
            found += _by_two(job, item, estimate) if severity is Severity.UNKNOWN else []
            continue
        if what.feeds is Function.CURRENT and drawn_a(job) > 0:
            continue  # no lead is opened where a load across tells
        if feeding(job, item.subject.owner, terminal, what.feeds) is None:
            found.append(
                _at(job, item.subject.owner, what.feeds, tr("settles {estimate}", estimate=estimate.words))
            )
    return found


def _by_two(job: Job, item: Input, estimate: Estimate) -> list[Ask]:
    """The two readings that tell an impedance or the stiffness of a rail: open, then with a resistor."""
    address = item.subject.owner
    terminal = job.terminal(address)
    field = {"impedance": "load", "resistance": "load"}.get(item.field, "")
    if isinstance(terminal, AudioIn) and field:
        field = "series"
    if not field or not isinstance(terminal, AudioIn | AudioOut | Rail | Control):
        return []
    function = Function.DC_VOLTS if isinstance(terminal, Rail | Control) else Function.AC_VOLTS
    drive = _tone(job, terminal)
    taken = [r for r in log_of(job).at(address, function) if bool(r.drive) is bool(drive)]
    against, state = probe_against(job, address), _lively(job, terminal)
    reason = tr("settles {estimate}, with the reading after it", estimate=estimate.words)
    found = []
    if not any(r.load is None and r.series is None and r.state == state for r in taken):
        found.append(Ask(address, against, state, function, reason, drive))
    if not any(getattr(r, field) is not None for r in taken):
        ohm = suggested_clip(job, address, field) or (47_000.0 if field == "series" else 1000.0)
        plain = Ask(
            address, against, state, function, tr("settles {estimate}", estimate=estimate.words), drive
        )
        found.append(replace(plain, load=ohm) if field == "load" else replace(plain, series=ohm))
    return found


def _lively(job: Job, terminal: AudioIn | AudioOut | Rail | Control) -> str:
    """The state in which a point is read: the one in which the retrofit plays, of a line one in which it is active."""
    working = job.working_state()
    if not isinstance(terminal, Control) or alive(terminal, working):
        return working
    return next((s.id for s in job.live_states() if alive(terminal, s.id)), working)


def _tone(job: Job, terminal: AudioIn | AudioOut | Rail | Control) -> str:
    """What is played for two readings of a point."""
    if isinstance(terminal, Rail | Control):
        return ""
    if isinstance(terminal, AudioOut):
        return played(job, terminal)[1].text()
    return put_in(terminal).text()


def _path(job: Job, item: Input, estimate: Estimate) -> list[Ask]:
    device_id, path_id = item.subject.owner, item.subject.part
    device = job.device(device_id)
    path = next((p for p in device.paths if p.id == path_id), None) if device else None
    if path is None or device_id != HOST:
        return []
    ends = (f"{HOST}.{path.a}", f"{HOST}.{path.b}")
    off, reason = unplugged(job), tr("settles {estimate}", estimate=estimate.words)
    if not log_of(job).between(*ends, Function.RESISTANCE):
        return [Ask(ends[0], ends[1], off, Function.RESISTANCE, reason)]
    if any(r.current is not None for r in log_of(job).between(*ends, Function.DC_VOLTS)):
        return []
    return [
        Ask(
            ends[0],
            ends[1],
            off,
            Function.DC_VOLTS,
            tr("{reason}: finer, by four wires", reason=reason),
            current=FOUR_WIRE_A,
        )
    ]


def _at(job: Job, address: str, function: Function, reason: str) -> Ask:
    off = unplugged(job)
    state = off if function is Function.RESISTANCE else job.working_state()
    against = "" if function is Function.CURRENT else probe_against(job, address)  # in series
    return Ask(address, against, state, function, reason)
