"""Remedies: candidate edits for a finding, each solved against all studies, offered only when it betters its finding and
brings nothing that is as bad; what milder it brings is said with it.

A candidate that does not lift the finding's severity or move its number clearly in the right direction is not offered,
whatever the habit of the trade says of it.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from functools import partial
from itertools import islice
from typing import NamedTuple

from msgspec.structs import replace

from pigtail.advice.attempts import Attempt, candidates, return_candidates
from pigtail.advice.found import School
from pigtail.edits.change import Edit
from pigtail.job.document import Job
from pigtail.job.errors import JobError
from pigtail.language import tr
from pigtail.model.errors import CompileError
from pigtail.model.estimate import Estimate
from pigtail.model.model import Model
from pigtail.studies.findings import ORDER, Finding, Remedy, Severity, Study, worst
from pigtail.studies.found import Studies
from pigtail.studies.judging import Judgement, judgements
from pigtail.studies.power.found import MISWIRED
from pigtail.studies.register import entry
from pigtail.studies.returns.study import study_returns
from pigtail.units import format_quantity

MOST_OFFERED = 3
CLEAR_STEP_DB = 3.0
#: What is mended before anything else is looked at.
ALONE = frozenset({*MISWIRED, "survey.hazardous_point"})
#: What a study tells of a plan in which nothing lives.
SILENT = frozenset({"returns.silent", "level.dead_source"})
#: What asks for a measure or a place that a new wire or thing wants: no catch of a remedy.
ASKED = frozenset({"build.length_guessed", "build.unmounted"})
MOST_CATCHES = 2
#: Where no single edit mends a finding: how many of those that better it are tried with a second, and how many pairs in all.
FIRST_OF_PAIR, MOST_PAIRS = 2, 6


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


#: So long trials are made for the remedies of one job, by the processor's time [s].
BUDGET_S = 30.0
GRAVEST = (Severity.STOP, Severity.FIX, Severity.UNKNOWN, Severity.WATCH)


class Trials:
    """The jobs that were tried for one job, so that what several findings are mended by is solved once."""

    def __init__(self, job: Job, studies: Studies) -> None:
        self.job, self.before = job, {s.name: s for s in studies.found}
        self._made: list[tuple[Job, Trial]] = []
        self._until = time.thread_time() + BUDGET_S

    def of(self, edit: Edit) -> Trial | None:
        """The trial of an edit; None for one that is refused or changes nothing, and for all once the time for trials is up."""
        if time.thread_time() > self._until:
            return None
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
        """The catches that a trial brings: what was good, or not there, and works still, and what could not be told before since nothing
        lived; None where anything else becomes worse, and where no more than a catch is mended."""
        found: list[Finding] = []
        for key, worse in self._worse_by_study(trial, mended):
            woken = _woken(self.before[key], trial.study(key)) if worse else False
            if not woken and any(
                f.severity is not Severity.WATCH or mended.severity is Severity.WATCH for f in worse
            ):
                return None
            found += worse
        return tuple(found)

    def worse(self, trial: Trial, mended: Finding) -> list[Finding]:
        """The findings that a trial makes worse."""
        return [f for _, worse in self._worse_by_study(trial, mended) for f in worse]

    def _worse_by_study(self, trial: Trial, mended: Finding) -> Iterator[tuple[str, list[Finding]]]:
        """The findings that a trial makes worse, study by study, those first that need least to be solved."""
        for key, before in sorted(self.before.items(), key=_cheapest):
            if entry(key).recorded and not self.job.record and mended not in before.findings:
                continue
            yield key, _worse(before, trial.study(key), mended)


def _woken(before: Study, after: Study) -> bool:
    """Whether a study told that nothing lives, and no longer does: what it finds now was there before."""
    return any(f.code in SILENT for f in before.findings) and not any(
        f.code in SILENT for f in after.findings
    )


def _cheapest(pair: tuple[str, Study]) -> int:
    """Studies that need least to be solved first."""
    order = ("build", "survey", "taps", "power", "control", "returns", "level")
    return order.index(pair[0]) if pair[0] in order else len(order)


def _identity(finding: Finding) -> tuple[object, ...]:
    """What a finding is about, whatever comes out: its judgement, or its code where it is none, its subject, its part."""
    return finding.judgement or finding.code, finding.subject, finding.part


def _worse(before: Study, after: Study, but: Finding) -> list[Finding]:
    """The findings that are worse than they were. A point that has not been read yet is a request, not a fault; nor is what could not be
    judged of a subject before what is wrong with how it is joined was mended, nor what is not known yet of a job that was stopped."""
    was: dict[tuple[object, ...], Severity] = {}
    for finding in before.findings:
        for key in _keys(finding, before):
            was[key] = worst([finding.severity, was.get(key, Severity.GOOD)])

    def then(finding: Finding) -> Severity | None:
        return next((was[k] for k in _keys(finding, after) if k in was), None)

    return [
        f
        for f in after.findings
        if _identity(f) != _identity(but)
        and f.code not in ASKED
        and not (not but.judgement and f.subject == but.subject and f.judgement and then(f) is None)
        and not (f.severity is Severity.UNKNOWN and not f.judgement)
        and not (but.severity is Severity.STOP and f.severity is Severity.UNKNOWN and then(f) is None)
        and ORDER.index(f.severity) < ORDER.index(then(f) or Severity.GOOD)
    ]


def _keys(finding: Finding, study: Study) -> tuple[tuple[object, ...], ...]:
    """What a finding is known by from one study to the next: what it is about; and where its judgement is told but once, of whatever is
    worst off, that judgement."""
    lone = finding.judgement and sum(f.judgement == finding.judgement for f in study.findings) == 1
    return (_identity(finding), (finding.judgement,)) if lone else (_identity(finding),)


def advised(job: Job, studies: Studies) -> Studies:
    """The studies with remedies on every finding that needs one and has one; while a wire is on the wrong pad, or on a point that may hurt,
    on that alone, since nothing else that is told holds."""
    trials = Trials(job, studies)
    alone = any(f.code in ALONE for f in studies.findings)
    wanting = [
        (s, at)
        for s in studies.found
        for at, f in enumerate(s.findings)
        if f.severity is not Severity.GOOD and (not alone or f.code in ALONE)
    ]
    # the gravest first: of a job so large that there is no time for all, the others go without
    wanting.sort(key=lambda x: GRAVEST.index(x[0].findings[x[1]].severity))
    found = {(s.name, at): remedies(trials, s, s.findings[at]) for s, at in wanting}

    def with_remedies(study: Study) -> Study:
        return replace(
            study,
            findings=tuple(
                replace(f, remedies=found[study.name, at]) if (study.name, at) in found else f
                for at, f in enumerate(study.findings)
            ),
        )

    return replace(studies, found=tuple(map(with_remedies, studies.found)))


def remedies(trials: Trials, study: Study, finding: Finding) -> tuple[Remedy, ...]:
    """Remedies of a finding, the most telling first, at most three."""
    offered = [Remedy(a.label, a.edit) for a in candidates(trials.job, finding) if a.whole_plan]
    if finding.severity is Severity.UNKNOWN and finding.judgement and finding.value is None:
        return tuple(offered)  # what is not known is measured, not planned away
    tried = (_tried(trials, study, finding, a) for a in candidates(trials.job, finding) if not a.whole_plan)
    ranked = sorted((r for r in tried if r is not None), key=lambda found: found.rank)
    for found in ranked:
        if len(offered) >= MOST_OFFERED or any(r.label == found.attempt.label for r in offered):
            continue
        if (remedy := _solved(trials, study, finding, found)) is not None:
            offered.append(remedy)
    if not offered and finding.severity in (Severity.STOP, Severity.FIX):
        pairs = (
            _tried(trials, study, finding, p) for p in islice(_pairs(trials, finding, ranked), MOST_PAIRS)
        )
        solved = (_solved(trials, study, finding, pair) for pair in pairs if pair is not None)
        offered += islice((remedy for remedy in solved if remedy is not None), 1)
    return tuple(offered[:MOST_OFFERED])


class _Ranked(NamedTuple):
    """An attempt that betters its finding: its rank, and the job with it."""

    rank: tuple[int, float]
    attempt: Attempt
    trial: Trial


def _tried(trials: Trials, study: Study, finding: Finding, attempt: Attempt) -> _Ranked | None:
    """An attempt with its rank; None for one that is refused, or does not better its finding."""
    trial = trials.of(attempt.edit)
    if trial is None:
        return None
    rank = _improvement(finding, study, trial.study(study.name), study.number_of(finding))
    return None if rank is None else _Ranked(rank, attempt, trial)


def _solved(trials: Trials, study: Study, finding: Finding, found: _Ranked) -> Remedy | None:
    """The remedy that an attempt is, with what it brings and its catches; None where it makes anything else worse."""
    catches = trials.catches(found.trial, finding)
    if catches is None:
        return None
    name = study.number_of(finding)
    after = found.trial.study(study.name).numbers.get(name)
    judged = judgements().get(finding.judgement)
    brings = [_brings(study.numbers.get(name), after, judged), *_catches_told(catches)]
    return Remedy(found.attempt.label, found.attempt.edit, "; ".join(b for b in brings if b))


def _pairs(trials: Trials, finding: Finding, ranked: list[_Ranked]) -> Iterator[Attempt]:
    """The best attempts that make but one other finding worse, each with an edit that may mend that one too."""
    for lone in ranked[:FIRST_OF_PAIR]:
        worse = {f.judgement or f.code: f for f in trials.worse(lone.trial, finding)}
        spoilt = [f for f in worse.values() if f.severity is not Severity.WATCH]
        if len(spoilt) != 1:
            continue
        for second in candidates(lone.attempt.edit(trials.job), spoilt[0]):
            edit = partial(one_then_other, first=lone.attempt.edit, second=second.edit)
            yield Attempt(tr("{one}, and {other}", one=lone.attempt.label, other=second.label), edit)


def one_then_other(job: Job, first: Edit, second: Edit) -> Job:
    """Edit: two edits in turn."""
    return second(first(job))


def _improvement(finding: Finding, before: Study, after: Study, name: str) -> tuple[int, float] | None:
    """Sorting rank of a remedy, or None if it does not better its finding or worsens its study."""
    if ORDER.index(after.verdict) < ORDER.index(before.verdict):
        return None
    same = [f for f in after.findings if _identity(f) == _identity(finding)]
    severity = worst([f.severity for f in same])
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


def _brings(before: Estimate | None, after: Estimate | None, judged: Judgement | None) -> str:
    """What a remedy does to the number of its finding; where that stays and only its spread shrinks, to the end that counts."""
    if after is None or after.value is None:
        return ""
    if before is None or before.value is None:
        return f"{after.words}: {after.short()}"
    if before.short() != after.short():
        return f"{after.words}: {before.short()} → {after.short()}"
    was, now = (format_quantity(_worst_end(e, judged), e.unit) for e in (before, after))
    return tr("{after}, at worst: {was} → {now}", after=after.words, was=was, now=now) if was != now else ""


def _worst_end(estimate: Estimate, judged: Judgement | None) -> float:
    """The end of a spread by which it is judged [its unit]."""
    ends = (estimate.low, estimate.high)
    if judged is None or judged.sense == 0.0:
        middle = judged.middle if judged is not None else 0.0
        return max(ends, key=lambda x: abs(x - middle))
    return min(ends, key=lambda x: judged.sense * x)


def _catches_told(catches: tuple[Finding, ...]) -> list[str]:
    """The catches in words, each kind once, the first few."""
    kinds = list({f.judgement or f.code: f for f in catches}.values())
    more = [tr("and {value} more", value=len(kinds) - MOST_CATCHES)] if len(kinds) > MOST_CATCHES else []
    return [tr("but: {sentence}", sentence=f.sentence) for f in kinds[:MOST_CATCHES]] + more


def schools(job: Job) -> tuple[School, ...]:
    """As planned and every other arrangement of the returns that the catalogue has, the quietest first."""
    plans: list[tuple[str, Edit | None, str]] = [(tr("as planned"), None, "")]
    plans += [(a.label, a.edit, a.why) for a in return_candidates(job)]
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
