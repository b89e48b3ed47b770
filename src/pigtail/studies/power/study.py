"""Power: the volts at the module's pins, the rail's current, the converter's room and heat, solved in every host state.

All from operating points of the netlist, with the module drawing its average and then its burst current; what it wants and
does not get is not drawn. Heat: power in less power out of a converter; Tj = Ta + P·θJA. Dropout margin:
Vin − Vout − dropout at the burst. Limits and words stand in the table of judgements.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from pigtail.catalogue.topologies import Does, does
from pigtail.job.document import HOST, Job, Link, Mode, Purpose, Rail, SupplyClass, SupplyIn, alive
from pigtail.job.energy import Winding
from pigtail.job.windings import winding_at, winding_of
from pigtail.job.wiring import addresses_of, pin_of, rail_of, rails_of, return_address, supply_links
from pigtail.language import tr
from pigtail.model.course import alternating
from pigtail.model.estimate import Estimate
from pigtail.model.model import Model
from pigtail.model.terminals import winding_live
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.parts import study_parts
from pigtail.studies.power.alternating import WindingSupply
from pigtail.studies.power.around import feet_unknown, playing_for_nothing, surrounding
from pigtail.studies.power.battery import BatterySupply, battery_of
from pigtail.studies.power.cell import cell_of
from pigtail.studies.power.dip import dip_findings
from pigtail.studies.power.either import either_findings
from pigtail.studies.power.found import BatteryDetail, PowerFound, StateRow, SupplyDetail
from pigtail.studies.power.fuses import fuse_findings
from pigtail.studies.power.hostside import behind_pin, host_regulator
from pigtail.studies.power.living import lives_of
from pigtail.studies.power.ports import port_findings
from pigtail.studies.power.stages import stage_findings
from pigtail.studies.power.supply import DirectSupply
from pigtail.studies.power.trap import trap_findings
from pigtail.studies.wording import listed, tell

#: Which way each number of a supply is worse: −1 the lower, +1 the higher. Others are told of the supply that is worst off.
WORSE = {
    "low_margin_v": -1, "high_margin_v": -1, "rail_margin_a": -1, "rail_room": -1, "rail_current_a": 1,
    "rail_current_burst_a": 1, "dropout_margin_v": -1, "regulator_w": 1, "regulator_tj_c": 1, "regulator_room_c": -1,
    "regulator_margin_a": -1, "lowest_v": -1, "highest_v": 1, "input_room_v": -1,
}  # fmt: skip


def study_power(model: Model, *, painted: bool = True) -> PowerFound:
    """Study the supply of every module; unpainted without what only the station's pictures show. Raises CompileError."""
    job = model.job
    pins = [a for m in job.modules for a in addresses_of(job, SupplyIn, m.id)]
    findings = port_findings(job)
    if job.modules and not pins:
        findings += stage_findings(model) or [tell("power.no_supply_needed", "")]
        return PowerFound("power", {}, tuple(findings))
    if not pins:
        return PowerFound("power", {}, (*findings, tell("power.no_module", "")))
    details: list[SupplyDetail] = []
    crests: dict[str, dict[tuple[int, str], Estimate]] = {}
    for pin in pins:
        found = _source_of(model, pin)
        if isinstance(found, Finding):
            findings.append(found)
            continue
        supply = supply_of(model, pin, *found)
        detail = supply.study(painted=painted)
        moments, uses, lives = lives_of(model, supply, detail.numbers)
        findings += lives
        findings += dip_findings(model, supply)
        findings += either_findings(model, supply)
        stored, told = _stored(model, supply)
        findings += told
        rows = _rows(model, pin, found[1])
        detail = replace(detail, states=rows, moments=moments, uses=uses, battery=stored)
        findings += host_regulator(model, found[1])
        findings += behind_pin(model, pin)
        findings += fuse_findings(model, *found)
        details.append(detail)
        if isinstance(supply, WindingSupply):
            crests[found[0].id] = supply.across(detail.numbers)
        trapped = trap_findings(model, found[0]) if alternating(job, found[0]) else []
        findings += trapped
        if not any(f.severity is Severity.STOP for f in trapped):
            findings += supply.judge(detail)
        findings += _states(model, pin, *found)
    findings += feet_unknown(model.job)
    findings += stage_findings(model, {f.subject for f in findings if f.judgement == "power.rail"})
    for link in job.links:
        if link.purpose is Purpose.SUPPLY:
            findings += study_parts(model, link, "power", crests.get(link.id))
    findings += surrounding(job)
    findings = _once(findings)
    return PowerFound("power", _numbers(details), tuple(findings), tuple(details))


def _stored(model: Model, supply: DirectSupply) -> tuple[BatteryDetail | None, list[Finding]]:
    """What a supply has from cells: one behind its charger, or the host's battery behind a rail that it starts at; what is said of them."""
    detail, findings = cell_of(model, supply)
    for rail in dict.fromkeys((supply.rail, *rails_of(model.job, supply.link))):
        battery = battery_of(model.job, rail)
        if battery is not None:
            detail, told = BatterySupply(model, supply.pin, supply.link, rail, battery).study()
            findings += told
    return detail, findings


def glance_power(job: Job, link_id: str) -> SupplyDetail | None:
    """A quick look at one supply while its values are turned: its numbers at nominal values, the course of an AC supply in a burst; None
    for no supply that reaches a pin."""
    model = Model.of(job, quick=True)
    link = model.job.link(link_id)
    pin = pin_of(model.job, link) if link is not None else ""
    found = _source_of(model, pin) if pin else None
    if found is None or isinstance(found, Finding):
        return None
    supply = (
        WindingSupply(model, pin, *found, quick=True)
        if alternating(model.job, found[0])
        else DirectSupply(model, pin, *found)
    )
    return supply.glance()


def supply_of(model: Model, pin: str, link: Link, rail: str) -> DirectSupply:
    """A supply by what it starts at: a winding, or a rail."""
    kind = WindingSupply if alternating(model.job, link) else DirectSupply
    return kind(model, pin, link, rail)


def _once(findings: list[Finding]) -> list[Finding]:
    """The findings without what was told of the same rail before: all that hangs on it is counted together each time."""
    found: dict[tuple[object, ...], Finding] = {}
    for at, finding in enumerate(findings):
        found.setdefault(
            (finding.code, finding.subject) if finding.judgement == "power.rail" else (at,), finding
        )
    return list(found.values())


def _rows(model: Model, pin: str, rail: str) -> tuple[StateRow, ...]:
    """The host states with what is up in each, as solved."""
    terminal = model.job.terminal(rail)
    winding = winding_at(model.job, rail)
    if winding is not None:
        return tuple(
            StateRow(s.id, s.name, winding_live(model.job, winding, s.id), model.powered(s.id, pin))
            for s in model.job.host.states
        )
    nominal = terminal.voltage.nominal if isinstance(terminal, Rail) and terminal.voltage is not None else 1.0
    others = [r for x in supply_links(model.job, pin)[:1] for r in rails_of(model.job, x) if r != rail]

    def up(state: str) -> bool:
        """Whether the rail has its volts, or another one that the supply starts at is there."""
        return abs(model.volts(state, rail)) > abs(nominal) / 2 or any(
            _is_alive(model.job, r, state) for r in others
        )

    return tuple(StateRow(s.id, s.name, up(s.id), model.powered(s.id, pin)) for s in model.job.host.states)


def _numbers(details: Sequence[SupplyDetail]) -> dict[str, Estimate]:
    """The numbers under their stable names: of several supplies the worst of each, and those of each supply by its link."""
    if not details:
        return {}
    first = min(details, key=lambda d: _low(d.numbers["low_margin_v"]))
    numbers = {f"power.{k}": v for k, v in first.numbers.items()}
    for name, sense in WORSE.items():
        every = [d.numbers[name] for d in details if name in d.numbers]
        if every:
            numbers[f"power.{name}"] = max(every, key=lambda e, s=sense: -_low(e) if s < 0 else _high(e))  # type: ignore[misc]
    if len(details) > 1:
        for detail in details:
            numbers |= {f"power.{detail.link}.{k}": v for k, v in detail.numbers.items()}
    return numbers


def _low(estimate: Estimate) -> float:
    return -np.inf if estimate.value is None else estimate.low


def _high(estimate: Estimate) -> float:
    return np.inf if estimate.value is None else estimate.high


def _source_of(model: Model, pin: str) -> tuple[Link, str] | Finding:
    """The supply link of a pin and the rail that it comes from, or a finding when there is none."""
    job = model.job
    links = supply_links(job, pin)
    words = {"name": job.label(pin), "link": links[0].name if links else ""}
    if not links:
        return tell("power.no_supply", pin, words)
    if len(links) > 1:
        return tell("power.two_supplies", pin, words)
    rail_at = _feeding(job, links[0])
    winding = winding_of(job, links[0])
    if winding is not None:
        return _from_winding(model, pin, links[0], winding)
    what = _swapped(job, links[0], pin)
    if what:
        return tell("power.swapped", pin, words | {"what": what})
    turned = rail_at in links[0].at("back") and not any(does(s, Does.SEPARATES) for s in links[0].sections)
    if not rail_at or turned:
        return tell("power.no_rail", pin, words)
    rail, working = job.terminal(rail_at), job.working_state()
    assert rail is not None
    words["rail"] = job.label(rail_at)
    if not alive(rail, working):
        return tell("power.dead_rail", pin, words)
    switched = any(does(s, Does.SWITCHES) for s in links[0].sections)
    if switched and working and not model.powered(working, pin):
        return tell("power.switched_off", pin, words)
    return links[0], rail_at


def _feeding(job: Job, link: Link) -> str:
    """The rail that feeds a supply in the working state: of two the higher one of those that are alive."""
    working = job.working_state()
    alive_here = [
        (abs(t.voltage.nominal) if t.voltage is not None else 0.0, -k, a)
        for k, a in enumerate(rails_of(job, link))
        if isinstance(t := job.terminal(a), Rail) and alive(t, working)
    ]
    return max(alive_here)[2] if len(alive_here) > 0 and len(rails_of(job, link)) > 1 else rail_of(job, link)


def _from_winding(model: Model, pin: str, link: Link, winding: Winding) -> tuple[Link, str] | Finding:
    """The supply link of a pin and an end of the winding that it comes from, or a finding of one that is not rectified or dead."""
    job = model.job
    words = {"name": job.label(pin), "link": link.name, "winding": winding.name, "rail": winding.name}
    if not any(does(s, Does.RECTIFIES) for s in link.sections):
        return tell("power.not_rectified", pin, words)
    if not winding_live(job, winding, job.working_state()):
        return tell("power.dead_rail", pin, words)
    what = _swapped(job, link, pin)
    if what:
        return tell("power.swapped", pin, words | {"what": what})
    return link, f"{HOST}.{winding.first}"


def _states(model: Model, pin: str, link: Link, rail: str) -> list[Finding]:
    """Judge the states: in which the module is fed, and whether it stays on while the host is off or waiting."""
    job = model.job
    on = [s for s in job.host.states if model.powered(s.id, pin)]
    idle = [s for s in on if s.kind in (Mode.OFF, Mode.STANDBY)]
    stored = any(does(s, Does.STORES) for s in link.sections)
    if idle and stored:
        words = {"link": link.name, "states": listed(f"“{s.name}”" for s in idle)}
        return [tell("power.plays_on", pin, words)]
    if idle:
        rail = next((a for a in rails_of(job, link) if _is_alive(job, a, idle[0].id)), rail)
    words = {
        "rail": winding.name if (winding := winding_at(job, rail)) else job.label(rail),
        "link": link.name,
        "states": listed(f"“{s.name}”" for s in idle or on) if on else "",
    }
    if idle:
        # an adapter of its own empties no battery of the host
        drains = job.host.supply is SupplyClass.BATTERY and rail.startswith(f"{HOST}.")
        words["consequence"] = tr(" and empties the battery") if drains else ""
        return [tell("power.always_on", pin, words, severity=Severity.FIX if drains else None)]
    elsewhere = playing_for_nothing(model, pin, on)
    if elsewhere:
        module = job.device(pin.partition(".")[0])
        words |= {
            "states": listed(f"“{s.name}”" for s in elsewhere),
            "module": module.name if module else pin,
        }
        return [tell("power.every_source", pin, words)]
    return [tell("power.states", pin, words)] if on else []


def _is_alive(job: Job, rail: str, state: str) -> bool:
    terminal = job.terminal(rail)
    return terminal is not None and alive(terminal, state)


def _swapped(job: Job, link: Link, pin: str) -> str:
    """What shows that plus and minus of a supply are swapped, in words; empty where nothing does."""
    if pin in link.at("com"):
        return tr("{pin} is joined to its common", pin=job.label(pin))
    rail = next((a for a in link.at("com") if isinstance(job.terminal(a), Rail)), None)
    if rail is None:
        back = return_address(job, pin)
        returns = (
            x for x in job.links if x.purpose is Purpose.RETURN and any(j.terminal == back for j in x.joins)
        )
        rail = next(
            (j.terminal for x in returns for j in x.joins if isinstance(job.terminal(j.terminal), Rail)), None
        )
    return tr("{rail} is joined where the return belongs", rail=job.label(rail)) if rail else ""
