"""One supply: what is solved of it over its spread, and what is said of its numbers."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does
from pigtail.circuit import Solution
from pigtail.job.document import Function, Job, Link, Return, SupplyIn
from pigtail.job.readings import plain, standing
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.cascade import Network, networks, section_inputs
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate, split
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.judging import judge
from pigtail.studies.power.found import SupplyDetail
from pigtail.studies.power.stages import drawn_by, outputs_on
from pigtail.units import Basis, Known, format_quantity
from pigtail.units.store import cached_property

Array = NDArray[np.float64]
#: A difference of volts that is told [V].
NOTABLE_V = 0.02
AMBIENT_PLAUSIBLE_C = (20.0, 60.0)


def ambient_input(job: Job) -> Input:
    """The temperature inside the case, that all heat is judged from [°C]."""
    return Input(
        "ambient",
        tr("temperature inside the case"),
        job.ambient,
        AMBIENT_PLAUSIBLE_C,
        subjects.JOB,
        "ambient",
        False,
    )


def lasting_draws(job: Job) -> dict[str, float]:
    """What each supply pin draws at the most, for long and at all, by the parameters of its average and its burst [A]; only of pins that
    are told to draw more than while they play."""
    found: dict[str, float] = {}
    for module in job.modules:
        for pin in module.terminals:
            if (
                not isinstance(pin, SupplyIn)
                or pin.average is None
                or pin.lasting is None
                or pin.largest is None
            ):
                continue
            name = subjects.terminal(f"{module.id}.{pin.id}").parameter
            if pin.lasting.high > pin.average.high:
                found |= {name("average"): pin.lasting.high, name("burst"): pin.largest.high}
    return found


class DirectSupply:
    """A supply from a rail of the host or of another module."""

    def __init__(self, model: Model, pin: str, link: Link, rail: str) -> None:
        self.netlist, self.job, self.pin, self.link, self.rail = (
            model.lean.netlist(),
            model.job,
            pin,
            link,
            rail,
        )
        every = networks(link)
        self.converter: Network | None = next((n for n in every if Does.CONVERTS in n.shape.does), None)
        self.shape = (self.converter or every[-1]).shape
        self.outputs = outputs_on(model.job, rail)
        wanted = {subjects.terminal(rail), subjects.terminal(pin), *(n.subject for n in every)}
        wanted |= {s for o in self.outputs for s in o.subjects}
        self.inputs = [i for i in self.netlist.inputs if i.in_deck or i.subject in wanted]
        self.inputs.append(ambient_input(self.job))
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

    def wanted(self) -> dict[str, Wanted]:
        """The numbers of a supply."""
        wanted = {
            "module_v": Wanted("V", tr("the supply at the module's pins")),
            "module_v_burst": Wanted("V", tr("the supply at the module's pins in a burst")),
            "low_margin_v": Wanted("V", tr("the room above the module's lowest supply")),
            "high_margin_v": Wanted("V", tr("the room below the module's highest supply")),
            "highest_v": Wanted(
                "V", tr("the most at the module's pins, in any state and with nothing drawn")
            ),
            "lowest_v": Wanted("V", tr("the least that anything is supplied with, in any state")),
            "rail_v": Wanted("V", tr("the rail under load")),
            "rail_current_a": Wanted("A", tr("the current from the rail")),
            "rail_current_burst_a": Wanted("A", tr("the current from the rail in a burst")),
            "rail_margin_a": Wanted("A", tr("the current the rail can still give in a burst")),
            "rail_room": Wanted("", tr("the part of the rail's current to spare")),
            "module_current_a": Wanted("A", tr("the module's current")),
            "module_current_burst_a": Wanted("A", tr("the module's burst current")),
        }
        if self.converter is not None:
            wanted |= {
                "dropout_margin_v": Wanted("V", tr("the room above dropout")),
                "input_v": Wanted("V", tr("the most at the converter's input")),
                "input_room_v": Wanted("V", tr("the room below the converter's highest input")),
                "regulator_w": Wanted("W", tr("the heat in the regulator")),
                "regulator_tj_c": Wanted("°C", tr("the junction temperature")),
                "regulator_room_c": Wanted("°C", tr("the room below the hottest junction allowed")),
                "regulator_margin_a": Wanted("A", tr("the current the regulator can still give in a burst")),
            }
        return wanted

    def study(self, *, painted: bool = True) -> SupplyDetail:
        """Everything that is asked of a supply, with what is painted of it unless nobody looks."""
        numbers = estimate(self.inputs, self.solve, self.wanted())
        return SupplyDetail(
            self.link.id, self.pin.partition(".")[0], self.rail, self.pin, self.shape.key, numbers
        )

    def glance(self) -> SupplyDetail:
        """The numbers at nominal values alone, for a quick look."""
        nominal = {i.name: np.array([i.ends[1]]) for i in self.inputs}
        solved = self.solve(nominal)
        numbers = {
            n: Estimate(float(v), float(v), float(v), w.unit, Basis.GUESSED, w.words)
            for n, w in self.wanted().items()
            for v in (np.ravel(solved[n])[0],)
        }
        return SupplyDetail(
            self.link.id, self.pin.partition(".")[0], self.rail, self.pin, self.shape.key, numbers
        )

    def solve(self, samples: Samples) -> dict[str, Array]:
        """What `study` estimates, for samples [S] by input name: arrays [S] by result."""
        return self.answers(samples, self.netlist.each(samples, *self.cases))

    def answers(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """What a supply is asked, from all its cases solved: arrays [S] by result."""
        net = self.netlist
        pin, cases = subjects.terminal(self.pin), self.cases
        at_pin = split(solved.v(net.node(self.pin), net.reference(self.pin)), len(cases))
        results, sag = self.source(samples, solved)
        own = split(net.terminal_current(solved, self.pin), len(cases))
        average, burst = samples[pin.parameter("average")], samples[pin.parameter("burst")]
        ripple = self.valley if self.converter is None else 0.0
        highest = np.max(at_pin, axis=0) + ripple
        if self.converter is None:
            highest = np.maximum(highest, self.crest(samples))
        results |= {
            "highest_v": highest,
            "lowest_v": np.min(at_pin, axis=0),
            "module_v": at_pin[0],
            "module_v_burst": at_pin[1],
            "low_margin_v": at_pin[1]
            - ripple
            - (sag if self.converter is None else 0.0)
            - samples[pin.parameter("minimum")],
            "high_margin_v": samples[pin.parameter("maximum")] - highest,
            "module_current_a": own[0],
            "module_current_burst_a": own[1],
        }
        if self.converter is not None:
            wanted = np.maximum(average, burst)
            results |= self._regulator(samples, solved, len(cases), wanted)
            results["dropout_margin_v"] = results["dropout_margin_v"] - sag
            results["lowest_v"] = np.minimum(results["lowest_v"], results.pop("input_least_v"))
        return results

    def source(self, samples: Samples, solved: Solution) -> tuple[dict[str, Array], Array | float]:
        """What is told of the rail, and by how much it sags besides at full output of what power stages hang on it [V]."""
        net, rail, count = self.netlist, subjects.terminal(self.rail), len(self.cases)
        used = samples[rail.parameter("used")]
        # a rail below its return takes its current in
        way = np.where(samples[rail.parameter("voltage")] < 0, -1.0, 1.0)
        from_rail = [way * i + used for i in split(net.terminal_current(solved, self.rail), count)]
        at_rail = split(solved.v(net.node(self.rail), net.reference(self.rail)), count)
        loud = drawn_by(self.outputs, samples, at_rail[1])
        from_rail[1] = from_rail[1] + loud
        # what power stages draw at full output, the rail sags by besides
        sag = loud * samples[rail.parameter("resistance")] if self.outputs else 0.0
        limit = samples[rail.parameter("limit")]
        told = {
            "rail_v": at_rail[0],
            "rail_current_a": from_rail[0],
            "rail_current_burst_a": from_rail[1],
            "rail_margin_a": limit - from_rail[1],
            "rail_room": 1.0 - from_rail[1] / np.maximum(limit, 1e-9),
        }
        return told, sag

    def crest(self, samples: Samples) -> Array:
        """The most that the supply reaches in a period, beyond what the operating points show [V]; minus infinity where there is none."""
        return np.full(max(v.size for v in samples.values()), -np.inf)

    def _regulator(self, samples: Samples, solved: Solution, cases: int, wanted: Array) -> dict[str, Array]:
        """Room and heat of the converter, from its own ports; its current against what the module wants [A]."""
        converter = self.converter
        assert converter is not None

        def read(name: str) -> list[Array]:
            return split(np.asarray(self.netlist.probe(solved, converter, name)), cases)

        def figure(name: str) -> Array:
            return samples[converter.parameter(name)]

        v_in, v_out, i_in, i_out = (read(n) for n in ("in_v", "out_v", "in_current", "out_current"))
        # a zener is hottest with nothing drawn, all else while the module plays
        heat = np.max([v_in[k] * i_in[k] - v_out[k] * i_out[k] for k in (0, 2)], axis=0).clip(min=0.0)
        hot = samples["ambient"] + heat * figure("theta")
        most = np.maximum(np.max(v_in, axis=0) + self.valley, self.crest(samples))
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
        where = {
            "where": tr("module's pins")
            if self.converter is None
            else tr("{short} or the module's pins", short=self.shape.short)
        }
        polarity = judge("power.reversed", n, self.pin, where, owner=self.link.id)
        if polarity.severity is Severity.STOP:
            return [polarity]  # what else is told of a reversed supply is beside the point
        found = [
            judge("power.over_voltage", n, self.pin, over, owner=self.link.id),
            judge("power.under_voltage", n, self.pin, under, owner=self.link.id),
            self.judge_source(n),
        ]
        if self.converter is not None and Does.STORES in self.shape.does:
            most_in = {i.field: i.ends[1] for i in section_inputs(self.link, self.converter.at)}["vin_max"]
            fed = {
                "converter": self.shape.short,
                "input": n["input_v"].short(),
                "most_in": format_quantity(most_in, "V"),
            }
            found.append(judge("power.input_voltage", n, self.link.id, fed))
            found.append(judge("power.charger_fed", n, self.link.id))
        elif self.converter is not None:
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
                heat = replace(
                    heat, sentence=tr("{sentence}, since it drops out.", sentence=heat.sentence[:-1])
                )
            found += [
                judge("power.input_voltage", n, self.link.id, own),
                dropping,
                heat,
                judge("power.regulator_current", n, self.link.id, own),
            ]
        return found

    def judge_source(self, n: dict[str, Estimate]) -> Finding:
        """The finding of what gives the supply."""
        words = {
            "name": self.job.label(self.rail),
            "burst": n["rail_current_burst_a"].short(),
            "most": format_quantity(self._nominal(self.rail, "limit"), "A"),
            "margin": n["rail_margin_a"].short(),
        }
        return judge("power.rail", n, self.rail, words, owner=self.link.id)

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
        resting = tr(", with nothing drawn,") if case["asleep"] else ""
        here = case.keys() <= {"bursting", "asleep"} or not states
        return resting if here else tr(" while “{state}”", state=states[0])

    def _ripple(self) -> str:
        """The ripple that was read, in words that follow a sentence; empty where none was."""
        return (
            tr(", the ripple of {valley} below the mean taken off", valley=format_quantity(self.valley, "V"))
            if self.valley
            else ""
        )

    def _wanted(self) -> float:
        """The most that the module wants [A], whether it gets it or not."""
        return max(self._nominal(self.pin, "average"), self._nominal(self.pin, "burst"))

    def _nominal(self, address: str, name: str) -> float:
        value = getattr(self.job.terminal(address), name)
        return value.nominal if isinstance(value, Known) else 0.0
