"""Level: what arrives at the input of each feed, against what is wanted there.

Delivered level: |H|·e.m.f. at 1 kHz, H the transfer of the whole netlist from the source's e.m.f. to the voltage
between the input and its own return; for one source, pad and load this is the divider
Vout/Vin = (R2∥RL)/(Rs + R1 + R2∥RL). Corners: the frequencies where |H| is 3 dB below 1 kHz, for one capacitor
f = 1/(2πC·(Rs + Rload)). Offset: the same two nodes at rest. Limits and words stand in the table of judgements.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import topology
from pigtail.circuit import Batch
from pigtail.job.model import AudioIn, AudioOut, Job, Link, Purpose
from pigtail.job.wiring import addresses_of, return_address
from pigtail.studies.compile import Netlist, compile_job
from pigtail.studies.estimate import Estimate, Input, Wanted
from pigtail.studies.findings import ORDER, Finding, Severity
from pigtail.studies.judging import judge
from pigtail.studies.results import FeedDetail, LevelStudy, Rung
from pigtail.studies.spread import Samples, estimate, split

Array = NDArray[np.float64]
REFERENCE_HZ = 1000.0
SEARCH_HZ = (1e-3, 1e8)
REFINEMENTS = 1
SPLIT = np.linspace(0.0, 1.0, 13)
#: Width of the neighbourhood of the nominal corner in which a sample's corner is looked for first, in decades.
NEAR_DECADES = 2.0
NEAR = np.linspace(0.0, 1.0, 17)
CORNER_DB = -10 * np.log10(2.0)
CURVE_HZ = np.geomspace(5.0, 200e3, 70)

#: The judgements of a feed, in the order in which they are read.
JUDGED = ("level.fits", "level.headroom", "level.bass", "level.treble", "level.offset", "level.load")


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
        others = [f"{netlist.node(a)}_drive" for a in addresses_of(netlist.job, AudioOut) if a not in sources]
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
        *curve, middle = np.abs(self._transfer(nominal, np.append(CURVE_HZ, REFERENCE_HZ)))[0]
        corners = self._corners()
        rungs = (
            Rung("e.m.f.", found["emf"]),
            Rung("output pin", found["pin"]),
            *(Rung(words, found[f"rung{k}"]) for k, (words, _) in enumerate(self.rung_nodes)),
            Rung("at the input", found["delivered"]),
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
            tuple((20 * np.log10(np.maximum(curve, 1e-12) / max(float(middle), 1e-12))).tolist()),
            numbers,
        )

    def _transfer(self, samples: Samples, hertz: Array) -> NDArray[np.complex128]:
        """Voltage between the input and its return [S, F] with all sources of the feed driven."""
        solution = Batch(self.netlist.circuit, self.netlist.deck_samples(samples, **self.drives)).ac(hertz)
        found: NDArray[np.complex128] = solution.v(self.out, self.back)
        return found

    def solve(self, samples: Samples) -> dict[str, Array]:
        net = self.netlist
        every = {f"{net.node(a)}_drive": 1.0 for a in self.sources} | self.drives
        alone = every | {f"{net.node(a)}_drive": 0.0 for a in self.sources[1:]}
        batch = Batch(net.circuit, net.cases(samples, every, alone))
        driven, rest = batch.ac([REFERENCE_HZ]), batch.operating_point()

        def both(solved: NDArray[Any]) -> NDArray[Any]:
            return split(solved, 2)[0].reshape(-1)

        source = net.node(self.sources[0])
        source_back = net.reference(self.sources[0])
        current = both(driven.i(f"rz.x{source}"))
        pin = both(driven.v(source, source_back))
        arrived, alone_arrived = split(driven.v(self.out, self.back)[:, 0], 2)
        delivered = _dbv(arrived)
        stem = self.sink.replace(".", "_")
        wanted, overload = (20 * np.log10(samples[f"{stem}_{k}"]) for k in ("wanted", "overload"))
        results = {
            "delivered": delivered,
            "target": delivered - wanted,
            "headroom": overload - delivered,
            "offset": both(rest.v(self.out, self.back)),
            "one": _dbv(alone_arrived),
            "load": np.abs(pin) / np.maximum(np.abs(current), 1e-15),
            "wanted": wanted,
            "overload": overload,
            "emf": 20 * np.log10(np.maximum(samples[f"{source}_emf"], 1e-12)),
            "pin": _dbv(pin),
        }
        for k, (_, node) in enumerate(self.rung_nodes):
            results[f"rung{k}"] = _dbv(both(driven.v(node, self.back)))
        return results

    def _corners(self) -> dict[str, Estimate]:
        """The −3 dB corners, estimated over those inputs that move the response there."""
        nominal = {i.name: np.array([i.ends[1]]) for i in self.inputs}
        low, high = (float(c[0]) for c in self._crossings(nominal, _grid(-1), _grid(1)))
        telling = self._telling(low, high)
        fixed = {i.name: np.array([i.ends[1]]) for i in self.inputs if i not in telling}
        grids = [
            np.log10(around) + side * (NEAR_DECADES * NEAR - NEAR_DECADES / 2)
            for around, side in ((low, -1), (high, 1))
        ]

        def solve(samples: Samples) -> dict[str, Array]:
            found = self._crossings(fixed | samples, *grids)
            return dict(zip(("low", "high"), found, strict=True))

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

    def _crossings(self, samples: Samples, low: Array, high: Array) -> tuple[Array, Array]:
        """Frequencies [Hz] of the two −3 dB corners, one a sample each.

        `low` and `high` are grids of log10 of frequencies from inside the band outward. On each the interval where
        |H| falls below the limit is split once more, and the crossing read off its chord in log |H|. A corner
        outside its grid is looked for on the whole range; one that is not there is at the end of it.
        """
        batch = Batch(self.netlist.circuit, self.netlist.deck_samples(samples, **self.drives))
        size = max(v.size for v in samples.values())

        def magnitude(*logs: Array) -> list[Array]:
            """|H| [S, F] at several sets of log10 frequencies, each [F] or [S, F], in one solution."""
            hertz = 10 ** np.concatenate([np.broadcast_to(g, (size, g.shape[-1])) for g in logs], axis=1)
            h = np.abs(batch.ac(hertz).v(self.out, self.back))
            return np.split(h, np.cumsum([g.shape[-1] for g in logs])[:-1], axis=1)

        reference, *h = magnitude(np.array([np.log10(REFERENCE_HZ)]), low, high)
        limit = reference[:, 0] * 10 ** (CORNER_DB / 20)
        if any(not ((x[:, 0] >= limit) & (x[:, -1] < limit)).all() for x in h):
            low, high = _grid(-1), _grid(1)
            h = magnitude(low, high)
        inner = [np.broadcast_to(g, x.shape) for g, x in zip((low, high), h, strict=True)]
        for _ in range(REFINEMENTS):
            ends = [_bracket(g, x, limit) for g, x in zip(inner, h, strict=True)]
            inner = [near[:, None] + (far - near)[:, None] * SPLIT for near, far, _, _ in ends]
            h = magnitude(*inner)
        found = []
        for grid, x in zip(inner, h, strict=True):
            near, far, inside, outside = _bracket(grid, x, limit)
            part = (np.log(inside) - np.log(limit)) / np.maximum(np.log(inside) - np.log(outside), 1e-30)
            found.append(np.asarray(10 ** (near + (far - near) * np.clip(part, 0.0, 1.0))))
        return found[0], found[1]


def _bracket(grid: Array, h: Array, limit: Array) -> tuple[Array, Array, Array, Array]:
    """Where |H| first falls below the limit: log10 of the last frequency above and the first below, and |H| there."""
    below = h < limit[:, None]
    below[:, -1] = True
    first = np.maximum(below.argmax(axis=1), 1)
    rows = np.arange(len(h))
    return grid[rows, first - 1], grid[rows, first], h[rows, first - 1], np.maximum(h[rows, first], 1e-30)


def _grid(side: int) -> Array:
    """log10 of frequencies from 1 kHz to the end of the search range below (−1) or above (+1)."""
    return np.linspace(np.log10(REFERENCE_HZ), np.log10(SEARCH_HZ[0 if side < 0 else 1]), 25)


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
    target = detail.numbers["target_db"].value
    quiet = target is not None and target < 0
    words = {
        "name": job.label(detail.sink),
        "back": job.label(return_address(job, detail.sink)),
        "side": "quiet" if quiet else "loud",
        "way": "below" if quiet else "above",
    }
    return [judge(code, detail.numbers, detail.link, words) for code in JUDGED]
