"""What the charging current of an AC supply puts into the input of a feed: hum and buzz at the harmonics of the mains.

The current that the diodes pass comes from the course of the supply in time; each of its harmonics goes through the whole netlist to
where the host listens, and is weighed as the ear does (A-weighting of IEC 61672-1) before they are added as powers.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pigtail.job.document import Job, Link
from pigtail.job.quantities import MAINS_QUANTITIES
from pigtail.language import tr
from pigtail.model.cascade import Network
from pigtail.model.course import alternating, course_of
from pigtail.model.estimate import Estimate, Wanted
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist
from pigtail.model.spread import Samples, estimate
from pigtail.studies.level.aim import PROGRAMME_DB
from pigtail.studies.level.feed import REFERENCE_HZ

Array = NDArray[np.float64]
#: What is less than this is no voltage that anyone could tell [V].
FLOOR_V = 1e-8


class Charging(NamedTuple):
    """The charging current of one supply: its rectifier, and its harmonics from the first on [A r.m.s.]."""

    rectifier: Network
    harmonics: tuple[float, ...]


def a_weight(hertz: Array) -> Array:
    """A-weighting of frequencies [Hz], as a factor [1]. IEC 61672-1, annex E."""
    square = np.asarray(hertz, dtype=float) ** 2
    found = (
        12194.0**2
        * square**2
        / ((square + 20.6**2) * np.sqrt((square + 107.7**2) * (square + 737.9**2)) * (square + 12194.0**2))
    )
    return np.asarray(found * 10 ** (2.0 / 20))


def charging_of(job: Job) -> list[Charging]:
    """The charging currents of all supplies from windings."""
    courses = (course_of(job, x) for x in job.links if alternating(job, x))
    return [Charging(c.rectifier, c.harmonics()) for c in courses]


def hum_of(model: Model, link: Link, sink: str, drives: dict[str, float]) -> Estimate | None:
    """The hum at the input of a feed under the programme, A-weighted [dB]; None without a supply from a winding.

    Args: model; feed; the input it ends at; what plays, as switches of its outputs.
    """
    job, net = model.job, model.about(link.id).netlist()
    supplies = [
        c for c in charging_of(job) if f"{c.rectifier.subject.parameter()}__charging" in _switches(net)
    ]
    if not supplies:
        return None
    mains = next(q for q in MAINS_QUANTITIES if q.field == "hertz").of(job.mains)
    assert mains is not None
    count = len(supplies[0].harmonics)
    hertz = np.asarray(mains.nominal * np.arange(1, count + 1), dtype=np.float64)
    out, back = net.node(sink), net.reference(sink)
    silence = dict.fromkeys(drives, 0.0)
    weights = a_weight(hertz)

    def solve(samples: Samples) -> dict[str, Array]:
        total: Array | float = 0.0
        for supply in supplies:
            switches = silence | {
                f"{supply.rectifier.subject.parameter()}__charging": 1.0,
                "burst_drive": 0.0,
            }
            solved = net.small(net.deck_samples(samples, **switches)).ac(hertz)
            heard = np.abs(solved.v(out, back)) * np.array(supply.harmonics) * weights
            total = total + (heard**2).sum(axis=-1)
        played = net.small(net.deck_samples(samples, **(dict(drives) | {"awake": 1.0}))).ac([REFERENCE_HZ])
        full = np.abs(played.v(out, back))[:, 0]
        told = (
            20 * np.log10(np.maximum(np.sqrt(total), FLOOR_V))
            - 20 * np.log10(np.maximum(full, FLOOR_V))
            + PROGRAMME_DB
        )
        return {"hum_db": told}

    inputs = [i for i in net.inputs if i.in_deck]
    return estimate(inputs, solve, {"hum_db": Wanted("dB", tr("the hum under the programme"))})["hum_db"]


def _switches(net: Netlist) -> set[str]:
    return {name for name, _ in net.circuit.parameters}
