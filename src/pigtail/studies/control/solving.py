"""All moments solved over the whole spread in one batch: what the columns and drives ask, begun beside the nominal case of each moment."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does, topology
from pigtail.circuit import Solution
from pigtail.circuit.newton import Rest, taken
from pigtail.job.document import Control, ControlIn, Job, SupplyIn
from pigtail.job.quantities import DOINGS
from pigtail.model import subjects
from pigtail.model.cascade import networks, section_inputs
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.netlist import Netlist
from pigtail.model.probed import LEFT_ASLEEP
from pigtail.model.spread import Samples, estimate_many
from pigtail.model.subjects import SubjectKind
from pigtail.model.terminals import beside_inputs
from pigtail.studies.control.asked import Asked, Scene
from pigtail.studies.control.contacts import Contacts
from pigtail.studies.control.drive import SwitchDrive
from pigtail.studies.control.moments import case_of, idle
from pigtail.studies.control.outputs import PathColumn
from pigtail.studies.power.supply import ambient_input
from pigtail.units import Basis
from pigtail.units.store import Store

Array = NDArray[np.float64]
#: What networks of control have ratings and figures of their own.
CONTROLS = (Does.SWITCHES, Does.PULLS, Does.SHOWS, Does.MUTES, Does.DELAYS, Does.COMPARES, Does.AVERAGES)
#: Where the nominal cases of the last circuits lay: the next look at one of the same make begins there.
_LOOKED: Store[tuple[object, ...], Rest] = Store(f"{__name__}._LOOKED", 16)


class Solving:
    """The moments of a scene, solved for samples of what they rest on."""

    def __init__(
        self, scene: Scene, asked: Sequence[Asked], driven: Sequence[SwitchDrive], touched: Sequence[Contacts]
    ) -> None:
        self.scene, self.net = scene, scene.net
        self.asks: dict[str, Asked | SwitchDrive | Contacts] = {f"c{k}": c for k, c in enumerate(asked)}
        self.asks |= {f"s{k}": c for k, c in enumerate(touched)}
        self.asks |= {f"d{k}": d for k, d in enumerate(driven)}
        self.inputs = [*inputs_of(scene.job, self.net), *(i for c in touched for i in c.inputs)]
        self.cases: list[Mapping[str, float]] = [case_of(self.net, scene.job, m) for m in scene.moments]
        self.names = sorted({n for c in self.cases for n in c})
        self.drawn = _drawn(scene)
        self.nominal = {i.name: np.full(len(self.cases), i.ends[1]) for i in self.inputs}
        paths = [a for a in asked if isinstance(a, PathColumn)]
        #: What of the deck tells nothing at rest: it is left at its nominal value where nothing is listened to.
        self.silent = (
            frozenset[str]() if paths else frozenset(i.name for i in self.inputs if _is_silent(scene.job, i))
        )
        few, first, back = _alike(self.deck(self.samples(self.nominal, 1)))
        quick, last = scene.model.quick, _LOOKED.get(self.key)
        begun = taken(last, first, len(self.cases)) if quick and last is not None else None
        batch = self.net.exact(few, begun)
        self.rest = cast(Solution, Expanded(batch.operating_point(), back))
        self.beside: Rest | None = None if batch.found is None else taken(batch.found, back, first.size)
        if quick and self.beside is not None:
            _LOOKED.put(self.key, self.beside)

    @property
    def key(self) -> tuple[object, ...]:
        """What tells a circuit and its moments from others: a search may begin where that of the same ones ended."""
        return tuple(self.net.circuit.nodes), len(self.cases)

    @property
    def wanted(self) -> dict[str, Wanted]:
        """All numbers, by the key of what asks them and their name."""
        return {f"{key}.{n}": w for key, ask in self.asks.items() for n, w in ask.wanted().items()}

    def samples(self, flat: Samples, rows: int) -> Samples:
        """Samples of rows that belong to the moments in turn, with the switches of each and what is drawn: arrays [moments · rows]."""
        found = dict(flat) | {n: np.repeat([c.get(n, 0.0) for c in self.cases], rows) for n in self.names}
        for at, changes in self.drawn.items():
            here = slice(at * rows, (at + 1) * rows)
            for name, source, part in changes:
                found[name] = found[name].copy()
                found[name][here] = part * flat[source][here]
        return found

    def deck(self, samples: Samples) -> Samples:
        """Those of the samples that the circuit has. Arrays [S] in SI by name."""
        return {k: v for k, v in samples.items() if k in self.net.known}

    def solve(self, flat: Samples) -> dict[str, Array]:
        """All results of rows that belong to the moments in turn: arrays [moments · rows]."""
        rows = next(iter(flat.values())).size // len(self.cases)
        samples = self.samples(flat, rows)
        return self.answers(samples, self.solved(samples, rows))

    def solved(self, samples: Samples, rows: int) -> Solution:
        """The operating points of all rows; those that differ in nothing that the circuit has are solved once: [moments · rows]."""
        deck = {n: v for n, v in self.deck(samples).items() if n not in self.silent}
        if self.beside is None:
            return self.net.whole(deck)
        few, first, back = _alike(deck)
        solved = self.net.whole(few, taken(self.beside, first // rows, len(self.cases)))
        return cast(Solution, Expanded(solved, back))

    def answers(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """What all columns and drives are told by operating points: arrays [moments · rows]."""
        whole = next(iter(samples.values())).size
        return {
            f"{key}.{n}": np.broadcast_to(v, (whole,))
            for key, ask in self.asks.items()
            for n, v in ask.solve(samples, solved).items()
        }

    def estimates(self) -> list[dict[str, Estimate]]:
        """The numbers of every moment over the spread; for a quick look at nominal values alone."""
        wanted = self.wanted
        if not self.scene.model.quick:
            return estimate_many([self.inputs] * len(self.cases), self.solve, wanted)
        found = self.answers(self.samples(self.nominal, 1), self.rest)
        return [
            {n: _exact(float(found[n][at]), w) for n, w in wanted.items()} for at in range(len(self.cases))
        ]


def _alike(deck: Samples) -> tuple[Samples, NDArray[np.intp], NDArray[np.intp]]:
    """Rows that differ in nothing taken together: arrays in SI [F] by name, the first row of each, and for every row which it is [S]."""
    names = [n for n, v in deck.items() if np.ptp(v)]
    size = max(np.size(v) for v in deck.values())
    if not names:
        return {n: v[:1] for n, v in deck.items()}, np.zeros(1, dtype=np.intp), np.zeros(size, dtype=np.intp)
    table = np.ascontiguousarray(np.stack([deck[n] for n in names], axis=1))
    as_one = table.view(np.dtype((np.void, table.dtype.itemsize * table.shape[1]))).ravel()
    _, first, back = np.unique(as_one, return_index=True, return_inverse=True)
    return {n: v[first] if np.size(v) > 1 else v for n, v in deck.items()}, first, back


class Expanded:
    """Operating points of which some rows share one: what is asked of it is told for every row."""

    def __init__(self, solved: Solution, back: NDArray[np.intp]) -> None:
        self._solved, self._back = solved, back

    def v(self, node: str, against: str = "0") -> NDArray[Any]:
        """Voltage [V] of a node against another, shape [S]."""
        return self._told(self._solved.v(node, against))

    def i(self, element: str) -> NDArray[Any]:
        """Current [A] through an element, shape [S]."""
        return self._told(self._solved.i(element))

    def _told(self, values: Any) -> NDArray[Any]:
        each = np.asarray(values)
        return each[self._back] if each.size > 1 else np.broadcast_to(each, self._back.shape)


def _is_silent(job: Job, item: Input) -> bool:
    """Whether a value of the deck tells nothing at rest: a capacitance, or what a source plays."""
    if item.field in ("emf", "capacitance"):
        return True
    link = job.link(item.subject.owner) if item.subject.kind is SubjectKind.NETWORK else None
    if link is None:
        return False
    shape = topology(link.sections[int(item.subject.part)].topology)
    return any(p.name == item.field and p.kind == "capacitor" for p in shape.parts)


def _exact(value: float, wanted: Wanted) -> Estimate:
    """A nominal value as an estimate without a spread. The value in the [unit of the number]."""
    return Estimate(value, value, value, wanted.unit, Basis.GUESSED, wanted.words)


def inputs_of(job: Job, net: Netlist) -> list[Input]:
    """All that the study rests on: the deck, the limits of lines and inputs, what each network is rated for, the air inside."""
    found = [
        i
        for i in net.inputs
        if i.in_deck or isinstance(job.terminal(i.subject.owner), SupplyIn | Control | ControlIn)
    ]
    for address in net.terminals:
        terminal = job.terminal(address)
        if isinstance(terminal, Control):
            found += beside_inputs(job, address, "least", "takes", "sources", "sinks", "most")
        elif isinstance(terminal, SupplyIn):
            found += beside_inputs(job, address, *(d for d in DOINGS if getattr(terminal, d) is not None))
    for link in job.links:
        for network in networks(link):
            if network.shape.does & set(CONTROLS):
                found += [i for i in section_inputs(link, network.at) if not i.in_deck]
    found.append(ambient_input(job))
    return list({i.name: i for i in found}.values())


def _drawn(scene: Scene) -> dict[int, list[tuple[str, str, float]]]:
    """Where a pin draws something else than while it plays, by moments: parameter, the parameter of what it draws then, and the part of
    that: a module that is off hardly draws."""
    found: dict[int, list[tuple[str, str, float]]] = {}
    for at, moment in enumerate(scene.moments):
        asleep = idle(scene.model, moment)
        changes: list[tuple[str, str, float]] = []
        for module in scene.job.modules:
            for pin in module.terminals:
                if not isinstance(pin, SupplyIn):
                    continue
                name = subjects.terminal(f"{module.id}.{pin.id}").parameter
                told = moment.doing in DOINGS and getattr(pin, moment.doing) is not None
                if module.id in asleep:
                    changes += [(name(f), name("average"), LEFT_ASLEEP) for f in ("burst", "average")]
                elif module.id == moment.module and told:
                    changes += [(name(f), name(moment.doing), 1.0) for f in ("burst", "average")]
        if changes:
            found[at] = changes
    return found
