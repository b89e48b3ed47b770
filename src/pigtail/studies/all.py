"""All studies of a job, in working order."""

from __future__ import annotations

import numpy as np

from pigtail.catalogue.errors import CatalogueError
from pigtail.circuit import CircuitError
from pigtail.job.model import Job
from pigtail.job.readings import effective
from pigtail.studies.compile import CompileError
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.level import study_level
from pigtail.studies.loom import study_loom
from pigtail.studies.power import study_power
from pigtail.studies.results import LevelStudy, LoomStudy, PowerStudy, ReturnsStudy, Studies
from pigtail.studies.returns import study_returns
from pigtail.studies.survey import study_survey
from pigtail.studies.taps import study_taps


def study_job(job: Job) -> Studies:
    """Run all studies of a job on its values as they were read. Never raises for a job that passed its check:
    a plan that cannot be solved becomes a finding of the study that could not solve it."""
    with np.errstate(all="ignore"):  # what is not finite becomes unknown
        return _studied(job)


def _studied(job: Job) -> Studies:
    measured = effective(job)
    survey = study_survey(job)
    try:
        build = study_loom(job)
    except CatalogueError as error:
        build = LoomStudy("build", {}, (_unsolved("build", error),))
    return Studies(survey, study_taps(job), _level(measured), _power(measured), _returns(measured), build)


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
