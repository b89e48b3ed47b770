"""Survey: what is known of the host, whether the planned points are confirmed, and its hazards.

Limits: above 30 V AC rms, 42.4 V peak or 60 V DC treat as hazardous (IEC 62368-1, class ES1; from memory).
"""

from __future__ import annotations

from msgspec.structs import replace

from pigtail.catalogue.cautions import CAUTIONS, LOCAL_CODES
from pigtail.catalogue.ratings import ratings
from pigtail.catalogue.topologies import Task
from pigtail.job.ask import in_words
from pigtail.job.document import (
    HOST,
    Function,
    Job,
    Link,
    Purpose,
    Rail,
    Reading,
    Return,
    SupplyClass,
)
from pigtail.job.hazards import open_hazards
from pigtail.job.measured import Measured
from pigtail.job.quantities import quantities
from pigtail.job.safety import HAZARD_DC_V, LIMITS, Safety, most_volts, reaches_host, safety
from pigtail.job.wiring import confirmed, first_function, probe_against, used_points
from pigtail.language import tr
from pigtail.model.cascade import networks
from pigtail.model.model import Model
from pigtail.studies.faults.explain import Misfit, misfits
from pigtail.studies.findings import ORDER, Finding, Severity
from pigtail.studies.survey.about import about
from pigtail.studies.survey.discharge import study_discharge
from pigtail.studies.survey.found import SurveyFound
from pigtail.studies.survey.onspot import judged
from pigtail.studies.wording import tell
from pigtail.units import Known, format_quantity, format_spread

#: From this likelihood on a fault is named alone [1].
CERTAIN = 0.9


def study_survey(model: Model) -> SurveyFound:
    """Study what is known of the host of a job as it was documented and read."""
    job, measured = model.papers, model.job
    readings = _readings(job)
    findings = [
        _supply_class(job),
        *_discharge(job),
        *_explained(model.measured, readings),
        *_differences(job, measured),
    ]
    findings += _used_points(job)
    findings += [f for link in job.links for f in _hazardous(job, measured, link)]
    findings += _mains(job)
    return SurveyFound("survey", {}, tuple(findings), measured)


def _supply_class(job: Job) -> Finding:
    supply = job.host.supply
    words = {
        "host": job.host.name,
        "supply": tr(supply.value),
        "cautions": " ".join((*CAUTIONS[supply], LOCAL_CODES)),
        "limit": f"{HAZARD_DC_V:g} V",
    }
    if supply is SupplyClass.LIVE_CHASSIS:
        return tell("survey.live_chassis", HOST, words)
    if supply is SupplyClass.UNKNOWN:
        return tell("survey.supply_unknown", HOST, words)
    high = [
        job.label(f"{HOST}.{t.id}")
        for t in job.host.terminals
        if isinstance(t, Rail) and t.voltage and max(abs(t.voltage.low), abs(t.voltage.high)) > HAZARD_DC_V
    ]
    if high:
        return tell("survey.hazardous_rail", HOST, words | {"rails": ", ".join(high)})
    return tell("survey.supply", HOST, words)


def _discharge(job: Job) -> list[Finding]:
    """How the reservoir is brought down, for a host in which one is known or holds more than a touch should meet."""
    host = job.host
    if host.reservoir is None and host.reservoir_volts is None:
        return []
    told = study_discharge(host)
    severity = Severity.UNKNOWN if told.solder_s is None else None
    return [tell("survey.discharge", HOST, {"told": told.sentence}, severity=severity)]


def _readings(job: Job) -> list[Finding]:
    """The latest reading of each kind at each place, where it is not as it should be."""
    latest: dict[tuple[object, ...], Reading] = {}
    for reading in job.readings:
        if not reading.struck:
            clips = (reading.load is None, reading.series is None, reading.current is None)
            key = (reading.point, reading.against, reading.state, reading.function, reading.drive, *clips)
            latest[key] = reading
    found = {}
    for reading in latest.values():
        finding = judged(job, reading)
        if finding.severity is not Severity.GOOD:
            found[finding.code, finding.subject, reading.state] = finding
    worst: dict[tuple[str, str], Finding] = {}
    for finding in found.values():
        worst.setdefault(finding.key, finding)
    return list(worst.values())


def _explained(measured: Measured, readings: list[Finding]) -> list[Finding]:
    """What was found odd in the readings, with the faults that explain it best; and what no value of this host explains."""
    job = measured.papers
    if safety(job) is not Safety.OPEN:
        return readings
    found = list(readings)
    for misfit in misfits(measured):
        reading = misfit.readings[0]
        likely = _likely(misfit)
        odd = [
            k for k, f in enumerate(found) if f.subject == misfit.point and f.severity is not Severity.GOOD
        ]
        at = min(odd, key=lambda k: ORDER.index(found[k].severity), default=None)
        if at is not None:
            said = found[at].sentence
            known = any(e.words in said for e in misfit.explained)
            found[at] = replace(found[at], sentence=said if known else f"{said}{likely}")
            continue
        unit = reading.reading.value.unit
        ends = format_spread(reading.value, reading.low, reading.high, unit)
        severity = Severity.FIX if misfit.explained else Severity.UNKNOWN
        found.append(
            replace(about(job, reading.reading, "survey.misfit", ends=ends, likely=likely), severity=severity)
        )
    return found


def _likely(misfit: Misfit) -> str:
    """The faults that explain a point best, as the end of a sentence: ` Most likely left and right are swapped (80 %), or …`"""
    if not misfit.explained:
        return ""
    first = misfit.explained[0]
    told = [
        f"{e.words} ({100 * e.likelihood:.0f} %)" if len(misfit.explained) > 1 else e.words
        for e in misfit.explained
    ]
    return (
        tr(" Most likely {listed}.", listed=" or ".join(told))
        if first.likelihood < CERTAIN
        else tr(" Most likely {first}.", first=first.words)
    )


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
            words = {
                "name": job.label(address),
                "value": item.words,
                "now": format_quantity(now.nominal, now.unit),
                "was": format_quantity(was.nominal, was.unit),
                "source": f"{now.source} outranks {tr(was.basis.value)} {was.source}".strip(),
            }
            found.append(
                tell(
                    "survey.differs", address, words, value=now.nominal, low=now.low, high=now.high, limit=was.nominal,
                    unit=now.unit, basis="measured",
                )
            )  # fmt: skip
    return found


def _mains(job: Job) -> list[Finding]:
    """Whether a host that the mains feeds was read to be apart from it, once wires are planned to it."""
    still = open_hazards(job) if reaches_host(job) and job.host.supply is not SupplyClass.UNKNOWN else ()
    if not still:
        return []
    ask = in_words(job, still[0])
    words = {"host": job.host.name, "ask": ask, "ask_first": f"{ask[0].upper()}{ask[1:]}"}
    return [tell("survey.mains_not_read", HOST, words)]


def _hazardous(papers: Job, measured: Job, link: Link) -> list[Finding]:
    """The points of a link that may stand at hazardous volts with nothing between that is rated for them."""
    found = []
    for join in link.joins:
        if isinstance(papers.terminal(join.terminal), Return) or not join.terminal.startswith(f"{HOST}."):
            continue
        volts, function = max(
            (most_volts(job, join.terminal) for job in (papers, measured)), key=lambda m: m[0] / LIMITS[m[1]]
        )
        if volts <= LIMITS[function] or _rated(link, volts):
            continue
        words = {
            "link": link.name,
            "name": papers.label(join.terminal),
            "volts": f"{format_quantity(volts, 'V')} {'AC' if function is Function.AC_VOLTS else 'DC'}",
            "limit": f"{LIMITS[function]:g} V",
        }
        found.append(
            tell(
                "survey.hazardous_point", join.terminal, words, value=volts, limit=LIMITS[function], unit="V"
            )
        )
    return found


def _rated(link: Link, volts: float) -> bool:
    """Whether something in a link is told to stand these volts [V]: a converter's highest input, a capacitor's rating."""
    for network in networks(link):
        given = network.shape.values(network.section)
        highest = given.get("vin_max")
        if highest is not None and highest.low >= volts:
            return True
        blocking = {rule.name for rule in network.shape.bought() if rule.role is Task.BLOCKS}
        rated = [
            p.rating.nominal for p in network.section.parts if p.name in blocking and p.rating is not None
        ]
        if rated and max(rated) >= ratings().capacitor.margin * volts:
            return True
    return False


def _used_points(job: Job) -> list[Finding]:
    """Points of the plan that nobody has put a probe on yet."""
    open_points = [a for a in used_points(job) if not confirmed(job, a)]
    found = []
    for address in open_points:
        ask = _ask(job, address, first_function(job, address))
        words = {"name": job.label(address), "ask": ask, "ask_first": f"{ask[0].upper()}{ask[1:]}"}
        found.append(tell("survey.not_read", address, words))
    if not open_points and used_points(job):
        found.append(tell("survey.points", HOST))
    planned = any(x.purpose is Purpose.FEED for x in job.links)
    if not planned and job.host.supply is not SupplyClass.LIVE_CHASSIS:
        found.append(tell("survey.no_plan", HOST))
    return found


def _ask(job: Job, address: str, function: Function) -> str:
    against = probe_against(job, address)
    if function is Function.RESISTANCE:
        return (
            tr("ring it out against {against}, power off", against=job.label(against))
            if against
            else tr("read a supply against it")
        )
    state = job.state(job.working_state())
    kind = "AC" if function is Function.AC_VOLTS else "DC"
    return tr(
        "read {kind} against {against} while “{more}”",
        kind=kind,
        against=job.label(against),
        more=state.name if state else "?",
    )
