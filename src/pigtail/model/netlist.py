"""A compiled job: one netlist, its inputs, and the host states as switches of it. The deck that is solved is the one that
leaves the program."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from pigtail.circuit import Batch, Circuit, Solution, parse
from pigtail.circuit.newton import Rest, taken
from pigtail.job.document import HOST, AudioIn, AudioOut, Job, Link
from pigtail.job.wiring import return_address
from pigtail.model import names, subjects
from pigtail.model.average import Average
from pigtail.model.cascade import Network
from pigtail.model.deck import Deck
from pigtail.model.estimate import Input
from pigtail.model.spread import Samples
from pigtail.model.terminals import library, macro_name, macros, node_name
from pigtail.units.store import cached_property

Array = NDArray[np.float64]
#: From so many samples on it pays to look at one of them first.
LEAST_BESIDE = 8


class Netlist(msgspec.Struct, frozen=True, dict=True):
    """A job in one host state: the circuit, the inputs it rests on, the terminals in it, the switches of all states.

    The circuit is one for all states; `switches` are what differs between them, by state and parameter.
    """

    job: Job
    state: str
    text: str
    circuit: Circuit
    inputs: tuple[Input, ...]
    terminals: tuple[str, ...] = ()
    switches: dict[str, dict[str, float]] = {}
    passed: frozenset[str] = frozenset()

    @property
    def outputs(self) -> tuple[str, ...]:
        """The audio outputs in the deck."""
        return tuple(a for a in self.terminals if isinstance(self.job.terminal(a), AudioOut))

    @cached_property
    def _in_deck(self) -> frozenset[str]:
        return frozenset(i.name for i in self.inputs if i.in_deck)

    @cached_property
    def known(self) -> frozenset[str]:
        """Names of all parameters of the circuit."""
        return frozenset(name for name, _ in self.circuit.parameters)

    @property
    def nominal(self) -> Samples:
        """The inputs of the deck at their nominal values: given as samples, so that circuits that differ in these alone share
        what of their equations does not depend on them. Arrays [1] in SI by name."""
        return {i.name: np.array([i.ends[1]]) for i in self.inputs if i.in_deck}

    def in_state(self, state: str) -> Netlist:
        """The same netlist in another host state."""
        text = self.text
        for name, value in self.switches[state].items():
            text = re.sub(rf"^\.param {name}=.*$", f".param {name}={value:g}", text, flags=re.MULTILINE)
        return msgspec.structs.replace(self, state=state, text=_titled(text, self.job, state))

    # -- solving --------------------------------------------------------------------------------------------

    @property
    def here(self) -> dict[str, float]:
        """The switches of this state. Each 0 or 1 [1]."""
        return self.switches.get(self.state, {})

    def deck_samples(self, samples: Samples, **extra: float) -> Samples:
        """Those samples that are parameters of the deck, with the switches of this state and others such as bursting=1.

        Arrays [S] in SI by name.
        """
        chosen = {k: v for k, v in samples.items() if k in self._in_deck}
        return chosen | {k: np.array([v]) for k, v in (self.here | extra).items()}

    def cases(self, samples: Samples, *cases: Mapping[str, float | Array]) -> Samples:
        """The samples once for each case of switches, all in one batch; `split` takes its results apart.
        Arrays [S·cases] in SI by name.

        A switch that a case does not name is as the state has it, or 0; an input of the deck keeps its own samples. A case may give
        an input of the deck other samples [S].
        """
        size = max((v.size for v in samples.values()), default=1)
        whole = {
            k: np.concatenate((v,) * len(cases)) if v.size == size else np.full(size * len(cases), v[0])
            for k, v in self.deck_samples(samples).items()
        }
        names = {name for case in cases for name in case}
        nought = np.zeros(size)
        for name in names:
            kept = whole[name][:size] if name in whole else nought
            whole[name] = np.concatenate([np.full(size, c[name]) if name in c else kept for c in cases])
        return whole

    @cached_property
    def rest(self) -> Batch:
        """The nominal case in this state, its operating point solved with everything that turns off."""
        batch = Batch(self.circuit, self.deck_samples(self.nominal))
        batch.operating_point()
        return batch

    def small(self, samples: Samples) -> Batch:
        """The deck for samples of its parameters near the operating point of the nominal case: for small signals.

        Arrays [S] in SI by name.
        """
        return Batch(self.circuit, samples, None if self.circuit.linear else self.rest)

    def exact(self, samples: Samples, beside: Rest | None = None) -> Batch:
        """The deck for samples of its parameters, each at the operating point of its own, searched for from beside another.

        Arrays [S] in SI by name.
        """
        return Batch(self.circuit, samples, beside=beside)

    def whole(self, samples: Samples, beside: Rest | None = None) -> Solution:
        """The operating point for samples of the deck's parameters, each solved by itself, searched for from beside another.

        Arrays [S] in SI by name.
        """
        return self.exact(samples, beside).operating_point()

    def each(self, samples: Samples, *cases: Mapping[str, float | Array]) -> Solution:
        """The operating point of the samples in every case, each searched for from beside the first sample of its case: `split` takes
        the results apart. Arrays [S] in SI by name."""
        whole = self.cases(samples, *cases)
        size = max((v.size for v in samples.values()), default=1)
        if self.circuit.linear or size < LEAST_BESIDE:
            return self.whole(whole)
        first = np.arange(len(cases)) * size
        lone = self.exact({n: v[first] if np.size(v) > 1 else v for n, v in whole.items()})
        lone.operating_point()
        if lone.found is None:
            return self.whole(whole)
        return self.whole(whole, taken(lone.found, np.repeat(np.arange(len(cases)), size), len(cases)))

    # -- where things are -----------------------------------------------------------------------------------

    def node(self, address: str) -> str:
        """Node of a terminal."""
        return node_name(self.job, address)

    def reference(self, address: str) -> str:
        """Node of the return that a terminal's voltage is told against."""
        return self.node(return_address(self.job, address))

    def terminal_current(self, solved: Solution, address: str) -> NDArray[Any]:
        """Current [A] that a terminal gives (a rail, an output) or takes (a supply pin, an input)."""
        terminal = self.job.terminal(address)
        assert terminal is not None
        fed = address.partition(".")[0] != HOST
        macro = macros()[macro_name(terminal, fed=fed, passed=address in self.passed)]
        return _sum(solved, f"x{self.node(address)}", macro.probes["current"])

    def probe(self, solved: Solution, network: Network, name: str) -> NDArray[Any]:
        """What a network's probe reads: a current [A] or a voltage [V], as its topology declares it."""
        kind, *names = network.shape.probes[name]
        if kind == "v":
            return solved.v(network.node(names[0]), network.node(names[1]))
        return _sum(solved, network.element, names)

    def swings_on(self, solved: Solution, link: Link, network: Network) -> NDArray[Any]:
        """The supply [V] that an amplifier stage swings on: what it is supplied with, or, where its middle is a port and a rail feeds
        it, twice the lesser of what stands above and below that middle."""
        supply = np.asarray(self.probe(solved, network, "supply_v"))
        rail = next(iter(link.at("sup")), "")
        if not network.shape.middle or not rail:
            return supply
        below = np.asarray(solved.v(network.nodes[network.shape.middle], self.reference(rail)))
        return np.asarray(2 * np.maximum(np.minimum(supply, below), 0.0))

    def wire_current(self, solved: Solution, link_id: str, port: str) -> NDArray[Any]:
        """Current [A] in the wire on a port of a link, from the terminal into the link."""
        return solved.i(f"r{names.of_link(link_id, port, 'wire')}")

    def winding_elements(self, winding_id: str) -> tuple[str, ...]:
        """The elements whose current is that of a winding, from its first end into the circuit; of a tapped one those of both halves."""
        stem = f"rm.x{subjects.winding(winding_id).parameter()}__"
        return tuple(e.name for e in self.circuit.elements if e.name.startswith(stem))

    def path_current(self, solved: Solution, device_id: str, path_id: str) -> NDArray[Any]:
        """Current [A] from the first to the second return of a path."""
        return solved.i(f"r{subjects.path(device_id, path_id).parameter()}")


def _sum(solved: Solution, instance: str, elements: tuple[str, ...] | list[str]) -> NDArray[Any]:
    total: Any = 0.0
    for element in elements:
        current = solved.i(f"{element.removeprefix('-')}.{instance}")
        total = total - current if element.startswith("-") else total + current
    return np.asarray(total)


def _titled(text: str, job: Job, state: str) -> str:
    title = re.sub(r"[^ -~]", "?", f"{job.name}, state {state or 'unknown'}")[:100]
    return f"{title}\n{text.partition(chr(10))[2]}"


def compile_job(
    job: Job,
    state: str,
    *,
    everything: bool = False,
    clamps: bool = False,
    averages: Mapping[str, Average] | None = None,
    alone: bool = False,
    stores: bool = False,
) -> Netlist:
    """The netlist of a measured job, in a host state: of the host its returns and the points that links join, or everything;
    averages: what each rectifier gives at rest, by the name of its element; alone: modules of which nothing but supply pins and returns is
    left do nothing when they are fed; stores: with the capacitances that stand on rails and at supply pins.

    Raises CompileError for a link that its topology does not allow, CatalogueError for a topology that is not there.
    """
    deck = Deck(job, everything=everything, clamps=clamps, averages=averages, alone=alone, stores=stores)
    states = dict.fromkeys([state, *(s.id for s in job.host.states)])
    switches = {s: deck.in_state(s) for s in states}
    deck.switches |= switches[state]
    used = "\n".join(deck.used.values())
    text = "\n".join(
        [
            "",
            library("\n".join((used, *deck.lines))),
            used,
            *(f".param {p}" for p in deck.parameters()),
            *deck.lines,
            ".op",
            ".ac dec 10 10 100k",
            *(
                f".print ac v({node_name(job, a)})"
                for a in deck.shown
                if isinstance(job.terminal(a), AudioIn)
            ),
            ".end",
            "",
        ]
    )
    text = _titled(text, job, state)
    return Netlist(
        job, state, text, parse(text), tuple(deck.inputs), tuple(deck.shown), switches, frozenset(deck.passed)
    )
