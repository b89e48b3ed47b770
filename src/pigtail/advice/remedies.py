"""Remedies: candidate edits for a finding, each solved, offered only when it betters the finding.

A table gives the candidates by the finding's code. A candidate that does not lift the finding's severity or move
its value clearly in the right direction is not offered, whatever the habit of the trade says of it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import NamedTuple, TypeVar

from msgspec.structs import replace

from pigtail.advice.level_remedies import level_fixes
from pigtail.advice.networks import propose_plan, regauged, resupplied
from pigtail.catalogue.topologies import topology
from pigtail.job import edits
from pigtail.job.edits import Edit
from pigtail.job.errors import JobError
from pigtail.job.model import HOST, Job, Link, Purpose, Rail, SupplyClass, SupplyIn, alive
from pigtail.job.readings import effective
from pigtail.job.wiring import addresses_of, return_address
from pigtail.studies.compile import CompileError
from pigtail.studies.estimate import Estimate
from pigtail.studies.findings import ORDER, Finding, Remedy, Severity, Study
from pigtail.studies.judging import judgements
from pigtail.studies.level import study_level
from pigtail.studies.power import study_power
from pigtail.studies.results import School, Studies
from pigtail.studies.returns import return_links, study_returns
from pigtail.units.wire import GAUGES

MOST_OFFERED = 3
CLEAR_STEP_DB = 3.0
#: What an arrangement of the returns does to the burst.
HEAVIER = "Less drop in that conductor."
LIFTED = "No loop, but all of the supply return's drop is heard."
LEFT_OUT = "One return only: all of its drop is heard."
CLOSED = "The burst divides between the two again."


class Candidate(NamedTuple):
    """An edit worth trying: its label, and for an arrangement of the returns what it does in a sentence."""

    label: str
    edit: Edit
    why: str = ""


S = TypeVar("S", bound=Study)


class _Field(NamedTuple):
    """How a study's findings are mended: the study, its telling number, and which way is better (±1)."""

    study: Callable[[Job], Study]
    number: str
    sense: float


_FIELDS = {
    "level": _Field(study_level, "level.target_db", 0.0),
    "power": _Field(study_power, "power.rail_margin_a", 1.0),
    "returns": _Field(study_returns, "returns.buzz_db", -1.0),
}
_NUMBERS = {
    "power.overheats": ("power.regulator_tj_c", -1.0),
    "power.hot": ("power.regulator_tj_c", -1.0),
    "power.dropout": ("power.dropout_margin_v", 1.0),
    "power.regulator_overload": ("power.regulator_margin_a", 1.0),
    "power.over_voltage": ("power.module_v", -1.0),
    "power.under_voltage": ("power.module_v_burst", 1.0),
}
#: Which way a number is better, by how it is judged.
_SENSES = {"at_least": 1.0, "at_most": -1.0, "within": 0.0}


def _number_of(finding: Finding, how: _Field) -> tuple[str, float]:
    """The number that a finding is about, and which way it is better; no number for one that judges none."""
    if finding.code in _NUMBERS:
        return _NUMBERS[finding.code]
    area, _, _ = finding.code.partition(".")
    if area != "level":
        return how.number, how.sense
    for code, entry in judgements().items():
        spoken = (code, *(c.partition("{")[0] for c in entry.codes.values()))
        if code.startswith("level.") and finding.code.startswith(spoken):
            return f"level.{entry.number}", _SENSES[entry.grade]
    return "", 0.0


def advised(job: Job, studies: Studies) -> Studies:
    """The studies with remedies on every finding that needs one and has one."""
    return replace(
        studies,
        survey=_with(job, studies.survey),
        level=_with(job, studies.level),
        power=_with(job, studies.power),
        returns=_with(job, studies.returns),
        build=studies.build,
    )


def _with(job: Job, study: S) -> S:
    findings = tuple(
        f if f.severity is Severity.GOOD else replace(f, remedies=remedies(job, study, f))
        for f in study.findings
    )
    return replace(study, findings=findings)


def remedies(job: Job, study: Study, finding: Finding) -> tuple[Remedy, ...]:
    """Remedies of a finding, the most telling first, at most three."""
    candidates = list(_candidates(job, finding))
    area = finding.code.partition(".")[0]
    how = _FIELDS.get(area)
    if not candidates or how is None:
        return tuple(Remedy(c.label, c.edit) for c in candidates[:MOST_OFFERED])
    name, sense = _number_of(finding, how)
    own = f"{area}.{finding.subject}.{name.partition('.')[2]}"
    name = own if own in study.numbers else name
    before = study.numbers.get(name)
    found: list[tuple[tuple[int, float], Remedy]] = []
    for label, edit, _ in candidates:
        try:
            after = how.study(effective(edit(job)))
        except (JobError, CompileError, ValueError):
            continue
        rank = _improvement(finding, study, after, name, sense)
        if rank is not None:
            found.append((rank, Remedy(label, edit, _brings(before, after.numbers.get(name)))))
    found.sort(key=lambda pair: pair[0])
    return tuple(remedy for _, remedy in found[:MOST_OFFERED])


def _improvement(
    finding: Finding, before: Study, after: Study, name: str, sense: float
) -> tuple[int, float] | None:
    """Sorting rank of a remedy, or None if it does not better its finding or worsens the study."""
    if ORDER.index(after.verdict) < ORDER.index(before.verdict):
        return None
    same = [f for f in after.findings if f.code.partition(".")[0] == finding.code.partition(".")[0]]
    twin = next((f for f in same if f.key == finding.key), None)
    lifted = twin is None or ORDER.index(twin.severity) > ORDER.index(finding.severity)
    new, old = after.numbers.get(name), before.numbers.get(name)
    if old is not None and old.value is not None and (new is None or new.value is None):
        return None
    gain = _gain(old, new, sense)
    told = old is not None and old.value is not None
    if (told and gain <= 0.0) or (not lifted and gain < CLEAR_STEP_DB):
        return None
    return -ORDER.index(after.verdict) + (0 if lifted else 1), -gain


def _gain(old: Estimate | None, new: Estimate | None, sense: float) -> float:
    if old is None or new is None or old.value is None or new.value is None:
        return 0.0
    if sense == 0.0:
        return abs(old.value) - abs(new.value)
    return sense * (new.value - old.value)


def _brings(before: Estimate | None, after: Estimate | None) -> str:
    if after is None or after.value is None:
        return ""
    if before is None or before.value is None:
        return f"{after.words}: {after.short()}"
    return f"{after.words}: {before.short()} → {after.short()}"


def _candidates(job: Job, finding: Finding) -> Iterator[Candidate]:
    area, _, what = finding.code.partition(".")
    if area == "level":
        yield from (Candidate(label, edit) for label, edit in level_fixes(job, finding))
    elif area == "power":
        yield from _supply_candidates(job)
    elif area == "returns":
        yield from _supply_candidates(job)
        yield from _return_candidates(job)
    if (
        what in ("no_feed", "no_plan", "no_supply", "missing")
        and job.host.supply is not SupplyClass.LIVE_CHASSIS
    ):
        for module in job.modules:
            yield Candidate(f"propose a plan for {module.name}", partial(propose_plan, module_id=module.id))


def _supply_candidates(job: Job) -> Iterator[Candidate]:
    """Other topologies on the same rail, then the same or another topology on another rail."""
    state = job.working_state()
    for link in job.links:
        if link.purpose is not Purpose.SUPPLY:
            continue
        pin = next((j.terminal for j in link.joins if isinstance(job.terminal(j.terminal), SupplyIn)), None)
        old_rail = next((j.terminal for j in link.joins if isinstance(job.terminal(j.terminal), Rail)), None)
        if pin is None or old_rail is None:
            continue
        now = link.sections[-1].topology
        names = {"buck": "use a buck converter", "linear": "use a small linear regulator",
                 "linear_large": "use a larger linear regulator", "direct": "join the rail straight to the module"}  # fmt: skip
        for key, label in names.items():
            if key != now:
                yield Candidate(label, partial(edits.replace_link, link=resupplied(job, link, old_rail, key)))
        for terminal in job.host.terminals:
            rail = f"{HOST}.{terminal.id}"
            if isinstance(terminal, Rail) and rail != old_rail and alive(terminal, state):
                moved = resupplied(job, link, rail, now)
                yield Candidate(
                    f"take the supply from the {terminal.name}", partial(edits.replace_link, link=moved)
                )


def _return_candidates(job: Job) -> Iterator[Candidate]:
    """Heavier wires, a lift, one return alone: the schools, each to be solved."""
    for module in job.modules:
        links = return_links(job, module.id)
        for link in links:
            gauge = link.joins[0].conductor.gauge
            for heavier in [g for g in (GAUGES[1], GAUGES[0]) if g < gauge][:1]:
                edit = partial(regauged, link_id=link.id, gauge=heavier)
                yield Candidate(f"{link.name.lower()} in AWG {heavier}", edit, HEAVIER)
        for link in return_choices(job, module.id):
            if not any(s.topology == "lift" for s in link.sections):
                lifted = (topology("lift").section(),)
                edit = partial(edits.set_sections, link_id=link.id, sections=lifted)
                yield Candidate(f"lift the {link.name.lower()} with 10 Ω", edit, LIFTED)
            else:
                edit = partial(edits.set_sections, link_id=link.id, sections=(topology("wire").section(),))
                yield Candidate(f"close the {link.name.lower()} with a plain wire", edit, CLOSED)
            if len(links) > 1:
                edit = partial(edits.remove_link, link_id=link.id)
                yield Candidate(f"leave out the {link.name.lower()}", edit, LEFT_OUT)


def return_choices(job: Job, module_id: str) -> list[Link]:
    """Returns of a module that may be lifted or left out: all but the one its supply current needs."""
    needed = {return_address(job, p) for p in addresses_of(job, SupplyIn, module_id)}
    return [x for x in return_links(job, module_id) if not any(j.terminal in needed for j in x.joins)]


def schools(job: Job) -> tuple[School, ...]:
    """As planned and every other arrangement of the returns that the catalogue has, the quietest first."""
    plans = [("as planned", None, ""), *_return_candidates(job)]
    found = []
    for label, edit, why in plans:
        try:
            study = study_returns(effective(edit(job) if edit else job))
        except (JobError, CompileError, ValueError):
            continue
        buzz = study.numbers.get("returns.buzz_db")
        if buzz is not None:
            found.append(School(label, buzz, edit, why))
    return tuple(sorted(found, key=lambda s: s.buzz.value if s.buzz.value is not None else 1e9))
