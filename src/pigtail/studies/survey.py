"""Survey: what is known of the host, whether the planned points are confirmed, and its hazards.

Limits: above 30 V AC rms, 42.4 V peak or 60 V DC treat as hazardous (IEC 62368-1, class ES1; from memory).
"""

from __future__ import annotations

from pigtail.catalogue.cautions import CAUTIONS, LOCAL_CODES
from pigtail.job.model import (
    HOST,
    AudioIn,
    Function,
    Job,
    Purpose,
    Rail,
    Reading,
    SupplyClass,
    alive,
)
from pigtail.job.quantities import quantities
from pigtail.job.readings import effective, standing
from pigtail.job.wiring import confirmed, first_function, probe_against, used_points
from pigtail.studies.findings import ORDER, Finding, Severity
from pigtail.studies.results import SurveyStudy
from pigtail.units import Known, format_quantity, format_spread

HAZARD_DC_V = 60.0
INPUT_DC_STOP_V, INPUT_DC_WATCH_V = 2.0, 0.1


def study_survey(job: Job) -> SurveyStudy:
    """Study what is known of the host of a job as it was documented and read."""
    measured = effective(job)
    findings = [_supply_class(job), *_input_dc(job), *_rails(job), *_differences(job, measured)]
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


def _input_dc(job: Job) -> list[Finding]:
    """DC found on audio inputs, before any module is joined."""
    found = []
    for address in job.addresses():
        terminal = job.terminal(address)
        if not isinstance(terminal, AudioIn):
            continue
        for reading in standing(job, address, Function.DC_VOLTS):
            volts, name = reading.value.nominal, job.label(address)
            shown = format_quantity(volts, "V")
            if abs(volts) > INPUT_DC_STOP_V:
                sentence = f"{name} carries {shown} DC: this is no audio input. Join nothing to it; find another tap."
                found.append(_about(reading, "survey.dc_on_input", Severity.STOP, sentence, INPUT_DC_STOP_V))
            elif abs(volts) > INPUT_DC_WATCH_V:
                sentence = f"{name} carries {shown} DC: only join it through a coupling capacitor."
                found.append(
                    _about(reading, "survey.biased_input", Severity.WATCH, sentence, INPUT_DC_WATCH_V)
                )
    return found


def _about(
    reading: Reading, code: str, severity: Severity, sentence: str, limit: float | None = None
) -> Finding:
    return Finding(
        code, severity, reading.point, sentence,
        value=reading.value.nominal, low=reading.value.low, high=reading.value.high, limit=limit,
        unit=reading.value.unit, basis="measured",
        why=f"reading {reading.id}: {format_spread(reading.value.nominal, reading.value.low, reading.value.high, reading.value.unit)} "
        f"in state “{reading.state}”",
    )  # fmt: skip


def _rails(job: Job) -> list[Finding]:
    """Rails that are not there when they should be, or there when they should not."""
    found = []
    for address in job.addresses():
        rail = job.terminal(address)
        if not isinstance(rail, Rail) or rail.voltage is None:
            continue
        paper = abs(rail.voltage.nominal)
        latest = {r.state: r for r in standing(job, address, Function.DC_VOLTS)}
        for reading in latest.values():
            state = job.state(reading.state)
            words = state.name if state else reading.state
            volts = reading.value.nominal
            shown, name = format_quantity(volts, "V"), job.label(address)
            if alive(rail, reading.state) and abs(volts) < 0.5 * paper:
                sentence = f"{name} reads only {shown} while “{words}”; the papers say {format_quantity(paper, 'V')}."
                found.append(_about(reading, "survey.rail_not_there", Severity.FIX, sentence))
            elif not alive(rail, reading.state) and abs(volts) > 1.0:
                sentence = f"{name} still reads {shown} while “{words}”, where it should be off."
                found.append(_about(reading, "survey.rail_stays", Severity.WATCH, sentence))
    return found


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
