"""What to measure next: the reading that settles most, where the probes go and why."""

from __future__ import annotations

from pigtail.job.model import HOST, Function, Job
from pigtail.job.quantities import quantity
from pigtail.job.readings import feeding
from pigtail.job.wiring import first_function, probe_against
from pigtail.studies.estimate import Estimate, Input
from pigtail.studies.findings import Measure, Severity
from pigtail.studies.results import Studies


def next_readings(job: Job, studies: Studies) -> tuple[Measure, ...]:
    """Readings worth taking, the most telling first: points of the plan not read yet, then values that open
    verdicts rest on and a meter can tell."""
    found: list[Measure] = []
    for finding in studies.survey.findings:
        if finding.code == "survey.not_read":
            found.append(
                _at(
                    job,
                    finding.subject,
                    first_function(job, finding.subject),
                    "confirm the point before it is used",
                )
            )
    for study in studies.each():
        for finding in study.findings:
            if finding.severity in (Severity.UNKNOWN, Severity.FIX, Severity.STOP):
                for estimate in study.numbers.values():
                    found += _of(job, estimate, finding.severity)
    unique = {(m.point, m.function): m for m in reversed(found)}
    ordered = [m for m in found if unique.get((m.point, m.function)) is m]
    return tuple(dict.fromkeys(ordered))


def _of(job: Job, estimate: Estimate, severity: Severity) -> list[Measure]:
    inputs: tuple[Input, ...] = estimate.missing if severity is Severity.UNKNOWN else ()
    if severity is Severity.UNKNOWN and not inputs:
        inputs = estimate.leading[:1]
    found = []
    for item in inputs:
        if "/" in item.subject:
            found += _path(job, item, estimate)
            continue
        terminal = job.terminal(item.subject)
        what = quantity(terminal, item.field) if terminal is not None else None
        if terminal is None or what is None or what.feeds is None or not item.subject.startswith(f"{HOST}."):
            continue
        if feeding(job, item.subject, terminal, what.feeds) is None:
            found.append(_at(job, item.subject, what.feeds, f"settles {estimate.words}"))
    return found


def _path(job: Job, item: Input, estimate: Estimate) -> list[Measure]:
    device_id, _, path_id = item.subject.partition("/")
    device = job.device(device_id)
    path = next((p for p in device.paths if p.id == path_id), None) if device else None
    if path is None or device_id != HOST:
        return []
    ends = (f"{HOST}.{path.a}", f"{HOST}.{path.b}")
    if any(
        not r.struck and {r.point, r.against} == set(ends) and r.function is Function.RESISTANCE
        for r in job.readings
    ):
        return []
    off = job.host.states[0].id if job.host.states else ""
    return [Measure(ends[0], ends[1], off, Function.RESISTANCE, f"settles {estimate.words}")]


def _at(job: Job, address: str, function: Function, reason: str) -> Measure:
    off = job.host.states[0].id if job.host.states else ""
    state = off if function is Function.RESISTANCE else job.working_state()
    return Measure(address, probe_against(job, address), state, function, reason)
