"""The electrical model of a measured job: compiled once, solved once in each host state, shared by whatever asks."""

from __future__ import annotations

import numpy as np

from pigtail.circuit import Solution
from pigtail.job.document import AudioOut, Job, Rail, Reading, SupplyIn
from pigtail.job.measured import Measured
from pigtail.job.safety import live_reading
from pigtail.job.wiring import addresses_of
from pigtail.model import names
from pigtail.model.cascade import networks
from pigtail.model.course import averages_of
from pigtail.model.deck import on_node
from pigtail.model.netlist import Netlist, compile_job
from pigtail.model.parting import holds_nothing, loose_groups, without
from pigtail.units.store import cached_property

#: Where levels are told [Hz].
REFERENCE_HZ = 1000.0
#: A module counts as fed from this level of its `on` node.
FED = 0.5


class Model:
    """What a measured job compiles to.

    `papers` is the job as it was written down, `job` the same with its readings applied: what is solved. quick: only nominal values are
    asked of it.
    """

    def __init__(self, measured: Measured, *, quick: bool = False) -> None:
        self.measured, self.quick = measured, quick
        self._netlists: dict[str, Netlist] = {}
        self._apart: dict[frozenset[str], Model] = {}

    @classmethod
    def of(cls, papers: Job, *, quick: bool = False) -> Model:
        """The model of a job as it was written down."""
        return cls(Measured(papers), quick=quick)

    @property
    def papers(self) -> Job:
        """The job as it was written down."""
        return self.measured.papers

    @property
    def job(self) -> Job:
        """The job as it was measured."""
        return self.measured.job

    @cached_property
    def live(self) -> Reading | None:
        """The reading that shows the host's metal at a hazardous voltage, or None."""
        return live_reading(self.papers)

    def netlist(self, state: str = "") -> Netlist:
        """The netlist in a host state, in the working one unless another is named. Raises CompileError, CatalogueError."""
        state = state or self.job.working_state()
        if state not in self._netlists:
            any_other = next(iter(self._netlists.values()), None)
            self._netlists[state] = (
                any_other.in_state(state)
                if any_other is not None and state in any_other.switches
                else compile_job(self.job, state, averages=averages_of(self.job, quick=self.quick))
            )
        return self._netlists[state]

    @cached_property
    def _groups(self) -> tuple[frozenset[str], ...]:
        return loose_groups(self.job)

    def about(self, link_id: str) -> Model:
        """The model by which a feed is solved: without the loose feeds that share nothing with it; this one where those are few."""
        own = next((g for g in self._groups if link_id in g), frozenset[str]())
        if not self._groups:
            return self
        if own not in self._apart:
            others = frozenset[str]().union(*self._groups) - own
            self._apart[own] = Model(Measured(without(self.job, others)), quick=self.quick)
        return self._apart[own]

    @property
    def lean(self) -> Model:
        """The model by which what is no loose feed is solved; this one where those are few."""
        return self.about("")

    @cached_property
    def at_rest(self) -> Job:
        """The job by which what stands where at rest is solved: without the loose feeds that bring no direct current anywhere but one of
        them; the whole job where loose feeds are few."""
        held = [
            g for g in self._groups if all(holds_nothing(self.job, x) for x in self.job.links if x.id in g)
        ]
        return without(self.job, frozenset[str]().union(*held[1:])) if held[1:] else self.job

    def whose(self, element: str) -> str:
        """What an element of the deck belongs to, in words: a network of a link, a terminal, else the plan."""
        _, _, instance = element.partition(".")
        for link in self.job.links:
            for network in networks(link):
                if network.element == instance:
                    return f"the {network.shape.short} in {link.name}"
        for address in self.netlist().terminals:
            if f"x{self.netlist().node(address)}" == instance:
                return self.job.label(address)
        return "the plan"

    # -- what is solved in every state ----------------------------------------------------------------------

    @cached_property
    def states(self) -> tuple[str, ...]:
        """All host states, at least the working one."""
        return tuple(s.id for s in self.job.host.states) or (self.job.working_state(),)

    @cached_property
    def resting(self) -> Solution:
        """The nominal operating points of all host states, in one batch in the order of `states`, with average currents."""
        net = self.netlist()
        switches = [net.switches[s] for s in self.states]
        names = switches[0] if switches else {}
        return net.whole(net.nominal | {n: np.array([s[n] for s in switches]) for n in names})

    @cached_property
    def played(self) -> Solution:
        """Small signals of the nominal case at 1 kHz, everything playing at full scale."""
        net = self.netlist()
        return net.small(net.deck_samples(net.nominal)).ac([REFERENCE_HZ])

    def volts(self, state: str, address: str) -> float:
        """Nominal voltage [V] of a terminal against its own return in a host state, at rest."""
        net = self.lean.netlist()
        solved = self.lean.resting.v(net.node(address), net.reference(address))
        return float(np.broadcast_to(solved, (len(self.states),))[self.states.index(state)])

    def fed(self, state: str, module_id: str) -> bool:
        """Whether a module is fed in a host state, as solved; one whose supply is not planned counts as fed on the bench."""
        solved = self.lean.resting.v(on_node(module_id))
        return bool(np.broadcast_to(solved, (len(self.states),))[self.states.index(state)] > FED)

    def powered(self, state: str, pin: str) -> bool:
        """Whether the supply pin of a module has its volts in a host state, as solved: at least its lowest supply, or where
        that is not known so much that the module wakes."""
        terminal = self.job.terminal(pin)
        assert isinstance(terminal, SupplyIn)
        least = terminal.minimum.nominal if terminal.minimum is not None else 1.0
        return self.volts(state, pin) >= FED * least

    def rails(self) -> tuple[str, ...]:
        """Addresses of all rails, the host's first."""
        return addresses_of(self.job, Rail)

    def gives(self, state: str, address: str) -> bool:
        """Whether an output gives anything in a host state: the host's as its states say, a module's while it is fed."""
        device, _, _ = address.partition(".")
        terminal = self.job.terminal(address)
        assert isinstance(terminal, AudioOut)
        if self.job.device(device) is self.job.host:
            return bool(self.netlist().switches[state].get(f"{names.at(address)}__present", 1.0))
        return self.fed(state, device)
