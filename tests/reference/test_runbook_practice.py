"""The runbook against what the trade holds. Common practice, no source, unless a line says otherwise."""

from __future__ import annotations

import math

import pytest

from pigtail.bench.walked import proved
from pigtail.catalogue.demo import demo
from pigtail.catalogue.kinds import make_module
from pigtail.edits.host import add_point
from pigtail.edits.plan import put_supply, set_converter
from pigtail.edits.values import add_module, new_job, set_value
from pigtail.job.document import Host, Job, Mode, Rail, Return, State, SupplyClass
from pigtail.job.meters import meter
from pigtail.job.steps import Power
from pigtail.studies.survey.discharge import seconds_to
from pigtail.units import Basis, Known
from pigtail.units.wire import ohm_per_m

#: The hold points that every job has, in the words of practice, and the kinds of steps that are them.
ALWAYS = {
    "unplugged and discharged": ("empty", "drain"),
    "no short between supply and return": ("no_short",),
    "supply at the plug, unloaded": ("plug_open",),
    "supply at the plug, under a dummy load": ("plug_loaded",),
    "DC at each audio tap": ("tap_dc",),
    "a second look at chips, diodes, electrolytics, connectors": ("second_look",),
    "first power through a limit": ("on_limited",),
    "signal at low volume": ("first_sound",),
    "idle noise, module on": ("noise_on",),
    "idle noise, module off": ("noise_off",),
    "each host state": ("state",),
    "original functions": ("original",),
    "warmed up": ("warm",),
    "everything again after closing": ("again",),
}


@pytest.fixture(scope="module")
def amplifier() -> Job:
    """A receiver in a mains amplifier, with a little board."""
    return set_converter(demo("larkmoor").job, "supply", "isolated_wide")


@pytest.mark.parametrize("practice", ALWAYS)
def test_the_hold_points_of_practice_are_there(amplifier: Job, practice: str) -> None:
    """Each is a hold point, with a range or a question of its own."""
    found = [s.step for s in proved(amplifier).stands if s.step.kind in ALWAYS[practice]]
    assert found
    assert all(s.hold is not None and (s.hold.words or s.hold.question) for s in found)


def test_the_order_of_work_is_that_of_practice(amplifier: Job) -> None:
    """Know it, open it, prototype, board, wires, inspection, supply, module, proof open, close, proof closed, record."""
    order = [s.step.kind for s in proved(amplifier).stands]
    wanted = (
        "heed", "works", "photo_outside", "unplug", "open", "empty", "photo_inside", "clip", "try", "second_look", "wire", "inspect", "no_short",
        "plug_open", "plug_loaded", "join", "joined_v", "first_sound", "both", "state", "original", "warm", "tidy", "close", "again", "record",
    )  # fmt: skip
    places = [order.index(k) for k in wanted]
    assert places == sorted(places)


def test_light_then_lock_then_sound() -> None:
    """Of a module with a light and a radio: supply, light, lock, sound."""
    job = demo("larkmoor").job
    from msgspec.structs import replace

    module = replace(make_module("wireless_receiver_linked", "rx"), id="rx")
    order = [
        s.step.kind
        for s in proved(replace(set_converter(job, "supply", "isolated_wide"), modules=(module,))).stands
    ]
    places = [order.index(k) for k in ("joined_v", "light", "lock", "first_sound", "both")]
    assert places == sorted(places)


def rail_job(length_m: float) -> Job:
    """A module on a 5.1 V rail behind 0.1 Ω by plain wires of AWG 26."""
    states = (State(id="off", name="off", kind=Mode.OFF), State(id="on", name="on", kind=Mode.WORKING))
    star = Return(id="star", name="star", star=True)
    job = new_job(
        "A rail", Host(name="A host", supply=SupplyClass.ADAPTER_DC, states=states, terminals=(star,))
    )

    def known(value: float, unit: str) -> Known:
        return Known.of(value, unit, Basis.DOCUMENTED)

    job = add_point(
        job,
        Rail(
            id="five",
            name="5 V",
            voltage=known(5.1, "V"),
            resistance=known(0.1, "Ω"),
            limit=known(1.0, "A"),
            used=known(0.05, "A"),
        ),
    )
    job = add_module(job, make_module("wireless_transmitter_5v", "tx"))
    for field, value, unit in (
        ("minimum", 4.5, "V"),
        ("maximum", 5.5, "V"),
        ("average", 0.05, "A"),
        ("burst", 0.14, "A"),
    ):
        job = set_value(job, "tx.supply", field, known(value, unit))
    job = put_supply(job, "tx.supply", "host.five", ("direct",))
    links = tuple(
        link.__class__(**{f: getattr(link, f) for f in link.__struct_fields__} | {"joins": tuple(
            j.__class__(port=j.port, terminal=j.terminal, conductor=j.conductor.__class__(gauge=26, length=known(length_m, "m")))
            for j in link.joins)}) for link in job.links)  # fmt: skip
    return job.__class__(**{f: getattr(job, f) for f in job.__struct_fields__} | {"links": links})


def test_the_plug_reads_what_a_divider_gives() -> None:
    """By hand: open, the meter's 10 MΩ behind rail and wires; loaded, V·R/(R + Rs + all wire in the loop), the wire by IEC 60028 and ASTM B258."""
    job = rail_job(0.5)
    ports = [
        (x.id, j.port) for x in job.links for j in x.joins if x.sections[0].topology in ("direct", "wire")
    ]
    wire = len(ports) * 0.5 * ohm_per_m(26)
    source = 5.1  # as it stands while the host draws its own
    stands = {s.step.kind: s.step for s in proved(job).stands}
    load = stands["plug_loaded"].hold.ask.load
    assert load == 33.0  # 5 V / 140 mA is 35.7 Ω: the nearest of E12
    opened = source * meter("handheld").dc_ohm / (meter("handheld").dc_ohm + 0.1 + wire)
    loaded = source * load / (load + 0.1 + wire)
    assert stands["plug_open"].hold.expected == pytest.approx(opened, abs=2e-3)
    assert stands["plug_loaded"].hold.expected == pytest.approx(loaded, abs=6e-3)
    heat = 5.5**2 / load
    assert f"{1000 * round(heat, 2):.0f} mW" in stands["plug_loaded"].heed


def test_the_wait_is_that_of_the_reservoir() -> None:
    """t = R·C·ln(V0/V) to 10 V, over the worst of what is known: 4700 µF at 35 V through 2.2 kΩ takes 13 s."""
    from msgspec.structs import replace

    job = demo("larkmoor").job
    host = replace(
        job.host, reservoir=Known.of(4.7e-3, "F", Basis.DOCUMENTED), reservoir_volts=Known.of(35.0, "V", Basis.DOCUMENTED),
        bleeder=Known.of(2200.0, "Ω", Basis.DOCUMENTED),
    )  # fmt: skip
    wait = 2200.0 * 4.7e-3 * math.log(35 / 10)
    assert seconds_to(35.0, 10.0, 2200.0, 4.7e-3) == pytest.approx(wait)
    unplug = next(s.step for s in proved(replace(job, host=host)).stands if s.step.kind == "unplug")
    assert f"Wait {wait:.0f} s for 10 V" in unplug.says


def test_what_is_soldered_is_soldered_without_power(amplifier: Job) -> None:
    """No iron near what is plugged in, and no meter on what is unplugged but for ohms and the reservoir."""
    for stand in proved(amplifier).stands:
        step = stand.step
        if step.kind in ("wire", "lift", "cut", "fit", "mount", "join", "drill"):
            assert step.power is Power.OFF
        if step.hold is not None and step.hold.ask is not None and step.power is Power.OFF:
            assert step.hold.ask.unpowered
