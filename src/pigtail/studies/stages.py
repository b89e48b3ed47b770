"""What stands in a feed that has a limit or a side effect of its own: amplifier stages, transformers, capacitors."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Topology, topology
from pigtail.job.model import Link
from pigtail.studies.compile import foot
from pigtail.studies.spread import Samples

Array = NDArray[np.float64]


class Stage(NamedTuple):
    """One network of a feed: its place in the cascade, its topology, the nodes before and behind it."""

    at: int
    shape: Topology
    before: str
    behind: str


def stages(link: Link) -> tuple[Stage, ...]:
    """All networks of a feed with their nodes."""
    last = len(link.sections) - 1
    found = []
    for k, section in enumerate(link.sections):
        shape = topology(section.topology)
        before = f"{link.id}_{shape.inputs[0]}" if k == 0 else f"{link.id}_n{k}"
        found.append(Stage(k, shape, before, f"{link.id}_out" if k == last else f"{link.id}_n{k + 1}"))
    return tuple(found)


def told_against(link: Link, stage: Stage, back: str) -> str:
    """The node that the level behind a stage is told against: the common that the stage stands on, else `back`."""
    port = foot(link, stage.at)
    return f"{link.id}_{port}" if link.at(port) and stage.shape.common else back


def amplifiers(link: Link) -> tuple[Stage, ...]:
    """The amplifier stages of a feed."""
    return tuple(s for s in stages(link) if s.shape.amplifier)


def swing_volts(samples: Samples, link: Link, stage: Stage) -> Array:
    """What an amplifier stage can give before it clips [V rms of a sine]: half its supply less its drop, twice that when
    both ends of its load are driven."""
    volts = samples[f"{link.id}_{stage.at}_supply"] / 2 - samples[f"{link.id}_{stage.at}_drop"]
    return np.asarray(stage.shape.swing * np.maximum(volts, 1e-6) / np.sqrt(2))


def swing_dbv(samples: Samples, link: Link, stage: Stage, load_ohm: Array | float = np.inf) -> Array:
    """The same in dBV, and no more than the current it can give makes across its load."""
    volts = swing_volts(samples, link, stage)
    most = samples.get(f"{link.id}_{stage.at}_imax")
    if most is not None and np.isfinite(load_ohm).all():
        volts = np.minimum(volts, most / np.sqrt(2) * load_ohm)
    return np.asarray(20 * np.log10(volts))
