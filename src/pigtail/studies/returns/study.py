"""Returns: what the module's burst current puts between the input of a feed and its own return.

When supply negative and audio return are one node on the module, its supply current divides between the two returns
as their conductances; what the audio return drops, I·R, stands in series with the signal. Here nothing is divided by
hand: the burst current is a source in the whole netlist, and the voltage is read where the host listens.
The bursts repeat at 1600 a second (slots of 625 µs; from memory of the wireless core specification), so the
transfer is taken there. The burst is taken whole, peak for rms, which errs to the safe side.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from pigtail.circuit import Solution
from pigtail.job.document import AudioIn, AudioOut, Job, Link, Purpose, SupplyIn
from pigtail.job.wiring import addresses_of, return_address
from pigtail.model.estimate import Estimate, Wanted
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist
from pigtail.model.spread import Samples, estimate, split
from pigtail.studies.findings import ORDER, Finding
from pigtail.studies.judging import judge
from pigtail.studies.level.feed import REFERENCE_HZ
from pigtail.studies.parts import study_parts
from pigtail.studies.returns.found import Branch, ReturnsDetail, ReturnsFound
from pigtail.studies.wording import tell

Array = NDArray[np.float64]
BURST_HZ = 1600.0
FLOOR_V = 1e-12


def study_returns(model: Model) -> ReturnsFound:
    """Study the returns of a job in its working state. Raises CompileError."""
    job = model.job
    feeds = [x for x in job.links if x.purpose is Purpose.FEED and _sink(job, x)]
    pins = addresses_of(job, SupplyIn)
    if feeds and job.modules and not pins:
        still = tell("returns.no_current", "")
        return ReturnsFound("returns", {}, (still,))
    if not feeds or not pins:
        none = tell("returns.no_feed", "")
        return ReturnsFound("returns", {}, (none,))
    findings = _missing_returns(job)
    netlist = model.netlist()
    if findings:
        return ReturnsFound("returns", {}, tuple(findings))
    studies = [_Buzz(netlist, link) for link in feeds]
    numbers = [s.study() for s in studies]
    worst = max(range(len(feeds)), key=lambda k: _loudness(numbers[k]["buzz_db"]))
    chosen = numbers[worst]
    finding = _judge(job, feeds[worst], chosen)
    detail = studies[worst].detail()
    findings.append(finding)
    for link in job.links:
        if link.purpose is Purpose.RETURN:
            findings += study_parts(model, link, "returns")
    findings.sort(key=lambda f: ORDER.index(f.severity))
    return ReturnsFound("returns", {f"returns.{k}": v for k, v in chosen.items()}, tuple(findings), detail)


def _sink(job: Job, link: Link) -> str | None:
    """The input a feed ends at, if an output drives it."""
    driven = any(isinstance(job.terminal(j.terminal), AudioOut) for j in link.joins)
    ends = (
        j.terminal for j in link.joins if j.port == "out" and isinstance(job.terminal(j.terminal), AudioIn)
    )
    return next(ends, None) if driven else None


def _loudness(buzz: Estimate) -> float:
    return float("inf") if buzz.value is None else buzz.value


def return_links(job: Job, module_id: str) -> list[Link]:
    """Return links between a module and the host."""
    prefix = f"{module_id}."
    return [
        x
        for x in job.links
        if x.purpose is Purpose.RETURN and any(j.terminal.startswith(prefix) for j in x.joins)
    ]


def return_choices(job: Job, module_id: str) -> list[Link]:
    """Returns of a module that may be lifted or left out: all but the one its supply current needs."""
    needed = {return_address(job, p) for p in addresses_of(job, SupplyIn, module_id)}
    return [x for x in return_links(job, module_id) if not any(j.terminal in needed for j in x.joins)]


def _missing_returns(job: Job) -> list[Finding]:
    found = []
    for module in job.modules:
        if not return_links(job, module.id):
            found.append(tell("returns.missing", module.id, {"module": module.name}))
    return found


class _Buzz:
    """The burst's way into one feed."""

    def __init__(self, netlist: Netlist, link: Link) -> None:
        self.netlist, self.job, self.link = netlist, netlist.job, link
        sink = _sink(self.job, link)
        assert sink is not None
        self.sink = sink
        outputs = netlist.outputs
        sources = {j.terminal for j in link.joins}
        self.others = {f"{netlist.node(a)}_drive": 0.0 for a in outputs if a not in sources}
        self.silence = {f"{netlist.node(a)}_drive": 0.0 for a in outputs}
        self.inputs = [i for i in netlist.inputs if i.in_deck]

    def _burst(self, samples: Samples) -> Solution:
        net = self.netlist
        deck = net.deck_samples(samples, **self.silence, burst_drive=1.0)
        return net.small(deck).ac([BURST_HZ])

    def solve(self, samples: Samples) -> dict[str, Array]:
        net = self.netlist
        out, back = net.node(self.sink), net.reference(self.sink)
        heard = self.silence | {"burst_drive": 1.0}
        played = dict.fromkeys(self.silence, 1.0) | self.others | {"burst_drive": 0.0}
        batch = net.cases(samples, heard, played)
        size = next(iter(batch.values())).size // 2
        hertz = np.repeat([BURST_HZ, REFERENCE_HZ], size)[:, None]
        solved = net.exact(batch).ac(hertz, [n for n in (out, back) if n != "0"])
        buzz, delivered = split(np.abs(solved.v(out, back)[:, 0]), 2)
        buzz_dbv = 20 * np.log10(np.maximum(buzz, FLOOR_V))
        return {"buzz_dbv": buzz_dbv, "buzz_db": buzz_dbv - 20 * np.log10(np.maximum(delivered, FLOOR_V))}

    def study(self) -> dict[str, Estimate]:
        wanted = {
            "buzz_dbv": Wanted("dBV", "the buzz at the input"),
            "buzz_db": Wanted("dB", "the buzz under the programme"),
        }
        return estimate(self.inputs, self.solve, wanted)

    def detail(self) -> ReturnsDetail:
        nominal = {i.name: np.array([i.ends[1]]) for i in self.inputs}
        solution = self._burst(nominal)
        net, job = self.netlist, self.job
        branches: list[Branch] = []
        for link in job.links:
            if link.purpose is Purpose.RETURN and len(link.joins) == 2:
                branches.append(self._link_branch(solution, link))
        for device_id, device in job.devices():
            for path in device.paths:
                ends = (f"{device_id}.{path.a}", f"{device_id}.{path.b}")
                current = net.path_current(solution, device_id, path.id)
                branches.append(_branch(net, solution, f"inside {device.name}", ends, current, ""))
        pins = addresses_of(job, SupplyIn)
        burst = sum(float(np.abs(net.terminal_current(solution, p)[0, 0])) for p in pins)
        loops = any(len(return_links(job, m.id)) > 1 for m in job.modules)
        return ReturnsDetail(burst, tuple(branches), self.sink, loops)

    def _link_branch(self, solution: Solution, link: Link) -> Branch:
        ends = (link.joins[0].terminal, link.joins[1].terminal)
        current = self.netlist.wire_current(solution, link.id, link.joins[0].port)
        return _branch(self.netlist, solution, link.name, ends, current, link.id)


def _branch(
    net: Netlist,
    solution: Solution,
    words: str,
    ends: tuple[str, str],
    through: NDArray[np.complex128],
    link: str,
) -> Branch:
    current = float(np.real(through[0, 0]))
    drop = float(np.real(solution.v(net.node(ends[0]), net.node(ends[1]))[0, 0]))
    resistance = abs(drop / current) if abs(current) > 1e-15 else float("nan")
    return Branch(words, ends[0], ends[1], link, resistance, current, drop)


def _judge(job: Job, link: Link, numbers: dict[str, Estimate]) -> Finding:
    sink = _sink(job, link) or ""
    several = any(len(return_links(job, m.id)) > 1 for m in job.modules)
    words = {
        "name": job.label(sink),
        "back": job.label(return_address(job, sink)),
        "loop": " The two returns form a loop and the burst current divides between them." if several else "",
        "loop_code": "loop" if several else "shared",
    }
    return judge("returns.quiet", numbers, link.id, words)
