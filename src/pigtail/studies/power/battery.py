"""A supply from a battery of the host: how long it lasts in each state and over a day, with the retrofit and without, whether it still
carries a burst when it is nearly empty, and how it is charged.

Hours = capacity · 0.8 · health / current (common practice: four fifths of what is printed is had). Sag: the volts of empty cells less
what the burst drops in the inner resistance, solved through the whole supply.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from pigtail.job.document import HOST, Job, Link, Mode, Rail, State
from pigtail.job.energy import Battery
from pigtail.job.quantities import BATTERY_QUANTITIES, Quantity
from pigtail.language import tr
from pigtail.model import names, subjects
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate, split
from pigtail.model.terminals import beside_inputs
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.studies.power.found import BatteryDetail, Lasting
from pigtail.studies.power.supply import ambient_input
from pigtail.studies.wording import tell
from pigtail.units import Known, format_quantity, parse_known
from pigtail.units.known import Basis
from pigtail.units.store import cached_property

Array = NDArray[np.float64]
#: What part of the printed capacity is had (common practice) [1].
HAD = 0.8
#: A charge that is full has taken so much more than was missing [1].
CHARGED = 1.2
#: A linear charger heats most at the volts of a cell that is nearly empty [V]; heat resistance of its chip on a small board, and where it
#: turns itself down [°C]. From memory.
EMPTY_CELL_V, CHARGER_THETA, CHARGER_HOTTEST_C = 3.2, "50 .. 80 .. 120 °C/W", 120.0
#: The least current that is one [A].
LEAST_A = 1e-7
#: Usual volts of an empty cell, and of a full one [V], by chemistry (common practice).
EMPTY_V = {
    "alkaline": 0.9,
    "nickel metal hydride": 1.0,
    "lithium ion": 3.0,
    "lithium iron phosphate": 2.5,
    "lead acid": 1.8,
}
FULL_V = {
    "alkaline": 1.6,
    "nickel metal hydride": 1.4,
    "lithium ion": 4.2,
    "lithium iron phosphate": 3.65,
    "lead acid": 2.3,
}
#: How a cell's volts fall as it is emptied, from full to empty, as a part of the way [1]; a picture, not a promise.
FALLING = ((0.0, 0.0), (0.08, 0.25), (0.5, 0.45), (0.85, 0.65), (0.95, 0.8), (1.0, 1.0))


def battery_of(job: Job, rail: str) -> Battery | None:
    """The battery behind a rail of the host, or None."""
    device, _, point = rail.partition(".")
    return next((b for b in job.host.batteries if b.rail == point), None) if device == HOST else None


class BatterySupply:
    """What a battery gives to the supply that starts at its rail."""

    def __init__(self, model: Model, pin: str, link: Link, rail: str, battery: Battery) -> None:
        self.model, self.job, self.pin, self.link, self.rail, self.battery = (
            model,
            model.job,
            pin,
            link,
            rail,
            battery,
        )
        self.net = model.lean.netlist()
        self.states = self.job.host.states
        self.inputs = [i for i in self.net.inputs if i.in_deck] + [
            self._input(q) for q in BATTERY_QUANTITIES if q.field in OF_LIFE
        ]
        self.inputs += [self._used(s.id) for s in self.states]

    def _input(self, item: Quantity) -> Input:
        known = item.of(self.battery)
        if known is None and item.field == "empty":
            known = Known.of(EMPTY_V[self.battery.chemistry.value], "V", Basis.TYPICAL, source="catalogue")
        if known is None and item.field == "before":
            known = self.battery.capacity
        name = self._named(item.field)
        return Input(
            name,
            f"{self.battery.name}: {item.words}",
            known,
            item.plausible,
            subjects.terminal(self.rail),
            item.field,
            False,
        )

    def _named(self, field: str) -> str:
        return names.of_all("battery", self.battery.id, field)

    def _used(self, state: str) -> Input:
        """What the host draws by itself in a state: as told of the state, in the one in which it plays as told of the rail."""
        terminal = self.job.terminal(self.rail)
        assert isinstance(terminal, Rail)
        known = terminal.in_state(state).used
        if known is None and state == self.job.working_state():
            known = terminal.used
        if known is None and terminal.states and state not in terminal.states:
            known = Known.of(0.0, "A", Basis.DOCUMENTED, source=tr("the rail is off in this state"))
        found = self.job.state(state)
        words = tr(
            "{battery}: what the host draws while “{more}”",
            battery=self.battery.name,
            more=found.name if found else state,
        )
        return Input(
            f"used_in/{state}", words, known, (0.0, 0.1), subjects.terminal(self.rail), "used", False
        )

    @cached_property
    def powered(self) -> tuple[str, ...]:
        """The states in which the module is powered."""
        return tuple(s.id for s in self.states if self.model.powered(s.id, self.pin))

    def solve(self, samples: Samples) -> dict[str, Array]:
        """Hours of each state with the retrofit and without, days of the stated use, what an empty battery leaves: arrays [S]."""
        name = self._named
        net, states = self.net, [s.id for s in self.states]
        cases = [
            {"bursting": 0.0, "asleep": 0.0} | dict(net.switches[s.id]) | self._waiting(s, samples)
            for s in self.states
        ]
        drawn = split(net.terminal_current(net.each(samples, *cases), self.rail), len(states))
        had = HAD * samples[name("health")]
        now, before = had * samples[name("capacity")], had * samples[name("before")]
        results: dict[str, Array] = {}
        day, day_before = np.zeros_like(now), np.zeros_like(now)
        hours = {h.state: h.hours for h in self.job.day}
        for state, extra in zip(states, drawn, strict=True):
            own = samples[f"used_in/{state}"]
            total = own + np.maximum(extra, 0.0)
            results[f"hours/{state}"] = now / np.maximum(total, LEAST_A)
            results[f"hours_before/{state}"] = before / np.maximum(own, LEAST_A)
            results[f"drawn/{state}"] = total
            day, day_before = day + hours.get(state, 0.0) * total, day_before + hours.get(state, 0.0) * own
        results["days"] = now / np.maximum(day, LEAST_A)
        results["days_before"] = before / np.maximum(day_before, LEAST_A)
        return results | self._at_the_end(samples)

    def _waiting(self, state: State, samples: Samples) -> dict[str, Array]:
        """What the module draws where nobody plays: the most of what it is told to draw while it searches or is linked, if it is."""
        told = [samples[i.name] for i in self._others() if i.field in WAITING]
        if state.kind not in (Mode.OFF, Mode.STANDBY) or not told:
            return {}
        return {subjects.terminal(self.pin).parameter("average"): np.max(told, axis=0)}

    def _at_the_end(self, samples: Samples) -> dict[str, Array]:
        """The module's room above its lowest supply in a burst, the cells empty [V]."""
        name, rail, pin = (
            self._named,
            subjects.terminal(self.rail).parameter,
            subjects.terminal(self.pin).parameter,
        )
        ohm = samples[name("resistance")]
        used = samples[f"used_in/{self.job.working_state()}"]
        empty = samples[name("empty")] * self.battery.series - ohm * used
        changed = dict(samples) | {rail("voltage"): empty, rail("resistance"): ohm}
        burst = {"bursting": 1.0, "asleep": 0.0}
        # in every state in which it lives: beside another rail the battery may feed it in one of them only
        states = self.powered or (self.job.working_state(),)
        cases = [burst | dict(self.net.switches.get(s, {})) | {f"{rail()}__rise": 1.0} for s in states]
        solved = self.net.each(changed, *cases)
        at_pin = np.min(
            split(solved.v(self.net.node(self.pin), self.net.reference(self.pin)), len(cases)), axis=0
        )
        return {"end_v": at_pin, "end_margin_v": at_pin - samples[pin("minimum")]}

    def study(self) -> tuple[BatteryDetail, list[Finding]]:
        """What the battery gives, and what is said of it."""
        wanted = {"end_v": Wanted("V", tr("what the module gets in a burst from an empty battery")),
                  "end_margin_v": Wanted("V", tr("the room above the module's lowest supply, the battery empty")),
                  "days": Wanted("", tr("days of the stated use")),
                  "days_before": Wanted("", tr("days of the stated use before"))}  # fmt: skip
        for state in self.states:
            wanted |= {
                f"hours/{state.id}": Wanted("h", tr("hours while “{state}”", state=state.name)),
                f"hours_before/{state.id}": Wanted("h", tr("hours while “{state}” before", state=state.name)),
                f"drawn/{state.id}": Wanted(
                    "A", tr("current from the battery while “{state}”", state=state.name)
                ),
            }
        minimum = [i for i in self._others() if i.name not in {x.name for x in self.inputs}]
        numbers = estimate([*self.inputs, *minimum], self.solve, wanted)
        lasting = tuple(
            Lasting(
                s.id, s.name, s.id in self.powered, numbers[f"hours/{s.id}"], numbers[f"hours_before/{s.id}"]
            )
            for s in self.states
        )
        days = (numbers["days"], numbers["days_before"]) if self.job.day else None
        detail = BatteryDetail(
            self.battery.name, self.battery.chemistry.value, lasting, days, self._falling(), numbers
        )
        return detail, list(self._judged(numbers))

    def _others(self) -> list[Input]:
        """What the module's lowest supply is, and what it is told to draw while it waits."""
        subject, pin = subjects.terminal(self.pin), self.job.terminal(self.pin)
        told = [d for d in WAITING if getattr(pin, d) is not None]
        own = [i for i in self.net.inputs if i.subject == subject]
        return [*own, *beside_inputs(self.job, self.pin, *told)]

    def _falling(self) -> tuple[tuple[float, float], ...]:
        """The volts of the battery over the part of its capacity that is taken, for the picture [1, V]."""
        kind, series = self.battery.chemistry.value, self.battery.series
        full, empty = FULL_V[kind], EMPTY_V[kind]
        return tuple((part, series * (full - down * (full - empty))) for part, down in FALLING)

    # -- what is said -----------------------------------------------------------------------------------------

    def _judged(self, numbers: dict[str, Estimate]) -> Iterator[Finding]:
        battery, working = self.battery, self.job.working_state()
        words = {
            "battery": battery.name,
            "hours": hours_told(numbers[f"hours/{working}"], "h"),
            "before": hours_told(numbers[f"hours_before/{working}"], "h"),
            "lowest": format_quantity(self._least(), "V"),
            "end": numbers["end_v"].short(),
        }
        with_before = {"share": _share(numbers[f"hours/{working}"], numbers[f"hours_before/{working}"])}
        yield judge("power.battery_hours", with_before, self.link.id, words)
        yield judge("power.battery_end", numbers, self.link.id, words)
        rail = self.job.terminal(self.rail)
        assert isinstance(rail, Rail)
        for state in self.states:
            on = state.id in self.powered
            if state.kind in (Mode.OFF, Mode.STANDBY) and (on or rail.in_state(state.id).used is not None):
                told = {"days": _in_days(numbers[f"hours/{state.id}"])}
                drawn = numbers[f"drawn/{state.id}"].short()
                more = {
                    "state": state.name,
                    "drawn": drawn,
                    "on": tr(", with the module on") if on else tr(" by the host itself"),
                }
                yield judge("power.standby_days", told, self.link.id, words | more)
        yield from self._protection(words)
        yield from self._charging(words)

    def _least(self) -> float:
        least = getattr(self.job.terminal(self.pin), "minimum", None)
        return least.nominal if isinstance(least, Known) else 0.0

    def _protection(self, words: dict[str, str]) -> Iterator[Finding]:
        battery = self.battery
        if not battery.chemistry.lithium:
            return
        code = {
            True: "power.cell_protected",
            False: "power.cell_unprotected",
            None: "power.cell_protection_unknown",
        }[battery.protected]
        yield tell(code, self.link.id, words)

    def _charging(self, words: dict[str, str]) -> Iterator[Finding]:
        battery = self.battery
        if battery.charge is None:
            return
        given = {i.field: i for i in map(self._input, BATTERY_QUANTITIES)}
        theta = Input(
            "charger_theta", tr("heat resistance of the charger's chip"), parse_known(CHARGER_THETA, "°C/W", Basis.TYPICAL), (50.0, 120.0),
            subjects.terminal(self.rail), "charge", False,
        )  # fmt: skip
        inputs = [given["capacity"], given["charge"], given["charge_from"], ambient_input(self.job), theta]

        def solve(samples: Samples) -> dict[str, Array]:
            amperes, capacity = (samples[given[f].name] for f in ("charge", "capacity"))
            heat = np.maximum(samples[given["charge_from"].name] - EMPTY_CELL_V, 0.0) * amperes
            return {
                "rate": amperes / capacity,
                "full_h": CHARGED * capacity / amperes,
                "charger_c": samples["ambient"] + heat * samples["charger_theta"],
            }

        numbers = estimate(inputs, solve, {
            "rate": Wanted("", tr("the charging current over the capacity")), "full_h": Wanted("h", tr("hours of a charge")),
            "charger_c": Wanted("°C", tr("the chip of the charger")),
        })  # fmt: skip
        told = words | {
            "full": hours_told(numbers["full_h"], "h"),
            "charge": format_quantity(battery.charge.nominal, "A"),
        }
        yield judge("power.charge_rate", numbers, self.link.id, told)
        if battery.charge_from is not None:
            yield judge("power.charger_hot", numbers, self.link.id, told)


#: What a module does while nobody plays.
WAITING = ("searching", "linked")
#: The values of a battery that its life rests on.
OF_LIFE = ("capacity", "before", "health", "resistance", "empty")


def hours_told(estimate: Estimate, unit: str) -> str:
    """A number of hours or the like in words, its unit as given."""
    if estimate.value is None:
        return "?"
    digits = 0 if estimate.value >= 10 else 1
    return f"{estimate.value:,.{digits}f} {unit}"


def _share(now: Estimate, before: Estimate) -> Estimate:
    """Hours now over hours before, their spreads taken as moving together [1]."""
    missing = (*now.missing, *before.missing)
    if now.value is None or before.value is None:
        return Estimate(
            None,
            np.nan,
            np.nan,
            "",
            Basis.UNKNOWN,
            tr("the play time against that before"),
            now.leading,
            missing,
        )
    share = now.value / before.value
    return Estimate(share, share, share, "", now.basis, tr("the play time against that before"), now.leading)


def _in_days(hours: Estimate) -> Estimate:
    if hours.value is None:
        return hours
    return Estimate(
        hours.value / 24,
        hours.low / 24,
        hours.high / 24,
        "",
        hours.basis,
        tr("days until it is flat"),
        hours.leading,
    )
