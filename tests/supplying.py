"""Jobs of a supply each: a module on a winding, on a battery, on a rail that the host's own regulator keeps."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from feeds import known
from pigtail.catalogue.kinds import make_module
from pigtail.edits.usual import return_link, supply_link, winding_link
from pigtail.job.document import HOST, Host, Job, Mode, Rail, Return, State, SupplyClass, SupplyIn, WindingEnd
from pigtail.job.energy import Battery, Chemistry, Earthed, Hours, RailState, Winding
from pigtail.units import Basis
from pigtail.units.entry import parse_known
from pigtail.units.known import Known

PIN = "rx.supply"
STATES = (State(id="off", name="off", kind=Mode.OFF), State(id="on", name="on", kind=Mode.WORKING))
CASE = parse_known("30 .. 35 .. 40 °C", "°C", Basis.DOCUMENTED)


def volts(text: str, unit: str = "V") -> Known:
    """A documented value from text."""
    return parse_known(text, unit, Basis.DOCUMENTED)


def module_of(kind: str, **pin: Any) -> Any:
    """A module of the catalogue, some values of its supply pin changed."""
    made = make_module(kind, "rx")
    terminals = tuple(replace(t, **pin) if isinstance(t, SupplyIn) else t for t in made.terminals)
    return replace(made, terminals=terminals)


def winding_job(
    *keys: str,
    open_v: str = "6.9 V",
    ohm: str = "0.4 Ω",
    rated: str = "1 A",
    earthed: Earthed = Earthed.SECOND,
    tapped: bool = False,
    kind: str = "wireless_receiver_5v",
    pin: dict[str, Any] | None = None,
    **winding: Any,
) -> Job:
    """A module on a winding through these networks: a heater winding of 6.3 V unless said otherwise, its second end on the ground."""
    ends = [WindingEnd(id="w_a", name="one end"), WindingEnd(id="w_b", name="other end")]
    ends += [WindingEnd(id="w_t", name="tap")] if tapped else []
    made = Winding(
        id="ac", name="heater winding", first="w_a", second="w_b", tap="w_t" if tapped else "", earthed=earthed,
        open=volts(open_v) if open_v else None, resistance=volts(ohm, "Ω") if ohm else None, rated=volts(rated, "A") if rated else None,
        **({"used": volts("0 A", "A")} | winding),
    )  # fmt: skip
    host = Host(
        name="Test host", supply=SupplyClass.ADAPTER_AC, states=STATES,
        terminals=(Return(id="star", name="star", star=True), *ends), windings=(made,),
    )  # fmt: skip
    job = Job(host=host, modules=(module_of(kind, **(pin or {})),), ambient=CASE)
    links = (
        winding_link(job, "supply", made, PIN, *(keys or ("half_wave_schottky", "ldo"))),
        return_link("supply_return", "Supply return", "rx.supply_return", "host.star", 20),
    )
    return replace(job, links=links)


def rail_job(
    key: str = "direct",
    rail_v: str = "5 V ±2 %",
    *,
    supply: SupplyClass = SupplyClass.MAINS_ISOLATED,
    kind: str = "wireless_receiver_5v",
    pin: dict[str, Any] | None = None,
    battery: Battery | None = None,
    **rail: Any,
) -> Job:
    """A module on a rail of the host through a converter."""
    made = Rail(
        id="rail", name="rail", voltage=volts(rail_v), resistance=rail.pop("resistance", known(0.1, "Ω")),
        limit=rail.pop("limit", known(1.0, "A", 0.0)), used=rail.pop("used", known(0.04, "A")), **rail,
    )  # fmt: skip
    host = Host(
        name="Test host", supply=supply, states=STATES, terminals=(Return(id="star", name="star", star=True), made),
        batteries=(battery,) if battery is not None else (),
    )  # fmt: skip
    job = Job(host=host, modules=(module_of(kind, **(pin or {})),), ambient=CASE)
    links = (
        supply_link(job, "supply", f"{HOST}.rail", PIN, key),
        return_link("supply_return", "Supply return", "rx.supply_return", "host.star", 20),
    )
    return replace(job, links=links)


def battery_job(
    key: str = "direct",
    rail_v: str = "3.7 V ±12 %",
    *,
    states: tuple[str, ...] = ("on",),
    kind: str = "wireless_receiver_low",
    off_a: str = "1 mA",
    pin: dict[str, Any] | None = None,
    **cell: Any,
) -> Job:
    """A module on a lithium cell of a host unless said otherwise, two hours a day in use."""
    given: dict[str, Any] = {
        "chemistry": Chemistry.LITHIUM, "capacity": volts("1 Ah", "Ah"), "resistance": volts("0.15 Ω ±30 %", "Ω"), "protected": True,
    }  # fmt: skip
    job = rail_job(
        key, rail_v, supply=SupplyClass.BATTERY, kind=kind, pin=pin, states=states,
        battery=Battery(id="cell", name="cell", rail="rail", **(given | cell)),
        per_state=(RailState(state="off", used=volts(off_a, "A")),),
    )  # fmt: skip
    return replace(job, day=(Hours(state="on", hours=2.0), Hours(state="off", hours=22.0)))
