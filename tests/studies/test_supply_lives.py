"""The other lives of a supply: every state in which a module is fed, and all that it does; and rails that modules are put onto."""

from __future__ import annotations

from typing import Any

import pytest
from msgspec.structs import replace

from pigtail.advice.remedies import advised
from pigtail.catalogue.kinds import make_module
from pigtail.edits import add_module, set_part
from pigtail.edits.plan import add_second_rail, drop_from_supply, put_supply
from pigtail.edits.usual import return_link, supply_link
from pigtail.job.document import Job
from pigtail.job.energy import Battery, Chemistry, KeptBy, RailState, Regulator
from pigtail.job.errors import EditError
from pigtail.model.model import Model
from pigtail.studies.all import study_job
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.power.found import PowerFound
from pigtail.studies.power.study import study_power
from pigtail.units import Basis
from pigtail.units.known import Known
from supplying import PIN, battery_job, rail_job, volts, winding_job


def told(job: Job) -> dict[str, Finding]:
    """The findings of Power by their code."""
    return {f.code: f for f in study_power(Model.of(job)).findings}


def permanent(**state: Any) -> Job:
    """A module on a rail that stands while the host is off, with what is told of it there."""
    told_off = (RailState(state="off", **{k: volts(*v) for k, v in state.items()}),)
    return rail_job("direct", "5 V ±1 %", states=("off", "on"), per_state=told_off)


#: A module that takes what any regulator of 5 V gives, and little of it.
EASY = {
    "minimum": volts("4.5 V"), "maximum": volts("5.5 V"), "average": volts("45 mA", "A"), "burst": volts("70 mA", "A"),
}  # fmt: skip
CASES = [
    ("it draws more while it searches than in a burst", rail_job("direct", "5 V ±1 %", limit=volts("0.25 A", "A"),
     pin={"searching": volts("230 mA", "A")}), rail_job("direct", "5 V ±1 %", limit=volts("0.25 A", "A"),
     pin={"searching": volts("60 mA", "A")}), "power.living_rail_overload"),
    ("a standby rail gives less than the rail of the running host", permanent(limit=("60 mA", "A")), permanent(limit=("600 mA", "A")),
     "power.living_rail_overload"),
    ("the host draws more from it while it waits", permanent(used=("0.95 A", "A")), permanent(used=("0.1 A", "A")),
     "power.living_rail_overload"),
    ("the rail falls while the host waits", permanent(voltage=("4.4 V",)), permanent(voltage=("5 V ±1 %",)), "power.living_low"),
    ("a regulator cooks while it transmits", rail_job("linear_large", "12 V ±2 %", pin=EASY | {"transmitting": volts("350 mA", "A")}),
     rail_job("linear_large", "12 V ±2 %", pin=EASY | {"transmitting": volts("60 mA", "A")}), "power.living_overheats"),
    ("a small regulator cannot charge a cell", rail_job("linear", "7.5 V ±2 %", pin=EASY | {"charging": volts("300 mA", "A")}),
     rail_job("linear", "7.5 V ±2 %", pin=EASY | {"charging": volts("60 mA", "A")}), "power.living_overload"),
]  # fmt: skip


@pytest.mark.parametrize(("words", "wrong", "right", "code"), CASES, ids=[c[0] for c in CASES])
def test_a_life_besides_playing_is_judged(words: str, wrong: Job, right: Job, code: str) -> None:
    """The mistake is a fix; its twin has nothing of it."""
    found = told(wrong)
    assert found[code].severity is Severity.FIX, words
    twin = told(right)
    assert not {c for c in twin if c.startswith("power.living")}, words


def test_what_nobody_told_is_not_invented() -> None:
    """A module of which only playing is told, on a rail that goes off with the host: nothing more is said."""
    found = told(rail_job("direct", "5 V ±1 %", states=("on",)))
    assert not {c for c in found if "liv" in c or "dip" in c}


def test_a_rail_of_unknown_room_is_said_once() -> None:
    """Where nobody knows what the rail can give, playing is unknown already, and no state makes that better or says it again."""
    found = told(rail_job("direct", "5 V ±1 %", limit=None, states=("off", "on")))
    assert found["power.rail"].severity is Severity.UNKNOWN
    assert not {c for c in found if "living" in c}


def test_a_winding_is_drawn_from_by_the_most_that_a_module_draws() -> None:
    """Transmitting takes more from the winding than playing does, and leaves less room above dropout."""
    plain, heavy = (
        study_power(Model.of(winding_job(pin=p))).supplies[0].numbers
        for p in ({}, {"transmitting": volts("300 mA", "A")})
    )
    assert heavy["winding_a"].value > 1.5 * plain["winding_a"].value  # type: ignore[operator]
    assert heavy["dropout_margin_v"].low < plain["dropout_margin_v"].low - 0.5


def test_a_battery_lasts_by_what_a_module_draws_while_it_waits() -> None:
    """On a permanent rail, a receiver that searches takes what it is told to while nobody plays."""
    days = []
    for searching in ("3 mA", "30 mA"):
        job = battery_job(states=("off", "on"), pin={"searching": volts(searching, "A")})
        battery = study_power(Model.of(job)).supplies[0].battery
        assert battery is not None
        days.append(next(x.hours.value for x in battery.lasting if x.state == "off"))
    # 1 Ah · 0.8 · 0.85 of age over what searches and 1 mA of the host's own
    assert days[0] == pytest.approx(0.8 * 0.85 / 4e-3, rel=0.05)
    assert days[1] == pytest.approx(0.8 * 0.85 / 31e-3, rel=0.05)


def test_empty_capacitors_pull_a_rail_down() -> None:
    """470 µF put onto 100 µF behind half an ohm is a watch, 47 µF onto 4700 µF is not; of capacitors that nobody knows nothing is good."""
    store = {"resistance": volts("0.5 Ω", "Ω")}

    def dip(on_rail: str, on_board: str) -> dict[str, Finding]:
        rail = store | ({"store": volts(on_rail, "F")} if on_rail else {})
        return told(rail_job("direct", "5 V ±1 %", pin={"capacitance": volts(on_board, "F")}, **rail))

    assert dip("100 µF", "470 µF")["power.dips"].severity is Severity.WATCH
    assert dip("4700 µF", "47 µF")["power.dips_little"].severity is Severity.GOOD
    assert dip("", "470 µF")["power.dip"].severity is Severity.UNKNOWN


def test_what_is_advised_mends_a_standby_rail() -> None:
    """A rail that cannot carry the module while the host waits: each remedy, studied again, has none of it."""
    job = permanent(limit=("60 mA", "A"))
    power = advised(job, study_job(job)).of(PowerFound)
    (finding,) = (f for f in power.findings if f.code == "power.living_rail_overload")
    assert finding.remedies
    for remedy in finding.remedies:
        assert "power.living_rail_overload" not in told(remedy.edit(job)), remedy.label


def two_rails(
    second_v: str = "5 V ±1 %", *, limit: str = "1 A", joined: bool = True, minimum: str = "4.2 V"
) -> Job:
    """A module on a rail that is up while the host runs, and on another that is up always, through a diode each."""
    pin = {"minimum": volts(minimum), "maximum": volts("5.6 V")}
    job = rail_job("direct", "5.5 V ±1 %", states=("on",), pin=pin)
    rail = next(t for t in job.host.terminals if t.id == "rail")
    standby = replace(
        rail,
        id="standby",
        name="standby",
        voltage=volts(second_v),
        limit=volts(limit, "A"),
        states=("off", "on"),
    )
    job = replace(job, host=replace(job.host, terminals=(*job.host.terminals, standby)))
    return add_second_rail(job, "supply", "host.standby") if joined else job


def test_the_higher_of_two_rails_feeds() -> None:
    """5.5 V while the host runs, 5 V while it does not, a diode less each; both are named, nothing is joined that drives the other."""
    job = two_rails()
    found = told(job)
    assert "power.rails_joined" not in found
    assert "rail feeds it while “on”" in found["power.either"].sentence
    assert "standby feeds it while “off”" in found["power.either"].sentence
    power = study_power(Model.of(job)).supplies[0]
    assert power.rail == "host.rail"
    assert power.numbers["module_v"].value == pytest.approx(5.5 - 0.3, abs=0.1)
    off = next(m for m in power.moments if (m.state, m.doing) == ("off", "in a burst"))
    assert off.volts.value == pytest.approx(5.0 - 0.35, abs=0.1)


@pytest.mark.parametrize(
    ("job", "code"),
    [
        (two_rails(minimum="4.85 V"), "power.living_low"),
        (two_rails(limit="60 mA"), "power.living_rail_overload"),
        (two_rails("70 V"), "power.either_breaks"),
    ],
)
def test_what_is_wrong_with_two_rails_is_told(job: Job, code: str) -> None:
    """A drop too much for the module, a standby rail too weak, a rail that is more than a diode stands: none of it of the twin."""
    assert told(job)[code].severity in (Severity.FIX, Severity.STOP)
    assert code not in told(two_rails())


def test_two_rails_on_one_pin_without_diodes_are_a_stop() -> None:
    """The higher would drive the other."""
    job = two_rails(joined=False)
    second = supply_link(job, "supply_2", "host.standby", PIN, "direct")
    found = told(replace(job, links=(*job.links, second)))
    assert found["power.two_supplies"].severity is Severity.STOP


def test_a_second_rail_is_taken_out_again_and_what_is_none_is_refused() -> None:
    """Out of it again the first rail is joined straight; a return, the same rail, a third one are refused in a sentence."""
    job = two_rails()
    back = drop_from_supply(job, "supply", 0)
    assert back.links[0].starts == ("host.rail",)
    assert [s.topology for s in back.links[0].sections] == ["direct"]
    for rail, of in (("host.star", back), ("host.rail", back), ("host.standby", job)):
        with pytest.raises(EditError):
            add_second_rail(of, "supply", rail)


def beside_an_adapter(cell_v: str = "4.8 V ±15 %", *, minimum: str = "3.3 V") -> Job:
    """A module on an adapter's rail that is there while the host is on, and on a cell that is there always."""
    job = two_rails(cell_v, minimum=minimum)
    cell = Battery(id="cell", name="cell", rail="standby", chemistry=Chemistry.NICKEL, series=4, capacity=volts("2 Ah", "Ah"),
                   resistance=volts("0.2 Ω", "Ω"), empty=volts("1 V"))  # fmt: skip
    off = RailState(state="off", used=volts("5 mA", "A"))
    terminals = tuple(replace(t, per_state=(off,)) if t.id == "standby" else t for t in job.host.terminals)
    return replace(job, host=replace(job.host, batteries=(cell,), terminals=terminals))


def test_a_cell_beside_an_adapter_lasts_where_it_feeds() -> None:
    """While the adapter is there next to nothing is taken from the cell; alone it carries the module, and must do so when it is empty."""
    power = study_power(Model.of(beside_an_adapter())).supplies[0]
    assert power.battery is not None
    hours = {x.state: x.hours for x in power.battery.lasting}
    assert hours["off"].value is not None
    # 2 Ah · 0.8 · 0.85 over 45 mA and what the host draws from the rail, 5 mA
    assert hours["off"].value == pytest.approx(2 * 0.8 * 0.85 / 0.05, rel=0.05)
    assert told(beside_an_adapter())["power.battery_carries"].severity is Severity.GOOD
    assert told(beside_an_adapter(minimum="3.9 V"))["power.battery_sags"].severity is Severity.FIX


def charged(rail_v: str = "5 V ±2 %", *, rprog: float = 4.7e3, minimum: str = "2.9 V", **pin: str) -> Job:
    """A module on a cell of its own, charged from a rail through a resistor that sets the current."""
    given = {"minimum": volts(minimum), "burst": volts("80 mA", "A")} | {
        k: volts(v, "A") for k, v in pin.items()
    }
    job = rail_job("charger_cell", rail_v, kind="wireless_receiver_low", states=("on",), pin=given)
    return set_part(job, "supply", 0, "rprog", Known.of(rprog, "Ω", Basis.DOCUMENTED))


CHARGES = [
    ("charged faster than the cell stands", charged(rprog=820.0), "power.charge_too_high", Severity.STOP),
    ("a charger that cooks", charged("7 V ±2 %", rprog=1.2e3), "power.charger_hot", Severity.FIX),
    ("a rail too low to fill it", charged("4 V ±2 %"), "power.charger_starved", Severity.FIX),
    ("more than the charger stands", charged("12 V ±2 %"), "power.input_over_voltage", Severity.STOP),
    ("a module that needs more than an empty cell", charged(minimum="3.5 V"), "power.battery_sags", Severity.FIX),
    ("it draws more than what charges", charged(rprog=18e3, average="150 mA", burst="160 mA"), "power.empties_playing", Severity.WATCH),
]  # fmt: skip


@pytest.mark.parametrize(("words", "job", "code", "severity"), CHARGES, ids=[c[0] for c in CHARGES])
def test_a_cell_with_its_charger_is_judged(words: str, job: Job, code: str, severity: Severity) -> None:
    """The mistake with its severity; the clean twin, 5 V and 255 mA into 1 Ah, has none of it."""
    assert told(job)[code].severity is severity, words
    twin = told(charged())
    assert code not in twin or twin[code].severity is Severity.GOOD
    # 1200 V over the resistor, into 1 Ah, a fifth more than was missing
    assert twin["power.charge_suits"].value == pytest.approx(1200 / 4.7e3, rel=0.01)


def test_a_cell_plays_on_without_its_host() -> None:
    """Alone it lasts four fifths of its capacity over what is drawn; that it plays on is said."""
    found = told(charged(average="40 mA"))
    assert "alone it lasts about 20 h" in found["power.fills_playing"].sentence  # 1 Ah · 0.8 / 40 mA
    assert found["power.plays_on"].severity is Severity.WATCH


@pytest.mark.parametrize("job", [charged(rprog=820.0), charged(rprog=1e3)], ids=["too fast", "too hot"])
def test_a_charge_is_slowed_down_by_what_is_advised(job: Job) -> None:
    """Another resistor is offered, and studied again the charge suits and the charger is no worse than a catch."""
    power = advised(job, study_job(job)).of(PowerFound)
    offered = [
        r
        for f in power.findings
        if f.judgement in ("power.charge_rate", "power.charger_hot")
        for r in f.remedies
    ]
    assert offered
    assert any(
        not [
            c
            for c, f in told(r.edit(job)).items()
            if c.startswith("power.charge") and f.severity in (Severity.STOP, Severity.FIX)
        ]
        for r in offered
    )


def two_modules(limit: str, charging: str) -> Job:
    """Two modules on one rail, one of which also charges a cell of its own."""
    job = rail_job("direct", "5 V ±1 %", limit=volts(limit, "A"), used=volts("0 A", "A"), states=("on",),
                   pin={"charging": volts(charging, "A")})  # fmt: skip
    job = add_module(job, make_module("wireless_receiver_5v", "tx"))
    links = (
        supply_link(job, "supply_2", "host.rail", "tx.supply", "direct"),
        return_link("ret_2", "Return", "tx.supply_return", "host.star", 20),
    )
    return replace(job, links=(*job.links, *links))


def test_one_charges_while_the_other_bursts() -> None:
    """300 mA and a burst of 130 mA are more than 400 mA, though neither burst alone nor both averages are."""
    assert told(two_modules("0.4 A", "300 mA"))["power.living_rail_overload"].severity is Severity.FIX
    assert not {c for c in told(two_modules("0.7 A", "300 mA")) if c.startswith("power.living")}


def test_what_lasts_heats_the_hosts_own_regulator_and_what_stands_behind_the_pin() -> None:
    """Playing alone both stay cool; transmitting for long they do not."""
    regulator = Regulator(fed=volts("12 V"), theta=volts("30 °C/W", "°C/W"))
    kept = {
        "kept": KeptBy.LINEAR,
        "regulator": regulator,
        "used": volts("0.05 A", "A"),
        "limit": volts("1.5 A", "A"),
    }
    for transmitting, hot in (("700 mA", True), ("60 mA", False)):
        busy = {"transmitting": volts(transmitting, "A")}
        found = told(rail_job("direct", "5 V ±1 %", states=("on",), pin=busy, **kept))
        (finding,) = (f for f in found.values() if f.judgement == "power.host_regulator")
        assert (finding.severity is Severity.FIX) is hot
        behind = told(
            rail_job(
                "direct", "9 V ±1 %", states=("on",), pin=busy | {"behind": "78M05", "maximum": volts("12 V")}
            )
        )
        (finding,) = (f for f in behind.values() if f.judgement == "power.behind_hot")
        assert (finding.severity is Severity.GOOD) is not hot


def test_a_fuse_carries_what_lasts() -> None:
    """A fuse that carries playing goes while the module transmits."""
    for transmitting, holds in (("900 mA", False), ("50 mA", True)):
        job = rail_job(
            "direct",
            "5 V ±1 %",
            states=("on",),
            limit=volts("3 A", "A"),
            pin={"transmitting": volts(transmitting, "A")},
        )
        found = told(put_supply(job, PIN, "host.rail", ("supply_fuse",)))
        (finding,) = (f for f in found.values() if f.judgement == "power.fuse_holds")
        assert (finding.severity is Severity.GOOD) is holds


def test_two_rails_that_are_alike_both_feed() -> None:
    """Neither is said to feed in no state."""
    job = two_rails("5.5 V ±1 %")
    assert "no state" not in told(job)["power.either"].sentence


def test_a_cell_is_charged_from_a_winding_and_the_charger_heats_at_high_mains() -> None:
    """Behind a rectifier the chip is judged by the mean at high mains, and stands no more than it is made for."""
    pin = {"minimum": volts("2.9 V"), "burst": volts("80 mA", "A")}
    low, high = (
        told(
            winding_job("half_wave_schottky", "charger_cell", open_v=v, kind="wireless_receiver_low", pin=pin)
        )
        for v in ("5 V", "7 V")
    )
    assert high["power.input_over_voltage"].severity is Severity.STOP
    assert "power.input_over_voltage" not in low
    assert {f.judgement for f in low.values()} >= {
        "power.charger_hot",
        "power.charge_rate",
        "power.charger_fed",
    }


@pytest.mark.parametrize("rail_v", ["-5 V ±1 %", "0.5 V"])
def test_nothing_is_good_of_a_rail_that_cannot_feed(rail_v: str) -> None:
    """A negative rail, a rail of next to nothing: no life of it is good, and no dip is."""
    pin = {"searching": volts("60 mA", "A"), "capacitance": volts("470 µF", "F")}
    found = told(rail_job("direct", rail_v, pin=pin, store=volts("100 µF", "F"), states=("off", "on")))
    assert {"power.reversed", "power.under_voltage", "power.living_low"} & set(found)
    assert not [
        f
        for f in found.values()
        if f.severity is Severity.GOOD and f.code in ("power.lives", "power.dips_little")
    ]
