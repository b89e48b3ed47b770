"""All studies of a job, in working order."""

from __future__ import annotations

import numpy as np

from pigtail.job.document import Job
from pigtail.model.model import Model
from pigtail.studies.found import Studies
from pigtail.studies.register import REGISTER


def study_model(model: Model) -> Studies:
    """All studies of a model. Never raises for a job that passed its check: a plan that cannot be solved becomes a finding."""
    with np.errstate(all="ignore"):  # what is not finite becomes unknown
        return Studies(tuple(each.run(model) for each in REGISTER))


def study_job(papers: Job) -> Studies:
    """All studies of a job on its values as they were read."""
    return study_model(Model.of(papers))
