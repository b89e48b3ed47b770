"""Power: the volts at the module's pins, the rail's current, the converter's room and heat, in the working state.

All from operating points of the netlist, with the module drawing its average and then its burst current.
Heat: P = (Vin − Vout)·I + Vin·Iq for a linear regulator, the difference of power in and out for any converter;
Tj = Ta + P·θJA. Dropout margin: Vin − Vout − dropout at the burst. Limits and words stand in the table of judgements.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Topology, topology
from pigtail.circuit import Solution, operating_point
from pigtail.job.model import Job, Link, Rail, SupplyClass, SupplyIn, alive
from pigtail.job.wiring import addresses_of, powered, supply_links
from pigtail.studies.compile import Netlist, compile_job, section_inputs
from pigtail.studies.estimate import Input, Wanted
from pigtail.studies.findings import ORDER, Finding, Severity
from pigtail.studies.judging import judge
from pigtail.studies.results import PowerStudy, StateRow, SupplyDetail
from pigtail.studies.spread import Samples, estimate, split
from pigtail.studies.stage_supply import stage_findings
from pigtail.units import Known, format_quantity

Array = NDArray[np.float64]
AMBIENT_PLAUSIBLE_C = (20.0, 60.0)


def study_power(job: Job) -> PowerStudy:
    """Study the supply of every module. Raises CompileError."""
    pins = [a for m in job.modules for a in addresses_of(job, SupplyIn, m.id)]
    stages = stage_findings(job)
    if job.modules and not pins:
        plain = Finding("power.no_supply_needed", Severity.GOOD, "", "The modules draw no supply.")
        ordered = sorted(stages or [plain], key=lambda f: ORDER.index(f.severity))
        return PowerStudy("power", {}, tuple(ordered))
    if not pins:
        none = Finding("power.no_module", Severity.UNKNOWN, "", "No module is in the job yet.")
        return PowerStudy("power", {}, (none,))
    findings: list[Finding] = []
    details: list[SupplyDetail] = []
    netlist = compile_job(job, job.working_state())
    for pin in pins:
        found = _supply_of(job, pin)
        if isinstance(found, Finding):
            findings.append(found)
            continue
        study = _Supply(netlist, pin, *found)
        detail = study.study()
        details.append(detail)
        findings += study.judge(detail)
        findings += _states(job, pin, *found)
    findings += stages
    findings.sort(key=lambda f: ORDER.index(f.severity))
    numbers = {f"power.{k}": v for k, v in details[0].numbers.items()} if details else {}
    rows = tuple(StateRow(s.id, s.name, any(powered(job, p, s.id) for p in pins)) for s in job.host.states)
    return PowerStudy("power", numbers, tuple(findings), tuple(details), rows)


def _supply_of(job: Job, pin: str) -> tuple[Link, str] | Finding:
    """The supply link of a pin and the rail that it comes from, or a finding when there is none."""
    links = supply_links(job, pin)
    name = job.label(pin)
    if not links:
        return Finding(
            "power.no_supply", Severity.FIX, pin, f"{name} is not supplied yet: join it to a rail."
        )
    if len(links) > 1:
        return Finding(
            "power.two_supplies", Severity.STOP, pin, f"{name} is joined to two supplies; keep one."
        )
    rails = [j.terminal for j in links[0].joins if isinstance(job.terminal(j.terminal), Rail)]
    if len(rails) != 1:
        return Finding(
            "power.no_rail", Severity.FIX, pin, f"{links[0].name} does not start at a rail of the host."
        )
    rail = job.terminal(rails[0])
    assert rail is not None
    if not alive(rail, job.working_state()):
        return Finding(
            "power.dead_rail",
            Severity.FIX,
            pin,
            f"{job.label(rails[0])} is off in the state in which it should play.",
        )
    return links[0], rails[0]


def _states(job: Job, pin: str, link: Link, rail: str) -> list[Finding]:
    """Judge the states: a module that stays on while the host is off."""
    on = [s for s in job.host.states if powered(job, pin, s.id)]
    idle = [s for s in on if s.id == job.host.states[0].id and not s.working]
    names = ", ".join(s.name for s in on)
    if idle:
        drains = job.host.supply is SupplyClass.BATTERY
        return [
            Finding(
                "power.always_on",
                Severity.FIX if drains else Severity.WATCH,
                pin,
                f"{job.label(rail)} stays up while the host is {idle[0].name}: the module stays on"
                + (" and empties the battery." if drains else "."),
                why="rails marked alive in the host's first state feed the module there",
            )
        ]
    return [
        Finding(
            "power.states",
            Severity.GOOD,
            pin,
            f"The module is powered while the host is: {names}.",
            why=f"{link.name} starts at {job.label(rail)}, which is alive in these states",
        )
    ]


class _Supply:
    """One supply on a compiled netlist."""

    def __init__(self, netlist: Netlist, pin: str, link: Link, rail: str) -> None:
        self.netlist, self.job, self.pin, self.link, self.rail = netlist, netlist.job, pin, link, rail
        self.index = next(
            (k for k, s in enumerate(link.sections) if topology(s.topology).regulates), len(link.sections) - 1
        )
        self.shape: Topology = topology(link.sections[self.index].topology)
        self.figures = {i.field: i for i in section_inputs(link, self.index)}
        ambient = Input(
            "ambient",
            "temperature inside the case",
            self.job.ambient,
            AMBIENT_PLAUSIBLE_C,
            "",
            "ambient",
            False,
        )
        wanted = {rail, pin, f"{link.id}#{self.index}"}
        self.inputs = [i for i in netlist.inputs if i.in_deck or i.subject in wanted] + [ambient]

    def study(self) -> SupplyDetail:
        wanted = {
            "module_v": Wanted("V", "the supply at the module's pins"),
            "module_v_burst": Wanted("V", "the supply at the module's pins in a burst"),
            "low_margin_v": Wanted("V", "the room above the module's lowest supply"),
            "high_margin_v": Wanted("V", "the room below the module's highest supply"),
            "rail_v": Wanted("V", "the rail under load"),
            "rail_current_a": Wanted("A", "the current from the rail"),
            "rail_current_burst_a": Wanted("A", "the current from the rail in a burst"),
            "rail_margin_a": Wanted("A", "the current the rail can still give in a burst"),
            "rail_room": Wanted("", "the part of the rail's current to spare"),
            "module_current_a": Wanted("A", "the module's current"),
            "module_current_burst_a": Wanted("A", "the module's burst current"),
        }
        if self.shape.regulates:
            wanted |= {
                "dropout_margin_v": Wanted("V", "the room above dropout"),
                "regulator_w": Wanted("W", "the heat in the regulator"),
                "regulator_tj_c": Wanted("°C", "the junction temperature"),
                "regulator_room_c": Wanted("°C", "the room below the hottest junction allowed"),
                "regulator_margin_a": Wanted("A", "the current the regulator can still give in a burst"),
            }
        numbers = estimate(self.inputs, self.solve, wanted)
        return SupplyDetail(
            self.link.id, self.pin.partition(".")[0], self.rail, self.pin, self.shape.key, numbers
        )

    def solve(self, samples: Samples) -> dict[str, Array]:
        net, rail, pin = self.netlist, self.rail.replace(".", "_"), self.pin.replace(".", "_")
        solved = operating_point(net.circuit, net.cases(samples, {"bursting": 0.0}, {"bursting": 1.0}))
        at_pin = split(solved.v(net.node(self.pin), net.reference(self.pin)), 2)
        used = samples[f"{rail}_used"]
        from_rail = [i + used for i in split(solved.i(f"rr.x{rail}"), 2)]
        limit = samples[f"{rail}_limit"]
        own = split(solved.i(f"il.x{pin}"), 2)
        results = {
            "module_v": at_pin[0],
            "module_v_burst": at_pin[1],
            "low_margin_v": at_pin[1] - samples[f"{pin}_minimum"],
            "high_margin_v": samples[f"{pin}_maximum"] - np.maximum(at_pin[0], at_pin[1]),
            "rail_v": split(solved.v(net.node(self.rail), net.reference(self.rail)), 2)[0],
            "rail_current_a": from_rail[0],
            "rail_current_burst_a": from_rail[1],
            "rail_margin_a": limit - from_rail[1],
            "rail_room": 1.0 - from_rail[1] / np.maximum(limit, 1e-9),
            "module_current_a": own[0],
            "module_current_burst_a": own[1],
        }
        if self.shape.regulates:
            results |= self._regulator(samples, solved)
        return results

    def _regulator(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """Room and heat of the converter, from its own ports."""
        stem, last = f"{self.link.id}_{self.index}", len(self.link.sections) - 1
        into = (
            f"{self.link.id}_{self.shape.inputs[0]}" if self.index == 0 else f"{self.link.id}_n{self.index}"
        )
        out = f"{self.link.id}_out" if self.index == last else f"{self.link.id}_n{self.index + 1}"
        common = f"{self.link.id}_com"
        device = f"x{stem}"
        i_in = split(solved.i(f"gi.{device}") + solved.i(f"iq.{device}"), 2)[0]
        i_out, i_burst = split(solved.i(f"rr.{device}"), 2)
        v_in, v_in_burst = split(solved.v(into, common), 2)
        heat = v_in * i_in - split(solved.v(out, common), 2)[0] * i_out
        room = v_in_burst - samples[f"{stem}_vout"] - samples[f"{stem}_dropout"]
        hot = samples["ambient"] + heat * samples[f"{stem}_theta"]
        return {
            "dropout_margin_v": room,
            "regulator_w": heat,
            "regulator_tj_c": hot,
            "regulator_room_c": samples[f"{stem}_tj_max"] - hot,
            "regulator_margin_a": samples[f"{stem}_imax"] - i_burst,
        }

    def judge(self, detail: SupplyDetail) -> list[Finding]:
        """The findings of one supply."""
        n = detail.numbers
        highest, room = self._nominal(self.pin, "maximum"), n["high_margin_v"]
        over = {
            "volts": n["module_v"].short(),
            "highest": f"{highest:g} V",
            "reaches": "?" if room.value is None else format_quantity(highest - room.low, "V"),
        }
        under = {"volts": n["module_v_burst"].short(), "lowest": f"{self._nominal(self.pin, 'minimum'):g} V"}
        rail = {
            "name": self.job.label(self.rail),
            "burst": n["rail_current_burst_a"].short(),
            "most": format_quantity(self._nominal(self.rail, "limit"), "A"),
            "margin": n["rail_margin_a"].short(),
        }
        found = [
            judge("power.over_voltage", n, self.pin, over),
            judge("power.under_voltage", n, self.pin, under),
            judge("power.rail", n, self.rail, rail),
        ]
        if self.shape.regulates:
            hottest = self.figures["tj_max"].ends[1]
            most = format_quantity(self.figures["imax"].ends[1], "A")
            own = {
                "spent": n["regulator_w"].short(),
                "burst": n["module_current_burst_a"].short(),
                "most": most,
            }
            found += [
                judge("power.dropout", n, self.link.id),
                judge("power.hot", n, self.link.id, own, watch=hottest),
                judge("power.regulator_current", n, self.link.id, own),
            ]
        return found

    def _nominal(self, address: str, name: str) -> float:
        value = getattr(self.job.terminal(address), name)
        return value.nominal if isinstance(value, Known) else 0.0
