"""Remedies: candidate edits for a finding, each solved against all studies, offered only when it betters its finding and
brings nothing that is as bad; what milder it brings is said with it.

A candidate that does not lift the finding's severity or move its number clearly in the right direction is not offered,
whatever the habit of the trade says of it.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import NamedTuple

from msgspec.structs import replace

from pigtail import edits
from pigtail.advice.found import School
from pigtail.advice.level_remedies import level_fixes, part_fixes
from pigtail.advice.proposing import propose_plan
from pigtail.catalogue.topologies import Does, does, first, plain, those
from pigtail.edits.change import Edit
from pigtail.edits.plan import add_filter, own_adapter, regauged, rerailed, set_converter, set_stage_rail
from pigtail.edits.usual import rails
from pigtail.job.document import Job, Purpose, Rail
from pigtail.job.errors import JobError
from pigtail.job.measured import Measured
from pigtail.job.safety import Safety, safety
from pigtail.job.wiring import pin_of, return_links
from pigtail.model.errors import CompileError
from pigtail.model.estimate import Estimate
from pigtail.model.model import Model
from pigtail.studies.findings import ORDER, Finding, Remedy, Severity, Study
from pigtail.studies.found import Studies
from pigtail.studies.judging import Judgement, judgements
from pigtail.studies.register import entry
from pigtail.studies.returns.study import return_choices, study_returns
from pigtail.units.wire import GAUGES

MOST_OFFERED = 3
CLEAR_STEP_DB = 3.0
#: What is destroyed whatever it is supplied through.
TURNED = ("power.reversed", "power.stage_reversed")
#: What an arrangement of the returns does to the burst.
HEAVIER = "Less drop in that conductor."
LIFTED = "No loop, but all of the supply return's drop is heard."
LEFT_OUT = "One return only: all of its drop is heard."
CLOSED = "The burst divides between the two again."


class Attempt(NamedTuple):
    """An edit worth trying: its label, for an arrangement of the returns what it does in a sentence, and whether it is a whole plan,
    which is offered where there is none, whatever is still unknown of it."""

    label: str
    edit: Edit
    why: str = ""
    whole_plan: bool = False


class Trial:
    """A job as an edit would make it, studied as far as anyone asks."""

    def __init__(self, papers: Job) -> None:
        self.model = Model.of(papers)
        self._found: dict[str, Study] = {}

    def study(self, key: str) -> Study:
        """What one study finds of it."""
        if key not in self._found:
            self._found[key] = entry(key).run(self.model)
        return self._found[key]


class Trials:
    """The jobs that were tried for one job, so that what several findings are mended by is solved once."""

    def __init__(self, job: Job, studies: Studies) -> None:
        self.job, self.before = job, {s.name: s for s in studies.found}
        self._made: list[tuple[Job, Trial]] = []

    def of(self, edit: Edit) -> Trial | None:
        """The trial of an edit; None for one that is refused or changes nothing."""
        try:
            made = edit(self.job)
        except (JobError, CompileError, ValueError):
            return None
        if made == self.job:
            return None
        found = next((t for j, t in self._made if j == made), None)
        if found is None:
            found = Trial(made)
            self._made.append((made, found))
        return found

    def catches(self, trial: Trial, mended: Finding) -> tuple[Finding, ...] | None:
        """The catches that a trial brings: what was good, or not there, and works still; None where anything else becomes worse, and where
        no more than a catch is mended."""
        found: list[Finding] = []
        for key, before in sorted(self.before.items(), key=_cheapest):
            worse = _worse(before, trial.study(key), mended)
            if any(f.severity is not Severity.WATCH or mended.severity is Severity.WATCH for f in worse):
                return None
            found += worse
        return tuple(found)


def _cheapest(pair: tuple[str, Study]) -> int:
    """Studies that need least to be solved first."""
    order = ("build", "survey", "taps", "power", "returns", "level")
    return order.index(pair[0]) if pair[0] in order else len(order)


def _identity(finding: Finding) -> tuple[object, ...]:
    """What a finding is about, whatever comes out: its judgement, or its code where it is none, its subject, its part."""
    return finding.judgement or finding.code, finding.subject, finding.part


def _worse(before: Study, after: Study, but: Finding) -> list[Finding]:
    """The findings that are worse than they were. A point that has not been read yet is a request, not a fault; nor is what could not be
    judged of a subject before what is wrong with how it is joined was mended."""
    was: dict[tuple[object, ...], Severity] = {}
    for finding in before.findings:
        was[_identity(finding)] = _worst_of(finding.severity, was.get(_identity(finding), Severity.GOOD))
    return [
        f
        for f in after.findings
        if _identity(f) != _identity(but)
        and not (not but.judgement and f.subject == but.subject and f.judgement and _identity(f) not in was)
        and not (f.severity is Severity.UNKNOWN and not f.judgement)
        and ORDER.index(f.severity) < ORDER.index(was.get(_identity(f), Severity.GOOD))
    ]


def _worst_of(*severities: Severity) -> Severity:
    return min(severities, key=ORDER.index)


def advised(job: Job, studies: Studies) -> Studies:
    """The studies with remedies on every finding that needs one and has one."""
    trials = Trials(job, studies)
    return replace(studies, found=tuple(_with(trials, s) for s in studies.found))


def _with(trials: Trials, study: Study) -> Study:
    findings = tuple(
        f if f.severity is Severity.GOOD else replace(f, remedies=remedies(trials, study, f))
        for f in study.findings
    )
    return replace(study, findings=findings)


def remedies(trials: Trials, study: Study, finding: Finding) -> tuple[Remedy, ...]:
    """Remedies of a finding, the most telling first, at most three."""
    name = study.number_of(finding)
    before = study.numbers.get(name)
    offered = [Remedy(a.label, a.edit) for a in _candidates(trials.job, finding) if a.whole_plan]
    if finding.severity is Severity.UNKNOWN and finding.judgement and finding.value is None:
        return tuple(offered)  # what is not known is measured, not planned away
    ranked: list[tuple[tuple[int, float], Attempt, Trial]] = []
    for attempt in _candidates(trials.job, finding):
        trial = None if attempt.whole_plan else trials.of(attempt.edit)
        rank = None if trial is None else _improvement(finding, study, trial.study(study.name), name)
        if trial is not None and rank is not None:
            ranked.append((rank, attempt, trial))
    for _, attempt, trial in sorted(ranked, key=lambda found: found[0]):
        if len(offered) >= MOST_OFFERED:
            break
        catches = trials.catches(trial, finding)
        if catches is None:
            continue
        after = trial.study(study.name).numbers.get(name)
        brings = [_brings(before, after), *(f"but: {f.sentence}" for f in catches)]
        offered.append(Remedy(attempt.label, attempt.edit, "; ".join(b for b in brings if b)))
    return tuple(offered[:MOST_OFFERED])


def _improvement(finding: Finding, before: Study, after: Study, name: str) -> tuple[int, float] | None:
    """Sorting rank of a remedy, or None if it does not better its finding or worsens its study."""
    if ORDER.index(after.verdict) < ORDER.index(before.verdict):
        return None
    same = [f for f in after.findings if _identity(f) == _identity(finding)]
    severity = _worst_of(*(f.severity for f in same)) if same else Severity.GOOD
    lifted = ORDER.index(severity) > ORDER.index(finding.severity)
    new, old = after.numbers.get(name), before.numbers.get(name)
    if old is not None and old.value is not None and (new is None or new.value is None) and not lifted:
        return None
    gain = _gain(old, new, judgements().get(finding.judgement))
    told = old is not None and old.value is not None and new is not None
    a_step = old is not None and old.unit in ("dB", "dBV") and gain >= CLEAR_STEP_DB
    if (told and gain <= 0.0) or not (lifted or a_step):
        return None
    return -ORDER.index(after.verdict) + (0 if lifted else 1), -gain


def _gain(old: Estimate | None, new: Estimate | None, judged: Judgement | None) -> float:
    """By how much a number is better than it was [its unit], by the way in which it is judged."""
    if old is None or new is None or old.value is None or new.value is None:
        return 0.0
    if judged is None or judged.sense == 0.0:
        middle = judged.middle if judged is not None else 0.0
        return abs(old.value - middle) - abs(new.value - middle)
    return judged.sense * (new.value - old.value)


def _brings(before: Estimate | None, after: Estimate | None) -> str:
    if after is None or after.value is None:
        return ""
    if before is None or before.value is None:
        return f"{after.words}: {after.short()}"
    return f"{after.words}: {before.short()} → {after.short()}"


def _candidates(job: Job, finding: Finding) -> Iterator[Attempt]:
    area, _, what = finding.code.partition(".")
    if finding.judgement in TURNED or finding.code == "power.swapped":
        return  # nothing but turning it round helps, and that is said
    if finding.part is not None:
        yield from (Attempt(*fix) for fix in part_fixes(job, finding))
    elif area == "level":
        yield from (Attempt(*fix) for fix in level_fixes(job, finding))
    elif finding.judgement == "power.stage_voltage":
        yield from _stage_candidates(job, finding)
    elif area == "power":
        yield from _supply_candidates(job)
        yield from _own_supply(job, finding)
    elif area == "returns":
        yield from _supply_candidates(job)
        yield from _filter_candidates(job)
        yield from _return_candidates(job)
    if what in ("no_feed", "no_plan", "no_supply", "missing") and safety(job) is Safety.OPEN:
        for module in job.modules:
            edit = partial(propose_plan, module_id=module.id)
            yield Attempt(f"propose a plan for {module.name}", edit, whole_plan=True)


def _supply_candidates(job: Job) -> Iterator[Attempt]:
    """Other converters on the same rail, then other rails with what is there."""
    for link in job.links:
        if link.purpose is not Purpose.SUPPLY:
            continue
        pin = pin_of(job, link)
        old_rail = next((a for a in link.starts if isinstance(job.terminal(a), Rail)), None)
        if not pin or old_rail is None:
            continue
        now = {s.topology for s in link.sections}
        for shape in those("supply"):
            straight = Does.CONDUCTS in shape.does
            known = getattr(Measured(job).job.terminal(old_rail), "voltage", None) is not None
            if shape.remedy and shape.key not in now and (known or not straight):
                yield Attempt(shape.remedy, partial(set_converter, link_id=link.id, key=shape.key))
        for rail in rails(job, pin):
            if rail != old_rail:
                moved = partial(edits.replace_link, link=rerailed(job, link, rail))
                yield Attempt(f"take the supply from the {job.label(rail)}", moved)


def _own_supply(job: Job, finding: Finding) -> Iterator[Attempt]:
    """A supply of its own for what overloads a rail: an adapter as a rail of its own beside the host's."""
    if finding.judgement not in ("power.rail", "power.under_voltage", "power.dropout"):
        return
    for link in job.links:
        if link.purpose is Purpose.SUPPLY and pin_of(job, link):
            yield Attempt("a 5 V 1 A adapter of its own", partial(own_adapter, link_id=link.id))


def _filter_candidates(job: Job) -> Iterator[Attempt]:
    """A reservoir at each module, which gives its bursts."""
    for link in job.links:
        if link.purpose is Purpose.SUPPLY and not any(does(s, Does.FILTERS) for s in link.sections):
            yield Attempt("add a supply filter at the module", partial(add_filter, link_id=link.id))


def _stage_candidates(job: Job, finding: Finding) -> Iterator[Attempt]:
    """The stages of a feed from another rail."""
    for rail in rails(job):
        edit = partial(set_stage_rail, link_id=finding.subject, rail=rail)
        yield Attempt(f"supply the stage from the {job.label(rail)}", edit)


def _return_candidates(job: Job) -> Iterator[Attempt]:
    """Heavier wires, a lift, one return alone: the schools, each to be solved."""
    for module in job.modules:
        links = return_links(job, module.id)
        for link in links:
            gauge = link.joins[0].conductor.gauge
            for heavier in [g for g in (GAUGES[1], GAUGES[0]) if g < gauge][:1]:
                edit = partial(regauged, link_id=link.id, gauge=heavier)
                yield Attempt(f"{link.name.lower()} in AWG {heavier}", edit, HEAVIER)
        for link in return_choices(job, module.id):
            if not any(does(s, Does.LIFTS) for s in link.sections):
                lifted = (first("return", Does.LIFTS).section(),)
                edit = partial(edits.set_sections, link_id=link.id, sections=lifted)
                yield Attempt(f"lift the {link.name.lower()} with 10 Ω", edit, LIFTED)
            else:
                edit = partial(edits.set_sections, link_id=link.id, sections=(plain(),))
                yield Attempt(f"close the {link.name.lower()} with a plain wire", edit, CLOSED)
            if len(links) > 1:
                edit = partial(edits.remove_link, link_id=link.id)
                yield Attempt(f"leave out the {link.name.lower()}", edit, LEFT_OUT)


def schools(job: Job) -> tuple[School, ...]:
    """As planned and every other arrangement of the returns that the catalogue has, the quietest first."""
    plans: list[tuple[str, Edit | None, str]] = [("as planned", None, "")]
    plans += [(a.label, a.edit, a.why) for a in _return_candidates(job)]
    found = []
    for label, edit, why in plans:
        try:
            study = study_returns(Model.of(edit(job) if edit else job))
        except (JobError, CompileError, ValueError):
            continue
        buzz = study.numbers.get("returns.buzz_db")
        if buzz is not None:
            found.append(School(label, buzz, edit, why))
    return tuple(sorted(found, key=lambda s: s.buzz.value if s.buzz.value is not None else 1e9))
