"""What of a plan sits on its little board: parts with their pins on nets, and the holes that its wires go to.

Each port of a link is a wire of its own, so it is a net of its own, even where two of them end at one terminal: where returns meet is what
the study of returns has judged, and the board does not change it.
"""

from __future__ import annotations

from collections import Counter

import msgspec

from pigtail.board.forms import LEGS, Form, bodies_of, form_of, forms
from pigtail.catalogue.topologies import FILM_F, Does, PartRule, does, is_film
from pigtail.job.document import Job, Join, Link, Part, Plus, Purpose
from pigtail.language import tr
from pigtail.model import names
from pigtail.model.cascade import Network, networks
from pigtail.units import format_quantity


class BoardPart(msgspec.Struct, frozen=True):
    """A part on the board: its designator, what it is, its value in words, its form, the net on each pin in order, the letters of its legs,
    which pin the plus or the bar is at (none for -1), the link that it belongs to, and for one that is bought by its value the number of
    its network and its name there."""

    name: str
    words: str
    value: str
    form: str
    nets: tuple[str, ...]
    legs: str = ""
    mark: int = -1
    link: str = ""
    at: int = 0
    rule: str = ""

    @property
    def shape(self) -> Form:
        """Its outline."""
        return forms()[self.form]

    @property
    def axial(self) -> bool:
        """Whether its leads come out at its ends, so that it lies or stands."""
        return self.form.startswith(("resistor", "diode"))


class WireHole(msgspec.Struct, frozen=True):
    """A hole that a wire goes to: its name on the board, its net, the link and port that it serves, where the wire leads, whether it comes
    in (so it lies at the left) or goes out, and whether it is supply."""

    name: str
    net: str
    link: str
    port: str
    leads: str
    comes_in: bool
    supply: bool


class Mounted(msgspec.Struct, frozen=True):
    """What sits on a board."""

    parts: tuple[BoardPart, ...] = ()
    holes: tuple[WireHole, ...] = ()

    @property
    def nets(self) -> tuple[str, ...]:
        """All nets, in the order of the parts."""
        return tuple(dict.fromkeys((*(n for p in self.parts for n in p.nets), *(h.net for h in self.holes))))

    @property
    def supply_nets(self) -> frozenset[str]:
        """The nets that a supply is on."""
        return frozenset(h.net for h in self.holes if h.supply)


def hangs(network: Network) -> bool:
    """Whether a network is a board or a part of its own between wires, or nothing but wire, so that nothing of it sits on the board."""
    needs = bodies_of(network.shape.key)
    return needs.apart or not (needs.bodies or network.shape.bought())


def on_board(link: Link) -> tuple[Network, ...]:
    """The networks of a link that sit on the board."""
    return tuple(n for n in networks(link) if not hangs(n))


def is_straight(link: Link) -> bool:
    """Whether a link is one piece of wire between two terminals."""
    return len(link.joins) == 2 and all(does(s, Does.CONDUCTS) for s in link.sections)


def wire_pieces(job: Job) -> tuple[tuple[Link, Join], ...]:
    """The wires of the loom in their order, as link and port: one for a straight link, one for each port of a network."""
    return tuple((x, j) for x in job.links for j in (x.joins[:1] if is_straight(x) else x.joins))


def wire_numbers(job: Job) -> dict[tuple[str, str], int]:
    """The number of each wire of the loom, by its link and port."""
    return {(x.id, j.port): k for k, (x, j) in enumerate(wire_pieces(job), start=1)}


def mounted(job: Job) -> Mounted:
    """What of a job's plan sits on its little board; its wires have the numbers that the loom gives them."""
    numbers = wire_numbers(job)
    count: Counter[str] = Counter()
    parts: list[BoardPart] = []
    holes: list[WireHole] = []
    for link in job.links:
        here = on_board(link)
        if not here:
            continue
        nets = LinkNets(link)
        for network in here:
            parts += _parts(link, network, nets, count)
        used = {n for p in parts if p.link == link.id for n in p.nets}
        holes += _holes(job, link, here, nets, used)
    return Mounted(tuple(parts), _named(holes, numbers))


class LinkNets:
    """The nets of a link: nodes of the deck, with those that are one piece of copper under one name."""

    def __init__(self, link: Link) -> None:
        here = on_board(link)
        self.same: dict[str, str] = {}
        for network in networks(link):
            for a, b in bodies_of(network.shape.key).same:
                self._join(network.node(a), network.node(b))
            if network not in here and Does.CONDUCTS in network.shape.does:
                for port in network.shape.inputs:
                    self._join(network.node(port), network.node("out"))

    def _join(self, a: str, b: str) -> None:
        first, second = self.of(a), self.of(b)
        if first != second:
            self.same[first] = second

    def of(self, node: str) -> str:
        """The net of a node of the deck."""
        while node in self.same:
            node = self.same[node]
        return node


def _parts(link: Link, network: Network, nets: LinkNets, count: Counter[str]) -> list[BoardPart]:
    found = []
    audio = link.purpose is Purpose.FEED
    given = {p.name: p for p in network.section.parts}
    for rule in network.shape.bought():
        if not rule.nodes:
            continue
        part = given.get(rule.name) or Part(name=rule.name, value=rule.known(), plus=rule.plus)
        letter = "R" if rule.kind == "resistor" else "C"
        count[letter] += 1
        on = tuple(nets.of(network.node(n)) for n in rule.nodes)
        value = format_quantity(part.value.nominal, rule.unit)
        form = form_of(rule.kind, part, audio=audio)
        found.append(
            BoardPart(
                f"{letter}{count[letter]}", f"{rule.words} {rule.kind}", value, form, on,
                mark=_plus(part, rule), link=link.id, at=network.at, rule=rule.name,
            )
        )  # fmt: skip
    for body in bodies_of(network.shape.key).bodies:
        count[body.name] += 1
        on = tuple(nets.of(network.node(n)) for n in body.pins.values())
        value = body.words if body.name in "RC" else ""
        words = {"R": "resistor", "C": "capacitor"}.get(body.name, body.words)
        barred = body.name == "D" or body.form.startswith("electrolytic")
        found.append(
            BoardPart(
                f"{body.name}{count[body.name]}", words, value, body.form, on, LEGS.get(body.words, ""),
                0 if barred else -1, link.id,
            )
        )  # fmt: skip
    return found


def _plus(part: Part, rule: PartRule) -> int:
    """The pin that the plus of a capacitor is at: -1 for what has none, and for what nobody has said."""
    if rule.kind != "capacitor" or is_film(part, rule) or (part.value.nominal <= FILM_F):
        return -1
    if rule.shunt or part.plus is Plus.SOURCE:
        return 0
    return 1 if part.plus is Plus.INPUT else 0 if rule.plus is Plus.SOURCE else -1


def _holes(job: Job, link: Link, here: tuple[Network, ...], nets: LinkNets, used: set[str]) -> list[WireHole]:
    """The holes of a link's wires: those of its ports, those of parts that sit elsewhere, and those to a board that hangs from wires."""
    found: dict[str, WireHole] = {}
    ports = {j.port: j.terminal for j in link.joins}
    for port, terminal in ports.items():
        net = nets.of(names.of_link(link.id, port))
        if net in used and net not in found:
            comes_in = port not in ("out", "com")
            supply = link.purpose is Purpose.SUPPLY or port == "sup"
            found[net] = WireHole("", net, link.id, port, job.label(terminal), comes_in, supply)
    for network in networks(link):
        needs = bodies_of(network.shape.key)
        if network in here:
            for node in needs.wires:
                net = nets.of(network.node(node))
                found.setdefault(
                    net,
                    WireHole(
                        "",
                        net,
                        link.id,
                        node,
                        tr("{short}: its light", short=network.shape.short),
                        False,
                        False,
                    ),
                )
            for port in network.shape.sides:  # a stage with a supply of its own
                net = nets.of(network.node(port))
                if port == "sup" and net in used:
                    found.setdefault(
                        net, WireHole("", net, link.id, port, tr("a supply of its own"), True, True)
                    )
            continue
        if not needs.apart:
            continue
        for port in network.shape.ports:
            net = nets.of(network.node(port))
            if net in used:
                leads = f"{network.shape.short}, {port}"
                found.setdefault(
                    net,
                    WireHole("", net, link.id, port, leads, port == "out", link.purpose is Purpose.SUPPLY),
                )
    return list(found.values())


def _named(holes: list[WireHole], numbers: dict[tuple[str, str], int]) -> tuple[WireHole, ...]:
    """Holes by the number of their wire; leads that are no wire of the loom by X and a number."""
    from msgspec.structs import replace

    extra, found = 0, []
    for hole in holes:
        number = numbers.get((hole.link, hole.port))
        extra += number is None
        found.append(replace(hole, name=str(number) if number is not None else f"X{extra}"))
    return tuple(found)
