"""All studies of a job, in working order."""

from __future__ import annotations

import numpy as np

from pigtail.job.document import Job
from pigtail.model.model import Model
from pigtail.studies.findings import Severity, Study
from pigtail.studies.found import Studies, questions
from pigtail.studies.level.found import LevelFound
from pigtail.studies.loom.found import LoomFound
from pigtail.studies.power.found import MISWIRED
from pigtail.studies.prove.found import ProveFound
from pigtail.studies.register import REGISTER, entry
from pigtail.studies.returns.found import ReturnsFound
from pigtail.studies.wording import listed, tell

#: What keeps hands off the iron.
OPEN = (Severity.STOP, Severity.FIX, Severity.UNKNOWN)


def study_model(model: Model) -> Studies:
    """All studies of a model. Never raises for a job that passed its check: a plan that cannot be solved becomes a finding."""
    with np.errstate(all="ignore"):  # what is not finite becomes unknown
        return Studies(_waiting(_right_first(tuple(each.run(model) for each in REGISTER))))


def _waiting(found: tuple[Study, ...]) -> tuple[Study, ...]:
    """The studies, with what building and proving wait for: neither is begun, nor ever good, beside a station that is not; proving waits
    for what must be mended in the building too."""
    still = [s for s in found if not isinstance(s, LoomFound | ProveFound) and s.verdict in OPEN]
    unbuilt = [s for s in found if isinstance(s, LoomFound) and s.verdict in (Severity.STOP, Severity.FIX)]
    count = len(Studies(found).open)

    def headed(study: Study) -> Study:
        waits = [*still, *unbuilt] if isinstance(study, ProveFound) else still
        begun = (
            study.wires if isinstance(study, LoomFound) else isinstance(study, ProveFound) and study.stands
        )
        if not waits or not begun:
            return study
        stopped = [s for s in waits if s.verdict is Severity.STOP]
        words = {
            "stations": listed(entry(s.name).words for s in (stopped or waits)),
            "open": f"; {questions(count)}" if count else "",
        }
        area = "prove" if isinstance(study, ProveFound) else "build"
        return study.headed(tell(f"{area}.{'stopped' if stopped else 'waits'}", "", words))

    return tuple(headed(s) for s in found)


def _right_first(found: tuple[Study, ...]) -> tuple[Study, ...]:
    """The studies of what a wire on a wrong pad is solved with all the same headed by that: nothing they tell holds before it is right."""
    if not any(f.severity is Severity.STOP and f.code in MISWIRED for s in found for f in s.findings):
        return found
    heard = (LevelFound, ReturnsFound)
    return tuple(s.headed(tell(f"{s.name}.miswired", "")) if isinstance(s, heard) else s for s in found)


def study_job(papers: Job) -> Studies:
    """All studies of a job on its values as they were read."""
    return study_model(Model.of(papers))
