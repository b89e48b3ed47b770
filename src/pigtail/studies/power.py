"""Power: the volts at the module's pins, the rail's current, the converter's room and heat, in the working state.

All from operating points of the netlist, with the module drawing its average and then its burst current.
Heat: P = (Vin − Vout)·I + Vin·Iq for a linear regulator, the difference of power in and out for any converter;
Tj = Ta + P·θJA. Dropout margin: Vin − Vout − dropout at the burst. Limits are common practice unless said.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Topology, topology
from pigtail.circuit import Solution, operating_point
from pigtail.job.model import Job, Link, Rail, SupplyClass, SupplyIn, alive
from pigtail.job.wiring import powered, supply_links
from pigtail.studies.compile import Netlist, compile_job, section_inputs
from pigtail.studies.estimate import Input, Wanted
from pigtail.studies.findings import (
    ORDER,
    Finding,
    Grade,
    Severity,
    at_least,
    at_most,
    judged,
)
from pigtail.studies.results import PowerStudy, StateRow, SupplyDetail
from pigtail.studies.spread import Samples, estimate, split
from pigtail.units import Known, format_quantity

Array = NDArray[np.float64]
RAIL_ROOM = 0.30  # common practice: ask for 30 % of the rail's current to spare
WARM_C = 100.0  # common practice: hotter than this wants a look, even inside the limit
AMBIENT_PLAUSIBLE_C = (20.0, 60.0)


def study_power(job: Job) -> PowerStudy:
    """Study the supply of every module. Raises CompileError."""
    pins = [a for a in job.addresses() if isinstance(job.terminal(a), SupplyIn) and not a.startswith("host.")]
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
        found = [self._pin_high(detail), self._pin_low(detail), self._rail(detail)]
        if self.shape.regulates:
            found += [self._dropout(detail), self._heat(detail), self._current(detail)]
        return [f for f in found if f is not None]

    def _nominal(self, address: str, name: str) -> float:
        value = getattr(self.job.terminal(address), name)
        return value.nominal if isinstance(value, Known) else 0.0

    def _pin_high(self, detail: SupplyDetail) -> Finding:
        n = detail.numbers
        highest = self._nominal(self.pin, "maximum")
        margin = n["high_margin_v"]
        volts = n["module_v"].short()
        worst_case = not margin.missing and margin.value is not None and margin.low < 0
        finding = judged(
            "power.over_voltage", margin, at_least(0.0, 0.0),
            subject=self.pin, limit=0.0, sense=1.0,
            sentences={
                Severity.GOOD: f"{volts} at the pins stays below the highest allowed, {highest:g} V.",
                Severity.FIX: f"{volts} at the pins is above the highest allowed, {highest:g} V: "
                "the module would be destroyed.",
            },
            codes={Severity.GOOD: "power.not_too_high"},
            why="room = highest supply − voltage at the pins, from the operating point with the wires' resistance",
        )  # fmt: skip
        if finding.severity is Severity.FIX:
            return replace(finding, severity=Severity.STOP)
        if worst_case and finding.severity is Severity.UNKNOWN:
            return replace(
                finding,
                sentence=f"Whether the supply stays below {highest:g} V cannot be told: "
                f"it may reach {format_quantity(highest - margin.low, 'V')}.",
            )
        return finding

    def _pin_low(self, detail: SupplyDetail) -> Finding:
        n = detail.numbers
        lowest = self._nominal(self.pin, "minimum")
        return judged(
            "power.under_voltage", n["low_margin_v"], at_least(0.0, 0.0),
            subject=self.pin, limit=0.0, sense=1.0,
            sentences={
                Severity.GOOD: f"{n['module_v_burst'].short()} at the pins in a burst, above the lowest allowed, {lowest:g} V.",
                Severity.FIX: f"Only {n['module_v_burst'].short()} at the pins in a burst; the module needs {lowest:g} V.",
            },
            codes={Severity.GOOD: "power.not_too_low"},
            why="room = voltage at the pins in a burst − lowest supply, from the operating point with the wires' resistance",
        )  # fmt: skip

    def _rail(self, detail: SupplyDetail) -> Finding:
        n, name = detail.numbers, self.job.label(self.rail)
        limit = format_quantity(self._nominal(self.rail, "limit"), "A")
        burst, margin = n["rail_current_burst_a"].short(), n["rail_margin_a"].short()
        finding = judged(
            "power.rail", n["rail_room"], at_least(RAIL_ROOM, 0.0),
            subject=self.rail, limit=0.0, sense=1.0, allowance=True,
            sentences={
                Severity.GOOD: f"{name} gives {burst} in a burst of the {limit} it can: {margin} to spare.",
                Severity.WATCH: f"{name} gives {burst} in a burst of the {limit} it can: only {margin} to spare, less than 30 %.",
                Severity.FIX: f"{name} is overloaded in bursts: {burst} asked, {limit} can be given.",
            },
            codes={Severity.FIX: "power.rail_overload", Severity.WATCH: "power.rail_tight"},
            why="current = what the rail feeds already + what the converter draws in a burst; 30 % to spare is common practice",
        )  # fmt: skip
        spare = n["rail_margin_a"]
        if spare.value is None:
            return finding
        return replace(
            finding, value=spare.value, low=spare.low, high=spare.high, margin=spare.low, unit="A",
        )  # fmt: skip

    def _dropout(self, detail: SupplyDetail) -> Finding:
        return judged(
            "power.dropout", detail.numbers["dropout_margin_v"], at_least(0.5, 0.0),
            subject=self.link.id, limit=0.0, sense=1.0,
            sentences={
                Severity.GOOD: "The regulator has {nominal} of room above dropout in a burst.",
                Severity.WATCH: "Only {nominal} remain above dropout in a burst.",
                Severity.FIX: "The regulator drops out in bursts: {nominal} of room.",
            },
            codes={Severity.GOOD: "power.no_dropout"},
            why="room = Vin − Vout − dropout at the burst, at the lowest rail of the spread",
        )  # fmt: skip

    def _heat(self, detail: SupplyDetail) -> Finding:
        n = detail.numbers
        limit = self.figures["tj_max"].ends[1]
        spent = n["regulator_w"].short()
        hot = n["regulator_tj_c"]
        grade: Grade = at_most(WARM_C, limit)
        return judged(
            "power.hot", hot, grade,
            subject=self.link.id, limit=limit, sense=-1.0,
            sentences={
                Severity.GOOD: f"The regulator stays cool: {{nominal}} at the junction, {spent} of heat.",
                Severity.WATCH: f"The regulator runs hot: {{nominal}} at the junction, {spent} of heat; "
                "keep it from capacitors and plastic.",
                Severity.FIX: f"The regulator overheats: {{nominal}} at the junction, {{limit}} is the limit; {spent} of heat.",
            },
            codes={Severity.GOOD: "power.cool", Severity.FIX: "power.overheats"},
            why="P = (Vin − Vout)·I + Vin·Iq (linear) or power in − power out; Tj = Ta + P·θ; average current",
        )  # fmt: skip

    def _current(self, detail: SupplyDetail) -> Finding:
        n = detail.numbers
        limit = format_quantity(self.figures["imax"].ends[1], "A")
        return judged(
            "power.regulator_current", n["regulator_margin_a"], at_least(0.0, 0.0),
            subject=self.link.id, limit=0.0, sense=1.0,
            sentences={
                Severity.GOOD: f"The regulator gives the burst: {n['module_current_burst_a'].short()} of the {limit} it can.",
                Severity.FIX: f"The burst of {n['module_current_burst_a'].short()} is more than the regulator's {limit}.",
            },
            codes={Severity.FIX: "power.regulator_overload"},
            why="the regulator's limit − the module's burst current",
        )  # fmt: skip
