"""The networks of a link in their cascade: their ports, the nodes they lie between, their part values as inputs."""

from __future__ import annotations

from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Topology, topology
from pigtail.job.document import SIDE_PORTS, Link, Section
from pigtail.model import names, subjects
from pigtail.model.errors import CompileError
from pigtail.model.estimate import Input
from pigtail.model.spread import Samples
from pigtail.model.subjects import Subject

Array = NDArray[np.float64]
PLAUSIBLE_PART = (1e-3, 1e6)


class Network(NamedTuple):
    """One network of a link in its place: its number in the cascade, its topology and section, and the node of the deck at
    each of its ports."""

    link: str
    at: int
    shape: Topology
    section: Section
    nodes: dict[str, str]

    @property
    def subject(self) -> Subject:
        """What its part values belong to."""
        return subjects.network(self.link, self.at)

    @property
    def before(self) -> str:
        """The node of its first input."""
        return self.nodes[self.shape.inputs[0]]

    @property
    def behind(self) -> str:
        """The node of its output."""
        return self.nodes["out"]

    @property
    def element(self) -> str:
        """Its name in the deck."""
        return f"x{names.of_link(self.link, str(self.at))}"

    def node(self, name: str) -> str:
        """The node of the deck for a node of its subcircuit, be it a port or one of its own."""
        return self.nodes.get(name, f"{self.element}.{name}" if name != "0" else "0")

    def parameter(self, field: str) -> str:
        """Name of one of its values in the deck."""
        return self.subject.parameter(field)

    def lies_between(self, part: str) -> tuple[str, str] | None:
        """The nodes of the deck between which a part lies; None for a figure."""
        nodes = self.shape.part(part).nodes
        return (self.node(nodes[0]), self.node(nodes[1])) if nodes else None


def networks(link: Link) -> tuple[Network, ...]:
    """All networks of a link with their nodes."""
    last = len(link.sections) - 1
    at = partial(names.of_link, link.id)
    found: list[Network] = []
    for k, section in enumerate(link.sections):
        shape = topology(section.topology)
        inputs = {p: at(p) for p in shape.inputs} if k == 0 else {shape.inputs[0]: at(f"n{k}")}
        sides = {p: at(foot(link, k) if p == "com" else p) for p in shape.sides}
        if shape.supplied and not link.at("sup"):
            sides["sup"] = names.of_link(
                link.id, str(k), "sup"
            )  # a supply of its own, as written in the stage
        out = at("out" if k == last else f"n{k + 1}")
        found.append(Network(link.id, k, shape, section, {**inputs, "out": out, **sides}))
    return tuple(found)


def link_ports(link: Link) -> tuple[str, ...]:
    """The ports a link has by its cascade: inputs of the first network, `out`, and the sides that any network uses.

    Raises CompileError for a network of several inputs behind another.
    """
    chain = [topology(s.topology) for s in link.sections]
    for later in chain[1:]:
        if len(later.inputs) != 1:
            raise CompileError(link, f"“{later.title}” has several inputs and can only come first")
    used = {p for t in chain for p in t.ports}
    return (*chain[0].inputs, "out", *(p for p in SIDE_PORTS if p in used))


def foot(link: Link, index: int) -> str:
    """The port that the common of one network of a link is: what comes before a network that holds two returns apart stands
    on the source's own."""
    later = range(index + 1, len(link.sections))
    return "back" if any(topology(link.sections[k].topology).back for k in later) else "com"


def section_inputs(link: Link, index: int) -> tuple[Input, ...]:
    """Part values of one network of a link as inputs; a part the file leaves out is taken at its default."""
    section = link.sections[index]
    shape = topology(section.topology)
    given = shape.values(section)
    subject = subjects.network(link.id, index)
    return tuple(
        Input(
            subject.parameter(p.name),
            f"{link.name}: {p.name.upper() if p.kind != 'figure' else p.words}"
            + (f" ({p.words})" if p.kind != "figure" else ""),
            given[p.name],
            PLAUSIBLE_PART,
            subject,
            p.name,
            not p.outside,
        )
        for p in shape.parts
    )


def told_against(link: Link, network: Network, back: str) -> str:
    """The node that the level behind a network is told against: the common that it stands on, else `back`."""
    port = foot(link, network.at)
    return names.of_link(link.id, port) if link.at(port) and network.shape.common else back


def swing_volts(samples: Samples, network: Network, supply: Array) -> Array:
    """What an amplifier stage can give before it clips [V rms of a sine]: half its supply [V] less its drop, twice that when
    both ends of its load are driven."""
    volts = supply / 2 - samples[network.parameter("drop")]
    return np.asarray(network.shape.swing * np.maximum(volts, 1e-6) / np.sqrt(2))


def swing_dbv(samples: Samples, network: Network, supply: Array, load_ohm: Array | float = np.inf) -> Array:
    """The same in dBV, and no more than the current it can give makes across its load.

    Supply in [V], load in [Ω], shape [S].
    """
    volts = swing_volts(samples, network, supply)
    most = samples.get(network.parameter("imax"))
    if most is not None and np.isfinite(load_ohm).all():
        volts = np.minimum(volts, most / np.sqrt(2) * load_ohm)
    return np.asarray(20 * np.log10(volts))
