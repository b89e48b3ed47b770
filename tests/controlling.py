"""Jobs of control: a host with a permanent rail and lines that tell its states, modules that are woken, that mute, that show."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from pigtail import edits
from pigtail.catalogue.kinds import make_module
from pigtail.catalogue.topologies import topology
from pigtail.edits.links import set_capacitor
from pigtail.edits.plan import rejoined
from pigtail.edits.usual import join, return_link, supply_link
from pigtail.job.control import Acts, Doing, Drive, Pull
from pigtail.job.document import (
    AudioIn,
    AudioOut,
    Control,
    ControlIn,
    Host,
    Job,
    Link,
    Mode,
    Module,
    Part,
    Plus,
    Purpose,
    Rail,
    Return,
    State,
    SupplyClass,
    SupplyIn,
)
from pigtail.units import Basis
from pigtail.units.entry import parse_known
from pigtail.units.known import Known

STATES = (
    State(id="off", name="unplugged", kind=Mode.OFF),
    State(id="standby", name="standby", kind=Mode.STANDBY),
    State(id="radio", name="on, radio", kind=Mode.ON),
    State(id="aux", name="on, aux", kind=Mode.WORKING),
)
WAKING = ("standby", "radio", "aux")
ON = ("radio", "aux")


def value(text: str, unit: str) -> Known:
    """A documented value from text."""
    return parse_known(text, unit, Basis.DOCUMENTED)


def line(name: str = "on_line", level: str = "6.9 V ±3 %", ohm: str = "10 kΩ ±5 %", **more: Any) -> Control:
    """A line of the host that is high while it is on."""
    return Control(
        id=name, name=name.replace("_", " "), level=value(level, "V"),
        **({"impedance": value(ohm, "Ω"), "states": ON, "least": value("4 V ±5 %", "V")} | more),
    )  # fmt: skip


def rail(
    name: str = "always", volts: str = "5.1 V ±1 %", states: tuple[str, ...] = WAKING, **more: Any
) -> Rail:
    """A rail of half an ampere."""
    return Rail(
        id=name, name=f"{name} rail", voltage=value(volts, "V"), resistance=value("0.1 Ω ±20 %", "Ω"), limit=value("0.5 A ±1 %", "A"),
        used=value("0.05 A ±5 %", "A"), states=states, **more,
    )  # fmt: skip


def host(*terminals: Any, **more: Any) -> Host:
    """A mains host with a star, an aux input and whatever else."""
    own = (
        Return(id="star", name="star", star=True),
        AudioIn(
            id="aux_in", name="aux input", impedance=value("22 kΩ ±5 %", "Ω"), wanted=value("0.3 V ±10 %", "V"),
            overload=value("2 V ±10 %", "V"), dc=value("0 V ±5 mV", "V"), states=("aux",),
        ),
    )  # fmt: skip
    return Host(
        name="Test host",
        supply=SupplyClass.MAINS_ISOLATED,
        states=STATES,
        terminals=(*own, *terminals),
        **more,
    )


def receiver(*terminals: Any, doings: tuple[Doing, ...] = (), **pin: Any) -> Module:
    """A wireless receiver of 5 V with further pins."""
    made = make_module("wireless_receiver_5v", "rx")
    own = tuple(
        replace(t, **({"minimum": value("4.5 V ±1 %", "V"), "maximum": value("5.5 V ±1 %", "V")} | pin))
        if isinstance(t, SupplyIn)
        else t
        for t in made.terminals
    )
    return replace(made, terminals=(*own, *terminals), doings=doings)


def link_pin(name: str = "link", **more: Any) -> Control:
    """An output of a module that is high while it is linked."""
    return Control(
        id=name, name=f"{name} pin",
        **({"level": value("3.3 V ±3 %", "V"), "impedance": value("60 Ω ±30 %", "Ω"), "sources": value("8 mA ±1 %", "A"), "sinks": value("8 mA ±1 %", "A")} | more),
    )  # fmt: skip


def enable(name: str = "amp_enable", **more: Any) -> ControlIn:
    """An enable of the host's speaker amplifier: pulled up to 3.3 V, high lets it play."""
    return ControlIn(
        id=name, name="amplifier enable",
        **({
            "low": value("0.6 V ±20 %", "V"), "high": value("2 V ±10 %", "V"), "pulls": Pull.UP, "pull": value("47 kΩ ±10 %", "Ω"),
            "pulled_to": value("3.3 V ±3 %", "V"), "most": value("3.6 V ±1 %", "V"), "gates": ("speaker",),
        } | more),
    )  # fmt: skip


def speaker() -> AudioOut:
    """The output of the host's speaker amplifier."""
    return AudioOut(
        id="speaker",
        name="speaker output",
        emf=value("8 V ±10 %", "V"),
        impedance=value("0.1 Ω ±20 %", "Ω"),
        bias=value("0 V ±10 mV", "V"),
    )


def parts(job: Job, link_id: str, **values: float) -> Job:
    """Parts of a link's first network at other values."""
    link = job.link(link_id)
    assert link is not None
    (first, *rest) = link.sections
    shape = topology(first.topology)
    given = {p.name: p for p in first.parts} | {
        n: Part(
            name=n, value=Known.of(v, shape.part(n).unit, Basis.TYPICAL, tolerance=shape.part(n).tolerance)
        )
        for n, v in values.items()
    }
    made = replace(first, parts=tuple(given.values()))
    return edits.replace_link(job, replace(link, sections=(made, *rest)))


def woken(
    key: str = "high_side_pnp",
    *,
    ctl: str = "host.on_line",
    source: str = "host.always",
    of: Host | None = None,
    module: Module | None = None,
    feed: bool = True,
) -> Job:
    """A receiver on a permanent rail behind a switch that a line of the host works, its audio into the aux input."""
    job = Job(
        host=of or host(rail(), line()),
        modules=(module or receiver(),),
        ambient=value("30 .. 35 .. 40 °C", "°C"),
    )
    made = supply_link(job, "supply", source, "rx.supply", key)
    if ctl:
        made = replace(made, joins=(*made.joins, join("ctl", ctl, 0.3)))
    links = [made, return_link("supply_return", "Supply return", "rx.supply_return", "host.star", 20)]
    if feed:
        shape = topology("sum")
        joins = [
            join(p, a, 0.3, screened=True)
            for p, a in zip(shape.inputs, ("rx.out_left", "rx.out_right"), strict=True)
        ]
        feed_link = Link(
            id="feed",
            name="Feed",
            purpose=Purpose.FEED,
            sections=(shape.section(),),
            joins=(*joins, join("out", "host.aux_in", 0.3), join("com", "host.star", 0.3)),
        )
        links += [
            rejoined(job, feed_link, (shape.section(), topology("coupling").section())),
            return_link("audio_return", "Audio return", "rx.audio_return", "host.star", 24),
        ]
    return replace(job, links=tuple(links))


def control_link(name: str, key: str, **joins: str) -> Link:
    """A link of control by a topology, its ports joined; `at_in` is the port `in`."""
    return Link(
        id=name, name=name.replace("_", " ").capitalize(), purpose=Purpose.CONTROL, sections=(topology(key).section(),),
        joins=tuple(join(p.removeprefix("at_"), a, 0.2) for p, a in joins.items()),
    )  # fmt: skip


def with_link(job: Job, link: Link) -> Job:
    """The job with one link more."""
    return edits.add_link(job, link)


def transmitter(**more: Any) -> Module:
    """A wireless transmitter of 5 V with a link output."""
    made = make_module("wireless_transmitter_5v", "tx")
    doings = (
        Doing(does="searching"),
        Doing(does="linked", active=("link",)),
        Doing(does="transmitting", active=("link",)),
    )
    return replace(made, terminals=(*made.terminals, link_pin()), **({"doings": doings} | more))


def muting(key: str = "pull_nmos", **more: Any) -> Job:
    """A transmitter that pulls the enable of the host's speaker amplifier while it is linked."""
    of = host(rail(states=ON), enable(**more), speaker())
    job = Job(host=of, modules=(transmitter(),), ambient=value("30 .. 35 .. 40 °C", "°C"))
    return replace(job, links=(
        supply_link(job, "supply", "host.always", "tx.supply", "direct"),
        return_link("supply_return", "Supply return", "tx.supply_return", "host.star", 20),
        control_link("mute", key, at_in="tx.link", out="host.amp_enable", com="host.star"),
    ))  # fmt: skip


def straight_down(most: str) -> Job:
    """A transmitter whose pin pulls the enable of an amplifier down by itself; that is pulled to 12 V."""
    of_pin = {
        "pulled_to": value("12 V ±3 %", "V"),
        "high": value("8 V ±5 %", "V"),
        "most": value("15 V ±1 %", "V"),
    }
    job = muting("wire", **of_pin)
    (module,) = job.modules
    pin = replace(module.terminals[-1], drive=Drive.OPEN_DRAIN, most=value(most, "V") if most else None)
    job = replace(job, modules=(replace(module, terminals=(*module.terminals[:-1], pin)),))
    return edits.replace_link(job, control_link("mute", "wire", at_in="tx.link", out="host.amp_enable"))


def blinking_mute(*, blinks: bool = True) -> Job:
    """A transmitter whose link pin mutes the speaker, and blinks while it searches, or does not."""
    doings = (
        Doing(does="searching", blinking=("link",) if blinks else ()),
        *(Doing(does=d, active=("link",)) for d in ("linked", "transmitting")),
    )
    return replace(muting(), modules=(transmitter(doings=doings),))


def decoded(farad: float = 100e-6, *, drain: bool = False, rate: str = "2 Hz ±10 %") -> Job:
    """A blinking link pin averaged for a controller of the host."""
    job = blinking_mute()
    pin = enable(acts=Acts.READ, pulls=Pull.NONE, pull=None, pulled_to=None, gates=())
    (module,) = job.modules
    told = {"drive": Drive.OPEN_DRAIN} if drain else {}
    told |= {"blink": value(rate, "Hz") if rate else None, "duty": value("0.5 ±10 %", "")}
    line_pin = replace(module.terminals[-1], **told)
    job = replace(job, host=host(rail(states=("radio", "aux")), pin, speaker()), modules=(
        replace(module, terminals=(*module.terminals[:-1], line_pin)),))  # fmt: skip
    job = edits.replace_link(
        job, control_link("mute", "blink_decode", at_in="tx.link", out="host.amp_enable", com="host.star")
    )
    return set_capacitor(parts(job, "mute", c1=farad), "mute", 0, "c1", Plus.SOURCE, value("16 V", "V"))
