"""A second implementation of a job's numbers by an independent route: nodal equations stamped straight from the document in plain NumPy.

It shares with the program the document (as data) and the values that a catalogue entry has by default; no deck, no model, no study and
no circuit of the program takes part. What each network is stands here once more, written by hand from the textbook.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from itertools import pairwise
from typing import Any

import numpy as np

from pigtail.catalogue.topologies import topology
from pigtail.job.document import AudioIn, AudioOut, Job, Link, Purpose, Rail, Return, SupplyIn
from pigtail.job.wiring import return_address, star_address

Law = Callable[..., float]
GMIN, JOINT_OHM, OPEN_OHM = 1e-12, 1e-6, 1e12
#: Programme under full scale [dB]; repetition of the bursts [Hz].
PROGRAMME_DB, BURST_HZ = 18.0, 1600.0


def per_metre(gauge: int) -> float:
    """Resistance of copper wire [Ω/m] by its gauge: ρ/A, ρ = 0.017241 Ω·mm²/m (IEC 60028), d = 0.127·92^((36 − n)/39) mm (ASTM B258)."""
    return 0.017241 / (math.pi / 4 * (0.127 * 92 ** ((36 - gauge) / 39)) ** 2)


class Nodal:
    """Conductances, capacitances, coupled inductors, sources and laws between named nodes."""

    def __init__(self) -> None:
        self.names: dict[str, int] = {}
        self.ohms: list[tuple[str, str, float]] = []
        self.farads: list[tuple[str, str, float]] = []
        self.coils: list[tuple[str, str, float]] = []
        self.mutual: list[tuple[int, int, float]] = []
        self.dc: list[tuple[str, str, float]] = []
        self.ac: list[tuple[str, str, complex]] = []
        self.laws: list[tuple[str, str, tuple[tuple[str, str], ...], Law]] = []
        self.rest: dict[str, float] = {}

    def at(self, name: str) -> int:
        """Number of a node; −1 for node 0."""
        return -1 if name == "0" else self.names.setdefault(name, len(self.names))

    def r(self, a: str, b: str, ohm: float) -> None:
        """A resistor [Ω]."""
        self.ohms.append((a, b, ohm))

    def c(self, a: str, b: str, farad: float) -> None:
        """A capacitor [F]."""
        self.farads.append((a, b, farad))

    def law(self, a: str, b: str, controls: Iterable[tuple[str, str]], f: Law) -> None:
        """A current [A] from a to b that follows from voltages between pairs of nodes."""
        self.laws.append((a, b, tuple(controls), f))

    def source(self, a: str, b: str, volts: float, ohm: float, drive: complex = 0.0) -> None:
        """An e.m.f. [V] behind a resistance [Ω], plus at a; its alternating part [V]."""
        self.r(a, b, ohm)
        self.dc.append((b, a, volts / ohm))
        self.ac.append((b, a, drive / ohm))

    # -- solving --------------------------------------------------------------------------------------------

    def _number(self) -> int:
        for a, b, *_ in (*self.ohms, *self.farads, *self.coils, *self.dc, *self.ac):
            self.at(a), self.at(b)
        for a, b, controls, _ in self.laws:
            for node in (a, b, *(n for pair in controls for n in pair)):
                self.at(node)
        return len(self.names)

    def _stamped(self, size: int, dtype: type) -> Any:
        y = np.zeros((size, size), dtype=dtype)
        y[np.diag_indices(size)] += GMIN
        for a, b, ohm in self.ohms:
            self._pair(y, a, b, 1 / ohm)
        return y

    def _pair(self, y: Any, a: str, b: str, g: complex) -> None:
        i, j = self.at(a), self.at(b)
        for row, col, sign in ((i, i, 1), (j, j, 1), (i, j, -1), (j, i, -1)):
            if row >= 0 and col >= 0:
                y[row, col] += sign * g

    def _volts(self, x: Any, controls: tuple[tuple[str, str], ...]) -> list[float]:
        return [self._v(x, a) - self._v(x, b) for a, b in controls]

    def _v(self, x: Any, name: str) -> Any:
        at = self.at(name)
        return 0.0 if at < 0 else x[at]

    def _slopes(self, x: Any) -> Iterable[tuple[str, str, tuple[str, str], float, float]]:
        """Each law with each of its controls: nodes, control, slope, and the current less its linear part."""
        for a, b, controls, f in self.laws:
            volts = self._volts(x, controls)
            now = f(*volts)
            slopes = []
            for k in range(len(volts)):
                step = 1e-6 * max(1.0, abs(volts[k]))
                up, down = ([v + s * (k == m) for m, v in enumerate(volts)] for s in (step, -step))
                slopes.append((f(*up) - f(*down)) / (2 * step))
            left = now - sum(s * v for s, v in zip(slopes, volts, strict=True))
            for k, (pair, slope) in enumerate(zip(controls, slopes, strict=True)):
                yield a, b, pair, slope, left if k == 0 else 0.0

    def _law_stamp(self, y: Any, rhs: Any, x: Any) -> None:
        for a, b, (p, n), slope, left in self._slopes(x):
            for node, sign in ((self.at(a), 1.0), (self.at(b), -1.0)):
                if node < 0:
                    continue
                rhs[node] -= sign * left
                for control, way in ((self.at(p), 1.0), (self.at(n), -1.0)):
                    if control >= 0:
                        y[node, control] += sign * way * slope

    def settle(self) -> None:
        """The operating point, by Newton's method with short steps."""
        size = self._number()
        linear = self._stamped(size, float)
        for a, b, _ in self.coils:
            self._pair(linear, a, b, 1e6)
        fixed = np.zeros(size)
        for a, b, amps in self.dc:
            for node, sign in ((self.at(a), -1), (self.at(b), 1)):
                if node >= 0:
                    fixed[node] += sign * amps
        x = np.zeros(size)
        for _ in range(400):
            y, rhs = linear.copy(), fixed.copy()
            self._law_stamp(y, rhs, x)
            step = np.linalg.solve(y, rhs) - x
            x = (
                x + step * min(1.0, 0.5 / max(np.abs(step).max(), 1e-12))
                if np.abs(step).max() > 0.5
                else x + step
            )
            if np.abs(step).max() < 1e-9:
                break
        else:
            raise AssertionError("no operating point")
        self.x = x

    def v0(self, a: str, b: str = "0") -> float:
        """A voltage at rest [V]."""
        return float(self._v(self.x, a) - self._v(self.x, b))

    def small(self, hertz: float, drives: list[tuple[str, str, complex]] | None = None) -> Any:
        """Alternating voltages [V] of all nodes, from the sources or from other currents [A]."""
        size, coils, w = self._number(), len(self.coils), 2j * math.pi * hertz
        y = np.zeros((size + coils, size + coils), dtype=complex)
        y[:size, :size] = self._stamped(size, complex)
        for a, b, farad in self.farads:
            self._pair(y, a, b, w * farad)
        self._law_stamp(y, np.zeros(size, dtype=complex), self.x)
        for k, (a, b, henry) in enumerate(self.coils):
            row = size + k
            for node, sign in ((self.at(a), 1), (self.at(b), -1)):
                if node >= 0:
                    y[node, row] += sign
                    y[row, node] += sign
            y[row, row] -= w * henry
        for i, j, henry in self.mutual:
            y[size + i, size + j] -= w * henry
            y[size + j, size + i] -= w * henry
        rhs = np.zeros(size + coils, dtype=complex)
        for a, b, amps in self.ac if drives is None else drives:
            for node, sign in ((self.at(a), -1), (self.at(b), 1)):
                if node >= 0:
                    rhs[node] += sign * amps
        return np.linalg.solve(y, rhs)


def opamp(n: Nodal, plus: str, minus: str, out: str, ref: str, stem: str, gbw: float) -> None:
    """One pole, 47 Ω inside the loop; the current noise of its hiss stands in a resistor without current."""
    inner = f"{stem}.x"
    n.law(ref, inner, ((plus, minus),), lambda d: 1e-3 * d)
    n.r(inner, ref, 100e6)
    n.c(inner, ref, 1e-3 / (2 * math.pi * gbw))
    n.law(ref, out, ((inner, ref),), lambda d: d / 47)
    n.r(out, ref, 47.0)


def quiescent(n: Nodal, sup: str, com: str, amps: float) -> None:
    """What a stage draws at rest where there are volts."""
    n.law(sup, com, ((sup, com),), lambda v: amps * max(math.tanh(v / 0.5), 0.0))


def network(n: Nodal, key: str, p: dict[str, float], node: dict[str, str], stem: str) -> None:
    """One network of a link, by hand."""
    com = node.get("com", "0")
    if key in ("wire", "direct"):
        n.r(node["in"], node["out"], 1e-3)
    elif key in ("series", "mix"):
        n.r(node["in"], node["out"], p["r1"])
    elif key == "lift":
        n.r(node["in"], node["out"], p["r1"])
        n.c(node["in"], node["out"], p["c1"])
    elif key == "pad":
        n.r(node["in"], node["out"], p["r1"])
        n.r(node["out"], com, p["r2"])
    elif key in ("coupling", "capacitor"):
        n.c(node["in"], node["out"], p["c1"])
        n.r(node["in"], node["out"], p["leak"] / p["c1"])
        if key == "coupling":
            n.r(node["out"], com, p["r1"])
    elif key in ("sum", "recombine"):
        for resistor, port in zip(("r1", "r2"), [k for k in node if k.startswith("in")], strict=True):
            n.r(node[port], node["out"], p[resistor])
    elif key == "transformer":
        n.r(node["in"], f"{stem}.a", p["rp"])
        first = len(n.coils)
        n.coils += [
            (f"{stem}.a", f"{stem}.b", p["leak"]),
            (f"{stem}.b", node["back"], p["lp"]),
            (f"{stem}.c", com, p["lp"] * p["ratio"] ** 2),
        ]
        n.mutual.append((first + 1, first + 2, 0.99999 * p["lp"] * p["ratio"]))
        n.r(f"{stem}.c", node["out"], p["rs"])
        n.c(f"{stem}.a", f"{stem}.c", p["cw"])
    elif key == "buffer":
        n.r(node["in"], com, p["r1"])
        opamp(n, node["in"], node["out"], node["out"], com, stem, p["gbw"])
        quiescent(n, node["sup"], com, p["iq"])
    elif key == "gain":
        n.r(node["in"], com, p["r3"])
        opamp(n, node["in"], f"{stem}.f", node["out"], com, stem, p["gbw"])
        n.r(node["out"], f"{stem}.f", p["r2"])
        n.r(f"{stem}.f", com, p["r1"])
        quiescent(n, node["sup"], com, p["iq"])
    elif key in ("linear", "linear_large"):
        high, out = node["in"], node["out"]

        def passed(v_in: float, v_out: float) -> float:
            return max(max(min(p["vout"], v_in - p["dropout"]), 0.0) - v_out, 0.0) / p["rout"]

        n.law(high, out, ((high, com), (out, com)), passed)
        quiescent(n, high, com, p["iq"])
    elif key in ("buck", "isolated", "isolated_wide"):
        high, out, low = node["in"], node["out"], node.get("back", com)

        def gives(v_in: float, v_out: float) -> float:
            if key == "buck":
                aim = max(min(p["vout"], v_in - p["dropout"]), 0.0) * min(max((v_in - 4) / 0.5, 0.0), 1.0)
            else:
                aim = p["vout"] * min(max((v_in - p["vin_min"]) / 1.2 + 1, 0.0), 1.0)
            return max(aim - v_out, 0.0) / p["rout"]

        def takes(v_in: float, v_out: float) -> float:
            return gives(v_in, v_out) * max(v_out, 0.0) / (p["efficiency"] * max(v_in, 1.0))

        n.law(com, out, ((high, low), (out, com)), gives)
        n.law(high, low, ((high, low), (out, com)), takes)
        quiescent(n, high, low, p["iq"])
        if low != com:
            n.c(com, low, p["cw"])
            n.r(com, low, 1e9)
    elif key == "supply_filter":
        n.r(node["in"], node["out"], p["r1"])
        n.c(node["out"], f"{stem}.e", p["c1"])
        n.r(f"{stem}.e", com, p["esr"])
    else:
        raise NotImplementedError(key)


class Bench:
    """A job stamped: nominal values, everything powered, the retrofit playing.

    driven: outputs that play; carried: whether the host's own signal is there; burst: whether bursts run.
    """

    def __init__(
        self,
        job: Job,
        driven: Iterable[str] = (),
        *,
        bursting: bool = False,
        burst: bool = False,
        opened: str = "",
    ) -> None:
        self.job, self.n = job, Nodal()
        self.driven = set(driven)
        for device_id, device in job.devices():
            for terminal in device.terminals:
                self._terminal(
                    f"{device_id}.{terminal.id}", terminal, bursting=bursting, burst=burst, opened=opened
                )
            for path in device.paths:
                a, b = (self.node(f"{device_id}.{x}") for x in (path.a, path.b))
                self.n.r(a, b, nominal(path.resistance, math.sqrt(1e-3 * 10)))
        for link in job.links:
            self._link(link)
        for module in job.modules:
            for (
                through
            ) in module.throughs:  # powered: the output follows the input, as an e.m.f. beside its own
                a, b = (f"{module.id}.{t}" for t in (through.start, through.end))
                ohm = nominal(getattr(job.terminal(b), "impedance", None), 1.0)
                gain = 10 ** (nominal(through.gain, 0.0) / 20)
                self.n.law(
                    self.back(b), self.node(b), ((self.node(a), self.back(a)),), lambda v, g=gain / ohm: g * v
                )
        self.n.settle()

    def node(self, address: str) -> str:
        """Node of a terminal: the host's star is node 0."""
        return "0" if address == star_address(self.job) else address

    def back(self, address: str) -> str:
        """Node of the return that a terminal is told against."""
        return self.node(return_address(self.job, address))

    def _terminal(self, address: str, t: Any, *, bursting: bool, burst: bool, opened: str) -> None:
        n, node, back = self.n, self.node(address), self.back(address)
        if isinstance(t, Return):
            if node != "0":
                n.r(node, "0", 1e9)
        elif isinstance(t, AudioOut):
            ohm = nominal(t.impedance, math.sqrt(1e5))
            n.source(
                node, back, nominal(t.bias, 2.5), ohm, nominal(t.emf, 0.5) if address in self.driven else 0.0
            )
        elif isinstance(t, AudioIn):
            ohm = OPEN_OHM if address == opened else nominal(t.impedance, math.sqrt(1e9))
            n.source(node, back, nominal(t.dc, 0.0), ohm)
            n.c(node, back, nominal(t.capacitance, 120e-12))
        elif isinstance(t, Rail):
            joined = any(j.terminal == address for x in self.job.links for j in x.joins)
            if joined:
                n.source(node, back, nominal(t.voltage, 0.0), nominal(t.resistance, 1.0))
        elif isinstance(t, SupplyIn):
            average, peak = nominal(t.average, 0.0), nominal(t.burst, 0.0)
            draws = peak if bursting else average
            n.law(node, back, ((node, back),), lambda v: draws * max(math.tanh(v / 0.3), 0.0))
            n.r(node, back, 1e6)
            if burst:
                n.ac.append((node, back, max(peak - average, 0.0)))

    def _link(self, link: Link) -> None:
        n, stem = self.n, link.id
        for j in link.joins:
            metres = nominal(j.conductor.length, math.sqrt(0.02 * 2.0))
            n.r(self.node(j.terminal), f"{stem}.{j.port}", per_metre(j.conductor.gauge) * metres + JOINT_OHM)
            if link.purpose is Purpose.FEED and j.port not in ("com", "back", "sup", "ctl"):
                side = link.at("com" if j.port == "out" else "back") or (
                    link.at("com") if not link.at("back") else ()
                )
                beside = self.node(side[0]) if side else self.back(j.terminal)
                n.c(f"{stem}.{j.port}", beside, (100e-12 if j.conductor.screened else 50e-12) * metres)
        shapes = [topology(s.topology) for s in link.sections]
        for k, (section, shape) in enumerate(zip(link.sections, shapes, strict=True)):
            p = {name: known.nominal for name, known in shape.values(section).items()}
            node = {}
            for port in shape.inputs:
                node[port] = f"{stem}.{port}" if k == 0 else f"{stem}.mid{k}"
            node["out"] = f"{stem}.out" if k == len(shapes) - 1 else f"{stem}.mid{k + 1}"
            later = any(s.back for s in shapes[k + 1 :])
            for port in shape.sides:
                node[port] = f"{stem}.{'back' if port == 'com' and later else port}"
            if "sup" in shape.sides and not link.at("sup"):
                node["sup"] = f"{stem}.own{k}"
                n.source(node["sup"], node["com"], p["supply"], 1e-6)
            network(n, section.topology, p, node, f"{stem}.{k}")
        for port in {*shapes[0].inputs, "out", *(s for shape in shapes for s in shape.sides)} - {
            j.port for j in link.joins
        }:
            if port != "sup":
                n.r(f"{stem}.{port}", "0", 1e9)

    def volts(self, hertz: float, a: str, b: str = "0") -> float:
        """Magnitude of an alternating voltage [V]."""
        x = self.n.small(hertz)
        return float(abs(self.n._v(x, a) - self.n._v(x, b)))


def nominal(known: Any, missing: float) -> float:
    """The nominal value; what is not known stands at the middle of where it is tried."""
    return missing if known is None else known.nominal


def db(volts: float) -> float:
    """Decibels re 1 V."""
    return 20 * math.log10(max(volts, 1e-12))


def feed_numbers(job: Job, link: Link) -> dict[str, float]:
    """The numbers of one feed by hand, under the names that `check --json` has."""
    sources = [a for a in link.starts if isinstance(job.terminal(a), AudioOut)]
    (sink,) = link.at("out")
    end, first = job.terminal(sink), job.terminal(sources[0])
    assert isinstance(end, AudioIn)
    assert isinstance(first, AudioOut)
    b = Bench(job, sources)
    out, back = b.node(sink), b.back(sink)
    pin, pin_back = b.node(sources[0]), b.back(sources[0])
    level = b.volts(1e3, out, back)
    opened = Bench(job, sources, opened=sink)
    at_pin = b.n.small(1e3)
    pin_v = b.n._v(at_pin, pin) - b.n._v(at_pin, pin_back)
    current = (nominal(first.emf, 0.5) - pin_v) / nominal(first.impedance, math.sqrt(1e5))
    own_dc = end.dc is not None and abs(end.dc.nominal) > 0.1
    found = {
        "delivered_dbv": db(level),
        "offset_v": b.n.v0(out, back) - (end.dc.nominal if own_dc and end.dc else 0.0),
        "load_ohm": abs(pin_v) / abs(current),
        "output_ohm": nominal(end.impedance, 0.0) * (opened.volts(1e3, out, back) / level - 1),
        "pop_v": opened.n.v0(out, back),
        "low_cut_hz": corner(b, out, back, level, 1e3, 1e-3),
        "high_cut_hz": corner(b, out, back, level, 1e3, 1e8),
    }
    if end.wanted is not None:
        found["target_db"] = db(level) - db(end.wanted.nominal)
    if len(sources) > 1:
        found["one_channel_dbv"] = db(Bench(job, sources[:1]).volts(1e3, out, back))
    if sources[0].startswith("host."):
        found["tap_loss_db"] = db(abs(pin_v)) - db(nominal(first.emf, 0.5))
    return found


def corner(b: Bench, out: str, back: str, level: float, start: float, end: float) -> float:
    """Where |H| first falls 3 dB below 1 kHz on the way from one frequency to another [Hz]: fine steps, then bisection."""
    limit = level / math.sqrt(2)
    steps = np.geomspace(start, end, 400)
    for before, after in pairwise(steps):
        if b.volts(after, out, back) < limit:
            near, far = float(before), float(after)
            for _ in range(40):
                middle = math.sqrt(near * far)
                near, far = (near, middle) if b.volts(middle, out, back) < limit else (middle, far)
            return near
    return float(end)


def buzz_numbers(job: Job, link: Link) -> dict[str, float]:
    """What the bursts put at the end of a feed, by hand."""
    (sink,) = link.at("out")
    sources = [a for a in link.starts if isinstance(job.terminal(a), AudioOut)]
    heard, played = Bench(job, (), burst=True), Bench(job, sources)
    out, back = heard.node(sink), heard.back(sink)
    buzz = db(heard.volts(BURST_HZ, out, back))
    return {"buzz_dbv": buzz, "buzz_db": buzz - db(played.volts(1e3, out, back)) + PROGRAMME_DB}


def supply_numbers(job: Job, pin: str) -> dict[str, float]:
    """The numbers of one supply by hand."""
    link = next(x for x in job.links if x.purpose is Purpose.SUPPLY and pin in x.at("out"))
    (rail_at,) = [a for a in link.starts if isinstance(job.terminal(a), Rail)]
    rail = job.terminal(rail_at)
    assert isinstance(rail, Rail)
    resting, loud = Bench(job), Bench(job, bursting=True)
    used = nominal(rail.used, 0.0)

    def drawn(b: Bench) -> float:
        lost = nominal(rail.voltage, 0.0) - b.n.v0(b.node(rail_at), b.back(rail_at))
        return lost / nominal(rail.resistance, 1.0) + used

    node, back = resting.node(pin), resting.back(pin)
    return {
        "module_v": resting.n.v0(node, back),
        "module_v_burst": loud.n.v0(node, back),
        "rail_v": resting.n.v0(resting.node(rail_at), resting.back(rail_at)),
        "rail_current_a": drawn(resting),
        "rail_current_burst_a": drawn(loud),
    }
