"""A supply from an AC winding or adapter: what its course in time tells, at low and high mains, loaded and unloaded.

The course (`model.course`) is run at nominal values and at the corners of what rests on the mains, the winding, the diodes, the reservoir
and the load; the operating points of all else stand on its mean, its valley and its crest.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does, Task
from pigtail.circuit import Solution
from pigtail.job.document import HOST, Link
from pigtail.job.windings import source_resistance, unknown_of, winding_of
from pigtail.language import tr
from pigtail.model import names, subjects
from pigtail.model.cascade import section_inputs
from pigtail.model.course import (
    AVERAGE,
    BURST,
    CORNERS,
    QUICK,
    Corner,
    Course,
    course_of,
    mean_of,
    rms_of,
)
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate, split
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.studies.power.found import Heat, SupplyDetail, Waves
from pigtail.studies.power.supply import DirectSupply
from pigtail.units import Basis, Known, format_quantity
from pigtail.units.known import weakest
from pigtail.units.store import cached_property

Array = NDArray[np.float64]
#: The numbers of a course: unit and words. Those of the mean, the valley and the crest stand first.
OF_COURSE = {
    "reservoir_v": ("V", tr("the volts on the reservoir on average, in a burst at low mains")),
    "valley_v": ("V", tr("the valley on the reservoir in a burst at low mains")),
    "warm_v": ("V", tr("the volts on the reservoir on average, at high mains")),
    "crest_v": ("V", tr("the most on the reservoir, with nothing drawn")),
    "ripple_v": ("V", tr("the ripple on the reservoir, crest to valley")),
    "winding_a": ("A", tr("the winding's current, r.m.s.")),
    "charging_a": ("A", tr("the crest of the charging current")),
    "capacitor_a": ("A", tr("the ripple current in the reservoir, r.m.s.")),
    "reverse_v": ("V", tr("the most across a diode backward")),
    "diodes_w": ("W", tr("the heat in the diodes and the reservoir")),
    "conducting_deg": ("°", tr("the part of a period that the winding conducts")),
}
#: The resistance of a diode as its macro-model has it [Ω].
DIODE_OHM = 0.04
#: Points of a period that are painted.
PAINTED = 120


class WindingSupply(DirectSupply):
    """A supply from a winding of the host, through a rectifier."""

    def __init__(self, model: Model, pin: str, link: Link, winding: str, *, quick: bool = False) -> None:
        super().__init__(model, pin, link, winding)
        self.course: Course = course_of(model.job, link, quick=quick)
        found = winding_of(model.job, link)
        assert found is not None
        self.winding = found
        self.corners = {k: c for k, c in CORNERS.items() if not quick or k in QUICK}
        self.inputs = [*self.inputs, *(self._figure(name) for name in OF_COURSE), *self._budget]

    # -- what the course tells --------------------------------------------------------------------------------

    @cached_property
    def told(self) -> dict[str, dict[str, float]]:
        """The numbers of the course in each corner [SI]."""
        return {name: self._numbers(corner) for name, corner in self.corners.items()}

    def _numbers(self, corner: Corner) -> dict[str, float]:
        course = self.course
        run = course.settled(self.course.corner(corner)).solution
        period = course.last_period(run)
        volts = course.probe(run, course.rectifier, "dc_v")[period]
        winding = self.winding_current(run)[period]
        return {
            "reservoir_v": mean_of(volts),
            "warm_v": mean_of(volts),
            "valley_v": float(volts.min()),
            "crest_v": float(volts.max()),
            "ripple_v": float(np.ptp(volts)),
            "winding_a": rms_of(winding),
            "charging_a": float(np.abs(winding).max()),
            "capacitor_a": rms_of(course.probe(run, course.rectifier, "cap_current")[period]),
            "reverse_v": float(course.probe(run, course.rectifier, "reverse_v")[period].max()),
            "diodes_w": max(self._lost(run, period), 0.0),
            "conducting_deg": 360.0 * float((np.abs(winding) > 0.02 * np.abs(winding).max()).mean()),
        }

    def winding_current(self, run: Solution) -> Array:
        """The current in the winding over a run [A], shape [T]; of a tapped one that of its first half."""
        (element, *_) = self.course.netlist.winding_elements(self.winding.id)
        return np.asarray(np.asarray(run.i(element))[0])

    def _lost(self, run: Solution, period: slice) -> float:
        """What the rectifier takes in and does not give on, on average over a period [W]."""
        rectifier, link = self.course.rectifier, self.link.id
        common = rectifier.nodes["com"]
        taken = sum(
            np.asarray(run.v(rectifier.nodes[p], common))[0]
            * np.asarray(self.course.netlist.wire_current(run, link, p))[0]
            for p in rectifier.shape.inputs
            if self.link.at(p)
        )
        given = self.course.probe(run, rectifier, "dc_v") * self.course.drawn(run)
        return mean_of((taken - given)[period])

    def _figure(self, name: str) -> Input:
        """A number of the course as a value with its spread; not known where the winding's volts or its resistance are not."""
        unit, words = OF_COURSE[name]
        subject = self.course.winding
        winding = self.winding
        missing = unknown_of(winding)
        if missing:
            item = next(i for i in self.course.netlist.inputs if i.subject == subject and i.field == missing)
            return replace(item, name=names.of_link(self.link.id, "course", name), in_deck=False)
        ends = [self.told[c][name] for c in self._cases(name) if c in self.told] or [self.told["burst"][name]]
        bases = [k.basis for k in (winding.open, source_resistance(winding)) if k is not None]
        known = Known(
            nominal=ends[0], low=min(ends), high=max(ends), unit=unit, basis=weakest(bases) if bases else Basis.TYPICAL,
            source="its course in time",
        )  # fmt: skip
        said = f"{winding.name}: {words}"
        return Input(
            names.of_link(self.link.id, "course", name), said, known, (0.0, 1.0), subject, "open", False
        )

    def _cases(self, name: str) -> tuple[str, ...]:
        """The corners that a number is told at, the one of nominal values first."""
        if name in ("reservoir_v", "valley_v", "ripple_v"):
            return ("low", "sagging", tr("low, at best"))
        if name in ("crest_v", "reverse_v"):
            return ("unloaded", "highest", "weak")
        if name == "charging_a":
            return ("burst", "sagging", tr("low, at best"), "stiff")
        return ("warm", "stiff", "weak")

    @property
    def _budget(self) -> tuple[Input, Input]:
        """What the winding may give, and what it gives already."""
        own = {i.field: i for i in self.course.netlist.inputs if i.subject == self.course.winding}
        return own["rated"], own["used"]

    def figure(self, samples: Samples, name: str) -> Array:
        """A number of the course for samples [its unit]."""
        return samples[names.of_link(self.link.id, "course", name)]

    # -- what a supply is asked -------------------------------------------------------------------------------

    @property
    def known(self) -> bool:
        """Whether enough is known of the winding for its course."""
        return not unknown_of(self.winding)

    @cached_property
    def valley(self) -> float:
        """How far the valley lies below the mean in a burst, at the most [V]."""
        if not self.known:
            return 0.0
        return max(
            t["reservoir_v"] - t["valley_v"]
            for k, t in self.told.items()
            if self.corners[k].switches is BURST
        )

    def crest(self, samples: Samples) -> Array:
        """The most on the reservoir: with nothing drawn, at its most mains [V]."""
        return self.figure(samples, "crest_v")

    def source(self, samples: Samples, solved: Solution) -> tuple[dict[str, Array], Array | float]:
        """What is told of the winding: the volts on its reservoir, its current r.m.s. against what it may give. Arrays [S]."""
        rated, used = (samples[i.name] for i in self._budget)
        current = self.figure(samples, "winding_a") + used
        told = {
            "rail_v": self.figure(samples, "reservoir_v"),
            "rail_current_a": current,
            "rail_current_burst_a": current,
            "rail_margin_a": rated - current,
            "rail_room": 1.0 - current / np.maximum(rated, 1e-9),
        }
        return told | {n: self.figure(samples, n) for n in OF_COURSE} | self._parts(samples), 0.0

    def answers(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """What every supply is asked, its volts taken from the course: the valley at low mains, heat at high mains. Arrays [S]."""
        results = super().answers(samples, solved)
        if not self.known:
            return results
        net, count = self.netlist, len(self.cases)
        rectifier = self.course.rectifier
        on_reservoir = split(np.asarray(net.probe(solved, rectifier, "dc_v")), count)
        valley, warm = self.figure(samples, "valley_v"), self.figure(samples, "warm_v")
        if self.converter is None:
            at_pin = split(solved.v(net.node(self.pin), net.reference(self.pin)), count)
            minimum = samples[subjects.terminal(self.pin).parameter("minimum")]
            return results | {"low_margin_v": valley - (on_reservoir[1] - at_pin[1]) - minimum}
        i_in = split(np.asarray(net.probe(solved, self.converter, "in_current")), count)
        results["dropout_margin_v"] = results["dropout_margin_v"] + self.valley + valley - on_reservoir[1]
        if Does.CHOPS not in self.converter.shape.does:
            heat = np.maximum(results["regulator_w"] + (warm - on_reservoir[0]) * i_in[0], 0.0)
            hot = samples["ambient"] + heat * samples[self.converter.parameter("theta")]
            room = results["regulator_room_c"] + results["regulator_tj_c"] - hot
            results |= {"regulator_w": heat, "regulator_tj_c": hot, "regulator_room_c": room}
        return results

    def _parts(self, samples: Samples) -> dict[str, Array]:
        """Room of the diodes and of the reservoir, by what they are rated for."""
        part = self.course.rectifier.parameter
        diodes = samples[part("diodes")]
        heat = self.figure(samples, "diodes_w") / (
            2 * diodes if len(self.course.rectifier.shape.inputs) > 1 else diodes
        )
        hot = samples["ambient"] + heat * samples[part("theta")]
        return {
            "reverse_room_v": samples[part("reverse_max")] - self.figure(samples, "reverse_v"),
            "diode_tj_c": hot,
            "diode_room_c": samples[part("tj_max")] - hot,
            "ripple_room_a": samples[part("ripple_max")] - self.figure(samples, "capacitor_a"),
            "diode_room_a": samples[part("imax")] - self._through_a_diode(samples),
            **self._inrush(samples),
        }

    def _through_a_diode(self, samples: Samples) -> Array:
        """The current through one diode on average [A]: all of it where each conducts alone, half where two take turns."""
        pin = subjects.terminal(self.pin).parameter
        return samples[pin("average")] / (
            2.0
            if len(self.course.rectifier.shape.inputs) > 1 and not self.course.rectifier.shape.legged
            else 1.0
        )

    def _inrush(self, samples: Samples) -> dict[str, Array]:
        """What flows at switch-on into the empty reservoir, at the crest of high mains: the crest over all resistance in its way [A]."""
        w, part = self.course.winding.parameter, self.course.rectifier.parameter
        level = max(
            i.ends[2] for i in self.course.netlist.inputs if i.name == subjects.MAINS.parameter("level")
        )
        ohm = samples[w("resistance")] + samples[part("tesr")] / samples[part("c1")] + DIODE_OHM
        inrush = np.sqrt(2) * samples[w("open")] * level / ohm
        return {"inrush_a": inrush, "inrush_room_a": samples[part("surge_max")] - inrush}

    def wanted(self) -> dict[str, Wanted]:
        """The numbers of a supply from a winding: those of every supply and those of its course."""
        return super().wanted() | {
            **{n: Wanted(unit, words) for n, (unit, words) in OF_COURSE.items()},
            "rail_current_a": Wanted("A", tr("the winding's current, r.m.s.")),
            "rail_current_burst_a": Wanted("A", tr("the winding's current, r.m.s.")),
            "rail_margin_a": Wanted("A", tr("the current r.m.s. that the winding can still give")),
            "rail_room": Wanted("", tr("the part of the winding's current to spare")),
            "reverse_room_v": Wanted("V", tr("the room below the reverse voltage that a diode stands")),
            "diode_tj_c": Wanted("°C", tr("the junction of a diode")),
            "diode_room_c": Wanted("°C", tr("the room below the hottest junction of a diode")),
            "ripple_room_a": Wanted("A", tr("the room below the ripple current that the reservoir stands")),
            "diode_room_a": Wanted("A", tr("the room below what a diode carries on average")),
            "inrush_a": Wanted("A", tr("the current at switch-on")),
            "inrush_room_a": Wanted("A", tr("the room below what a diode stands at switch-on")),
        }

    def study(self, *, painted: bool = True) -> SupplyDetail:
        """Everything that is asked of a supply from a winding, with its course to be painted unless nobody looks."""
        numbers = estimate(self.inputs, self.solve, self.wanted())
        detail = SupplyDetail(
            self.link.id, self.pin.partition(".")[0], self.rail, self.pin, self.shape.key, numbers,
            rectifier=self.course.rectifier.shape.key,
        )  # fmt: skip
        return replace(detail, waves=self.waves(), heat=self.heat()) if self.known and painted else detail

    def heat(self) -> tuple[Heat, ...]:
        """The junction of a linear converter at low, nominal and high mains, all else at nominal values; none of one that chops."""
        converter = self.converter
        if converter is None or Does.CHOPS in converter.shape.does or Does.STORES in converter.shape.does:
            return ()
        nominal = {i.name: np.array([i.ends[1]]) for i in self.inputs}
        solved = self.netlist.whole(self.netlist.cases(nominal, self.cases[0]))
        i_in, i_out, v_out = (
            float(np.ravel(np.asarray(self.netlist.probe(solved, converter, n)))[0])
            for n in ("in_current", "out_current", "out_v")
        )
        ambient, theta = nominal["ambient"][0], nominal[converter.parameter("theta")][0]
        found = []
        for words, corner in (
            ("low", Corner(AVERAGE, 0)),
            ("nominal", CORNERS["average"]),
            ("high", CORNERS["warm"]),
        ):
            run = self.course.settled(self.course.corner(corner)).solution
            volts = mean_of(
                self.course.probe(run, self.course.rectifier, "dc_v")[self.course.last_period(run)]
            )
            lost = max(volts * i_in - v_out * i_out, 0.0)
            found.append(Heat(words, float(ambient + lost * theta)))
        return tuple(found)

    def glance(self) -> SupplyDetail:
        """The numbers and the course at nominal values alone, for a quick look."""
        detail = replace(super().glance(), rectifier=self.course.rectifier.shape.key)
        return replace(detail, waves=self.waves()) if self.known else detail

    def waves(self) -> tuple[Waves, ...]:
        """A period of the course in a burst at nominal, low and high mains, to be painted."""
        found = []
        for words, corner in (("nominal", "burst"), (tr("low mains"), "sagging"), (tr("high mains"), "warm")):
            if corner not in self.corners:
                continue
            run = self.course.settled(self.course.corner(self.corners[corner])).solution
            period = self.course.last_period(run)
            every = np.linspace(0, self.course.steps, min(PAINTED, self.course.steps) + 1).round().astype(int)

            def drawn(
                values: Array, period: slice = period, every: NDArray[np.int_] = every
            ) -> tuple[float, ...]:
                return tuple(values[period][every].tolist())

            ends = [
                names.named(HOST, e) for e in (self.winding.first, self.winding.tap or self.winding.second)
            ]
            net = self.course.netlist
            found.append(
                Waves(
                    words,
                    tuple((run.times[period][every] - run.times[period][0]).tolist()),  # type: ignore[index]
                    drawn(np.asarray(run.v(*(n if n in net.circuit.nodes else "0" for n in ends)))[0]),
                    drawn(self.course.probe(run, self.course.rectifier, "dc_v")),
                    drawn(np.asarray(run.v(net.node(self.pin), net.reference(self.pin)))[0]),
                    drawn(self.winding_current(run)),
                )
            )
        return tuple(found)

    def across(self, n: Mapping[str, Estimate]) -> dict[tuple[int, str], Estimate]:
        """What the capacitors of the rectifier stand at their most, with nothing drawn at high mains [V]: of a pump half of it."""
        rectifier = self.course.rectifier
        whole = n["crest_v"]
        half = replace(whole, value=whole.value and whole.value / 2, low=whole.low / 2, high=whole.high / 2)
        of = {Task.RESERVOIR: whole, Task.PUMP: half}
        return {
            (rectifier.at, rule.name): of[rule.role] for rule in rectifier.shape.bought() if rule.role in of
        }

    # -- what is said -----------------------------------------------------------------------------------------

    def judge_source(self, n: dict[str, Estimate]) -> Finding:
        """The finding of the winding that gives the supply."""
        rated = self.winding.rated
        words = {
            "name": self.winding.name,
            "drawn": n["rail_current_a"].short(),
            "most": "?" if rated is None else format_quantity(rated.nominal, "A"),
        }
        return judge("power.winding", n, self.link.id, words)

    def judge(self, detail: SupplyDetail) -> list[Finding]:
        """The findings of a supply from a winding."""
        found, n = super().judge(detail), detail.numbers
        if len(found) == 1:
            return found
        figures = {i.field: i.ends[1] for i in section_inputs(self.link, self.course.rectifier.at)}
        words = {
            "link": self.link.name,
            "rectifier": self.course.rectifier.shape.short,
            "most_back": format_quantity(figures["reverse_max"], "V"),
            "back": n["reverse_v"].short(),
            "ripple": n["capacitor_a"].short(),
            "stands": format_quantity(figures["ripple_max"], "A"),
            "spent": n["diodes_w"].short(),
            "carries": format_quantity(figures["imax"], "A"),
            "inrush": n["inrush_a"].short(),
            "surge": format_quantity(figures["surge_max"], "A"),
        }
        return [
            *found,
            judge("power.reverse", n, self.link.id, words),
            judge("power.diodes_hot", n, self.link.id, words, watch=figures["tj_max"]),
            judge("power.ripple_current", n, self.link.id, words),
            judge("power.diode_current", n, self.link.id, words),
            judge("power.inrush", n, self.link.id, words),
        ]

    def _ripple(self) -> str:
        """The ripple, in words that follow a sentence."""
        return (
            tr(", the valley {valley} below the mean taken off", valley=format_quantity(self.valley, "V"))
            if self.valley
            else ""
        )
