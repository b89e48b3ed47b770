"""The other lives of a supply: every host state besides the working one in which the module is fed, and what a module draws while it
searches, is linked, transmits or charges. Volts at the pins, the rail's room and the converter's heat in each, all solved in one batch."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import product
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does
from pigtail.circuit import Solution
from pigtail.job.document import Rail, SupplyIn
from pigtail.job.quantities import DOINGS
from pigtail.job.wiring import rails_of
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.cascade import section_inputs
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate, split
from pigtail.model.terminals import beside_inputs
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.studies.power.alternating import WindingSupply
from pigtail.studies.power.either import FEEDING_A
from pigtail.studies.power.found import IN_A_BURST, PLAYING, Moment, RailUse
from pigtail.studies.power.supply import DirectSupply, lasting_draws
from pigtail.units import format_quantity

Array = NDArray[np.float64]


#: What is told of a rail in each state: field, words, over what it is tried while it is unknown.
PER_STATE = (("limit", "current it can give", (1e-2, 5.0)), ("used", "what the host draws", (0.0, 5.0)))
#: Which current of its pin a module wants while it plays and bursts.
WANTS = {PLAYING: "average", IN_A_BURST: "burst"}
#: Numbers are alike within this part of them [1].
ALIKE = 1e-3


class Life(NamedTuple):
    """A host state and what the module does in it."""

    state: str
    doing: str

    @property
    def lasts(self) -> bool:
        """Whether it heats what converts: a burst does not last."""
        return self.doing != IN_A_BURST


class Lives:
    """The lives of one supply besides playing in the working state."""

    def __init__(self, model: Model, supply: DirectSupply) -> None:
        self.model, self.supply, self.job, self.net = model, supply, model.job, supply.netlist
        pin = self.job.terminal(supply.pin)
        assert isinstance(pin, SupplyIn)
        doings = [d for d in DOINGS if getattr(pin, d) is not None]
        here = self.job.working_state()
        self.lives = [Life(here, d) for d in doings]
        #: The rails that it starts at, the one that feeds while it plays first; a winding gives the same in every state in which it is
        #: live, and is judged by its course.
        self.rails: tuple[str, ...] = ()
        if not isinstance(supply, WindingSupply):
            self.rails = tuple(dict.fromkeys((supply.rail, *rails_of(self.job, supply.link))))
            for state in model.states:
                if state != here and model.powered(state, supply.pin):
                    self.lives += [Life(state, d) for d in (PLAYING, IN_A_BURST, *doings)]
        self.inputs = [*supply.inputs, *beside_inputs(self.job, supply.pin, *doings), *self._per_state()]

    def _per_state(self) -> list[Input]:
        """What the rail can give and what the host draws from it in each state: as told of the state, or else as in all."""
        found = []
        states = dict.fromkeys(x.state for x in self.lives)
        for at, address in enumerate(self.rails):
            rail = self.job.terminal(address)
            assert isinstance(rail, Rail)
            for state, (field, words, plausible) in product(states, PER_STATE):
                told = self.job.state(state)
                known = getattr(rail.in_state(state), field) or getattr(rail, field)
                said = tr(
                    "{address}: {words} while “{more}”",
                    address=self.job.label(address),
                    words=words,
                    more=told.name if told else state,
                )
                name, subject = _named(field, state, at), subjects.terminal(address)
                found.append(Input(name, said, known, plausible, subject, field, in_deck=False))
        return found

    def _case(self, life: Life, samples: Samples) -> dict[str, float | Array]:
        """The switches of a life, and what the module draws in it."""
        pin = subjects.terminal(self.supply.pin).parameter
        doing = life.doing in DOINGS
        drawn: dict[str, float | Array] = {}
        if doing:  # while all others burst, or do what takes most
            drawn = dict(lasting_draws(self.job)) | dict.fromkeys(
                (pin("average"), pin("burst")), samples[pin(life.doing)]
            )
        switches = {"bursting": float(doing or life.doing == IN_A_BURST), "asleep": 0.0}
        return switches | dict(self.net.switches.get(life.state, {})) | drawn

    def solve(self, samples: Samples) -> dict[str, Array]:
        """Volts, room and heat in every life, by number of the life: arrays [S]."""
        net, supply, count = self.net, self.supply, len(self.lives)
        solved = net.each(samples, *(self._case(x, samples) for x in self.lives))
        at_pin = split(solved.v(net.node(supply.pin), net.reference(supply.pin)), count)
        own = split(net.terminal_current(solved, supply.pin), count)
        least = samples[subjects.terminal(supply.pin).parameter("minimum")]
        results: dict[str, Array] = {}
        for k in range(count):
            results |= {f"{k}_v": at_pin[k], f"{k}_a": own[k], f"{k}_margin_v": at_pin[k] - least}
        results |= self._of_rail(samples, solved)
        if supply.converter is not None:
            results |= self._heat(samples, solved)
        return results

    def _of_rail(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        results: dict[str, Array] = {}
        for at, rail in enumerate(self.rails):
            way = np.where(samples[self._volts_of(rail)] < 0, -1.0, 1.0)
            for k, drawn in enumerate(split(self.net.terminal_current(solved, rail), len(self.lives))):
                state = self.lives[k].state
                total = way * drawn + samples[_named("used", state, at)]
                limit = samples[_named("limit", state, at)]
                results |= {
                    f"{k}_rail{at}_given_a": way * drawn,
                    f"{k}_rail{at}_a": total,
                    f"{k}_rail{at}_margin_a": limit - total,
                    f"{k}_rail{at}_room": 1.0 - total / np.maximum(limit, 1e-9),
                }
        return results

    def _volts_of(self, rail: str) -> str:
        return subjects.terminal(rail).parameter("voltage")

    def _heat(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        converter, supply = self.supply.converter, self.supply
        assert converter is not None
        pin = subjects.terminal(supply.pin).parameter
        v_in, v_out, i_in, i_out = (
            split(np.asarray(self.net.probe(solved, converter, n)), len(self.lives))
            for n in ("in_v", "out_v", "in_current", "out_current")
        )
        results: dict[str, Array] = {}
        for k, life in enumerate(self.lives):
            fed = v_in[k]
            if isinstance(supply, WindingSupply) and supply.known and Does.CHOPS not in converter.shape.does:
                fed = np.maximum(fed, supply.figure(samples, "warm_v"))
            heat = np.maximum(fed * i_in[k] - v_out[k] * i_out[k], 0.0)
            # what it wants counts, whether it gets it or not
            wanted = np.maximum(i_out[k], samples[pin(WANTS.get(life.doing, life.doing))])
            results[f"{k}_given_room_a"] = samples[converter.parameter("imax")] - wanted
            if life.lasts:
                hot = samples["ambient"] + heat * samples[converter.parameter("theta")]
                results |= {
                    f"{k}_tj_c": hot,
                    f"{k}_tj_room_c": samples[converter.parameter("tj_max")] - hot,
                    f"{k}_w": heat,
                }
        return results

    def _wanted(self) -> dict[str, Wanted]:
        wanted: dict[str, Wanted] = {}
        for k, life in enumerate(self.lives):
            when = self._when(life)
            wanted |= {
                f"{k}_v": Wanted("V", tr("the supply at the module's pins{when}", when=when)),
                f"{k}_a": Wanted("A", tr("the module's current{when}", when=when)),
                f"{k}_margin_v": Wanted(
                    "V", tr("the room above the module's lowest supply{when}", when=when)
                ),
            }
            for at in range(len(self.rails)):
                wanted |= {
                    f"{k}_rail{at}_given_a": Wanted(
                        "A", tr("what the rail gives to the supply{when}", when=when)
                    ),
                    f"{k}_rail{at}_a": Wanted("A", tr("the current from the rail{when}", when=when)),
                    f"{k}_rail{at}_margin_a": Wanted(
                        "A", tr("the current that the rail can still give{when}", when=when)
                    ),
                    f"{k}_rail{at}_room": Wanted(
                        "", tr("the part of the rail's current to spare{when}", when=when)
                    ),
                }
            if self.supply.converter is not None:
                said = tr("the current that the converter can still give{when}", when=when)
                wanted[f"{k}_given_room_a"] = Wanted("A", said)
                if life.lasts:
                    wanted |= {
                        f"{k}_tj_c": Wanted("°C", tr("the junction temperature{when}", when=when)),
                        f"{k}_tj_room_c": Wanted(
                            "°C", tr("the room below the hottest junction{when}", when=when)
                        ),
                        f"{k}_w": Wanted("W", tr("the heat in the converter{when}", when=when)),
                    }
        return wanted

    def _when(self, life: Life) -> str:
        """When a life is, in words that follow a number."""
        state = self.job.state(life.state)
        where = (
            tr(" while “{state}”", state=state.name)
            if state is not None and life.state != self.job.working_state()
            else ""
        )
        doing = "" if life.doing == PLAYING else f" {life.doing}" if life.doing == IN_A_BURST else ""
        return (
            f"{where}{doing}"
            if life.doing not in DOINGS
            else tr("{where} and {doing}", where=where, doing=tr(life.doing))
            if where
            else tr(" while {doing}", doing=tr(life.doing))
        )

    def study(
        self, playing: Mapping[str, Estimate]
    ) -> tuple[tuple[Moment, ...], tuple[RailUse, ...], list[Finding]]:
        """Every life with its volts and its current, what each rail gives in it, and what is said of the worst of each kind where playing
        in the working state, of which the numbers are given, is not as bad."""
        if not self.lives:
            return (), (), []
        numbers = estimate(self.inputs, self.solve, self._wanted())
        moments = tuple(
            Moment(x.state, x.doing, numbers[f"{k}_v"], numbers[f"{k}_a"]) for k, x in enumerate(self.lives)
        )
        uses = tuple(
            self._use(numbers, k, at, rail)
            for k, x in enumerate(self.lives)
            for at, rail in enumerate(self.rails)
            if x.doing == IN_A_BURST and _gives(numbers[f"{k}_rail{at}_given_a"])
        )
        return moments, uses, list(self._judged(numbers, playing))

    def _use(self, numbers: Mapping[str, Estimate], k: int, at: int, address: str) -> RailUse:
        rail, state = self.job.terminal(address), self.lives[k].state
        assert isinstance(rail, Rail)
        limit, used = (getattr(rail.in_state(state), f) or getattr(rail, f) for f in ("limit", "used"))
        amperes = numbers[f"{k}_rail{at}_a"]
        return RailUse(address, state, amperes, limit and limit.nominal, used and used.nominal)

    def _judged(self, numbers: Mapping[str, Estimate], playing: Mapping[str, Estimate]) -> Iterator[Finding]:
        supply = self.supply
        pin = self.job.terminal(supply.pin)
        assert isinstance(pin, SupplyIn)
        lowest = format_quantity(pin.minimum.nominal, "V") if pin.minimum is not None else "?"
        if (k := self._worst(numbers, "margin_v", playing["low_margin_v"])) is not None:
            yield self._told("power.living_low", numbers, k, "", supply.pin, {"lowest": lowest})
        for at, rail in enumerate(self.rails):
            than = playing["rail_room"] if rail == supply.rail else None
            if than is None and not any(
                _gives(numbers[f"{n}_rail{at}_given_a"]) for n in range(len(self.lives))
            ):
                continue
            if (k := self._worst(numbers, f"rail{at}_room", than)) is not None:
                words = {"name": self.job.label(rail), "most": self._can_give(rail, self.lives[k].state)}
                yield self._told("power.living_rail", numbers, k, f"rail{at}_", rail, words)
        if supply.converter is not None:
            words = {"converter": supply.shape.short}
            if (k := self._worst(numbers, "given_room_a", playing["regulator_margin_a"])) is not None:
                yield self._told("power.living_given", numbers, k, "", supply.link.id, words)
            if (k := self._worst(numbers, "tj_room_c", playing["regulator_room_c"])) is not None:
                yield self._told("power.living_hot", numbers, k, "", supply.link.id, words)

    def _told(
        self,
        code: str,
        numbers: Mapping[str, Estimate],
        k: int,
        prefix: str,
        subject: str,
        words: Mapping[str, str],
    ) -> Finding:
        """One judgement of a life by its numbers."""
        start = f"{k}_{prefix}"
        own = {n.removeprefix(start): e for n, e in numbers.items() if n.startswith(start)}
        said = {
            "when": self._when(self.lives[k]),
            "volts": numbers[f"{k}_v"].short(),
            "spent": own["w"].short() if "w" in own else "",
            "drawn": own["a"].short(),
            "margin": own["margin_a"].short() if "margin_a" in own else "",
        }
        watch = self._hottest() if code == "power.living_hot" else None
        return judge(code, own, subject, {**said, **words}, owner=self.supply.link.id, watch=watch)

    def _can_give(self, address: str, state: str) -> str:
        rail = self.job.terminal(address)
        limit = (rail.in_state(state).limit or rail.limit) if isinstance(rail, Rail) else None
        return format_quantity(limit.nominal, "A") if limit is not None else "?"

    def _hottest(self) -> float:
        converter = self.supply.converter
        assert converter is not None
        return {i.field: i.ends[1] for i in section_inputs(self.supply.link, converter.at)}["tj_max"]

    def _worst(self, numbers: Mapping[str, Estimate], name: str, playing: Estimate | None) -> int | None:
        """The life in which a number is the lowest, one in which nobody knows it before all; None where playing is as bad, if it tells the
        same."""
        every = [(k, e) for k in range(len(self.lives)) if (e := numbers.get(f"{k}_{name}")) is not None]
        if not every:
            return None
        k, found = min(
            every, key=lambda at: (at[1].value is not None, at[1].low if at[1].value is not None else 0.0)
        )
        return k if playing is None or _lower(found, playing) else None


def _lower(own: Estimate, playing: Estimate) -> bool:
    """Whether a number is worse off than while playing, or not known where that is."""
    if own.value is None or playing.value is None:
        return playing.value is not None
    return own.low < playing.low - ALIKE * max(abs(playing.low), 1e-3)


def _gives(given: Estimate) -> bool:
    """Whether a rail gives the module anything in a life, or nobody knows."""
    return given.value is None or given.high > FEEDING_A


def _named(field: str, state: str, at: int) -> str:
    return f"rail{at}_{field}_in_{state}"


def lives_of(
    model: Model, supply: DirectSupply, playing: Mapping[str, Estimate]
) -> tuple[tuple[Moment, ...], tuple[RailUse, ...], list[Finding]]:
    """The other lives of a supply: what each comes to and takes, and what is said of those that are worse off than playing."""
    return Lives(model, supply).study(playing)
