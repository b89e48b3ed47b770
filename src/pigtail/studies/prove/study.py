"""Prove: the runbook of a plan as it stands in the record, what it says of the model, and what stands against how it was done.

Steps are made from the plan by the kinds of `steps.toml` and ordered by need (`ordering`); each stands as the record tells (`standing`).
"""

from __future__ import annotations

from msgspec.structs import replace

from pigtail.job.document import Job, SupplyClass
from pigtail.job.hazards import MAINS
from pigtail.job.logbook import Doing
from pigtail.job.safety import Safety, safety
from pigtail.job.steps import RunStand
from pigtail.language import tr
from pigtail.model.estimate import Estimate
from pigtail.model.model import Model
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.studies.prove.expecting import reservoir
from pigtail.studies.prove.found import ProveFound
from pigtail.studies.prove.ledger import Ledger
from pigtail.studies.prove.making import Maker
from pigtail.studies.prove.plan import WorkPlan
from pigtail.studies.prove.standing import stands_of, way_back, what_stays
from pigtail.studies.prove.telling import cost_of, judge_record
from pigtail.studies.wording import tell
from pigtail.units import Basis


def study_prove(model: Model) -> ProveFound:
    """The runbook of a job, and what its record says. Empty where nothing may be joined to the host."""
    job = model.papers
    ledger, taken = Ledger(job), _minutes(job)
    if not job.links or safety(job) is not Safety.OPEN or job.host.supply is SupplyClass.UNKNOWN:
        return ProveFound("prove", {}, (tell("prove.nothing", ""),), minutes_taken=taken, cost=cost_of(job))
    maker = Maker(WorkPlan(model))
    stands = stands_of(maker, ledger)
    acts = [s.step for s in stands if not s.step.is_turn]
    left = [s for s in stands if s.open]
    found = ProveFound(
        "prove", {"prove.holds_left": _count(sum(1 for s in left if s.step.hold is not None))}, (), tuple(_reasons(stands, ledger)),
        way_back([a for a in acts if a.kind != "take_back"], maker, ledger), what_stays(acts, ledger),
        sum(s.step.minutes for s in left), taken, cost_of(job),
    )  # fmt: skip
    told = judge_record(
        job, acts, found, ledger, drains=bool(reservoir(maker.plan)) or job.host.supply in MAINS
    )
    return replace(found, findings=(*told, *_progress(found)))


def _minutes(job: Job) -> float:
    return sum(e.seconds for e in job.record if isinstance(e, Doing) and not e.struck) / 60


def _count(number: int) -> Estimate:
    return Estimate(float(number), float(number), float(number), "", Basis.MEASURED, tr("hold points left"))


def _reasons(stands: tuple[RunStand, ...], ledger: Ledger) -> list[RunStand]:
    """The steps with the reason that stands written where one was passed with it."""
    reasons = {e.id: getattr(e, "reason", "") for _, e in ledger.entries}
    return [replace(s, why=reasons[s.entry]) if reasons.get(s.entry) and not s.why else s for s in stands]


def _progress(found: ProveFound) -> list[Finding]:
    """How far it is: the dial of the hold points that are left, and what is next."""
    numbers = {"holds_left": found.numbers["prove.holds_left"]}
    left = [s for s in found.stands if s.open]
    dial = judge("prove.holds", numbers, "")
    if not left or found.next is None:
        words = {"steps": str(len(found.stands)), "minutes": f"{found.minutes_taken:.0f}"}
        return [dial, tell("prove.done", "", words)]
    words = {
        "steps": str(len(left)), "minutes": f"{max(1, found.minutes_left):.0f}", "holds": str(found.holds_left),
        "next": found.next.step.says,
    }  # fmt: skip
    return [tell("prove.to_do", "", words), dial]
