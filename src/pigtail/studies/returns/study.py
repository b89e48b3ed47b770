"""Returns: what the module's bursts put between the input of a feed and its own return, and between it and the host's star.

When supply negative and audio return are one node on the module, its supply current divides between the two returns
as their conductances; what the audio return drops, I·R, stands in series with the signal. Here nothing is divided by
hand: the alternating part of a burst, what it draws beyond the average, is a source in the whole netlist, and the voltage is
read where the host listens; what rides on the input's own return is heard too, by a next stage that stands on the star.
The bursts repeat at 1600 a second (slots of 625 µs; from memory of the wireless core specification), so the
transfer is taken there; peak is taken for rms, which errs to the safe side. Buzz is told against the programme, which lies 18 dB
under full scale (common practice).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does, does
from pigtail.circuit import Solution
from pigtail.job.document import HOST, AudioIn, AudioOut, Function, Job, Link, Purpose, SupplyIn
from pigtail.job.log import log_of
from pigtail.job.wiring import addresses_of, return_address, return_links, star_address, supply_links
from pigtail.language import tr
from pigtail.model.estimate import Estimate, Wanted
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist
from pigtail.model.spread import Samples, estimate, split
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.studies.level.aim import PROGRAMME_DB
from pigtail.studies.level.feed import REFERENCE_HZ
from pigtail.studies.parts import study_parts
from pigtail.studies.returns.found import Branch, ReturnsDetail, ReturnsFound
from pigtail.studies.returns.hum import hum_of
from pigtail.studies.wording import listed, tell
from pigtail.units import format_quantity

Array = NDArray[np.float64]
BURST_HZ = 1600.0
#: What is less than this is no voltage that anyone could tell [V].
FLOOR_V = 1e-8
#: Inputs that are moved again where two currents cancel.
PULLED = 8
#: Beyond this a return is driven, such as the middle of a headphone amplifier's supply [V].
DRIVEN_V = 0.1


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
    if findings:
        return ReturnsFound("returns", {}, tuple(findings))
    findings += [*_driven_grounds(model.papers), *_bridged(job)]
    feeds = [x for x in feeds if _plays(model, x)]
    if not feeds:
        findings += [tell("returns.silent", ""), *_own_parts(model)]
        return ReturnsFound("returns", {}, tuple(findings))
    studies = [_Buzz(model.about(link.id).netlist(), link) for link in feeds]
    numbers = [s.study() for s in studies]
    every = range(len(feeds))
    worst = max(every, key=lambda k: _loudness(numbers[k]["buzz_db"]))
    lifting = max(every, key=lambda k: _loudness(numbers[k]["next_db"]))
    chosen = numbers[worst] | {"next_db": numbers[lifting]["next_db"]}
    detail = studies[worst].detail()
    findings.append(_judge(job, "returns.quiet", studies[worst], chosen))
    if studies[lifting].ground != "0":
        findings.append(_judge(job, "returns.shared_ground", studies[lifting], chosen))
    findings += _own_parts(model)
    told = {f"returns.{k}": v for k, v in chosen.items()}
    hums = [(s, h) for s in studies if (h := hum_of(model, s.link, s.sink, s.played)) is not None]
    if hums:
        loudest, hum = max(hums, key=lambda x: _loudness(x[1]))
        words = {"name": job.label(loudest.sink), "back": job.label(return_address(job, loudest.sink))}
        findings.append(judge("returns.hum", {"hum_db": hum}, loudest.link.id, words))
        told["returns.hum_db"] = hum
    return ReturnsFound("returns", told, tuple(findings), detail)


def _sink(job: Job, link: Link) -> str | None:
    """The input a feed ends at, if an output drives it."""
    driven = any(isinstance(job.terminal(j.terminal), AudioOut) for j in link.joins)
    ends = (
        j.terminal for j in link.joins if j.port == "out" and isinstance(job.terminal(j.terminal), AudioIn)
    )
    return next(ends, None) if driven else None


def _plays(model: Model, link: Link) -> bool:
    """Whether anything is played over a feed in the working state, besides which bursts could be heard: its outputs give something, and
    what they are part of has the volts it needs."""
    working, job = model.job.working_state(), model.job
    outputs = [a for a in link.starts if isinstance(job.terminal(a), AudioOut)]
    if not working:
        return True
    pins = [
        p for a in outputs for p in addresses_of(job, SupplyIn, a.partition(".")[0]) if supply_links(job, p)
    ]
    least = [getattr(job.terminal(p), "minimum", None) for p in pins]
    enough = all(
        low is None or model.volts(working, p) >= low.nominal for p, low in zip(pins, least, strict=True)
    )
    return not outputs or (enough and any(model.gives(working, a) for a in outputs))


def _own_parts(model: Model) -> list[Finding]:
    """The findings about the parts of the returns themselves."""
    return [
        f
        for link in model.job.links
        if link.purpose is Purpose.RETURN
        for f in study_parts(model, link, "returns")
    ]


def _loudness(buzz: Estimate) -> float:
    return float("inf") if buzz.value is None else buzz.high


def return_choices(job: Job, module_id: str) -> list[Link]:
    """Returns of a module that may be lifted or left out: all but the one its supply current needs, which goes home by itself where
    the supply is separate."""
    needed = (
        set()
        if _separate(job, module_id)
        else {return_address(job, p) for p in addresses_of(job, SupplyIn, module_id)}
    )
    audio = {return_address(job, a) for k in (AudioIn, AudioOut) for a in addresses_of(job, k, module_id)}
    links = [x for x in return_links(job, module_id) if not any(j.terminal in needed for j in x.joins)]
    return sorted(links, key=lambda x: any(j.terminal in audio for j in x.joins))  # that of the music last


def _separate(job: Job, module_id: str) -> bool:
    """Whether all that feeds a module comes over converters whose two sides are separate."""
    links = [x for p in addresses_of(job, SupplyIn, module_id) for x in supply_links(job, p)]
    return bool(links) and all(any(does(s, Does.SEPARATES) for s in x.sections) for x in links)


def _bridged(job: Job) -> list[Finding]:
    """The modules of a separate supply that more than one return joins with the host all the same."""
    found = []
    for module in job.modules:
        home = [
            x for x in return_links(job, module.id) if any(j.terminal.startswith(f"{HOST}.") for j in x.joins)
        ]
        if len(home) > 1 and _separate(job, module.id):
            words = {"module": module.name, "links": listed(x.name.lower() for x in home)}
            found.append(tell("returns.bridged", module.id, words))
    return found


def _missing_returns(job: Job) -> list[Finding]:
    """The modules that draw a supply and have no return at all; of one that draws none its feeds tell whether it has a way home."""
    return [
        tell("returns.missing", m.id, {"module": m.name})
        for m in job.modules
        if addresses_of(job, SupplyIn, m.id) and not return_links(job, m.id)
    ]


def _driven_grounds(job: Job) -> list[Finding]:
    """The returns of the host that stand away from its star, as read, and that a module joins with it: the one shorts the other."""
    star = star_address(job)
    found = []
    for link in job.links:
        if link.purpose is not Purpose.RETURN or any(does(s, Does.BLOCKS) for s in link.sections):
            continue
        ground = next((j.terminal for j in link.joins if j.terminal.startswith(f"{HOST}.")), "")
        volts = _apart_from_star(job, ground)
        modules = {j.terminal.partition(".")[0] for j in link.joins} - {HOST}
        joined = {j.terminal for m in modules for x in return_links(job, m) for j in x.joins}
        supplied = any(
            not any(does(s, Does.SEPARATES) for s in x.sections)
            for m in modules
            for p in addresses_of(job, SupplyIn, m)
            for x in supply_links(job, p)
        )
        if abs(volts) > DRIVEN_V and (star in joined or supplied):
            words = {
                "ground": job.label(ground),
                "star": job.label(star),
                "volts": format_quantity(volts, "V"),
                "link": link.name,
            }
            found.append(tell("returns.driven_ground", link.id, words))
    return found


def _apart_from_star(job: Job, ground: str) -> float:
    """How far a return of the host was read from the star [V], the latest reading; nought where none was."""
    star = star_address(job)
    if not ground or ground == star:
        return 0.0
    read = log_of(job).between(ground, star, Function.DC_VOLTS)
    return read[-1].value.nominal if read else 0.0


class _Buzz:
    """The burst's way into one feed."""

    def __init__(self, netlist: Netlist, link: Link) -> None:
        self.netlist, self.job, self.link = netlist, netlist.job, link
        sink = _sink(self.job, link)
        assert sink is not None
        self.sink = sink
        # what the host's own next stage hears: at its input, or, where it is the source, what lifts the return of its output
        host_sink = sink.startswith(f"{HOST}.")
        source = next((a for a in link.starts if isinstance(self.job.terminal(a), AudioOut)), sink)
        self.host_end = sink if host_sink else source
        self.ground = netlist.reference(self.host_end)
        self.lifted = netlist.node(sink) if host_sink else self.ground
        outputs = netlist.outputs
        sources = {j.terminal for j in link.joins}
        self.others = {f"{netlist.node(a)}__drive": 0.0 for a in outputs if a not in sources}
        self.silence = {f"{netlist.node(a)}__drive": 0.0 for a in outputs}
        self.played = dict.fromkeys(self.silence, 1.0) | self.others
        self.inputs = [i for i in netlist.inputs if i.in_deck]

    def _burst(self, samples: Samples) -> Solution:
        net = self.netlist
        deck = net.deck_samples(samples, **self.silence, burst_drive=1.0)
        return net.small(deck).ac([BURST_HZ])

    def solve(self, samples: Samples) -> dict[str, Array]:
        net = self.netlist
        out, back = net.node(self.sink), net.reference(self.sink)
        heard = self.silence | {"burst_drive": 1.0}
        # a supply that may not do for the module is judged in Power: the programme beside which a burst is heard plays
        played = self.played | {"burst_drive": 0.0, "awake": 1.0}
        batch = net.cases(samples, heard, played)
        size = next(iter(batch.values())).size // 2
        hertz = np.repeat([BURST_HZ, REFERENCE_HZ], size)[:, None]
        solved = net.exact(batch).ac(hertz, [n for n in dict.fromkeys((out, back, self.lifted)) if n != "0"])
        buzz, delivered = split(np.abs(solved.v(out, back)[:, 0]), 2)
        shared = np.abs(split(solved.v(self.lifted, "0")[:, 0], 2)[0])
        buzz_dbv, next_dbv, full = (20 * np.log10(np.maximum(x, FLOOR_V)) for x in (buzz, shared, delivered))
        programme = full - PROGRAMME_DB
        return {"buzz_dbv": buzz_dbv, "buzz_db": buzz_dbv - programme, "next_db": next_dbv - programme}

    def study(self) -> dict[str, Estimate]:
        wanted = {
            "buzz_dbv": Wanted("dBV", tr("the buzz at the input")),
            "buzz_db": Wanted("dB", tr("the buzz under the programme")),
            "next_db": Wanted("dB", tr("the buzz against the star, under the programme")),
        }
        return estimate(self.inputs, self.solve, wanted, pulled=PULLED)

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
                branches.append(
                    _branch(net, solution, tr("inside {device}", device=device.name), ends, current, "")
                )
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


def _judge(job: Job, code: str, buzz: _Buzz, numbers: dict[str, Estimate]) -> Finding:
    several = any(len(return_links(job, m.id)) > 1 for m in job.modules)
    shared = code == "returns.shared_ground"
    end = buzz.host_end if shared else buzz.sink
    words = {
        "name": job.label(end),
        "back": job.label(return_address(job, end)),
        "loop": tr(" The two returns form a loop and the burst current divides between them.")
        if several
        else "",
        "loop_code": "loop" if several else "shared",
        "way": _way(numbers["buzz_db"]),
        "next_way": _way(numbers["next_db"]),
    }
    return judge(code, numbers, buzz.link.id, words)


def _way(number: Estimate) -> str:
    return "over" if number.value is not None and number.value > 0 else "under"
