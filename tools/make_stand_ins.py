"""Writes the stand-ins that ship with the program from their description here: `python tools/make_stand_ins.py`."""

from __future__ import annotations

from msgspec.structs import replace

from pigtail.bench.truth import DATA, StandIn, check_stand_in, encode
from pigtail.catalogue.kinds import make_host
from pigtail.edits.host import add_connector
from pigtail.job.document import (
    Act,
    AudioIn,
    Brief,
    Channel,
    Control,
    Digital,
    Host,
    Job,
    Mode,
    Path,
    Pin,
    Rail,
    Return,
    Stage,
    State,
    SupplyClass,
    Trait,
    WindingEnd,
)
from pigtail.job.energy import Battery, Chemistry, Earthed, Hours, RailState, Winding
from pigtail.job.places import Pad, Place
from pigtail.model.probed import Joint
from pigtail.units import Basis
from pigtail.units.entry import parse_known
from pigtail.units.known import Known


def known(value: float, unit: str) -> Known:
    """A true value."""
    return Known.of(value, unit, Basis.MEASURED)


def true(terminal, **values):  # type: ignore[no-untyped-def]
    """A terminal with its true values."""
    units = {"emf": "V", "impedance": "Ω", "bias": "V", "wanted": "V", "overload": "V", "dc": "V", "voltage": "V", "resistance": "Ω",
             "limit": "A", "used": "A", "level": "V"}  # fmt: skip
    return replace(terminal, **{k: known(v, units[k]) for k, v in values.items()})


def brindle() -> StandIn:
    """A receiver-amplifier with papers: paper first."""
    host = make_host("receiver_amplifier", "Brindle Nine")
    places = {
        "aux_left": Place(board="input board", connector="J4", position=1, pad=Pad.LUG),
        "aux_right": Place(board="input board", connector="J4", position=2, pad=Pad.LUG),
        "input_return": Place(board="input board", connector="J4", position=3, pad=Pad.LUG),
        "rec_left": Place(board="input board", part="R41", pad=Pad.SMD_0805),
        "rec_right": Place(board="input board", part="R42", pad=Pad.SMD_0805),
        "rail_12v": Place(board="main board", part="IC3", pin="output", pad=Pad.PIN),
        "rail_5v": Place(board="main board", part="C51", pin="+", pad=Pad.ELECTROLYTIC),
        "star": Place(board="main board", part="C12", pin="−", pad=Pad.ELECTROLYTIC),
    }
    chip = [
        AudioIn(id="u7_43", name="U7 pin 43, selector left", channel=Channel.LEFT, return_to="input_return",
                place=Place(board="input board", part="U7", pin="43", pad=Pad.CHIP_LEG)),
        AudioIn(id="u7_42", name="U7 pin 42, selector right", channel=Channel.RIGHT, return_to="input_return",
                place=Place(board="input board", part="U7", pin="42", pad=Pad.CHIP_LEG)),
    ]  # fmt: skip
    rings = {"aux_left": "u7_43", "aux_right": "u7_42"}
    path = (
        "block diagram: inputs go to the selector U7",
        "U7: left is pin 43, right is pin 42",
        "drawing: both come from J4",
    )
    terminals = tuple(
        replace(
            t,
            place=places.get(t.id, t.place),
            rings_to=rings.get(t.id, ""),
            path=path if t.id in rings else (),
        )
        for t in host.terminals
    )
    papers = replace(host, terminals=(*terminals, *chip))
    values = {
        "aux_left": {"impedance": 43e3, "wanted": 0.28, "overload": 2.0, "dc": 0.002},
        "aux_right": {"impedance": 46e3, "wanted": 0.28, "overload": 2.0, "dc": 0.001},
        "u7_43": {"impedance": 1e9, "dc": 0.0, "wanted": 0.28, "overload": 2.0},
        "u7_42": {"impedance": 1e9, "dc": 0.0, "wanted": 0.28, "overload": 2.0},
        "rec_left": {"emf": 0.35, "impedance": 820.0, "bias": 0.001},
        "rec_right": {"emf": 0.34, "impedance": 830.0, "bias": 0.002},
        "speaker_left": {"emf": 14.0, "impedance": 0.12, "bias": 0.02},
        "speaker_right": {"emf": 14.0, "impedance": 0.12, "bias": 0.015},
        "rail_12v": {"voltage": 12.1, "resistance": 0.4, "limit": 1.0, "used": 0.35},
        "rail_5v": {"voltage": 5.02, "resistance": 0.6, "limit": 0.5, "used": 0.08},
    }
    truth = replace(
        papers,
        terminals=tuple(true(t, **values.get(t.id, {})) for t in papers.terminals),
        paths=tuple(replace(p, resistance=known(0.18, "Ω")) for p in papers.paths),
    )
    return StandIn(
        title="Brindle Nine, receiver-amplifier",
        papers=Job(
            name="Brindle Nine, wireless in",
            host=papers,
            brief=Brief(wanted="Play a telephone through the auxiliary input."),
        ),
        truth=truth,
        joints=(Joint(a="aux_left", b="u7_43", ohm=0.25), Joint(a="aux_right", b="u7_42", ohm=0.22)),
        seed=9,
    )


def pellow() -> StandIn:
    """A portable player without papers: probe first, by a connector."""
    states = (
        State(id="off", name="off, battery out", kind=Mode.OFF),
        State(id="standby", name="standby", kind=Mode.STANDBY),
        State(id="playing", name="playing", kind=Mode.WORKING),
    )
    star = Return(
        id="star",
        name="shield can",
        star=True,
        place=Place(board="main board", part="shield can", pad=Pad.LUG),
    )
    host = Host(name="Pellow Portable", kind="portable_player", supply=SupplyClass.BATTERY, states=states, terminals=(star,),
                stages=(Stage(id="board", name="Main board", points=("star",)),))  # fmt: skip
    papers = add_connector(
        Job(
            name="Pellow Portable, wireless in",
            host=host,
            brief=Brief(wanted="No papers: find an input and a supply on J2."),
        ),
        "J2",
        8,
        against="star",
    )
    live = ("standby", "playing")
    pins = {t.place.position: t for t in papers.host.terminals if isinstance(t, Pin)}

    def at(position: int, kind: type, **more):  # type: ignore[no-untyped-def]
        pin = pins[position]
        return kind(id=pin.id, name=pin.name, place=pin.place, return_to="star", **more)

    found = [
        at(1, Rail, voltage=known(3.82, "V"), resistance=known(0.2, "Ω"), limit=known(0.6, "A"), used=known(0.05, "A"), states=live),
        at(2, Return),
        at(3, AudioIn, channel=Channel.LEFT, impedance=known(21e3, "Ω"), wanted=known(0.3, "V"), overload=known(1.2, "V"), dc=known(0.001, "V")),
        at(4, AudioIn, channel=Channel.RIGHT, impedance=known(22e3, "Ω"), wanted=known(0.3, "V"), overload=known(1.2, "V"), dc=known(0.002, "V")),
        at(5, Rail, voltage=known(5.04, "V"), resistance=known(0.35, "Ω"), limit=known(0.5, "A"), used=known(0.1, "A"), states=("playing",)),
        at(6, Digital, level=known(3.3, "V"), impedance=known(120.0, "Ω"), states=("playing",)),
        at(7, Control, level=known(3.25, "V"), impedance=known(47e3, "Ω"), states=("playing",)),
        at(8, Pin),
    ]  # fmt: skip
    found[1] = replace(found[1], return_to="")
    truth = replace(
        papers.host,
        terminals=(star, *found),
        paths=(Path(id="pin2_to_star", a=pins[2].id, b="star", resistance=known(0.12, "Ω")),),
    )
    return StandIn(title="Pellow Portable, no papers", papers=papers, truth=truth, seed=4)


def osmere() -> StandIn:
    """A disc player with digital lines, whose papers are wrong about one of them."""
    host = make_host("disc_player", "Osmere Disc Deck")
    pins = {"data": "12", "bit_clock": "13", "word_clock": "14"}
    chip = [
        Digital(id=f"u3_{n}", name=f"U3 pin {n}", return_to="star", wire=next(t for t in host.terminals if t.id == k).wire,  # type: ignore[union-attr]
                place=Place(board="main board", part="U3", pin=n, pad=Pad.CHIP_LEG), states=("idle", "playing"))
        for k, n in pins.items()
    ]  # fmt: skip
    spots = {"data": Place(board="main board", connector="CN6", position=2, pad=Pad.PIN), "bit_clock": Place(board="main board", connector="CN6", position=3, pad=Pad.PIN),
             "word_clock": Place(board="main board", connector="CN6", position=4, pad=Pad.PIN), "out_left": Place(board="output board", part="C71", pin="−", pad=Pad.ELECTROLYTIC),
             "out_right": Place(board="output board", part="C72", pin="−", pad=Pad.ELECTROLYTIC), "rail_5v": Place(board="main board", part="IC9", pin="output", pad=Pad.PIN),
             "star": Place(board="main board", part="C3", pin="−", pad=Pad.ELECTROLYTIC), "out_return": Place(board="output board", part="jack sleeve", pad=Pad.LUG)}  # fmt: skip
    terminals = tuple(
        replace(
            t,
            place=spots.get(t.id, t.place),
            alternatives=(Place(board="main board", part="R31", pad=Pad.SMD_0603),) if t.id == "data" else (),
            rings_to=f"u3_{pins[t.id]}" if t.id in pins else "",
            lacks=(Trait.ENCODED, Trait.ONE_BIT) if t.id in pins else (),
        )
        for t in host.terminals
    )
    papers = replace(host, terminals=(*terminals, *chip))
    values = {
        **{k: {"level": 4.9, "impedance": 90.0} for k in (*pins, *(f"u3_{n}" for n in pins.values()))},
        "out_left": {"emf": 2.05, "impedance": 470.0, "bias": 0.003},
        "out_right": {"emf": 2.03, "impedance": 475.0, "bias": 0.002},
        "rail_5v": {"voltage": 5.05, "resistance": 0.2, "limit": 0.8, "used": 0.4},
    }
    truth = replace(
        papers,
        terminals=tuple(true(t, **values.get(t.id, {})) for t in papers.terminals),
        paths=tuple(replace(p, resistance=known(0.09, "Ω")) for p in papers.paths),
    )
    return StandIn(
        title="Osmere Disc Deck, one line mislabelled",
        papers=Job(
            name="Osmere Disc Deck, digital out",
            host=papers,
            brief=Brief(wanted="A digital output from the converter's lines."),
        ),
        truth=truth,
        joints=(Joint(a="bit_clock", b="u3_13", ohm=0.2), Joint(a="word_clock", b="u3_14", ohm=0.2)),
        faults=("data: does not ring out to U3 pin 12",),
        seed=12,
    )


def told(text: str, unit: str) -> Known:
    """What papers say."""
    return parse_known(text, unit, Basis.DOCUMENTED, "its papers")


ON = (
    State(id="off", name="off", kind=Mode.OFF),
    State(id="on", name="on, pickup selected", kind=Mode.WORKING),
)


def amplifying(
    name: str, supply: SupplyClass, *sources: object, stage: str = "Input", **host: object
) -> Host:
    """A host with one input and its return, and where its energy comes from."""
    terminals = (
        AudioIn(id="pickup", name="pickup input", channel=Channel.MONO, return_to="pickup_return", impedance=told("100 .. 470 .. 1000 kΩ", "Ω"),
                wanted=told("250 mV ±30 %", "V"), dc=told("0 V ±10 mV", "V")),
        Return(id="pickup_return", name="pickup return"),
        *sources,
        Return(id="star", name="chassis at the reservoir", star=True),
    )  # fmt: skip
    stages = (
        Stage(id="input", name=stage, points=("pickup", "pickup_return")),
        Stage(id="power", name="Output stage", acts=(Act.AMPLIFY,)),
        Stage(
            id="supply",
            name="Supply",
            domain="supply",
            points=tuple(t.id for t in terminals if t.id not in ("pickup", "pickup_return")),
        ),
    )
    return Host(
        name=name, supply=supply, states=ON, stages=stages, terminals=terminals,
        paths=(Path(id="pickup_to_star", a="pickup_return", b="star"),), **host,
    )  # fmt: skip


def as_it_is(papers: Host, values: dict[str, dict[str, float]], **host: object) -> Host:
    """The true host: true values of its points, its grounds joined by a little."""
    return replace(
        papers, terminals=tuple(true(t, **values.get(t.id, {})) for t in papers.terminals),
        paths=tuple(replace(p, resistance=known(0.12, "Ω")) for p in papers.paths), **host,
    )  # fmt: skip


HEARD = {"pickup": {"impedance": 470e3, "wanted": 0.24, "overload": 2.0, "dc": 0.001}}


def quillfen() -> StandIn:
    """A valve radio whose heater winding has one end on the chassis; its papers do not say which."""
    ends = [WindingEnd(id="heater_a", name="heater, pin 4"), WindingEnd(id="heater_b", name="heater, pin 5")]
    winding = Winding(
        id="heater",
        name="heater winding",
        first="heater_a",
        second="heater_b",
        open=told("6.3 .. 6.8 .. 7.5 V", "V"),
        rated=told("2 A", "A"),
    )
    papers = amplifying("Quillfen Six", SupplyClass.VALVE, *ends, stage="Pickup input", windings=(winding,))
    true_winding = replace(
        winding,
        earthed=Earthed.SECOND,
        open=known(6.92, "V"),
        resistance=known(0.38, "Ω"),
        rated=known(2.0, "A"),
    )
    truth = as_it_is(papers, HEARD, windings=(true_winding,))
    brief = Brief(wanted="Play a telephone through the pickup input, the receiver fed from the heaters.")
    return StandIn(
        title="Quillfen Six, valve radio with a heater winding on its chassis", truth=truth, seed=17,
        papers=Job(name="Quillfen Six, wireless in", host=papers, brief=brief),
    )  # fmt: skip


def marrowby() -> StandIn:
    """A mixer on a 12 V AC adapter; its papers hide that one leg is the signal ground."""
    ends = [
        WindingEnd(id="leg_a", name="adapter socket, centre"),
        WindingEnd(id="leg_b", name="adapter socket, sleeve"),
    ]
    winding = Winding(
        id="adapter", name="12 V AC adapter", first="leg_a", second="leg_b", earthed=Earthed.NONE, open=told("12 V ±5 %", "V"),
        rated=told("1 A", "A"),
    )  # fmt: skip
    papers = amplifying(
        "Marrowby Desk", SupplyClass.ADAPTER_AC, *ends, stage="Line input", windings=(winding,)
    )
    true_winding = replace(
        winding,
        earthed=Earthed.SECOND,
        open=known(13.4, "V"),
        resistance=known(1.5, "Ω"),
        rated=known(1.0, "A"),
    )
    truth = as_it_is(papers, HEARD, windings=(true_winding,))
    return StandIn(
        title="Marrowby Desk, mixer on an AC adapter", truth=truth, seed=23,
        faults=("the papers say that no leg of the adapter is on the ground; the sleeve is", "the adapter reads 13.4 V where 12 V is printed"),
        papers=Job(name="Marrowby Desk, wireless in", host=papers, brief=Brief(wanted="A wireless receiver inside, fed from the same adapter.")),
    )  # fmt: skip


def tarnhow() -> StandIn:
    """A pocket radio on a lithium cell that draws more while it is off than its papers say."""
    rail = Rail(
        id="cell", name="cell, plus", return_to="star", voltage=told("3.0 .. 3.7 .. 4.2 V", "V"), resistance=told("0.1 .. 0.2 .. 0.4 Ω", "Ω"),
        limit=told("1 A", "A"), used=told("35 mA ±20 %", "A"), per_state=(RailState(state="off", used=told("20 µA ±20 %", "A")),),
    )  # fmt: skip
    battery = Battery(id="cell", name="lithium cell", rail="cell", chemistry=Chemistry.LITHIUM, capacity=told("1200 mAh", "Ah"),
                      resistance=told("0.1 .. 0.2 .. 0.4 Ω", "Ω"), protected=True)  # fmt: skip
    papers = amplifying("Tarnhow Pocket", SupplyClass.BATTERY, rail, batteries=(battery,))
    values = HEARD | {"cell": {"voltage": 3.84, "resistance": 0.22, "limit": 1.0, "used": 0.036}}
    truth = as_it_is(papers, values)
    truth = replace(truth, terminals=tuple(
        replace(t, per_state=(RailState(state="off", used=known(0.0042, "A")),)) if t.id == "cell" else t for t in truth.terminals
    ))  # fmt: skip
    return StandIn(
        title="Tarnhow Pocket, radio on a lithium cell", truth=truth, seed=31,
        faults=("off, it draws 4.2 mA and not 20 µA",),
        papers=Job(name="Tarnhow Pocket, wireless in", host=papers, brief=Brief(wanted="A wireless receiver inside, on its cell."),
                   day=(Hours(state="on", hours=1.5), Hours(state="off", hours=22.5))),
    )  # fmt: skip


if __name__ == "__main__":
    for name, made in (
        ("brindle", brindle()),
        ("pellow", pellow()),
        ("osmere", osmere()),
        ("quillfen", quillfen()),
        ("marrowby", marrowby()),
        ("tarnhow", tarnhow()),
    ):
        check_stand_in(made)
        (DATA / f"{name}.standin").write_bytes(encode(made))
        print(DATA / f"{name}.standin")
