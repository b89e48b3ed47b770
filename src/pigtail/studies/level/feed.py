"""One feed on a compiled netlist: its levels, offset, corners and loads, each with its spread.

Delivered level: |H|·e.m.f. at 1 kHz, H the transfer of the whole netlist from the source's e.m.f. to the voltage
between the input and its own return; for one source, pad and load this is the divider
Vout/Vin = (R2∥RL)/(Rs + R1 + R2∥RL). Corners: the frequencies where |H| is 3 dB below 1 kHz, for one capacitor
f = 1/(2πC·(Rs + Rload)). Offset: the same two nodes at rest, less the DC
that the input has of its own. Output impedance: Z·(Vopen/V − 1) from the level with and
without the input. Pop: the DC that stands at the open end, which the input jumps by when it is plugged or selected.
Thump: the bias coming up in 10 ms through a high pass of the low corner, bias·|H|·(τ/t)·(1 − e^(−t/τ)), τ = 1/(2πf).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does, Task
from pigtail.circuit import Batch, Solution
from pigtail.job.document import AudioIn, AudioOut, Link, Purpose, Trait
from pigtail.language import tr
from pigtail.model import names, subjects
from pigtail.model.cascade import networks, swing_dbv, told_against
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.netlist import Netlist
from pigtail.model.spread import Hints, Samples, Solver, estimate, estimate_again, split
from pigtail.model.terminals import OPEN_OHM, heard_node
from pigtail.studies.level.aim import has_own_dc
from pigtail.studies.level.found import FeedDetail, Rung
from pigtail.units.store import cached_property

Array = NDArray[np.float64]
REFERENCE_HZ = 1000.0
SEARCH_HZ = (1e-3, 1e8)
SPLIT = np.linspace(0.0, 1.0, 13)
#: Width of the neighbourhood of the nominal corner in which a sample's corner is looked for first, in decades.
NEAR_DECADES = 2.0
NEAR = np.linspace(0.0, 1.0, 17)
#: Points of that neighbourhood where something resonates.
FINE = 65
CORNER_DB = -10 * np.log10(2.0)
CURVE_HZ = np.geomspace(5.0, 200e3, 70)
GLANCE_HZ = CURVE_HZ[::3]
#: Inputs that are moved again where a result is no sum of its moves.
PULLED = 24
#: From here on a load is none; where another output plays as loud, no current flows at all [Ω].
NO_LOAD_OHM = 1e6
#: In what time the bias of a module comes up with its supply [s]. Common practice.
RISE_S = 0.01


class Feed:
    """One feed on a compiled netlist: solves it for samples and estimates its numbers.

    Args: netlist; its link; addresses of the outputs that drive it and of the input it drives.
    """

    def __init__(self, netlist: Netlist, link: Link, sources: tuple[str, ...], sink: str) -> None:
        self.netlist, self.link, self.sources, self.sink = netlist, link, sources, sink
        self.out, self.back = netlist.node(sink), netlist.reference(sink)
        self.heard, self.heard_back = heard_node(netlist.job, sink)
        self.stages = networks(link)
        self.amplifiers = tuple(s for s in self.stages if s.shape.amplifies)
        #: The capacitors of its networks, those that block first: their place, name and nodes.
        self.capacitors = {
            (s.at, rule.name): (s.node(rule.nodes[0]), s.node(rule.nodes[1]))
            for s in self.stages
            for rule in sorted(s.shape.bought(), key=lambda r: r.role is not Task.BLOCKS)
            if rule.kind == "capacitor" and rule.nodes
        }
        others = [f"{netlist.node(a)}__drive" for a in netlist.outputs if a not in sources]
        self.drives = dict.fromkeys(others, 0.0)
        terminal = netlist.job.terminal(sink)
        assert isinstance(terminal, AudioIn)
        self.terminal = terminal
        self.own_dc = has_own_dc(terminal)
        self.mixes = terminal.has(Trait.PASSIVE_NODE) is True
        own = {subjects.terminal(sink), *(s.subject for s in self.stages)}
        self.inputs = [i for i in netlist.inputs if i.in_deck or i.subject in own]

    @property
    def shares(self) -> bool:
        """Whether another feed with an output of its own ends at the same input."""
        job = self.netlist.job
        return any(
            x.purpose is Purpose.FEED and x.id != self.link.id and self.sink in x.at("out")
            and any(isinstance(job.terminal(a), AudioOut) and a not in self.sources for a in x.starts)
            for x in job.links
        )  # fmt: skip

    @property
    def resonates(self) -> bool:
        """Whether a transformer is in it, whose inductances make notches and humps."""
        return any(Does.ISOLATES in s.shape.does for s in self.stages)

    @property
    def below(self) -> Array:
        """Frequencies [Hz] from 1 kHz down on which the low corner is looked for."""
        return (FINE_WAYS if self.resonates else WAYS)[0]

    @property
    def above(self) -> Array:
        """Frequencies [Hz] from 1 kHz up on which the high corner is looked for."""
        return (FINE_WAYS if self.resonates else WAYS)[1]

    @property
    def stem(self) -> str:
        """Name of the input in the deck."""
        return names.at(self.sink)

    @property
    def nominal(self) -> Samples:
        """All inputs at their nominal values, one sample. Arrays [1] in SI by name."""
        return {i.name: np.array([i.ends[1]]) for i in self.inputs}

    def study(self) -> FeedDetail:
        """Everything that every feed is asked for."""
        wanted = self._levels_wanted() | {
            "offset": Wanted("V", tr("the DC forced on the input")),
            "one": Wanted("dBV", tr("the level of one channel alone")),
            "load": Wanted("Ω", tr("what the network loads the source with")),
            "draw": Wanted("S", tr("the current drawn from the source over its voltage")),
            "tap": Wanted("dB", tr("what the tap takes from the source")),
            "cross": Wanted("Ω", tr("what one output sees of the others")),
            **{
                _cap(at, name): Wanted(
                    "V",
                    tr(
                        "the DC across {short} {upper}", short=self.stages[at].shape.short, upper=name.upper()
                    ),
                )
                for at, name in self.capacitors
            },
            "pop": Wanted("V", tr("the DC that stands at the open end")),
            "output": Wanted("Ω", tr("the impedance that the input is driven from")),
            "own_loss": Wanted("dB", tr("what the feed takes from the host's own signal")),
            "over_own": Wanted("dB", tr("the added source over the host's own")),
        }
        found = estimate(self.inputs, self.solve, wanted, pulled=PULLED, narrow=self._narrow)
        corners = self._corners()
        numbers = {
            "low_cut_hz": corners["low"],
            "high_cut_hz": corners["high"],
            "offset_v": found["offset"],
            "load_ohm": _load(found["load"], found["draw"]),
            "output_ohm": found["output"],
        }
        if len(self.sources) > 1:
            numbers["one_channel_dbv"] = found["one"]
        if len(self.sources) > 1 or self.shares:
            numbers["cross_ohm"] = found["cross"]
        if self.shares:  # what loads it is the other output
            del numbers["load_ohm"]
        self.across = {place: found[_cap(*place)] for place in self.capacitors}
        if self.across:
            numbers["capacitor_v"] = next(iter(self.across.values()))
        if any(Does.BLOCKS in s.shape.does for s in self.stages):
            numbers["pop_v"] = found["pop"]
            numbers["thump_v"] = self._thump(found, corners["low"])
        if any(a.startswith("host.") for a in self.sources):
            numbers["tap_loss_db"] = found["tap"]
        if self.mixes:
            numbers |= {"own_loss_db": found["own_loss"], "over_own_db": found["over_own"]}
        return self._detail(found, numbers)

    def glance(self, hints: Hints) -> FeedDetail:
        """The levels with their spread and the response, and nothing else: what is shown while a value is turned."""
        found = estimate_again(self.inputs, self._solve_levels, self._levels_wanted(), hints)
        return self._detail(found, {}, GLANCE_HZ)

    def _levels_wanted(self) -> dict[str, Wanted]:
        return {
            "delivered": Wanted("dBV", tr("the delivered level")),
            "target": Wanted("dB", tr("delivered minus wanted")),
            "headroom": Wanted("dB", tr("the headroom to overload")),
            "wanted": Wanted("dBV", tr("the level wanted")),
            "overload": Wanted("dBV", tr("the overload level")),
            "emf": Wanted("dBV", tr("the e.m.f.")),
            "pin": Wanted("dBV", tr("the level at the output pin")),
            **{
                f"rung{s.at}": Wanted("dBV", tr("after the {short}", short=s.shape.short))
                for s in self.stages[:-1]
            },
            **{
                f"ceiling{s.at}": Wanted("dBV", tr("what the {short} can give", short=s.shape.short))
                for s in self.amplifiers
            },
        }

    def _detail(
        self, found: dict[str, Estimate], numbers: dict[str, Estimate], hertz: Array = CURVE_HZ
    ) -> FeedDetail:
        """What the station paints, of levels that were estimated and further numbers."""
        *curve, middle = (
            self._sweep[2 * len(self.below) :]
            if hertz is CURVE_HZ
            else np.abs(self.transfer(self.nominal, np.append(hertz, REFERENCE_HZ)))[0]
        )
        rungs = (
            Rung(tr("e.m.f."), found["emf"]),
            Rung(tr("output pin"), found["pin"]),
            *(
                Rung(
                    tr("after the {short}", short=s.shape.short),
                    found[f"rung{s.at}"],
                    found.get(f"ceiling{s.at}"),
                )
                for s in self.stages[:-1]
            ),
            Rung(tr("at the input"), found["delivered"], self._last_ceiling(found)),
        )
        levels = {
            "delivered_dbv": found["delivered"],
            "target_db": found["target"],
            "headroom_db": found["headroom"],
        }
        return FeedDetail(
            self.link.id,
            self.sources,
            self.sink,
            rungs,
            found["wanted"],
            found["overload"],
            tuple(hertz.tolist()),
            tuple((20 * np.log10(np.maximum(curve, 1e-12) / max(float(middle), 1e-12))).tolist()),
            levels | numbers,
        )

    def _last_ceiling(self, found: dict[str, Estimate]) -> Estimate:
        """What stops the level at the input: the stage that drives it, if that clips before the input does."""
        last = self.stages[-1]
        own = found.get(f"ceiling{last.at}")
        known = own is not None and own.value is not None
        limit = found["overload"].value
        if own is not None and known and (limit is None or (own.value or 0.0) < limit):
            return own
        return found["overload"]

    def _thump(self, found: dict[str, Estimate], low: Estimate) -> Estimate:
        """The peak at the input when the bias comes up with the supply, from the nominal values, spread by that of the bias."""
        source = self.netlist.job.terminal(self.sources[0])
        assert isinstance(source, AudioOut)
        bias, emf, there = source.bias, found["emf"], found["delivered"]
        words = tr("the thump when its supply comes up")
        if bias is None or low.value is None or emf.value is None or there.value is None:
            return replace(found["pop"], value=None, low=np.nan, high=np.nan, words=words)
        decay = 1 / (2 * np.pi * low.value)
        part = 10 ** ((there.value - emf.value) / 20) * decay / RISE_S * (1 - np.exp(-RISE_S / decay))
        low_v, value, high_v = (float(abs(b) * part) for b in (bias.low, bias.nominal, bias.high))
        return replace(
            found["pop"], value=value, low=min(low_v, high_v, value), high=max(low_v, high_v, value), words=words,
            basis=bias.basis, missing=(),
        )  # fmt: skip

    def batch(self, samples: Samples, **switches: float) -> Batch:
        """The netlist for samples of its inputs, the sources of other feeds silent. Arrays [S] in SI by name."""
        return self.netlist.small(self.netlist.deck_samples(samples, **self.drives | switches))

    def transfer(self, samples: Samples, hertz: Array, **switches: float) -> NDArray[np.complex128]:
        """Voltage [S, F] where the host listens, all sources of the feed driven unless switches say otherwise."""
        return self.listen(self.batch(samples, **switches), hertz)

    def listen(self, batch: Batch, hertz: Array) -> NDArray[np.complex128]:
        """Voltage [S, F] where the host listens; of nothing else."""
        ends = [n for n in (self.heard, self.heard_back) if n != "0"]
        found: NDArray[np.complex128] = batch.ac(hertz, ends).v(self.heard, self.heard_back)
        return found

    def solve(self, samples: Samples) -> dict[str, Array]:
        """What `study` estimates, for samples [S] by input name: arrays [S] by result."""
        net, stem = self.netlist, self.stem
        every = {f"{net.node(a)}__drive": 1.0 for a in self.sources} | self.drives
        cases = [every, every | {f"{stem}__impedance": OPEN_OHM}]
        several = len(self.sources) > 1
        if several:
            cases.append(every | {f"{net.node(a)}__drive": 0.0 for a in self.sources[1:]})
        if self.mixes:
            cases.append(dict.fromkeys(every, 0.0) | {f"{stem}__carried": 1.0})
        batch = net.small(net.cases(samples, *cases))
        driven, rest = batch.ac([REFERENCE_HZ]), batch.operating_point()

        def apart(solved: NDArray[Any]) -> list[NDArray[Any]]:
            return [x.reshape(-1) for x in split(solved, len(cases))]

        _, pair = self._pin
        pins = apart(np.abs(driven.v(*pair)))
        given = net.terminal_current(driven, self.sources[0])
        currents = apart(np.abs(given))
        drawn = apart(np.real(given * np.conj(driven.v(*pair))))[0]
        levels = [_dbv(x) for x in apart(driven.v(self.out, self.back))]
        at_rest = apart(rest.v(self.out, self.back))
        input_ohm = samples[f"{stem}__impedance"]
        supplies = {at: apart(volts)[0] for at, volts in self.supplies(rest).items()}
        results = self._levels(samples, lambda *pair: apart(driven.v(*pair))[0], supplies)
        delivered = results["delivered"]
        if self.mixes:
            carries = 20 * np.log10(np.maximum(samples[f"{stem}__carries"], 1e-12))
            results |= {"own_loss": levels[-1] - carries, "over_own": delivered - levels[-1]}
        opened = 10 ** ((levels[1] - delivered) / 20)
        alone = 2 if several else 0
        flat = np.zeros(delivered.shape)
        return {"own_loss": flat, "over_own": flat} | results | {
            "offset": at_rest[0] - (samples[f"{stem}__dc"] if self.own_dc else 0.0),
            "one": levels[alone],
            "load": np.minimum(pins[0] / np.maximum(currents[0], 1e-15), NO_LOAD_OHM),
            "draw": np.copysign(currents[0] / np.maximum(pins[0], 1e-15), drawn),
            "tap": _dbv(pins[0]) - results["emf"],
            "cross": pins[alone] / np.maximum(currents[alone], 1e-15),
            **{_cap(*place): apart(rest.v(*nodes))[0] for place, nodes in self.capacitors.items()},
            "pop": at_rest[1],
            "output": np.maximum(input_ohm * (opened - 1.0), 1e-3),
        }  # fmt: skip

    def _narrow(self, names: frozenset[str]) -> Solver:
        """What solves some of the results: those of the operating point alone, or all."""
        return self._solve_rest if names <= {"offset", "pop"} else self.solve

    def _solve_rest(self, samples: Samples) -> dict[str, Array]:
        """The DC at the input and at the open end, arrays [S]."""
        net, stem = self.netlist, self.stem
        rest = net.small(net.cases(samples, {}, {f"{stem}__impedance": OPEN_OHM})).operating_point()
        here, opened = (x.reshape(-1) for x in split(np.asarray(rest.v(self.out, self.back)), 2))
        return {"offset": here - (samples[f"{stem}__dc"] if self.own_dc else 0.0), "pop": opened}

    @property
    def _pin(self) -> tuple[str, tuple[str, str]]:
        """The node of the output that the level is told at, and that node with its return."""
        source = self.netlist.node(self.sources[0])
        return source, (source, self.netlist.reference(self.sources[0]))

    def _solve_levels(self, samples: Samples) -> dict[str, Array]:
        """The levels alone."""
        pairs = [
            self._pin[1],
            (self.out, self.back),
            *((s.behind, told_against(self.link, s, self.back)) for s in self.stages),
        ]
        only = sorted({n for pair in pairs for n in pair} - {"0"})
        batch = self.batch(samples)
        driven = batch.ac([REFERENCE_HZ], only)
        rest = batch.operating_point() if self.amplifiers else None
        supplies = {} if rest is None else self.supplies(rest)
        return self._levels(samples, lambda *pair: driven.v(*pair)[:, 0], supplies)

    def supplies(self, rest: Solution) -> dict[int, Array]:
        """What each amplifier stage swings on [V], by its place, at an operating point."""
        return {s.at: self.netlist.swings_on(rest, self.link, s) for s in self.amplifiers}

    def _levels(
        self,
        samples: Samples,
        volts: Callable[[str, str], NDArray[np.complex128]],
        supplies: Mapping[int, Array],
    ) -> dict[str, Array]:
        """Every level along the feed [dBV] and what limits it, of voltages between pairs of nodes, and the stages' supplies."""
        source, pair = self._pin
        stem, delivered = self.stem, _dbv(volts(self.out, self.back))
        wanted, overload = (20 * np.log10(samples[f"{stem}__{k}"]) for k in ("wanted", "overload"))
        room = overload - delivered
        results = {
            "delivered": delivered,
            "target": delivered - wanted,
            "wanted": wanted,
            "overload": overload,
            "emf": 20 * np.log10(np.maximum(samples[f"{source}__emf"], 1e-12)),
            "pin": _dbv(volts(*pair)),
        }
        for stage in self.stages:
            level = _dbv(volts(stage.behind, told_against(self.link, stage, self.back)))
            results[f"rung{stage.at}"] = level
            if stage.shape.amplifies:
                load = samples[f"{stem}__impedance"] if stage is self.stages[-1] else np.inf
                results[f"ceiling{stage.at}"] = swing_dbv(samples, stage, supplies[stage.at], load)
                room = np.minimum(room, results[f"ceiling{stage.at}"] - level)
        return results | {"headroom": room}

    def _corners(self) -> dict[str, Estimate]:
        """The −3 dB corners, estimated over those inputs that move the response there."""
        low, high = self._nominal_corners()
        telling = self._telling(low, high)
        fixed = {i.name: np.array([i.ends[1]]) for i in self.inputs if i not in telling}
        steps = np.linspace(0.0, 1.0, FINE) if self.resonates else NEAR
        grids = [
            np.log10(around) + side * (NEAR_DECADES * steps - NEAR_DECADES / 2)
            for around, side in ((low, -1), (high, 1))
        ]

        def solve(samples: Samples) -> dict[str, Array]:
            found = self._crossings(fixed | samples, *grids)
            return dict(zip(("low", "high"), found, strict=True))

        wanted = {"low": Wanted("Hz", tr("the low corner")), "high": Wanted("Hz", tr("the high corner"))}
        return estimate(telling, solve, wanted, pulled=PULLED // 6)

    @cached_property
    def _sweep(self) -> Array:
        """|H| [F] of the nominal case from 1 kHz down and up to the ends of the search, along the curve, and at 1 kHz."""
        hertz = np.concatenate([self.below, self.above, CURVE_HZ, [REFERENCE_HZ]])
        return np.asarray(np.abs(self.transfer(self.nominal, hertz))[0])

    def _nominal_corners(self) -> tuple[float, float]:
        """Roughly where the −3 dB corners of the nominal case lie [Hz]."""
        limit = self._sweep[-1:] * 10 ** (CORNER_DB / 20)
        below, above = np.split(self._sweep[: 2 * len(self.below)][None], 2, axis=1)
        low, high = (
            _crossing(np.log10(hertz)[None], h, limit)[0]
            for hertz, h in ((self.below, below), (self.above, above))
        )
        return float(low), float(high)

    def _telling(self, low: float, high: float) -> Sequence[Input]:
        """The inputs that move the response at the corners or at 1 kHz."""
        names = [i.name for i in self.inputs]
        ends = np.array([i.ends for i in self.inputs])
        matrix = np.tile(ends[:, 1], (1 + len(names), 1))
        moved = np.where(ends[:, 2] > ends[:, 1], ends[:, 2], ends[:, 1] * 1.1 + 1e-12)
        matrix[1:][np.diag_indices(len(names))] = moved
        hertz = np.array([low, REFERENCE_HZ, high])
        h = np.abs(self.transfer(dict(zip(names, matrix.T, strict=True)), hertz))
        ratio = h / np.maximum(h[:, 1:2], 1e-15)
        shift = np.abs(ratio - ratio[0]).max(axis=1)[1:]
        chosen = [i for i, s in zip(self.inputs, shift, strict=True) if s > 1e-5]
        return chosen or self.inputs[:1]

    def _crossings(self, samples: Samples, low: Array, high: Array) -> tuple[Array, Array]:
        """Frequencies [Hz] of the two −3 dB corners, one a sample each.

        `low` and `high` are grids of log10 of frequencies from inside the band outward. The crossing is read off the parabola
        through three points about it in log |H|. A corner outside its grid is looked for on the whole range, the interval where
        |H| falls below the limit then split once more; one that is not there is at the end of it.
        """
        batch = self.batch(samples)
        size = max(v.size for v in samples.values())

        def magnitude(*logs: Array) -> list[Array]:
            """|H| [S, F] at several sets of log10 frequencies, each [F] or [S, F], in one solution."""
            hertz = 10 ** np.concatenate([np.broadcast_to(g, (size, g.shape[-1])) for g in logs], axis=1)
            h = np.abs(self.listen(batch, hertz))
            return np.split(h, np.cumsum([g.shape[-1] for g in logs])[:-1], axis=1)

        reference, *h = magnitude(np.array([np.log10(REFERENCE_HZ)]), low, high)
        limit = reference[:, 0] * 10 ** (CORNER_DB / 20)
        inner: list[Array] = [low, high]
        if any(not ((x[:, 0] >= limit) & (x[:, -1] < limit)).all() for x in h):
            inner = [np.log10(self.below), np.log10(self.above)]
            h = magnitude(*inner)
            wide = [np.broadcast_to(g, x.shape) for g, x in zip(inner, h, strict=True)]
            ends = [_bracket(g, x, limit) for g, x in zip(wide, h, strict=True)]
            inner = [near[:, None] + (far - near)[:, None] * SPLIT for near, far in ends]
            h = magnitude(*inner)
        lows, highs = (
            _crossing(np.broadcast_to(g, x.shape), x, limit) for g, x in zip(inner, h, strict=True)
        )
        return lows, highs


def _load(nominal: Estimate, draw: Estimate) -> Estimate:
    """A load whose spread follows from that of the current over the voltage, which may pass nought where another output plays as loud
    and even turn round; the load itself has a pole there."""
    if nominal.value is None or draw.value is None:
        return nominal
    most, least = max(abs(draw.low), abs(draw.high)), min(abs(draw.low), abs(draw.high))
    through_nought = draw.low <= 0 <= draw.high or least * NO_LOAD_OHM < 1
    high = NO_LOAD_OHM if through_nought else max(1 / least, nominal.high)
    low = 1 / most if most * NO_LOAD_OHM > 1 else NO_LOAD_OHM
    return replace(nominal, low=min(low, nominal.low), high=high)


def _cap(at: int, name: str) -> str:
    return f"capacitor{at}.{name}"


def _first_below(h: Array, limit: Array) -> NDArray[np.intp]:
    """The number of the first point at which |H| lies below the limit, at least 1, at most the last."""
    below = h < limit[:, None]
    below[:, -1] = True
    return np.asarray(np.maximum(below.argmax(axis=1), 1))


def _bracket(grid: Array, h: Array, limit: Array) -> tuple[Array, Array]:
    """Where |H| first falls below the limit: log10 of the last frequency above and of the first below."""
    first, rows = _first_below(h, limit), np.arange(len(h))
    return grid[rows, first - 1], grid[rows, first]


def _crossing(grid: Array, h: Array, limit: Array) -> Array:
    """The frequency [Hz] at which |H| first crosses the limit, by the parabola through the point before it, the point behind it and
    the next: log10 of the frequency over log |H|; by the chord where |H| does not fall through all three."""
    first, rows = _first_below(h, limit), np.arange(len(h))
    third = np.minimum(first + 1, h.shape[1] - 1)
    places = [grid[rows, k] for k in (first - 1, first, third)]
    levels = [np.log(np.maximum(h[rows, k], 1e-30)) for k in (first - 1, first, third)]
    y = np.log(limit)
    a, b, c = levels
    chord = np.clip((a - y) / np.maximum(a - b, 1e-30), 0.0, 1.0)
    straight = places[0] + (places[1] - places[0]) * chord
    with np.errstate(all="ignore"):
        bent = (
            places[0] * (y - b) * (y - c) / ((a - b) * (a - c))
            + places[1] * (y - a) * (y - c) / ((b - a) * (b - c))
            + places[2] * (y - a) * (y - b) / ((c - a) * (c - b))
        )
    low, high = np.minimum(places[0], places[1]), np.maximum(places[0], places[1])
    fine = (a > b) & (b > c) & np.isfinite(bent) & (bent >= low) & (bent <= high)
    return np.asarray(10 ** np.where(fine, bent, straight))


def _ways(count: int) -> tuple[Array, Array]:
    """Frequencies [Hz] from 1 kHz to the ends of the search range, downward and upward."""
    return np.geomspace(REFERENCE_HZ, SEARCH_HZ[0], count), np.geomspace(REFERENCE_HZ, SEARCH_HZ[1], count)


#: Those on which corners are looked for, and, where something resonates, so many that no notch lies between two.
WAYS, FINE_WAYS = _ways(25), _ways(201)


def _dbv(volts: NDArray[np.complex128]) -> Array:
    return np.asarray(20 * np.log10(np.maximum(np.abs(volts), 1e-12)))
