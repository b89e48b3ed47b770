"""Build: the wires and parts that the plan needs, whether they can be cut, told apart and held, and whether panel and mounting can be
made."""

from __future__ import annotations

from pigtail.board.parts import Mounted, mounted
from pigtail.job.build import BoardKind
from pigtail.job.document import Job
from pigtail.model.model import Model
from pigtail.studies.findings import Finding
from pigtail.studies.loom.found import LoomFound
from pigtail.studies.loom.mounts import judge_mountings
from pigtail.studies.loom.panels import judge_panel
from pigtail.studies.loom.shopping import loom_parts
from pigtail.studies.loom.telling import judge_wires
from pigtail.studies.loom.wires import loom_supplies, loom_wires, usual_colours
from pigtail.studies.wording import tell

#: So many parts hang from their own leads. Common practice.
MOST_IN_THE_AIR = 3


def study_loom(model: Model) -> LoomFound:
    """The loom and parts list of a job, and what stands against building it."""
    job = model.papers
    board = mounted(job)
    wires = loom_wires(job)
    findings = judge_wires(job, wires) if wires else [tell("build.no_links", "")]
    findings += judge_mountings(job, board) + judge_panel(job) + _in_the_air(job, board)
    findings = findings or [tell("build.loom", "", {"count": str(len(wires))})]
    supplies, usual = loom_supplies(job, wires), tuple(usual_colours().items())
    return LoomFound("build", {}, tuple(findings), wires, loom_parts(job, board), supplies, usual)


def _in_the_air(job: Job, board: Mounted) -> list[Finding]:
    """More parts than hold each other up without a board."""
    count = len(board.parts)
    many = job.build.board is BoardKind.POINT and count > MOST_IN_THE_AIR
    return [tell("build.point_many", "", {"count": str(count)})] if many else []
