"""The compile step: host, modules and links in one host state become one netlist.

The deck text made here is the one that is solved and the one that leaves the program. Every value of the job is
a parameter of the deck by a plain name (`rx_out_left_emf`), so that a study can sample it.
"""

from __future__ import annotations

import re
from functools import cache

import msgspec
import numpy as np

from pigtail.catalogue.topologies import Topology, data, topology
from pigtail.circuit import Circuit, parse
from pigtail.job.model import (
    HOST,
    SIDE_PORTS,
    AnyTerminal,
    AudioIn,
    AudioOut,
    Control,
    Digital,
    Job,
    Join,
    Link,
    Pin,
    Purpose,
    Rail,
    Return,
    SupplyIn,
    Through,
    Trait,
    Video,
    Way,
    alive,
)
from pigtail.job.quantities import PATH_RESISTANCE, THROUGH_GAIN, quantities
from pigtail.job.wiring import addresses_of, powered, return_address, star_address
from pigtail.studies.estimate import Input
from pigtail.studies.spread import Samples
from pigtail.units.wire import OPEN_PAIR_F_PER_M, SCREENED_F_PER_M, ohm_per_m

LENGTH_PLAUSIBLE_M = (0.02, 2.0)
#: A wire of no length keeps this resistance, so that its current has a name.
LEAST_WIRE_OHM = 1e-6
#: Macro-model of each kind of terminal, and the field that each of its parameters takes.
_MODELS: dict[type, tuple[str, dict[str, str]]] = {
    AudioOut: ("audio_out", {"emf": "emf", "impedance": "impedance", "bias": "bias"}),
    AudioIn: ("audio_in", {"impedance": "impedance", "own": "dc"}),
    Rail: ("rail", {"voltage": "voltage", "resistance": "resistance"}),
    SupplyIn: ("supply_in", {"average": "average", "burst": "burst"}),
    Control: ("line", {"level": "level", "impedance": "impedance"}),
    Digital: ("line", {"level": "level", "impedance": "impedance"}),
    Video: ("line", {"level": "level", "impedance": "impedance"}),
}
#: Resistance of a module's way through while it passes the signal unpowered: a relay's contact.
CONTACT_OHM = 0.1
#: What is not joined, as an impedance [Ω].
OPEN_OHM = 1e12


class CompileError(ValueError):
    """A plan that cannot be made into a netlist: the link and what is wrong with it."""

    def __init__(self, link: Link, sentence: str) -> None:
        super().__init__(f"{link.name}: {sentence}")
        self.link = link


class Netlist(msgspec.Struct, frozen=True):
    """A compiled job: its deck text, the circuit read from it, the inputs it rests on, and the terminals in it."""

    job: Job
    state: str
    text: str
    circuit: Circuit
    inputs: tuple[Input, ...]
    terminals: tuple[str, ...] = ()

    @property
    def outputs(self) -> tuple[str, ...]:
        """The audio outputs in the deck."""
        return tuple(a for a in self.terminals if isinstance(self.job.terminal(a), AudioOut))

    def deck_samples(self, samples: Samples, **extra: float) -> Samples:
        """Those samples that are parameters of the deck, with switches such as bursting=1 added."""
        in_deck = {i.name for i in self.inputs if i.in_deck}
        chosen = {k: v for k, v in samples.items() if k in in_deck}
        return chosen | {k: np.array([v]) for k, v in extra.items()}

    def cases(self, samples: Samples, *cases: dict[str, float]) -> Samples:
        """The samples once for each case of switches, all in one batch; `split` takes its results apart.

        A switch that a case does not name keeps 0, an input of the deck its own samples.
        """
        size = max(v.size for v in samples.values())
        whole = {
            k: np.tile(np.broadcast_to(v, size), len(cases)) for k, v in self.deck_samples(samples).items()
        }
        names = {name for case in cases for name in case}
        nought = np.zeros(size)
        for name in names:
            kept = whole[name][:size] if name in whole else nought
            whole[name] = np.concatenate([np.full(size, c[name]) if name in c else kept for c in cases])
        return whole

    def node(self, address: str) -> str:
        """Node of a terminal."""
        return node_name(self.job, address)

    def reference(self, address: str) -> str:
        """Node of the return that a terminal's voltage is told against."""
        return self.node(return_address(self.job, address))


def node_name(job: Job, address: str) -> str:
    """Node of a terminal: 0 for the host's star, else the address with an underscore."""
    return "0" if address == star_address(job) else address.replace(".", "_")


def model_of(terminal: AnyTerminal) -> tuple[str, dict[str, str]]:
    """Macro-model of a terminal and the field that each of its parameters takes."""
    model, parameters = _MODELS[type(terminal)]
    if isinstance(terminal, AudioOut) and terminal.way is not Way.FULL:
        return ("way_low" if terminal.way is Way.LOW else "way_high"), parameters | {"corner": "crossover"}
    if isinstance(terminal, AudioIn) and terminal.has(Trait.PASSIVE_NODE):
        return model, parameters | {"carries": "carries"}
    return model, parameters


def heard_node(job: Job, address: str) -> tuple[str, str]:
    """The pair of nodes at which the host listens: the input itself, or behind its record equalisation."""
    terminal = job.terminal(address)
    if isinstance(terminal, AudioIn) and terminal.has(Trait.EQUALISED):
        return f"{node_name(job, address)}_heard", "0"
    return node_name(job, address), node_name(job, return_address(job, address))


def terminal_inputs(job: Job, address: str) -> tuple[Input, ...]:
    """All values of a terminal as inputs, those of its macro-model marked as in the deck."""
    terminal = job.terminal(address)
    assert terminal is not None
    in_deck = model_of(terminal)[1].values() if type(terminal) in _MODELS else ()
    stem = address.replace(".", "_")
    return tuple(
        Input(
            f"{stem}_{q.field}",
            f"{job.label(address)}: {q.words}",
            getattr(terminal, q.field),
            q.plausible,
            address,
            q.field,
            q.field in in_deck,
        )
        for q in quantities(terminal)
    )


def link_ports(link: Link) -> tuple[str, ...]:
    """The ports a link has by its cascade: inputs of the first network, `out`, and `com`, `back`, `sup` if any network
    uses them.

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
    return tuple(
        Input(
            f"{link.id}_{index}_{p.name}",
            f"{link.name}: {p.name.upper() if p.kind != 'figure' else p.words}"
            + (f" ({p.words})" if p.kind != "figure" else ""),
            given[p.name],
            (1e-3, 1e6),
            f"{link.id}#{index}",
            p.name,
            not p.outside,
        )
        for p in shape.parts
    )


def conductor_input(job: Job, link: Link, join: Join) -> Input:
    """Length of the wire on a port as an input."""
    return Input(
        f"{link.id}_{join.port}_length",
        f"{link.name}: length of its wire to {job.label(join.terminal)}",
        join.conductor.length,
        LENGTH_PLAUSIBLE_M,
        f"{link.id}:{join.port}",
        "length",
    )


class _Deck:
    """Collects the lines of a deck and the inputs they use."""

    def __init__(self, job: Job, state: str, *, everything: bool) -> None:
        self.job, self.state, self.everything = job, state, everything
        self.bypassed = self.bypassed_outputs()
        self.joined = {j.terminal for link in job.links for j in link.joins}
        self.lines: list[str] = []
        self.switches: list[str] = ["bursting=0", "burst_drive=0"]
        self.inputs: list[Input] = []
        self.used: dict[str, Topology] = {}
        self.shown: dict[str, None] = {}

    def bypassed_outputs(self) -> set[str]:
        """Outputs of unpowered modules that a contact has taken off its way through."""
        return {
            f"{m.id}.{t.end}"
            for m in self.job.modules
            for t in m.throughs
            if t.passes and not self.module_on(m.id)
        }

    def module_on(self, device_id: str) -> bool:
        """Whether all supply pins of a module are fed in this state."""
        return all(powered(self.job, p, self.state) for p in addresses_of(self.job, SupplyIn, device_id))

    def add_inputs(self, *inputs: Input) -> None:
        self.inputs += inputs

    def device(self, device_id: str) -> None:
        device = self.job.device(device_id)
        assert device is not None
        for terminal in device.terminals:
            address = f"{device_id}.{terminal.id}"
            if self.everything or device_id != HOST or isinstance(terminal, Return) or address in self.joined:
                self.terminal(address, terminal)
        for path in device.paths:
            name = f"{device_id}_{path.id}"
            names = {t.id: t.name for t in device.terminals}
            words = f"{device.name}: resistance {names[path.a]} to {names[path.b]}"
            self.add_inputs(
                Input(
                    name,
                    words,
                    path.resistance,
                    PATH_RESISTANCE.plausible,
                    f"{device_id}/{path.id}",
                    "resistance",
                )
            )
            a, b = (node_name(self.job, f"{device_id}.{end}") for end in (path.a, path.b))
            self.lines.append(f"Rp_{name} {a} {b} {{{name}}}")

    def terminal(self, address: str, terminal: AnyTerminal) -> None:
        node = node_name(self.job, address)
        if isinstance(terminal, Return | Pin):
            if node != "0":
                self.lines.append(f"Rleak_{node} {node} 0 1g")
            return
        model, parameters = model_of(terminal)
        self.add_inputs(*terminal_inputs(self.job, address))
        reference = node_name(self.job, return_address(self.job, address)) or "0"
        values = [f"{name}={{{node}_{field}}}" for name, field in parameters.items()]
        if address in self.bypassed:
            values = [v for v in values if not v.startswith("impedance=")] + [f"impedance={OPEN_OHM:g}"]
        if isinstance(terminal, AudioOut):
            self.switches.append(f"{node}_drive=1")
            sign = "-1*" if terminal.inverted else ""
            values.append(f"drive={{{sign}{node}_drive}}")
        elif isinstance(terminal, AudioIn):
            if terminal.has(Trait.PASSIVE_NODE):
                self.switches.append(f"{node}_carried=0")
                values.append(f"carried={{{node}_carried}}")
            if terminal.has(Trait.EQUALISED):
                self.lines.append(f"Xeq_{node} {node} {reference} {node}_heard record_equalised")
        elif isinstance(terminal, Rail | Control | Digital | Video):
            values.append(f"present={int(alive(terminal, self.state))}")
        elif isinstance(terminal, SupplyIn):
            on = int(powered(self.job, address, self.state))
            values += ["bursting={bursting}", f"drive={{burst_drive*{on}}}", f"powered={on}"]
        self.shown[address] = None
        self.lines.append(f"X{node} {node} {reference} {model} {' '.join(values)}")

    def through(self, device_id: str, through: Through) -> None:
        """A module's own way through: while powered its output follows its input, unpowered it passes or does not.

        The following is a current into the output's own impedance, which is an e.m.f. beside the module's.
        """
        start, end = (f"{device_id}.{t}" for t in (through.start, through.end))
        name = f"{device_id}_{through.id}"
        if self.module_on(device_id):
            words = f"{self.job.label(start)}: {THROUGH_GAIN.words}"
            self.add_inputs(
                Input(name, words, through.gain, THROUGH_GAIN.plausible, f"{device_id}>{through.id}", "gain")
            )
            a, b = node_name(self.job, start), node_name(self.job, end)
            a_back, b_back = (node_name(self.job, return_address(self.job, x)) for x in (start, end))
            self.lines.append(f"Gt_{name} {b_back} {b} {a} {a_back} {{pow(10,{name}/20)/{b}_impedance}}")
        elif through.passes:
            a, b = node_name(self.job, start), node_name(self.job, end)
            self.lines.append(f"Rt_{name} {a} {b} {CONTACT_OHM:g}")

    def link(self, link: Link) -> None:
        ports = link_ports(link)
        for join in link.joins:
            if join.port not in ports:
                raise CompileError(link, f"there is no port “{join.port}”; it has {', '.join(ports)}")
            self.wire(link, join)
        here = [f"{link.id}_{p}" for p in topology(link.sections[0].topology).inputs]
        last = len(link.sections) - 1
        for index, section in enumerate(link.sections):
            shape = topology(section.topology)
            self.used[shape.key] = shape
            following = f"{link.id}_out" if index == last else f"{link.id}_n{index + 1}"
            sides = [
                f"{link.id}_{foot(link, index) if p == 'com' else p}" for p in SIDE_PORTS if p in shape.ports
            ]
            nodes = [*here, following, *sides]
            found = self.fed_from(link, section_inputs(link, index))
            self.add_inputs(*found)
            values = [f"{i.field}={{{i.name}}}" for i in found if i.in_deck]
            if shape.supplied:
                values.append(f"fed={int(bool(link.at('sup')))}")
            if shape.switching:
                values.append(f"vin={self.input_volts(link)}")
            self.lines.append(f"X{link.id}_{index} {' '.join(nodes)} {shape.key} {' '.join(values)}".rstrip())
            here = [following]
        self.keep_grounded(link, ports)

    def fed_from(self, link: Link, inputs: tuple[Input, ...]) -> tuple[Input, ...]:
        """The inputs of a stage with its supply as the rail gives it, where its supply port is joined to one."""
        rail = next((self.job.terminal(a) for a in link.at("sup")), None)
        if not isinstance(rail, Rail):
            return inputs
        return tuple(
            msgspec.structs.replace(i, known=rail.voltage) if i.field == "supply" else i for i in inputs
        )

    def input_volts(self, link: Link) -> str:
        """Deck expression of the rail voltage that feeds a converter."""
        rail = next((j.terminal for j in link.joins if isinstance(self.job.terminal(j.terminal), Rail)), None)
        return f"{{{rail.replace('.', '_')}_voltage}}" if rail else "12"

    def wire(self, link: Link, join: Join) -> None:
        length = conductor_input(self.job, link, join)
        self.add_inputs(length)
        node, port = node_name(self.job, join.terminal), f"{link.id}_{join.port}"
        per_m = ohm_per_m(join.conductor.gauge)
        self.lines.append(f"Rw_{port} {node} {port} {{{per_m:.6g}*{length.name}+{LEAST_WIRE_OHM:g}}}")
        if link.purpose is Purpose.FEED and join.port not in SIDE_PORTS:
            side = "com" if join.port == "out" else "back"
            (common,) = (
                link.at(side)
                or (link.at("com") if not link.at("back") else ())
                or (return_address(self.job, join.terminal),)
            )
            back = node_name(self.job, common) or "0"
            farad_per_m = SCREENED_F_PER_M if join.conductor.screened else OPEN_PAIR_F_PER_M
            self.lines.append(f"Cw_{port} {port} {back} {{{farad_per_m:g}*{length.name}}}")

    def keep_grounded(self, link: Link, ports: tuple[str, ...]) -> None:
        """A port that nothing is joined to leaks to node 0, so that the deck has an answer."""
        joined = {j.port for j in link.joins}
        for port in ports:
            if port not in joined:
                self.lines.append(f"Rleak_{link.id}_{port} {link.id}_{port} 0 1g")


@cache
def _models() -> str:
    return data("models.cir").strip()


def compile_job(job: Job, state: str, *, everything: bool = False) -> Netlist:
    """The netlist of a job in a host state: of the host its returns and the points that links join, or everything.

    Raises CompileError for a link that its topology does not allow, CatalogueError for a topology that is not there.
    """
    deck = _Deck(job, state, everything=everything)
    for device_id, _ in job.devices():
        deck.device(device_id)
    for link in job.links:
        deck.link(link)
    for module in job.modules:
        for through in module.throughs:
            deck.through(module.id, through)
    title = re.sub(r"[^ -~]", "?", f"{job.name}, state {state or 'unknown'}")[:100]
    parameters = [f"{i.name}={i.ends[1]:.12g}" for i in deck.inputs if i.in_deck] + deck.switches
    text = "\n".join(
        [
            title,
            _models(),
            *(shape.netlist for shape in deck.used.values()),
            *(f".param {p}" for p in parameters),
            *deck.lines,
            ".op",
            ".ac dec 10 10 100k",
            *(f".print ac v({node_name(job, a)})" for a in addresses_of(job, AudioIn) if a in deck.shown),
            ".end",
            "",
        ]
    )
    return Netlist(job, state, text, parse(text), tuple(deck.inputs), tuple(deck.shown))
