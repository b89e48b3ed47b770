"""The lines of the deck that a job compiles to: host, modules, links and wires, one netlist for all host states.

Every value of the job is a parameter of the deck by a plain name (`rx__out_left__emf`), so that a study can sample it; what is
there in a state only is switched by a parameter too (`host__rail_low__present`).
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec.structs import replace

from pigtail.catalogue.topologies import Does
from pigtail.job.control import WAKES, Drive, Pull, Switch
from pigtail.job.document import (
    HOST,
    SIDE_PORTS,
    AnyTerminal,
    AudioIn,
    AudioOut,
    Control,
    ControlIn,
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
    WindingEnd,
)
from pigtail.job.energy import Winding
from pigtail.job.quantities import (
    MAINS_QUANTITIES,
    PATH_RESISTANCE,
    THROUGH_GAIN,
    WINDING_QUANTITIES,
    quantities,
)
from pigtail.job.windings import as_known, unknown_of, winding_of
from pigtail.job.wiring import addresses_of, return_address, supply_links
from pigtail.language import tr
from pigtail.model import names, subjects
from pigtail.model.average import Average
from pigtail.model.cascade import Network, link_ports, networks, section_inputs
from pigtail.model.errors import CompileError
from pigtail.model.estimate import Input
from pigtail.model.terminals import (
    level_inputs,
    macro_name,
    node_name,
    present,
    rise,
    taken,
    terminal_inputs,
    winding_live,
)
from pigtail.units.wire import OPEN_PAIR_F_PER_M, SCREENED_F_PER_M, ohm_per_m

LENGTH_PLAUSIBLE_M = (0.02, 2.0)
#: A wire of no length keeps this resistance, so that its current has a name.
LEAST_WIRE_OHM = 1e-6
#: Resistance of a module's way through while it passes the signal unfed: a relay's contact.
CONTACT_OHM = 0.1
#: A module works from this part of its lowest supply on, and whole from the second; one whose lowest supply is not known as if
#: it were so many volts.
WHOLE, USUAL_LEAST_V = 0.8, 1.0


def conductor_input(job: Job, link: Link, join: Join) -> Input:
    """Length of the wire on a port as an input."""
    subject = subjects.wire(link.id, join.port)
    words = tr("{link}: length of its wire to {point}", link=link.name, point=job.label(join.terminal))
    return Input(
        subject.parameter("length"), words, join.conductor.length, LENGTH_PLAUSIBLE_M, subject, "length"
    )


def on_node(device_id: str) -> str:
    """The node that stands at 1 V while a module is fed."""
    return names.named(device_id, "is", "on")


def ramp(volts: str, least: float) -> str:
    """A relation that goes from 0 to 1 as a supply comes up: `volts` as the deck reads them, the lowest supply [V]."""
    return f"min(max(({volts}/{least:.6g}-{WAKES:g})/{WHOLE - WAKES:g},0),1)"


def switched_to(job: Job) -> set[str]:
    """Addresses of the points of the host's switches that the plan reaches: through a contact, and through the next one."""
    reached, found = {j.terminal for x in job.links for j in x.joins}, set[str]()
    groups = [{f"{HOST}.{e}" for e in (s.common, *s.ways)} for s in job.host.switches]
    while more := [g for g in groups if g & (reached | found) and not g <= found]:
        found = found.union(*more)
    return found


#: What joins an end of a winding to the host's ground, and what is left where nothing does [Ω].
EARTHED_OHM, NOT_EARTHED_OHM = 1e-3, 1e9
#: A contact that is made, and one that is open [Ω].
MADE_OHM, BROKEN_OHM = 0.05, 1e9
#: A wire that is pulled off its pin [Ω].
PULLED_OFF_OHM = 1e9
#: What holds an input that nothing is said to hold [Ω].
FLOATS_OHM = 1e8
#: The capacitance on a rail, and at a module's supply pin, of which nobody told [F]: as is usual.
USUAL_STORE_F: dict[type, float] = {Rail: 470e-6, SupplyIn: 47e-6}
#: Where it stands then, where its levels are not known [V].
FLOATS_V = 1.4
#: Fields of a winding that its macro-model takes.
OF_WINDING = ("open", "resistance")


def clamped(terminal: AnyTerminal) -> bool:
    """Whether a pin of a chip has diodes to its supply and from its return: all that carry a signal, but what only pulls down."""
    return isinstance(terminal, AudioIn | AudioOut | ControlIn) or (
        isinstance(terminal, Control) and terminal.drive is Drive.PUSH_PULL
    )


class Deck:
    """Collects the lines of a deck, the inputs they use and what differs between states.

    Args: a measured job; everything: all points of the host, not only those that links join; clamps: with the diodes of the
    modules' pins; stores: with the capacitances on rails and at supply pins; averages: what each rectifier gives at rest, by the name
    of its element.
    """

    def __init__(
        self,
        job: Job,
        *,
        everything: bool = False,
        clamps: bool = False,
        averages: Mapping[str, Average] | None = None,
        alone: bool = False,
        stores: bool = False,
    ) -> None:
        self.alone, self.stores = alone, stores
        self.job, self.everything, self.clamps, self.averages = job, everything, clamps, averages or {}
        self.joined = {j.terminal for link in job.links for j in link.joins} | switched_to(job)
        if clamps:  # what may be muted is looked at before anything reaches it
            self.joined |= {
                f"{HOST}.{t.id}" for t in job.host.terminals if isinstance(t, ControlIn) and t.gates
            }
        self.lines: list[str] = []
        self.switches: dict[str, float] = {"bursting": 0.0, "asleep": 0.0, "burst_drive": 0.0, "awake": 0.0}
        self.inputs: list[Input] = []
        self.used: dict[str, str] = {}
        self.shown: dict[str, None] = {}
        self.there: dict[str, AnyTerminal] = {}
        self.rails: dict[str, str] = {}
        self.windings: dict[str, Winding] = {}
        self.contacts: dict[str, tuple[Switch, str]] = {}
        self.levels: dict[str, str] = {}
        self.passed = {f"{m.id}.{t.end}" for m in job.modules for t in m.throughs if t.passes}
        for device_id, _ in job.devices():
            self.device(device_id)
        for winding in job.host.windings:
            if everything or any(f"{HOST}.{e}" in self.joined for e in winding.ends):
                self.winding(as_known(winding))
        for switch in job.host.switches:
            self.switch(switch)
        for link in job.links:
            self.link(link)
        for module in job.modules:
            for through in module.throughs:
                self.through(module.id, through)

    def in_state(self, state: str) -> dict[str, float]:
        """The switches of what is there in a host state only, each 0 or 1 [1], and how far each rail stands above its voltage."""
        there = {name: float(present(self.job, terminal, state)) for name, terminal in self.there.items()}
        rises = {name: rise(self.job, address, state) for name, address in self.rails.items()}
        live = {name: float(winding_live(self.job, w, state)) for name, w in self.windings.items()}
        made = {name: float(switch.stands_on(state) == way) for name, (switch, way) in self.contacts.items()}
        told = {name: float(of == state) for name, of in self.levels.items()}
        return there | rises | live | made | told

    def parameters(self) -> list[str]:
        """All parameters with their nominal values, as the deck writes them."""
        values = [f"{i.name}={i.ends[1]:.12g}" for i in self.inputs if i.in_deck]
        return values + [f"{name}={value:g}" for name, value in self.switches.items()]

    # -- devices --------------------------------------------------------------------------------------------

    def device(self, device_id: str) -> None:
        """A device: what feeds it, its terminals, the resistances between its returns."""
        device = self.job.device(device_id)
        assert device is not None
        if device_id != HOST and not self.alone:
            self.fed(device_id)
        for terminal in device.terminals:
            address = f"{device_id}.{terminal.id}"
            if self.everything or device_id != HOST or isinstance(terminal, Return) or address in self.joined:
                self.terminal(device_id, address, terminal)
        for path in device.paths:
            subject = subjects.path(device_id, path.id)
            name = subject.parameter()
            names = {t.id: t.name for t in device.terminals}
            words = f"{device.name}: resistance {names[path.a]} to {names[path.b]}"
            self.inputs.append(
                Input(name, words, path.resistance, PATH_RESISTANCE.plausible, subject, "resistance")
            )
            a, b = (node_name(self.job, f"{device_id}.{end}") for end in (path.a, path.b))
            self.lines.append(f"R{name} {a} {b} {{{name}}}")

    def fed(self, device_id: str) -> None:
        """The node that says whether a module is fed: solved from the volts at the supply pins that the plan joins; a module
        whose supply is not planned is taken as fed on the bench. Where `awake` is 1 it plays whatever its volts are."""
        pins, on = self.planned(device_id), on_node(device_id)
        if not pins:
            self.lines.append(f"V{on} {on} 0 DC 1")
            return
        parts = []
        for pin in pins:
            terminal = self.job.terminal(pin)
            least = terminal.minimum if isinstance(terminal, SupplyIn) else None
            volts = (
                f"v({node_name(self.job, pin)},{node_name(self.job, return_address(self.job, pin)) or '0'})"
            )
            parts.append(ramp(volts, least.nominal if least and least.nominal > 0 else USUAL_LEAST_V))
        # the resistance is so small that its thermal noise is nothing beside that of a signal path
        self.lines += [f"B{on} 0 {on} i={{1k*max(awake,{'*'.join(parts)})}}", f"R{on} {on} 0 1m"]

    def planned(self, device_id: str) -> list[str]:
        """The supply pins of a module that the plan joins."""
        return [p for p in addresses_of(self.job, SupplyIn, device_id) if supply_links(self.job, p)]

    def steps_up(self, rail: AnyTerminal, pin: str) -> bool:
        """Whether a module's own rail is said to stand above all that its supply pin may have."""
        gives, most = getattr(rail, "voltage", None), getattr(self.job.terminal(pin), "maximum", None)
        return gives is not None and most is not None and gives.nominal > most.nominal

    def terminal(self, device_id: str, address: str, terminal: AnyTerminal) -> None:
        """A terminal by its macro-model; a return or bare pin leaks to node 0, so that the deck has an answer."""
        node = node_name(self.job, address)
        if isinstance(terminal, Return | Pin | WindingEnd):
            if node != "0":
                self.lines.append(f"R{node}__leak {node} 0 1g")
            return
        fed = device_id != HOST
        macro = macro_name(terminal, fed=fed, passed=address in self.passed)
        self.inputs += terminal_inputs(self.job, address)
        reference = node_name(self.job, return_address(self.job, address)) or "0"
        values = [f"{name}={{{node}__{field}}}" for name, field in taken(terminal).items()]
        values += self.of_sound(node, reference, terminal)
        if isinstance(terminal, ControlIn):
            values += self.pulled(node, terminal)
        elif isinstance(terminal, Control):
            values = self.driven(device_id, address, terminal, values)
        elif isinstance(terminal, SupplyIn):
            values += ["bursting={bursting}", "asleep={asleep}", "drive={burst_drive}"]
        if not fed and not isinstance(terminal, SupplyIn):
            values += self.there_at_times(address, node, terminal)
        self.shown[address] = None
        nodes = [node, reference]
        if macro == "logic_in_supplied":
            pins = addresses_of(self.job, SupplyIn, device_id)
            # a module without a pin for its supply is pulled up by what it counts as fed from
            nodes.append(node_name(self.job, pins[0]) if pins else on_node(device_id))
        elif fed and not isinstance(terminal, SupplyIn):
            nodes.append(on_node(device_id))
        pin = self.planned(device_id)[:1] if fed and isinstance(terminal, Rail) else []
        if pin:
            macro = "rail_drawn"
            nodes += [
                node_name(self.job, pin[0]),
                node_name(self.job, return_address(self.job, pin[0])) or "0",
            ]
            values.append(f"up={int(self.steps_up(terminal, pin[0]))}")
        self.lines.append(f"X{node} {' '.join(nodes)} {macro} {' '.join(values)}")
        if self.clamps and fed and clamped(terminal):
            self.clamp(device_id, node, reference)
        if self.stores and isinstance(terminal, Rail | SupplyIn):
            told = terminal.store if isinstance(terminal, Rail) else terminal.capacitance
            farad = told.nominal if told is not None else USUAL_STORE_F[type(terminal)]
            self.lines.append(f"C{node}__store {node} {reference} {farad:.6g}")

    def of_sound(self, node: str, reference: str, terminal: AnyTerminal) -> list[str]:
        """What an output plays and an input carries, as values of its macro-model."""
        if isinstance(terminal, AudioOut):
            self.switches[f"{node}__drive"] = 1.0
            return [f"drive={{{'-1*' if terminal.inverted else ''}{node}__drive}}"]
        if isinstance(terminal, AudioIn) and terminal.has(Trait.EQUALISED):
            self.lines.append(f"X{node}__eq {node} {reference} {node}__heard record_equalised")
        if isinstance(terminal, AudioIn) and terminal.has(Trait.PASSIVE_NODE):
            self.switches[f"{node}__carried"] = 0.0
            return [f"carried={{{node}__carried}}"]
        return []

    def there_at_times(self, address: str, node: str, terminal: AnyTerminal) -> list[str]:
        """What of the host is there in some states only, as values of its macro-model."""
        self.switches[f"{node}__present"] = 1.0
        self.there[f"{node}__present"] = terminal
        if isinstance(terminal, Rail):
            self.switches[f"{node}__rise"] = 1.0
            self.rails[f"{node}__rise"] = address
            return [f"present={{{node}__present}}", f"rise={{{node}__rise}}"]
        # a line that tells the level of each state has it there
        return (
            [] if isinstance(terminal, Control) and terminal.per_state else [f"present={{{node}__present}}"]
        )

    def pulled(self, node: str, terminal: ControlIn) -> list[str]:
        """What holds an input while nothing drives it, as values of its macro-model; nothing known to is next to nothing."""
        # what nothing holds, or nobody knows, stands between low and high
        between = [q.of(terminal) for q in quantities(terminal) if q.field in ("low", "high")]
        middle = sum(k.nominal for k in between if k is not None) / 2 if all(between) else FLOATS_V
        if terminal.pulls is Pull.NONE:
            return [f"pull={FLOATS_OHM:g}", f"to={middle:g}"]
        if terminal.pulls is Pull.UNKNOWN:
            return [f"to={middle:g}"]
        return (
            [f"to={{{node}__pulled_to}}"]
            if terminal.pulls is Pull.UP and terminal.pulled_to is not None
            else []
        )

    def driven(self, device_id: str, address: str, terminal: Control, values: list[str]) -> list[str]:
        """How a line is driven, as values of its macro-model: of the host as each state tells, of a module by a switch that what it does
        sets."""
        node = node_name(self.job, address)
        if device_id != HOST:
            self.switches[f"{node}__active"] = 1.0
            active = (
                f"(1-{node}__active)"
                if terminal.inverted and terminal.drive is Drive.PUSH_PULL
                else f"{node}__active"
            )
            return [*values, f"active={{{active}}}"]
        if terminal.drive is Drive.OPEN_DRAIN or not terminal.per_state:
            return values
        self.switches[f"{node}__present"] = 1.0
        told = level_inputs(self.job, address)
        self.inputs += told.values()
        level = [f"{node}__level*{node}__present"]
        for state, item in told.items():
            self.switches[f"{node}__in__{names.encoded(state)}"] = 0.0
            self.levels[f"{node}__in__{names.encoded(state)}"] = state
            level.append(f"{node}__in__{names.encoded(state)}*{item.name}")
        # a state that tells its own level has no other: `present` is taken into the level
        kept = [v for v in values if not v.startswith("level=")]
        return [*kept, f"level={{{'+'.join(level)}}}"]

    def switch(self, switch: Switch) -> None:
        """A switch of the host between those of its points that the deck has: each way a contact that is made in the states that tell so,
        or while it is worked."""
        if not (self.everything or f"{HOST}.{switch.common}" in self.joined):
            return
        for way in switch.ways:
            name = f"{subjects.switch(switch.id).parameter(way)}__made"
            self.switches[name] = 0.0
            self.contacts[name] = (switch, way)
            a, b = (node_name(self.job, f"{HOST}.{e}") for e in (switch.common, way))
            self.lines.append(f"R{name} {a} {b} {{{MADE_OHM:g}*{name}+{BROKEN_OHM:g}*(1-{name})}}")

    def winding(self, winding: Winding) -> None:
        """A winding between its ends, each half of a tapped one by itself, and what joins an end to the host's ground."""
        subject = subjects.winding(winding.id)
        name = subject.parameter
        for item in WINDING_QUANTITIES:
            words = f"{winding.name}: {item.words}"
            known = item.of(winding)
            self.inputs.append(
                Input(
                    name(item.field),
                    words,
                    known,
                    item.plausible,
                    subject,
                    item.field,
                    item.field in OF_WINDING,
                )
            )
        if not self.windings:
            for item in MAINS_QUANTITIES:
                self.inputs.append(
                    Input(
                        subjects.MAINS.parameter(item.field), item.words, item.of(self.job.mains), item.plausible, subjects.MAINS,
                        item.field,
                    )
                )  # fmt: skip
        present = f"{name()}__present"
        self.switches |= {present: 1.0, f"{name()}__crest": 0.0, f"{name()}__humming": 0.0}
        self.windings[present] = winding
        halves = (
            [(winding.first, winding.tap), (winding.tap, winding.second)]
            if winding.tap
            else [(winding.first, winding.second)]
        )
        part = 1 / len(halves)
        for at, (a, b) in enumerate(halves):
            ends = " ".join(node_name(self.job, f"{HOST}.{e}") for e in (a, b))
            self.lines.append(
                f"X{name()}__{at} {ends} winding open={{{part:g}*{name('open')}}} resistance={{{part:g}*{name('resistance')}}} "
                f"level={{{subjects.MAINS.parameter('level')}}} hertz={{{subjects.MAINS.parameter('hertz')}}} "
                f"present={{{present}}} crest={{{name()}__crest}} humming={{{name()}__humming}}"
            )
        for end in winding.ends:
            joint = f"{name()}__{names.encoded(end)}__earth"
            self.switches[joint] = EARTHED_OHM if end == winding.earthed_at else NOT_EARTHED_OHM
            self.lines.append(f"R{joint} {node_name(self.job, f'{HOST}.{end}')} 0 {{{joint}}}")

    def clamp(self, device_id: str, node: str, reference: str) -> None:
        """The diodes from a pin to the module's supply and from its return."""
        for pin in addresses_of(self.job, SupplyIn, device_id)[:1]:
            self.switches.setdefault("clamps", 1.0)
            self.lines.append(
                f"X{node}__clamp {node} {reference} {node_name(self.job, pin)} clamps clamps={{clamps}}"
            )

    def through(self, device_id: str, through: Through) -> None:
        """A module's own way through: while it is fed its output follows its input, unfed it passes or does not.

        The following is a current into the output's own impedance, which is an e.m.f. beside the module's.
        """
        start, end = (f"{device_id}.{t}" for t in (through.start, through.end))
        subject = subjects.through(device_id, through.id)
        name, on = subject.parameter(), on_node(device_id)
        words = f"{self.job.label(start)}: {THROUGH_GAIN.words}"
        self.inputs.append(Input(name, words, through.gain, THROUGH_GAIN.plausible, subject, "gain"))
        a, b = node_name(self.job, start), node_name(self.job, end)
        a_back, b_back = (node_name(self.job, return_address(self.job, x)) for x in (start, end))
        gain = f"1meg*pow(10,{name}/20)/{b}__impedance"
        self.lines += [f"G{name} 0 {name} {a} {a_back} {{{gain}}}", f"R{name} {name} 0 1u"]
        self.lines.append(f"B{name} {b_back} {b} i={{v({name})*v({on})}}")
        if through.passes:
            self.lines.append(f"B{name}__passes {a} {b} i={{v({a},{b})*(1-v({on}))/{CONTACT_OHM:g}}}")

    # -- links ----------------------------------------------------------------------------------------------

    def link(self, link: Link) -> None:
        """A link: its wires, then its networks. Raises CompileError for a port that its topology has not."""
        ports = link_ports(link)
        for join in link.joins:
            if join.port not in ports:
                raise CompileError(link, f"there is no port “{join.port}”; it has {', '.join(ports)}")
            self.wire(link, join)
        for network in networks(link):
            self.network(link, network)
        self.keep_grounded(link, ports)

    def network(self, link: Link, network: Network) -> None:
        """One network of a link; a stage whose supply is not joined has one of its own, as written in it."""
        shape = network.shape
        found = section_inputs(link, network.at)
        if shape.supplied and not link.at("sup"):
            found = tuple(replace(i, in_deck=True) if i.field == "supply" else i for i in found)
            _, plus, minus = shape.probes["supply_v"]
            self.lines.append(
                f"V{network.element[1:]}__own {network.node(plus)} {network.node(minus)} "
                f"DC {{{network.parameter('supply')}}}"
            )
        self.inputs += found
        names = {p.name for p in shape.parts if not p.outside}
        values = [f"{i.field}={{{i.name}}}" for i in found if i.field in names]
        name, text = shape.key, shape.netlist
        if Does.RECTIFIES in shape.does and network.element in self.averages:
            values += self.averaged(link, network)
            name, text = shape.at_rest
        self.used[name] = text
        nodes = [network.nodes[p] for p in shape.ports]
        self.lines.append(f"X{network.element[1:]} {' '.join(nodes)} {name} {' '.join(values)}".rstrip())

    def averaged(self, link: Link, network: Network) -> list[str]:
        """What a rectifier gives at rest while its winding is live, as values of its subcircuit."""
        average = self.averages[network.element]
        volts, ohm = network.parameter("vrest"), network.parameter("rrest")
        told = words = tr(
            "{link}: what its {network} gives on average", link=link.name, network=network.shape.short
        )
        winding = winding_of(self.job, link)
        subject, field = network.subject, "vrest"
        if average.volts is None and winding is not None:
            subject, field = subjects.winding(winding.id), unknown_of(winding)
            told = f"{winding.name}: {next(q.words for q in WINDING_QUANTITIES if q.field == field)}"
        self.inputs.append(Input(volts, told, average.volts, average.plausible, subject, field))
        self.inputs.append(
            Input(
                ohm, tr("{what}: its slope", what=words), average.ohm, (0.1, 50.0), network.subject, "rrest"
            )
        )
        there = f"{subjects.winding(winding.id).parameter()}__present" if winding else "0"
        self.switches.setdefault("averaged", 1.0)
        charging = f"{network.subject.parameter()}__charging"
        self.switches[charging] = 0.0
        return [
            f"averaged={{averaged*{there}}}",
            f"vrest={{{volts}}}",
            f"rrest={{{ohm}}}",
            f"charging={{{charging}}}",
        ]

    def wire(self, link: Link, join: Join) -> None:
        """The wire on a port: its resistance by gauge and length, of a signal its capacitance to the return beside it."""
        length = conductor_input(self.job, link, join)
        self.inputs.append(length)
        node, port = node_name(self.job, join.terminal), names.of_link(link.id, join.port)
        per_m = ohm_per_m(join.conductor.gauge)
        off = ""
        if link.purpose is Purpose.SUPPLY and join.port == "out":
            pulled = names.of_link(link.id, "out", "pulled")
            self.switches[pulled] = 0.0
            off = f"+{PULLED_OFF_OHM:g}*{pulled}"
        self.lines.append(
            f"R{port}__wire {node} {port} {{{per_m:.6g}*{length.name}+{LEAST_WIRE_OHM:g}{off}}}"
        )
        if link.purpose is Purpose.FEED and join.port not in SIDE_PORTS:
            side = "com" if join.port == "out" else "back"
            (common,) = (
                link.at(side)
                or (link.at("com") if not link.at("back") else ())
                or (return_address(self.job, join.terminal),)
            )
            back = node_name(self.job, common) or "0"
            farad_per_m = SCREENED_F_PER_M if join.conductor.screened else OPEN_PAIR_F_PER_M
            self.lines.append(f"C{port}__wire {port} {back} {{{farad_per_m:g}*{length.name}}}")

    def keep_grounded(self, link: Link, ports: tuple[str, ...]) -> None:
        """A port that nothing is joined to leaks to node 0, so that the deck has an answer."""
        joined = {j.port for j in link.joins}
        stage = any(n.shape.supplied for n in networks(link))
        for port in ports:
            if port not in joined and not (port == "sup" and stage):
                node = names.of_link(link.id, port)
                self.lines.append(f"R{node}__leak {node} 0 1g")
