"""The wires of a plan: what each joins and carries, its colour, how it is cut, screened, twisted and held."""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path

from msgspec.structs import replace

from pigtail.board.parts import is_straight, wire_pieces
from pigtail.catalogue.topologies import Does, does, topology
from pigtail.job.build import Relief, ScreenAt, Service
from pigtail.job.document import (
    HOST,
    AudioOut,
    Channel,
    Control,
    ControlIn,
    Job,
    Join,
    Link,
    Purpose,
    Rail,
    Return,
    SupplyIn,
    Trait,
    WindingEnd,
)
from pigtail.job.places import Pad
from pigtail.job.wiring import pin_of, return_address
from pigtail.studies.loom.found import LoomWire, Supplies
from pigtail.units import Basis, Known
from pigtail.units.wire import ohm_per_m

SLACK = 0.10  # common practice: cut a tenth longer than routed
#: The least that a wire is cut to so that the board can be turned over, or the panel opened [m]. Common practice.
SERVICE_M = {Service.NONE: 0.0, Service.BOARD: 0.25, Service.PANEL: 0.35}
#: Pads whose joint a shake or a pull breaks, and the gauge [AWG] from which on a wire itself is fine: enamelled wire, from 30 on.
FINE_PADS = (Pad.TEST_PAD, Pad.VIA, Pad.SMD_0805, Pad.SMD_0603, Pad.SMD_0402, Pad.CHIP_LEG)
FINE_AWG = 30
#: How far apart ties sit along a loom [m]. Common practice.
TIE_M = 0.08
TABLE = Path(__file__).parent / "data" / "colours.toml"


@cache
def usual_colours() -> dict[str, str]:
    """The usual colour of what a wire carries."""
    return tomllib.loads(TABLE.read_text(encoding="utf-8"))


def loom_wires(job: Job) -> tuple[LoomWire, ...]:
    """All wires of a plan, in the order of its links."""
    pieces = wire_pieces(job)
    wires = [_wire(job, link, join, k) for k, (link, join) in enumerate(pieces, start=1)]
    own = [bool(join.conductor.colour.strip()) for _, join in pieces]
    return _told_apart(wires, own)


#: Colours of a second and further supply, as far as no other wire has them.
FURTHER = ("brown", "grey", "violet", "blue", "yellow", "green", "white")


def _told_apart(wires: list[LoomWire], own: list[bool]) -> tuple[LoomWire, ...]:
    """Wires of further rails and of further modules' pins in colours of their own, since a supply on the wrong pin burns what is there;
    those that the person coloured stay."""
    used = {w.colour for w in wires}
    free = [c for c in FURTHER if c not in used]
    first: dict[str, str] = {}
    given: dict[str, str] = {}
    for w, said in zip(wires, own, strict=True):
        if said or not w.function.startswith("supply,") or w.length == 0:
            continue
        if first.setdefault(w.function, w.a) != w.a and w.a not in given and free:
            given[w.a] = free.pop(0)
    return tuple(
        replace(w, colour=given[w.a]) if w.a in given and not said and w.function.startswith("supply,") else w
        for w, said in zip(wires, own, strict=True)
    )


def _length(link: Link, join: Join) -> Known | None:
    """How long a wire is routed [m]: of one piece from terminal to terminal, both halves that the plan holds of it."""
    first, *rest = [j.conductor.length for j in link.joins] if is_straight(link) else [join.conductor.length]
    if not rest or first is None or rest[0] is None:
        return first
    second = rest[0]
    return replace(
        first,
        nominal=first.nominal + second.nominal,
        low=first.low + second.low,
        high=first.high + second.high,
    )


def _wire(job: Job, link: Link, join: Join, number: int) -> LoomWire:
    conductor, routed = join.conductor, _length(link, join)
    b = _other(link, join) if is_straight(link) else ""
    length = _cut_to(job, routed)
    ohms = None if length is None else length * ohm_per_m(conductor.gauge)
    amperes = _current(job, link, join)
    fine = conductor.gauge >= FINE_AWG or any(_is_fine(job, x) for x in (join.terminal, b))
    return LoomWire(
        number, link.id, join.port, usual_function(job, link, join), _end(job, join.terminal),
        _end(job, b) if b else f"{link.name} network, {PORTS.get(join.port, join.port)}",
        colour_of(job, link, join), conductor.gauge, length, conductor.screened, conductor.route, join.terminal, b,
        _screen(conductor.screen) if conductor.screened else ScreenAt.UNSAID, conductor.twist,
        _relief(conductor.relief, fine=fine), ohms, None if ohms is None or amperes is None else ohms * amperes, fine,
        side=_beside(job, join.terminal) or (b != "" and _beside(job, b)),
        guessed=routed is not None and routed.basis is Basis.GUESSED,
    )  # fmt: skip


def _cut_to(job: Job, length: Known | None) -> float | None:
    """What a wire is cut to [m]: its route and a tenth, and no less than what turning or opening asks for; nothing for what sits on the
    part itself."""
    if length is None:
        return None
    cut = length.nominal * (1 + SLACK)
    return max(cut, SERVICE_M[job.build.service]) if cut > 0 else 0.0


def _screen(said: ScreenAt) -> ScreenAt:
    """Where a screen is joined: as said, else at its terminal, which is one end."""
    return ScreenAt.TERMINAL if said is ScreenAt.UNSAID else said


def _relief(said: Relief, *, fine: bool) -> Relief:
    """What holds a wire: as said, else glue where a joint is fine."""
    return Relief.GLUE if said is Relief.UNSAID and fine else said


def _is_fine(job: Job, address: str) -> bool:
    terminal = job.terminal(address)
    return terminal is not None and terminal.place.pad in FINE_PADS


def _beside(job: Job, address: str) -> bool:
    """Whether the joint of a terminal lies beside its neighbours, so that it needs a sleeve: a lug, a leg, a pin of a plug."""
    terminal = job.terminal(address)
    return terminal is not None and terminal.place.pad in (Pad.LUG, Pad.CHIP_LEG, Pad.PIN)


def _current(job: Job, link: Link, join: Join) -> float | None:
    """The largest current of a supply wire [A]; None where it is not known or where it is no supply."""
    if link.purpose is not Purpose.SUPPLY or join.port not in (*link_starts(link), "out", "com", "back"):
        return None
    pin = job.terminal(pin_of(job, link))
    most = pin.largest if isinstance(pin, SupplyIn) else None
    return most.high if most is not None else None


def link_starts(link: Link) -> tuple[str, ...]:
    """The ports that a link starts at."""
    return topology(link.sections[0].topology).inputs if link.sections else ()


#: How the ports of a network are called on paper.
PORTS = {
    "in": "in", "in_l": "left in", "in_r": "right in", "in_low": "low in", "in_high": "high in", "out": "out",
    "com": "common", "back": "source's return", "sup": "its supply", "ctl": "its control", "second": "second in", "in_a": "AC, one end",
    "in_b": "AC, other end", "tap": "centre tap", "leg": "AC, grounded end",
}  # fmt: skip


def _end(job: Job, address: str) -> str:
    """An end of a wire: whose terminal it is, its name and place."""
    terminal = job.terminal(address)
    device_id = address.partition(".")[0]
    owner = "host" if device_id == HOST else "module"
    if device_id != HOST and len(job.modules) > 1:
        owner = next((m.name for m in job.modules if m.id == device_id), "module")
    if terminal is None:
        return address
    return f"{owner}: {terminal.name}" + (f", {terminal.place.text()}" if terminal.place else "")


def _other(link: Link, join: Join) -> str:
    return next((j.terminal for j in link.joins if j.port != join.port), join.terminal)


def usual_function(job: Job, link: Link, join: Join) -> str:  # noqa: PLR0911  one line a kind of wire
    """What a wire carries, in a word or two."""
    terminal = job.terminal(join.terminal)
    if isinstance(terminal, WindingEnd):
        return "AC from the winding"
    if join.port == "sup" or (isinstance(terminal, Rail) and link.purpose is not Purpose.SUPPLY):
        return "supply, from the rail"
    if join.port in ("com", "back") or (isinstance(terminal, Return) and link.purpose is not Purpose.RETURN):
        return "supply negative" if link.purpose is Purpose.SUPPLY else "return of the network"
    if link.purpose is Purpose.RETURN:
        return "return"
    if join.port == "ctl" or link.purpose is Purpose.CONTROL:
        shows = any(does(s, Does.SHOWS) for s in link.sections)
        return "indicator" if shows else "control"
    if link.purpose is Purpose.SUPPLY:
        if isinstance(terminal, Control | ControlIn):
            return "control"
        return "supply, at the pin" if isinstance(terminal, SupplyIn) else "supply, from the rail"
    if isinstance(terminal, AudioOut) and terminal.has(Trait.POWER_OUTPUT):
        return "speaker"
    channel = getattr(terminal, "channel", Channel.MONO)
    return f"signal, {channel.value}"


def colour_of(job: Job, link: Link, join: Join) -> str:
    """The colour of a wire: its own, else the person's for what it carries, else the usual one."""
    carries = usual_function(job, link, join)
    own = {r.carries: r.colour for r in job.build.colours}
    return (join.conductor.colour.strip() or own.get(carries, "").strip() or usual_colours()[carries]).lower()


def return_words(job: Job, address: str) -> str:
    """The return that the screen of a wire is joined to at a terminal, in words; empty where it has none."""
    back = return_address(job, address)
    return job.label(back) if back else ""


def loom_supplies(job: Job, wires: tuple[LoomWire, ...]) -> Supplies:
    """What the wires need besides themselves."""
    lights = sum(does(s, Does.SHOWS) for link in job.links for s in link.sections)
    sleeves = sum(w.side for w in wires) + sum(1 for w in wires if w.screened) + 2 * lights
    bundled = [w.length for w in wires if w.length]
    ties = sum(max(1, round(length / TIE_M)) for length in [max(bundled, default=0.0)] if length > TIE_M)
    kinds: dict[str, float | None] = {}
    for w in wires:
        kind = (
            f"AWG {w.gauge}"
            + (", enamelled" if w.gauge >= FINE_AWG and not w.screened else "")
            + (", screened" if w.screened else "")
        )
        name, before = f"{kind}, {w.colour}", kinds.get(f"{kind}, {w.colour}", 0.0)
        kinds[name] = None if before is None or w.length is None else before + w.length
    labels = tuple(
        f"{k}{end} {w.function}" for k, w in enumerate(wires, start=1) if w.length != 0 for end in "AB"
    )
    return Supplies(
        sleeves, ties + sum(w.relief is Relief.TIE for w in wires), labels, tuple(sorted(kinds.items()))
    )
