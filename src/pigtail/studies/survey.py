"""Survey: what is known of the host, whether the planned points are confirmed, and its hazards.

Limits: above 30 V AC rms, 42.4 V peak or 60 V DC treat as hazardous (IEC 62368-1, class ES1; from memory).
"""

from __future__ import annotations

from pigtail.catalogue.cautions import CAUTIONS, LOCAL_CODES
from pigtail.job.model import (
    HOST,
    Function,
    Job,
    Purpose,
    Rail,
    Reading,
    SupplyClass,
)
from pigtail.job.quantities import quantities
from pigtail.job.readings import effective
from pigtail.job.wiring import confirmed, first_function, probe_against, used_points
from pigtail.studies.discharge import study_discharge
from pigtail.studies.findings import ORDER, Finding, Severity
from pigtail.studies.onspot import judged
from pigtail.studies.results import SurveyStudy
from pigtail.units import Known, format_quantity

HAZARD_DC_V = 60.0


def study_survey(job: Job) -> SurveyStudy:
    """Study what is known of the host of a job as it was documented and read."""
    measured = effective(job)
    findings = [_supply_class(job), *_discharge(job), *_readings(job), *_differences(job, measured)]
    findings += _used_points(job)
    findings.sort(key=lambda f: ORDER.index(f.severity))
    return SurveyStudy("survey", {}, tuple(findings), measured)


def _supply_class(job: Job) -> Finding:
    supply = job.host.supply
    why = " ".join((*CAUTIONS[supply], LOCAL_CODES))
    if supply is SupplyClass.LIVE_CHASSIS:
        return Finding(
            "survey.live_chassis", Severity.STOP, HOST,
            f"{job.host.name} has a live chassis: no wire may be planned to it.", why=why,
        )  # fmt: skip
    if supply is SupplyClass.UNKNOWN:
        return Finding(
            "survey.supply_unknown", Severity.UNKNOWN, HOST,
            f"How {job.host.name} is fed is not known: find its rating plate and look for an isolating transformer.",
            why=why, settle="Look at the rating plate and the power entry; do not probe before.",
        )  # fmt: skip
    high = [
        job.label(f"{HOST}.{t.id}")
        for t in job.host.terminals
        if isinstance(t, Rail) and t.voltage and max(abs(t.voltage.low), abs(t.voltage.high)) > HAZARD_DC_V
    ]
    if high:
        return Finding(
            "survey.hazardous_rail", Severity.WATCH, HOST,
            f"More than {HAZARD_DC_V:g} V DC on {', '.join(high)}: treat it as hazardous.", why=why,
        )  # fmt: skip
    return Finding(
        "survey.supply", Severity.GOOD, HOST, f"{job.host.name} is fed by: {supply.value}.", why=why
    )


def _discharge(job: Job) -> list[Finding]:
    """How the reservoir is brought down, for a host in which one is known or holds more than a touch should meet."""
    host = job.host
    if host.reservoir is None and host.reservoir_volts is None:
        return []
    told = study_discharge(host)
    severity = Severity.UNKNOWN if told.solder_s is None else Severity.WATCH
    return [
        Finding(
            "survey.discharge", severity, HOST, f"Before it is touched: {told.sentence}",
            why="V(t) = V0·exp(−t/RC); the step still asks for a reading below 10 V",
        )
    ]  # fmt: skip


def _readings(job: Job) -> list[Finding]:
    """The latest reading of each kind at each place, where it is not as it should be."""
    latest: dict[tuple[str, str, str, str], Reading] = {}
    for reading in job.readings:
        if not reading.struck:
            latest[reading.point, reading.against, reading.state, reading.function.value] = reading
    found = {}
    for reading in latest.values():
        finding = judged(job, reading)
        if finding.severity is not Severity.GOOD:
            found[finding.code, finding.subject, reading.state] = finding
    worst: dict[tuple[str, str], Finding] = {}
    for finding in found.values():
        worst.setdefault(finding.key, finding)
    return list(worst.values())


def _differences(job: Job, measured: Job) -> list[Finding]:
    """Readings that the papers do not agree with."""
    found = []
    for address in job.addresses():
        paper, real = job.terminal(address), measured.terminal(address)
        if paper is real or paper is None or real is None:
            continue
        for item in quantities(paper):
            was: Known | None = getattr(paper, item.field)
            now: Known | None = getattr(real, item.field)
            if was is None or now is None or was is now or (was.low <= now.high and now.low <= was.high):
                continue
            if isinstance(paper, Rail) and abs(now.nominal) < 0.5 * abs(was.nominal):
                continue
            found.append(
                Finding(
                    "survey.differs", Severity.WATCH, address,
                    f"{job.label(address)}: {item.words} reads {format_quantity(now.nominal, now.unit)}, "
                    f"the papers say {format_quantity(was.nominal, was.unit)}; the reading counts.",
                    value=now.nominal, low=now.low, high=now.high, limit=was.nominal, unit=now.unit,
                    basis="measured", why=f"{now.source} outranks {was.basis.value} {was.source}".strip(),
                )
            )  # fmt: skip
    return found


def _used_points(job: Job) -> list[Finding]:
    """Points of the plan that nobody has put a probe on yet."""
    open_points = [a for a in used_points(job) if not confirmed(job, a)]
    found = []
    for address in open_points:
        function = first_function(job, address)
        found.append(
            Finding(
                "survey.not_read", Severity.UNKNOWN, address,
                f"{job.label(address)} is used by the plan and has not been read: {_ask(job, address, function)}.",
                why="a point on paper is confirmed by the meter before anything is soldered to it",
                settle=f"{_ask(job, address, function)[0].upper()}{_ask(job, address, function)[1:]}.",
            )
        )  # fmt: skip
    if not open_points and used_points(job):
        found.append(
            Finding(
                "survey.points", Severity.GOOD, HOST, "Every point of the plan has been read with the meter."
            )
        )
    planned = any(x.purpose is Purpose.FEED for x in job.links)
    if not planned and job.host.supply is not SupplyClass.LIVE_CHASSIS:
        found.append(
            Finding("survey.no_plan", Severity.UNKNOWN, HOST, "Nothing is planned on this host yet.")
        )
    return found


def _ask(job: Job, address: str, function: Function) -> str:
    against = probe_against(job, address)
    if function is Function.RESISTANCE:
        return f"ring it out against {job.label(against)}, power off" if against else "ring it out, power off"
    state = job.state(job.working_state())
    return f"read DC against {job.label(against)} while “{state.name if state else '?'}”"
