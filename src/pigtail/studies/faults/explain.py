"""Which common fault explains best what was read: each is compiled into the same netlist and held against the readings about a point.

The likelihood of a fault is how often it is met times how well it fits: each reading counts by how far it lies from what the fault would
show, in spreads of what is known no better, far ones no more than so much. A fault is named where it fits much better than the papers do.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
from msgspec.structs import replace

from pigtail.circuit import CircuitError
from pigtail.job.document import Job, Pin, Reading
from pigtail.job.measured import Measured
from pigtail.job.wiring import return_address, star_address, twin
from pigtail.model.errors import CompileError
from pigtail.model.probed import Probed
from pigtail.studies.faults.fit import Told, shown, standing_of, telling, told
from pigtail.studies.faults.table import FAULTS, Truth, words

#: From here on a reading does not fit [spreads]; no reading counts for more than so many.
OFF, FARTHEST = 1.0, 6.0
#: A fault is named from this part of the likelihood of all on [1], and no more than so many of a point.
NAMED, MOST = 0.15, 2


class Explanation(msgspec.Struct, frozen=True):
    """A fault that explains the readings about a point: its key, what it is in words, how likely beside the others [1], and the host that
    it makes."""

    key: str
    words: str
    likelihood: float
    truth: Truth


class Misfit(msgspec.Struct, frozen=True):
    """A point with readings that its host does not explain, the worst first, and what would: the likeliest first."""

    point: str
    readings: tuple[Told, ...]
    explained: tuple[Explanation, ...]


def alone(job: Job) -> Job:
    """The host of a job by itself, as it is while its points are read: nothing is joined to it yet, and pins of which nobody knows what
    they are hang on nothing."""
    known = tuple(t for t in job.host.terminals if not isinstance(t, Pin))
    return replace(job, modules=(), links=(), host=replace(job.host, terminals=known))


#: What was found of the last jobs: the studies ask, and then whoever tells what to read next.
_FOUND: list[tuple[Job, tuple[Misfit, ...]]] = []
KEPT = 4


def misfits(measured: Measured) -> tuple[Misfit, ...]:
    """The points with readings that a job with its readings in it does not explain."""
    found = next((m for job, m in _FOUND if job is measured.papers), None)
    if found is None:
        found = _misfits(alone(measured.papers), alone(measured.job))
        _FOUND.append((measured.papers, found))
        del _FOUND[:-KEPT]
    return found


def _misfits(papers: Job, measured: Job) -> tuple[Misfit, ...]:
    readings = tuple(r for r in standing_of(papers) if telling(papers, r))
    if not readings:
        return ()
    try:
        off = [t for t in _off(Probed(measured), readings) if t.off > OFF]
    except (CompileError, CircuitError):
        return ()
    found: dict[str, list[Told]] = {}
    for each in sorted(off, key=lambda t: -t.off):
        found.setdefault(each.reading.point, []).append(each)
    return tuple(
        Misfit(point, tuple(those), explanations(papers, point, [t.reading for t in those]))
        for point, those in found.items()
    )


def explanations(papers: Job, point: str, odd: Sequence[Reading] = ()) -> tuple[Explanation, ...]:
    """The faults that explain the readings about a point better than its papers do, the likeliest first."""
    about = {point, twin(papers, point)} - {""}
    home = return_address(papers, point)
    readings = [
        r
        for r in standing_of(papers, about | {home})
        if r in odd or {r.point, r.against} & about or {r.point, r.against} == {home, star_address(papers)}
    ]
    plainly = _fits(Probed(papers), readings)
    weights: dict[str, tuple[float, str, Truth]] = {}
    for key, fault in FAULTS.items():
        for truth in fault(papers, point, readings):
            weight = math.log(words()[key].often) + _fits(truth.probed(), readings)
            said = words()[key].says.format_map(truth.words)
            if key not in weights or weight > weights[key][0]:
                weights[key] = (weight, said, truth)
    better = {k: w for k, w in weights.items() if w[0] > plainly}
    if not better:
        return ()
    top = max(w[0] for w in better.values())
    whole = sum(math.exp(w[0] - top) for w in better.values())
    found = [Explanation(k, said, math.exp(w - top) / whole, truth) for k, (w, said, truth) in better.items()]
    found.sort(key=lambda e: -e.likelihood)
    return tuple(e for e in found if e.likelihood >= NAMED)[:MOST]


def _off(probed: Probed, readings: Sequence[Reading]) -> list[Told]:
    """What a host says of readings that lie off what it shows at nominal values, the spreads of those taken in."""
    values = shown(probed, readings)
    return list(told(probed, [r for r, v in zip(readings, values, strict=True) if Told(r, v, v, v).off > 0]))


def _fits(probed: Probed, readings: Sequence[Reading]) -> float:
    """How well a host explains readings: the logarithm of its likelihood [1]."""
    try:
        return -0.5 * sum(min(t.off, FARTHEST) ** 2 for t in _off(probed, readings))
    except (CompileError, CircuitError):
        return -math.inf
