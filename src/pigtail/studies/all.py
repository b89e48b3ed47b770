"""All studies of a job, in working order."""

from __future__ import annotations

from dataclasses import dataclass

from pigtail.catalogue.errors import CatalogueError
from pigtail.circuit import CircuitError
from pigtail.job.model import Job
from pigtail.job.readings import effective
from pigtail.studies.compile import CompileError
from pigtail.studies.findings import Finding, Severity, Study
from pigtail.studies.level import LevelStudy, study_level
from pigtail.studies.loom import LoomStudy, study_loom
from pigtail.studies.power import PowerStudy, study_power
from pigtail.studies.returns import ReturnsStudy, study_returns
from pigtail.studies.spread import Estimate
from pigtail.studies.survey import SurveyStudy, study_survey


@dataclass(frozen=True)
class Studies:
    """What all studies found of one job."""

    survey: SurveyStudy
    level: LevelStudy
    power: PowerStudy
    returns: ReturnsStudy
    build: LoomStudy

    def each(self) -> tuple[Study, ...]:
        """The studies in working order."""
        return (self.survey, self.level, self.power, self.returns, self.build)

    @property
    def findings(self) -> tuple[Finding, ...]:
        """All findings in working order."""
        return tuple(f for s in self.each() for f in s.findings)

    @property
    def numbers(self) -> dict[str, Estimate]:
        """All numbers by their stable name."""
        return {k: v for s in self.each() for k, v in s.numbers.items()}

    @property
    def verdicts(self) -> dict[str, Severity]:
        """Worst severity of each study."""
        return {s.name: s.verdict for s in self.each()}


def study_job(job: Job) -> Studies:
    """Run all studies of a job on its values as they were read. Never raises for a job that passed its check:
    a plan that cannot be solved becomes a finding of the study that could not solve it."""
    measured = effective(job)
    survey = study_survey(job)
    try:
        build = study_loom(job)
    except CatalogueError as error:
        build = LoomStudy("build", {}, (_unsolved("build", error),))
    return Studies(survey, _level(measured), _power(measured), _returns(measured), build)


def _unsolved(name: str, error: Exception) -> Finding:
    return Finding(f"{name}.unsolved", Severity.FIX, "", f"The plan cannot be solved: {error}.")


_TROUBLES = (CompileError, CircuitError, CatalogueError)


def _level(job: Job) -> LevelStudy:
    try:
        return study_level(job)
    except _TROUBLES as error:
        return LevelStudy("level", {}, (_unsolved("level", error),))


def _power(job: Job) -> PowerStudy:
    try:
        return study_power(job)
    except _TROUBLES as error:
        return PowerStudy("power", {}, (_unsolved("power", error),))


def _returns(job: Job) -> ReturnsStudy:
    try:
        return study_returns(job)
    except _TROUBLES as error:
        return ReturnsStudy("returns", {}, (_unsolved("returns", error),))
