"""Level: what arrives at the input of each feed, against what is wanted there.

Delivered level: |H|·e.m.f. at 1 kHz, H the transfer of the whole netlist from the source's e.m.f. to the voltage
between the input and its own return; for one source, pad and load this is the divider
Vout/Vin = (R2∥RL)/(Rs + R1 + R2∥RL). Corners: the frequencies where |H| is 3 dB below 1 kHz, for one capacitor
f = 1/(2πC·(Rs + Rload)). Offset: the same two nodes at rest. Limits are common practice and stand beside each.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import topology
from pigtail.circuit import Batch
from pigtail.job.model import AudioIn, AudioOut, Job, Link, Purpose
from pigtail.job.wiring import return_address
from pigtail.studies.compile import Netlist, compile_job
from pigtail.studies.estimate import Estimate, Input, Wanted
from pigtail.studies.findings import ORDER, Finding, Severity, at_least, at_most, judged, within
from pigtail.studies.results import FeedDetail, LevelStudy, Rung
from pigtail.studies.spread import Samples, estimate

Array = NDArray[np.float64]
REFERENCE_HZ = 1000.0
SEARCH_HZ = (1e-3, 1e8)
CORNER_STEPS = 3
NEAR = (
    100.0  # width of the neighbourhood of the nominal corner in which a sample's corner is looked for first
)
CORNER_DB = -10 * np.log10(2.0)
CURVE_HZ = np.geomspace(5.0, 200e3, 70)

TARGET_GOOD_DB, TARGET_WATCH_DB = 3.0, 6.0
HEADROOM_GOOD_DB, HEADROOM_WATCH_DB = 3.0, 0.0
LOW_CUT_GOOD_HZ, LOW_CUT_WATCH_HZ = 10.0, 40.0
HIGH_CUT_GOOD_HZ, HIGH_CUT_WATCH_HZ = 20e3, 12e3
OFFSET_GOOD_V, OFFSET_WATCH_V = 0.020, 0.100
LOAD_GOOD_OHM, LOAD_WATCH_OHM = 1000.0, 600.0


def study_level(job: Job) -> LevelStudy:
    """Study all feeds of a job in its working state. Raises CompileError."""
    feeds = [x for x in job.links if x.purpose is Purpose.FEED]
    if not feeds:
        none = Finding(
            "level.no_feed", Severity.UNKNOWN, "", "No feed is planned yet: propose a plan or add a link."
        )
        return LevelStudy("level", {}, (none,))
    netlist = compile_job(job, job.working_state())
    details: list[FeedDetail] = []
    findings: list[Finding] = []
    for link in feeds:
        found = _ends(job, link)
        if isinstance(found, Finding):
            findings.append(found)
            continue
        detail = _Feed(netlist, link, *found).study()
        details.append(detail)
        findings += _judge(job, detail)
    numbers = _numbers(details)
    findings.sort(key=lambda f: ORDER.index(f.severity))
    return LevelStudy("level", numbers, tuple(findings), tuple(details))


def _ends(job: Job, link: Link) -> tuple[tuple[str, ...], str] | Finding:
    """The outputs that drive a feed and the input it drives, or a finding when one of them is absent."""
    sources = tuple(
        j.terminal for j in link.joins if j.port != "com" and isinstance(job.terminal(j.terminal), AudioOut)
    )
    sinks = [
        j.terminal for j in link.joins if j.port == "out" and isinstance(job.terminal(j.terminal), AudioIn)
    ]
    if not sources or not sinks:
        what = "no output drives it" if not sources else "it does not end at an input"
        return Finding("level.open_feed", Severity.FIX, link.id, f"{link.name} is not complete: {what}.")
    return sources, sinks[0]


class _Feed:
    """One feed on a compiled netlist: solves it for samples and estimates its numbers."""

    def __init__(self, netlist: Netlist, link: Link, sources: tuple[str, ...], sink: str) -> None:
        self.netlist, self.link, self.sources, self.sink = netlist, link, sources, sink
        self.out, self.back = netlist.node(sink), netlist.reference(sink)
        self.rung_nodes = self._rungs()
        others = [f"{netlist.node(a)}_drive" for a in _outputs(netlist.job) if a not in sources]
        self.drives = dict.fromkeys(others, 0.0)
        self.inputs = [i for i in netlist.inputs if i.in_deck or i.subject == sink]

    def _rungs(self) -> list[tuple[str, str]]:
        """Words and node of each rung behind the module's pin."""
        sections = self.link.sections
        nodes = [f"{self.link.id}_n{k + 1}" for k in range(len(sections) - 1)]
        titles = [topology(s.topology).short for s in sections]
        return [(f"after the {t}", n) for t, n in zip(titles, nodes, strict=False)]

    def study(self) -> FeedDetail:
        wanted = {
            "delivered": Wanted("dBV", "the delivered level"),
            "target": Wanted("dB", "delivered minus wanted"),
            "headroom": Wanted("dB", "the headroom to overload"),
            "offset": Wanted("V", "the DC at the input"),
            "one": Wanted("dBV", "the level of one channel alone"),
            "load": Wanted("Ω", "what the network loads the source with"),
            "wanted": Wanted("dBV", "the level wanted"),
            "overload": Wanted("dBV", "the overload level"),
            "emf": Wanted("dBV", "the e.m.f."),
            "pin": Wanted("dBV", "the level at the output pin"),
            **{f"rung{k}": Wanted("dBV", words) for k, (words, _) in enumerate(self.rung_nodes)},
        }
        found = estimate(self.inputs, self.solve, wanted)
        nominal = {i.name: np.array([i.ends[1]]) for i in self.inputs}
        curve = np.abs(self._transfer(nominal, CURVE_HZ))[0]
        middle = float(np.abs(self._transfer(nominal, np.array([REFERENCE_HZ])))[0, 0])
        corners = self._corners()
        sink_words = self.netlist.job.label(self.sink)
        rungs = (
            Rung("e.m.f. at full scale", found["emf"]),
            Rung("at the output pin", found["pin"]),
            *(Rung(words, found[f"rung{k}"]) for k, (words, _) in enumerate(self.rung_nodes)),
            Rung(f"at the {sink_words}", found["delivered"]),
        )
        numbers = {
            "delivered_dbv": found["delivered"],
            "target_db": found["target"],
            "headroom_db": found["headroom"],
            "low_cut_hz": corners["low"],
            "high_cut_hz": corners["high"],
            "offset_v": found["offset"],
            "load_ohm": found["load"],
        }
        if len(self.sources) > 1:
            numbers["one_channel_dbv"] = found["one"]
        return FeedDetail(
            self.link.id,
            self.sources,
            self.sink,
            rungs,
            found["wanted"],
            found["overload"],
            tuple(CURVE_HZ.tolist()),
            tuple((20 * np.log10(np.maximum(curve, 1e-12) / max(middle, 1e-12))).tolist()),
            numbers,
        )

    def _transfer(self, samples: Samples, hertz: Array) -> NDArray[np.complex128]:
        """Voltage between the input and its return [S, F] with all sources of the feed driven."""
        solution = Batch(self.netlist.circuit, self.netlist.deck_samples(samples, **self.drives)).ac(hertz)
        found: NDArray[np.complex128] = solution.v(self.out, self.back)
        return found

    def solve(self, samples: Samples) -> dict[str, Array]:
        net = self.netlist
        batch = Batch(net.circuit, net.deck_samples(samples, **self.drives))
        both, rest = batch.ac([REFERENCE_HZ]), batch.operating_point()
        silent = {f"{net.node(a)}_drive": 0.0 for a in self.sources[1:]}
        one = both
        if silent:
            one = Batch(net.circuit, net.deck_samples(samples, **self.drives, **silent)).ac([REFERENCE_HZ])
        source = net.node(self.sources[0])
        source_back = net.reference(self.sources[0])
        current = both.i(f"rz.x{source}")[:, 0]
        pin = both.v(source, source_back)[:, 0]
        delivered = _dbv(both.v(self.out, self.back)[:, 0])
        stem = self.sink.replace(".", "_")
        wanted, overload = (20 * np.log10(samples[f"{stem}_{k}"]) for k in ("wanted", "overload"))
        results = {
            "delivered": delivered,
            "target": delivered - wanted,
            "headroom": overload - delivered,
            "offset": rest.v(self.out, self.back),
            "one": _dbv(one.v(self.out, self.back)[:, 0]),
            "load": np.abs(pin) / np.maximum(np.abs(current), 1e-15),
            "wanted": wanted,
            "overload": overload,
            "emf": 20 * np.log10(np.maximum(samples[f"{source}_emf"], 1e-12)),
            "pin": _dbv(pin),
        }
        for k, (_, node) in enumerate(self.rung_nodes):
            results[f"rung{k}"] = _dbv(both.v(node, self.back)[:, 0])
        return results

    def _corners(self) -> dict[str, Estimate]:
        """The −3 dB corners, estimated over those inputs that move the response there."""
        nominal = {i.name: np.array([i.ends[1]]) for i in self.inputs}
        low, high = (float(self._corner(nominal, _grid(side))[0]) for side in (-1, 1))
        telling = self._telling(low, high)
        fixed = {i.name: i.ends[1] for i in self.inputs if i not in telling}

        def solve(samples: Samples) -> dict[str, Array]:
            full = {k: np.array([v]) for k, v in fixed.items()} | samples
            return {
                name: self._corner(
                    full,
                    np.linspace(0, side * np.log10(NEAR), 9) + np.log10(around) - side * np.log10(NEAR) / 2,
                )
                for name, side, around in (("low", -1, low), ("high", 1, high))
            }

        wanted = {"low": Wanted("Hz", "the low corner"), "high": Wanted("Hz", "the high corner")}
        return estimate(telling, solve, wanted)

    def _telling(self, low: float, high: float) -> Sequence[Input]:
        """The inputs that move the response at the corners or at 1 kHz."""
        names = [i.name for i in self.inputs]
        ends = np.array([i.ends for i in self.inputs])
        matrix = np.tile(ends[:, 1], (1 + len(names), 1))
        moved = np.where(ends[:, 2] > ends[:, 1], ends[:, 2], ends[:, 1] * 1.1 + 1e-12)
        matrix[1:][np.diag_indices(len(names))] = moved
        hertz = np.array([low, REFERENCE_HZ, high])
        h = np.abs(self._transfer(dict(zip(names, matrix.T, strict=True)), hertz))
        ratio = h / np.maximum(h[:, 1:2], 1e-15)
        shift = np.abs(ratio - ratio[0]).max(axis=1)[1:]
        chosen = [i for i, s in zip(self.inputs, shift, strict=True) if s > 1e-5]
        return chosen or self.inputs[:1]

    def _corner(self, samples: Samples, grid: Array) -> Array:
        """Frequency [Hz] of a −3 dB corner, one a sample.

        `grid` is log10 of frequencies from inside the band outward. The interval where |H| falls below the limit
        is split in eight, twice over, and the crossing read off its chord in log |H|. A corner outside
        the grid is looked for on the whole range; one that is not there is at the end of it.
        """
        batch = Batch(self.netlist.circuit, self.netlist.deck_samples(samples, **self.drives))

        def magnitude(log_hertz: Array) -> Array:
            return np.abs(batch.ac(10**log_hertz).v(self.out, self.back))

        size = max(v.size for v in samples.values())
        h = np.broadcast_to(magnitude(np.append(grid, np.log10(REFERENCE_HZ))), (size, grid.size + 1))
        limit, h = h[:, -1] * 10 ** (CORNER_DB / 20), h[:, :-1]
        if not ((h[:, 0] >= limit) & (h[:, -1] < limit)).all():
            grid = _grid(int(np.sign(grid[-1] - grid[0])))
            h = np.broadcast_to(magnitude(grid), (size, grid.size))
        inner = np.broadcast_to(grid, h.shape)
        rows = np.arange(size)
        for step in range(CORNER_STEPS):
            below = h < limit[:, None]
            below[:, -1] = True
            first = np.maximum(below.argmax(axis=1), 1)
            near, far = inner[rows, first - 1], inner[rows, first]
            if step < CORNER_STEPS - 1:
                inner = near[:, None] + (far - near)[:, None] * np.linspace(0, 1, 9)[None, :]
                h = magnitude(inner)
        inside, outside = np.log(h[rows, first - 1]), np.log(np.maximum(h[rows, first], 1e-30))
        part = np.clip((inside - np.log(limit)) / np.maximum(inside - outside, 1e-30), 0.0, 1.0)
        return np.asarray(10 ** (near + (far - near) * part))


def _grid(side: int) -> Array:
    """log10 of frequencies from 1 kHz to the end of the search range below (−1) or above (+1)."""
    return np.linspace(np.log10(REFERENCE_HZ), np.log10(SEARCH_HZ[0 if side < 0 else 1]), 13)


def _outputs(job: Job) -> list[str]:
    return [a for a in job.addresses() if isinstance(job.terminal(a), AudioOut)]


def _dbv(volts: NDArray[np.complex128]) -> Array:
    return np.asarray(20 * np.log10(np.maximum(np.abs(volts), 1e-12)))


def _numbers(details: list[FeedDetail]) -> dict[str, Estimate]:
    """The numbers under their stable names: those of the feed furthest from its target, and of each feed by name
    when there are several."""
    if not details:
        return {}

    def distance(detail: FeedDetail) -> float:
        target = detail.numbers["target_db"]
        return np.inf if target.value is None else max(abs(target.low), abs(target.high))

    chosen = max(details, key=distance)
    numbers = {f"level.{k}": v for k, v in chosen.numbers.items()}
    if len(details) > 1:
        for detail in details:
            numbers |= {f"level.{detail.link}.{k}": v for k, v in detail.numbers.items()}
    return numbers


def _judge(job: Job, detail: FeedDetail) -> list[Finding]:
    """The findings of one feed."""
    n, subject = detail.numbers, detail.link
    name = job.label(detail.sink)
    back = job.label(return_address(job, detail.sink))
    good, watch, fix = Severity.GOOD, Severity.WATCH, Severity.FIX
    target = n["target_db"]
    quiet = target.value is not None and target.value < 0
    off = "{magnitude} below" if quiet else "{magnitude} above"
    pad_why = "delivered = e.m.f. · |H(1 kHz)|, H from the netlist; for a pad (R2∥RL)/(Rs + R1 + R2∥RL)"
    return [
        judged(
            "level.fits",
            target,
            within(TARGET_GOOD_DB, TARGET_WATCH_DB),
            subject=subject,
            limit=TARGET_GOOD_DB,
            sense=-1.0,
            magnitude=True,
            sentences={
                good: f"The level fits {name}: {{nominal}} from what is wanted.",
                watch: f"The level at {name} is {off} what is wanted: usable with the volume control.",
                fix: f"The level at {name} is {off} what is wanted; within {{limit}} it fits.",
            },
            codes={fix: "level.too_quiet" if quiet else "level.too_loud", watch: "level.off_target"},
            why=pad_why + "; target = delivered − wanted. Within ±3 dB is common practice.",
        ),
        judged(
            "level.headroom",
            n["headroom_db"],
            at_least(HEADROOM_GOOD_DB, HEADROOM_WATCH_DB),
            subject=subject,
            limit=HEADROOM_WATCH_DB,
            sense=1.0,
            sentences={
                good: f"{name} has {{nominal}} of room above full scale before it overloads.",
                watch: f"Only {{nominal}} remain before {name} overloads.",
                fix: f"Full scale overloads {name} by more than it can take: headroom {{nominal}}.",
            },
            codes={fix: "level.clips"},
            why="headroom = overload level − delivered level, taken at the loudest of the spread",
        ),
        judged(
            "level.bass",
            n["low_cut_hz"],
            at_most(LOW_CUT_GOOD_HZ, LOW_CUT_WATCH_HZ),
            subject=subject,
            limit=LOW_CUT_WATCH_HZ,
            sense=-1.0,
            sentences={
                good: "The bass is whole: 3 dB down at {nominal}.",
                watch: "The lowest notes are thinned: 3 dB down at {nominal}.",
                fix: "Thin, no bass: 3 dB down at {nominal} already.",
            },
            codes={fix: "level.no_bass", watch: "level.thin_bass"},
            why="the corner is where |H| is 3 dB below 1 kHz; for one capacitor 1/(2πC·(Rs + Rload))",
        ),
        judged(
            "level.treble",
            n["high_cut_hz"],
            at_least(HIGH_CUT_GOOD_HZ, HIGH_CUT_WATCH_HZ),
            subject=subject,
            limit=HIGH_CUT_WATCH_HZ,
            sense=1.0,
            sentences={
                good: "The treble is whole: 3 dB down only at {nominal}.",
                watch: "The highest notes are dulled: 3 dB down at {nominal}.",
                fix: "Dull: 3 dB down at {nominal} already.",
            },
            codes={fix: "level.no_treble", watch: "level.dull_treble"},
            why="cable capacitance against the resistance of the network: 1/(2π·R·C), 100 pF/m screened (common practice)",
        ),
        judged(
            "level.offset",
            n["offset_v"],
            within(OFFSET_GOOD_V, OFFSET_WATCH_V),
            subject=subject,
            limit=OFFSET_WATCH_V,
            sense=-1.0,
            magnitude=True,
            sentences={
                good: f"No DC to speak of at {name} against {back}: {{nominal}}.",
                watch: f"A little DC at {name}: {{nominal}}; it may click when switched.",
                fix: f"DC reaches {name}: {{nominal}}; block it with a coupling capacitor.",
            },
            codes={fix: "level.dc_reaches_input"},
            why="operating point of the netlist between the input and its own return",
        ),
        judged(
            "level.load",
            n["load_ohm"],
            at_least(LOAD_GOOD_OHM, LOAD_WATCH_OHM),
            subject=subject,
            limit=LOAD_WATCH_OHM,
            sense=1.0,
            sentences={
                good: "The network is easy to drive: {nominal} at 1 kHz.",
                watch: "The network loads the output rather heavily: {nominal}.",
                fix: "The network loads the output too heavily: {nominal}.",
            },
            codes={fix: "level.loads_source"},
            why="voltage at the output pin over the current out of it, all channels driven; 1 kΩ or more is common practice",
        ),
    ]
