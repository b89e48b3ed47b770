"""Answering what is asked for, as the tests that follow questions do."""

from __future__ import annotations

from datetime import datetime

from msgspec.structs import replace

from pigtail.advice.measure import next_readings
from pigtail.bench.host import BlownFuseError, StandInHost
from pigtail.bench.truth import StandIn
from pigtail.edits.readings import log_reading
from pigtail.edits.values import set_supply
from pigtail.job.ask import Ask
from pigtail.job.document import Function, Job
from pigtail.job.quantities import quantities
from pigtail.job.readings import effective
from pigtail.studies.all import study_job
from pigtail.units import Basis
from pigtail.units.known import Known

WHEN = datetime(2026, 11, 25, 10, 0)
#: No host asks for more; and what is open is a resistance of so much.
MOST, OPEN_OHM = 120, 1e9


def answered(job: Job, asked: Ask, value: float) -> Job:
    """The job with a reading of what was asked for, taken as it was asked."""
    return log_reading(job, value=value, when=WHEN, **asked.setup())


def by_its_papers(job: Job) -> StandInHost:
    """A stand-in that is just what the papers and readings of a job say."""
    real = effective(job).host
    terminals = tuple(
        replace(
            t,
            **{
                q.field: Known.of(k.nominal, q.unit, Basis.MEASURED)
                for q in quantities(t)
                if (k := getattr(t, q.field)) is not None
            },
        )
        for t in real.terminals
    )
    return StandInHost(StandIn(title=job.name, papers=job, truth=replace(real, terminals=terminals)))


def followed(job: Job, host: StandInHost, asked: list[Ask] | None = None) -> Job:
    """The job after a person took what is asked for, one after another, until nothing more is asked; what was asked, in order."""
    taken = [] if asked is None else asked
    seen: set[tuple[object, ...]] = set()
    for _ in range(MOST):
        fresh = [a for a in next_readings(job, study_job(job)) if a.key not in seen]
        if not fresh:
            break
        ask = fresh[0]
        seen.add(ask.key)
        taken.append(ask)
        if ask.function is Function.LOOK:
            job = set_supply(job, host.job.host.supply)
            continue
        try:
            job = answered(job, ask, min(host.take(ask), OPEN_OHM))
        except BlownFuseError:
            host.mend()
    return job
