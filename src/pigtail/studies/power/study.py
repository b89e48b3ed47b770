"""Power: the volts at the module's pins, the rail's current, the converter's room and heat, solved in every host state.

All from operating points of the netlist, with the module drawing its average and then its burst current; what it wants and
does not get is not drawn. Heat: power in less power out of a converter; Tj = Ta + P·θJA. Dropout margin:
Vin − Vout − dropout at the burst. Limits and words stand in the table of judgements.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does, does
from pigtail.circuit import Solution
from pigtail.job.document import (
    Function,
    Job,
    Link,
    Mode,
    Purpose,
    Rail,
    Return,
    SupplyClass,
    SupplyIn,
    alive,
)
from pigtail.job.readings import plain, standing
from pigtail.job.wiring import addresses_of, rail_of, return_address, supply_links
from pigtail.model import subjects
from pigtail.model.cascade import Network, networks, section_inputs
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate, split
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.judging import judge
from pigtail.studies.parts import study_parts
from pigtail.studies.power.around import feet_unknown, playing_for_nothing, surrounding
from pigtail.studies.power.found import PowerFound, StateRow, SupplyDetail
from pigtail.studies.power.ports import port_findings
from pigtail.studies.power.stages import drawn_by, outputs_on, stage_findings
from pigtail.studies.wording import listed, tell
from pigtail.units import Known, format_quantity

Array = NDArray[np.float64]
#: A difference of volts that is told [V].
NOTABLE_V = 0.02
AMBIENT_PLAUSIBLE_C = (20.0, 60.0)
#: Which way each number of a supply is worse: −1 the lower, +1 the higher. Others are told of the supply that is worst off.
WORSE = {
    "low_margin_v": -1, "high_margin_v": -1, "rail_margin_a": -1, "rail_room": -1, "rail_current_a": 1,
    "rail_current_burst_a": 1, "dropout_margin_v": -1, "regulator_w": 1, "regulator_tj_c": 1, "regulator_room_c": -1,
    "regulator_margin_a": -1, "lowest_v": -1, "highest_v": 1, "input_room_v": -1,
}  # fmt: skip


def study_power(model: Model) -> PowerFound:
    """Study the supply of every module. Raises CompileError."""
    job = model.job
    pins = [a for m in job.modules for a in addresses_of(job, SupplyIn, m.id)]
    findings = port_findings(job)
    if job.modules and not pins:
        findings += stage_findings(model) or [tell("power.no_supply_needed", "")]
        return PowerFound("power", {}, tuple(findings))
    if not pins:
        return PowerFound("power", {}, (*findings, tell("power.no_module", "")))
    details: list[SupplyDetail] = []
    for pin in pins:
        found = _supply_of(model, pin)
        if isinstance(found, Finding):
            findings.append(found)
            continue
        supply = _Supply(model, pin, *found)
        detail = replace(supply.study(), states=_rows(model, pin, found[1]))
        details.append(detail)
        findings += supply.judge(detail)
        findings += _states(model, pin, *found)
    findings += feet_unknown(model.job)
    findings += stage_findings(model, {f.subject for f in findings if f.judgement == "power.rail"})
    for link in job.links:
        if link.purpose is Purpose.SUPPLY:
            findings += study_parts(model, link, "power")
    findings += surrounding(job)
    findings = _once(findings)
    return PowerFound("power", _numbers(details), tuple(findings), tuple(details))


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
    nominal = terminal.voltage.nominal if isinstance(terminal, Rail) and terminal.voltage is not None else 1.0
    return tuple(
        StateRow(s.id, s.name, abs(model.volts(s.id, rail)) > abs(nominal) / 2, model.powered(s.id, pin))
        for s in model.job.host.states
    )


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


def _supply_of(model: Model, pin: str) -> tuple[Link, str] | Finding:
    """The supply link of a pin and the rail that it comes from, or a finding when there is none."""
    job = model.job
    links = supply_links(job, pin)
    words = {"name": job.label(pin), "link": links[0].name if links else ""}
    if not links:
        return tell("power.no_supply", pin, words)
    if len(links) > 1:
        return tell("power.two_supplies", pin, words)
    rail_at = rail_of(job, links[0])
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


def _states(model: Model, pin: str, link: Link, rail: str) -> list[Finding]:
    """Judge the states: in which the module is fed, and whether it stays on while the host is off or waiting."""
    job = model.job
    on = [s for s in job.host.states if model.powered(s.id, pin)]
    idle = [s for s in on if s.kind in (Mode.OFF, Mode.STANDBY)]
    words = {
        "rail": job.label(rail),
        "link": link.name,
        "states": listed(f"“{s.name}”" for s in idle or on) if on else "",
    }
    if idle:
        drains = job.host.supply is SupplyClass.BATTERY
        words["consequence"] = " and empties the battery" if drains else ""
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


def _swapped(job: Job, link: Link, pin: str) -> str:
    """What shows that plus and minus of a supply are swapped, in words; empty where nothing does."""
    if pin in link.at("com"):
        return f"{job.label(pin)} is joined to its common"
    rail = next((a for a in link.at("com") if isinstance(job.terminal(a), Rail)), None)
    if rail is None:
        back = return_address(job, pin)
        returns = (
            x for x in job.links if x.purpose is Purpose.RETURN and any(j.terminal == back for j in x.joins)
        )
        rail = next(
            (j.terminal for x in returns for j in x.joins if isinstance(job.terminal(j.terminal), Rail)), None
        )
    return f"{job.label(rail)} is joined where the return belongs" if rail else ""


class _Supply:
    """One supply of a job's model."""

    def __init__(self, model: Model, pin: str, link: Link, rail: str) -> None:
        self.netlist, self.job, self.pin, self.link, self.rail = model.netlist(), model.job, pin, link, rail
        every = networks(link)
        self.converter: Network | None = next((n for n in every if Does.CONVERTS in n.shape.does), None)
        self.shape = (self.converter or every[-1]).shape
        self.outputs = outputs_on(model.job, rail)
        wanted = {subjects.terminal(rail), subjects.terminal(pin), *(n.subject for n in every)}
        wanted |= {s for o in self.outputs for s in o.subjects}
        ambient = Input(
            "ambient", "temperature inside the case", self.job.ambient, AMBIENT_PLAUSIBLE_C, subjects.JOB, "ambient", False
        )  # fmt: skip
        self.inputs = [i for i in self.netlist.inputs if i.in_deck or i.subject in wanted] + [ambient]
        here = self.netlist.here
        others = {tuple(s.items()): s for s in self.netlist.switches.values() if s != here}
        self.others = list(others.values())
        #: What is solved: drawing on average, in a burst and nothing here; nothing in the other states.
        self.cases: list[dict[str, float]] = [
            {"bursting": 0.0, "asleep": 0.0},
            {"bursting": 1.0, "asleep": 0.0},
            {"bursting": 0.0, "asleep": 1.0},
            *({"bursting": 0.0, "asleep": 1.0} | s for s in self.others),
        ]

    @cached_property
    def valley(self) -> float:
        """How far the ripple that was read on the rail takes it below and above its mean [V]: √3 times what a meter shows of a
        sawtooth, the most of all states; nought where none was read."""
        read = [
            r.value.high
            for r in standing(self.job, self.rail, Function.AC_VOLTS)
            if plain(r) and isinstance(self.job.terminal(r.against), Return)
        ]
        return float(np.sqrt(3)) * max(read, default=0.0)

    def study(self) -> SupplyDetail:
        """Everything that is asked of a supply."""
        wanted = {
            "module_v": Wanted("V", "the supply at the module's pins"),
            "module_v_burst": Wanted("V", "the supply at the module's pins in a burst"),
            "low_margin_v": Wanted("V", "the room above the module's lowest supply"),
            "high_margin_v": Wanted("V", "the room below the module's highest supply"),
            "highest_v": Wanted("V", "the most at the module's pins, in any state and with nothing drawn"),
            "lowest_v": Wanted("V", "the least that anything is supplied with, in any state"),
            "rail_v": Wanted("V", "the rail under load"),
            "rail_current_a": Wanted("A", "the current from the rail"),
            "rail_current_burst_a": Wanted("A", "the current from the rail in a burst"),
            "rail_margin_a": Wanted("A", "the current the rail can still give in a burst"),
            "rail_room": Wanted("", "the part of the rail's current to spare"),
            "module_current_a": Wanted("A", "the module's current"),
            "module_current_burst_a": Wanted("A", "the module's burst current"),
        }
        if self.converter is not None:
            wanted |= {
                "dropout_margin_v": Wanted("V", "the room above dropout"),
                "input_v": Wanted("V", "the most at the converter's input"),
                "input_room_v": Wanted("V", "the room below the converter's highest input"),
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
        """What `study` estimates, for samples [S] by input name: arrays [S] by result."""
        net = self.netlist
        rail, pin = subjects.terminal(self.rail), subjects.terminal(self.pin)
        cases = self.cases
        solved = net.whole(net.cases(samples, *cases))
        at_pin = split(solved.v(net.node(self.pin), net.reference(self.pin)), len(cases))
        used = samples[rail.parameter("used")]
        # a rail below its return takes its current in
        way = np.where(samples[rail.parameter("voltage")] < 0, -1.0, 1.0)
        from_rail = [way * i + used for i in split(net.terminal_current(solved, self.rail), len(cases))]
        at_rail = split(solved.v(net.node(self.rail), net.reference(self.rail)), len(cases))
        loud = drawn_by(self.outputs, samples, at_rail[1])
        from_rail[1] = from_rail[1] + loud
        # what power stages draw at full output, the rail sags by besides
        sag = loud * samples[rail.parameter("resistance")] if self.outputs else 0.0
        limit = samples[rail.parameter("limit")]
        own = split(net.terminal_current(solved, self.pin), len(cases))
        average, burst = samples[pin.parameter("average")], samples[pin.parameter("burst")]
        ripple = self.valley if self.converter is None else 0.0
        highest = np.max(at_pin, axis=0) + ripple
        results = {
            "highest_v": highest,
            "lowest_v": np.min(at_pin, axis=0),
            "module_v": at_pin[0],
            "module_v_burst": at_pin[1],
            "low_margin_v": at_pin[1]
            - ripple
            - (sag if self.converter is None else 0.0)
            - samples[pin.parameter("minimum")],
            "high_margin_v": samples[pin.parameter("maximum")] - highest,
            "rail_v": at_rail[0],
            "rail_current_a": from_rail[0],
            "rail_current_burst_a": from_rail[1],
            "rail_margin_a": limit - from_rail[1],
            "rail_room": 1.0 - from_rail[1] / np.maximum(limit, 1e-9),
            "module_current_a": own[0],
            "module_current_burst_a": own[1],
        }
        if self.converter is not None:
            wanted = np.maximum(average, burst)
            results |= self._regulator(samples, solved, len(cases), wanted)
            results["dropout_margin_v"] = results["dropout_margin_v"] - sag
            results["lowest_v"] = np.minimum(results["lowest_v"], results.pop("input_least_v"))
        return results

    def _regulator(self, samples: Samples, solved: Solution, cases: int, wanted: Array) -> dict[str, Array]:
        """Room and heat of the converter, from its own ports; its current against what the module wants [A]."""
        converter = self.converter
        assert converter is not None

        def read(name: str) -> list[Array]:
            return split(np.asarray(self.netlist.probe(solved, converter, name)), cases)

        def figure(name: str) -> Array:
            return samples[converter.parameter(name)]

        v_in, v_out, i_in, i_out = (read(n) for n in ("in_v", "out_v", "in_current", "out_current"))
        heat = np.maximum(v_in[0] * i_in[0] - v_out[0] * i_out[0], 0.0)
        hot = samples["ambient"] + heat * figure("theta")
        most = np.max(v_in, axis=0) + self.valley
        # what steps up or down by a transformer needs an input, not room above its output
        least = samples.get(converter.parameter("vin_min"))
        if least is None:
            least = figure("vout") + figure("dropout")
        return {
            "input_v": most,
            "input_least_v": np.min(v_in, axis=0),
            "input_room_v": figure("vin_max") - most,
            "dropout_margin_v": v_in[1] - self.valley - least,
            "regulator_w": heat,
            "regulator_tj_c": hot,
            "regulator_room_c": figure("tj_max") - hot,
            "regulator_margin_a": figure("imax") - np.maximum(i_out[1], wanted),
        }

    def judge(self, detail: SupplyDetail) -> list[Finding]:
        """The findings of one supply."""
        n = detail.numbers
        highest, room = self._nominal(self.pin, "maximum"), n["high_margin_v"]
        over = {
            "volts": n["module_v"].short(),
            "most": n["highest_v"].short(),
            "when": self._when() if room.value is not None and room.low < 0 else "",
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
        where = {
            "where": "module's pins" if self.converter is None else f"{self.shape.short} or the module's pins"
        }
        polarity = judge("power.reversed", n, self.pin, where, owner=self.link.id)
        if polarity.severity is Severity.STOP:
            return [polarity]  # what else is told of a reversed supply is beside the point
        found = [
            judge("power.over_voltage", n, self.pin, over, owner=self.link.id),
            judge("power.under_voltage", n, self.pin, under, owner=self.link.id),
            judge("power.rail", n, self.rail, rail, owner=self.link.id),
        ]
        if self.converter is not None:
            figures = {i.field: i.ends[1] for i in section_inputs(self.link, self.converter.at)}
            own = {
                "spent": n["regulator_w"].short(),
                "burst": format_quantity(self._wanted(), "A"),
                "most": format_quantity(figures["imax"], "A"),
                "converter": self.shape.short,
                "input": n["input_v"].short(),
                "most_in": format_quantity(figures["vin_max"], "V"),
            }
            dropping = judge("power.dropout", n, self.link.id, {"ripple": self._ripple()})
            heat = judge("power.hot", n, self.link.id, own, watch=figures["tj_max"])
            if dropping.severity is Severity.FIX and heat.severity is Severity.GOOD:
                heat = replace(heat, sentence=f"{heat.sentence[:-1]}, since it drops out.")
            found += [
                judge("power.input_voltage", n, self.link.id, own),
                dropping,
                heat,
                judge("power.regulator_current", n, self.link.id, own),
            ]
        return found

    def _when(self) -> str:
        """In which state, or with what, the pins stand above what the module stands, in words; empty where they do so in the working
        state under load already."""
        net = self.netlist
        solved = net.whole(net.cases(net.nominal, *self.cases))
        volts = np.asarray(solved.v(net.node(self.pin), net.reference(self.pin)))
        if volts[0] > self._nominal(self.pin, "maximum"):
            return ""
        case = self.cases[int(volts.argmax())] if volts.max() > volts[0] + NOTABLE_V else self.cases[0]
        states = [s.name for s in self.job.host.states if case.items() >= net.switches.get(s.id, {}).items()]
        resting = ", with nothing drawn," if case["asleep"] else ""
        here = case.keys() <= {"bursting", "asleep"} or not states
        return resting if here else f" while “{states[0]}”"

    def _ripple(self) -> str:
        """The ripple that was read, in words that follow a sentence; empty where none was."""
        return (
            f", the ripple of {format_quantity(self.valley, 'V')} below the mean taken off"
            if self.valley
            else ""
        )

    def _wanted(self) -> float:
        """The most that the module wants [A], whether it gets it or not."""
        return max(self._nominal(self.pin, "average"), self._nominal(self.pin, "burst"))

    def _nominal(self, address: str, name: str) -> float:
        value = getattr(self.job.terminal(address), name)
        return value.nominal if isinstance(value, Known) else 0.0
