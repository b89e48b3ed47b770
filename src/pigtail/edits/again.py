"""The next copy of the same gear: the plan of a job that was built, with nothing read and nothing done, its values narrowed by what was
measured on the first."""

from __future__ import annotations

from typing import Any

import msgspec
from msgspec.structs import replace

from pigtail.edits.change import checked
from pigtail.job.document import Brief, Job
from pigtail.job.errors import EditError
from pigtail.job.logbook import Doing, Noted, Spent, Work
from pigtail.job.measured import Measured
from pigtail.language import tr
from pigtail.units.known import Basis, Known

#: How far one copy of the same gear may lie from another, as a part. Common practice.
COPIES_PART = 0.1
#: The most copies that are built at once.
MOST_COPIES = 1_000


def again(job: Job, copies: int = 1) -> Job:
    """A new job from one that was built: the same plan, readings and record empty; what was measured is typical of the next copy, never
    vaguer than its papers; time and cost of the first are kept, and what to do otherwise. Raises EditError for no or too many copies."""
    if not 1 <= copies <= MOST_COPIES:
        raise EditError(tr("copies are 1 to {most_copies}", most_copies=MOST_COPIES), value=copies)
    measured = Measured(job).job
    seconds = sum(e.seconds for e in job.record if isinstance(e, Doing) and not e.struck)
    paid = [e.amount for e in job.record if isinstance(e, Spent) and not e.struck and e.amount is not None]
    otherwise = [e.text for e in job.record if isinstance(e, Noted) and e.otherwise and not e.struck]
    notes = "\n".join(
        (
            *([job.brief.notes] if job.brief.notes else []),
            *(tr("This time otherwise: {t}", t=t) for t in otherwise),
        )
    )
    return checked(
        replace(
            job,
            name=f"{job.name}, again",
            brief=Brief(wanted=job.brief.wanted, notes=notes),
            host=_narrowed(job.host, measured.host, job.name),
            modules=tuple(
                _narrowed(m, n, job.name) for m, n in zip(job.modules, measured.modules, strict=True)
            ),
            readings=(),
            record=(),
            build=replace(job.build, copies=copies),
            work=_work(job.work, job.name, seconds / 60, sum(paid)),
        )
    )


def _work(work: Work, name: str, minutes: float, paid: float) -> Work:
    return replace(work, copy_of=name, took_min=round(minutes, 1) or None, cost_before=paid or None)


def narrowed(paper: Known | None, measured: Known | None, name: str) -> Known | None:
    """What is typical of the next copy: what was measured on the first, as far off as copies differ, within what the papers allow where
    they agree. In the [unit of both]."""
    if measured is None or measured.basis is not Basis.MEASURED or measured == paper:
        return paper
    slack = COPIES_PART * abs(measured.nominal)
    low, high = measured.low - slack, measured.high + slack
    if paper is not None and paper.low <= measured.nominal <= paper.high:
        low, high = max(low, paper.low), min(high, paper.high)
    source = tr("measured on {name}", name=name)[:200]
    return Known(nominal=measured.nominal, low=min(low, measured.nominal), high=max(high, measured.nominal), unit=measured.unit,
                 basis=Basis.TYPICAL, source=source)  # fmt: skip


def _narrowed(paper: Any, measured: Any, name: str) -> Any:
    """A struct of the papers with its values narrowed by those of its measured twin; what was only found out otherwise stays as on
    paper."""
    changes: dict[str, Any] = {}
    for field in paper.__struct_fields__:
        one, other = getattr(paper, field), getattr(measured, field)
        value: Any
        if isinstance(one, Known) or (one is None and isinstance(other, Known)):
            value = narrowed(one, other, name)
        elif isinstance(one, tuple) and isinstance(other, tuple) and len(one) == len(other):
            value = tuple(
                _narrowed(a, b, name) if isinstance(a, msgspec.Struct) else a
                for a, b in zip(one, other, strict=True)
            )
        elif isinstance(one, msgspec.Struct) and type(one) is type(other):
            value = _narrowed(one, other, name)
        else:
            continue
        if value != one:
            changes[field] = value
    return replace(paper, **changes) if changes else paper
