"""The circuit engine against a dense solve and against the reference simulator, in interleaved runs.

Prints ratios of medians. The simulator (ngspice) must be installed; children and our own runs take turns, so that a
drifting clock hits them alike.
"""

from __future__ import annotations

import os
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
import tracemalloc
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from pigtail.circuit import Batch, operating_point, parse
from pigtail.circuit.deck import _parse
from pigtail.circuit.running import transient

ROUNDS = 5
SIMULATOR = shutil.which("ngspice")
HERTZ = np.geomspace(20.0, 20e3, 200)
SAMPLES = 1000
LOOPS = 40
REPEATS = 5
CHUNK = 10
FRAME_MS = 16.7

Task = Callable[[], object]


def medians(tasks: dict[str, Task], rounds: int = ROUNDS) -> dict[str, float]:
    """Median seconds of each task, taken in turns; the first turn warms up."""
    times: dict[str, list[float]] = {name: [] for name in tasks}
    for turn in range(rounds + 1):
        for name, task in tasks.items():
            started = time.perf_counter()
            task()
            if turn:
                times[name].append(time.perf_counter() - started)
    return {name: statistics.median(values) for name, values in times.items()}


def simulate(text: str, commands: list[str]) -> Task:
    """A whole process of the reference simulator."""
    folder = Path(tempfile.mkdtemp())
    deck = folder / "deck.cir"
    deck.write_text(text + "\n".join([".control", *commands, "quit", ".endc", ".end", ""]))

    def run() -> None:
        done = subprocess.run([str(SIMULATOR), "-b", str(deck)], capture_output=True, text=True, check=False)
        printed = done.stdout + done.stderr
        assert "rror" not in printed, printed
        assert "aborted" not in printed, printed

    return run


def chain(nodes: int, sampled: bool) -> str:
    """A chain of resistors with a capacitor and a leak at each node, driven by a current."""
    lines = ["chain", *([".param rk=1k ck=1n"] if sampled else []), "I1 0 n1 AC 1"]
    for k in range(1, nodes + 1):
        if k < nodes:
            lines.append(f"R{k} n{k} n{k + 1} {'{rk}' if sampled and k == nodes // 2 else 1000 + 7 * k}")
        lines.append(f"C{k} n{k} 0 {'{ck}' if sampled and k == nodes // 3 else f'{1 + 0.1 * k}n'}")
        lines.append(f"Rg{k} n{k} 0 {100000 + k}")
    return "\n".join(lines) + "\n"


def spread(rng: np.random.Generator, samples: int) -> dict[str, np.ndarray]:
    """Values of the two parts that vary."""
    return {"rk": rng.uniform(900, 1100, samples), "ck": rng.uniform(0.9e-9, 1.1e-9, samples)}


def dense(batch: Batch, chunk: int) -> np.ndarray:
    """The first samples by a batched dense solve of the same equations."""
    size = batch.system.size
    g, c = np.zeros((chunk, size, size)), np.zeros((chunk, size, size))
    for full, entries in zip((g, c), batch.matrices, strict=True):
        for (i, j), value in entries.items():
            full[:, i, j] = value[:chunk] if np.size(value) > 1 else value
    a = g[:, None] + 2j * np.pi * HERTZ[None, :, None, None] * c[:, None]
    b = np.zeros((size, 1), dtype=complex)
    b[0] = 1.0
    return np.linalg.solve(a, np.broadcast_to(b, (*a.shape[:2], size, 1)))[..., 0]


def row(name: str, ratio: float, aim: str, detail: str) -> None:
    """One line of the table."""
    print(f"| {name} | {ratio:.1f} × | {aim} | {detail} |", flush=True)


def one_sweep() -> None:
    """One AC sweep in process against a whole process of the simulator."""
    circuit = parse(chain(20, False))
    found = medians({
        "ours": lambda: [Batch(circuit).ac(HERTZ) for _ in range(REPEATS)],
        "theirs": simulate(chain(20, False), ["ac dec 66 20 20k"]),
    })  # fmt: skip
    found["ours"] /= REPEATS
    detail = f"{1e3 * found['ours']:.2f} ms (mean of {REPEATS} in a row) to {1e3 * found['theirs']:.1f} ms"
    row(
        "one AC sweep (20-node chain, 200 frequencies), to a simulator process",
        found["theirs"] / found["ours"],
        "10",
        detail,
    )


def batches() -> None:
    """1,000 samples × 200 frequencies, against the simulator's own loop and a dense solve."""
    rng = np.random.default_rng(1)
    for nodes in (20, 40, 80):
        circuit = parse(chain(nodes, True))
        batch = Batch(circuit, spread(rng, SAMPLES))
        out = (f"n{nodes}",)
        tasks: dict[str, Task] = {
            "ours": lambda b=batch, o=out: b.ac(HERTZ, o),
            "dense": lambda b=batch: dense(b, CHUNK),
        }
        if nodes == 20:
            turn = [
                f"alter r{nodes // 2} = 900 + 5*k",
                f"alter c{nodes // 3} = 1n - 1p*k",
                "ac dec 66 20 20k",
            ]
            keep = [f"wrdata /dev/null v(n{nodes})", "destroy", "setplot const"]
            loop = ["let k = 0", f"while k < {LOOPS}", *turn, *keep, "let k = k + 1", "end"]
            tasks["theirs"] = simulate(chain(nodes, False), loop)
            tasks["empty"] = simulate(chain(nodes, False), ["op"])
        found = medians(tasks)
        each = found["ours"] / SAMPLES
        error = np.abs(batch.ac(HERTZ, out).v(out[0])[:CHUNK] / dense(batch, CHUNK)[..., nodes - 1] - 1).max()
        detail = f"{1e6 * each / HERTZ.size:.2f} µs a sample and frequency, apart by {error:.0e}"
        row(
            f"AC of 1,000 samples, {nodes} unknowns, to a chunked dense solve",
            found["dense"] / CHUNK / each,
            {20: "25", 40: "35", 80: "65"}[nodes],
            detail,
        )
        if nodes == 20:
            theirs = (found["theirs"] - found["empty"]) / LOOPS
            row(
                "the same, to the simulator's alter-and-run loop with the answer kept",
                theirs / each,
                "10",
                f"{1e3 * each:.3f} ms to {1e3 * theirs:.2f} ms a sample",
            )
            tracemalloc.start()
            batch.ac(HERTZ, out)
            peak = tracemalloc.get_traced_memory()[1] / 1e6
            print(
                f"| memory of that batch beyond its start | {peak:.0f} MB | 50 MB | traced peak, result included |"
            )
            tracemalloc.stop()


RECTIFIER = """bridge with a floating secondary
.model dr d(is=2.5n n=1.75 rs=0.04)
V1 s1 s2 SIN(0 17 50)
Rs s1 a 0.8
L1 a a2 0.5m
D1 a2 out dr
D2 s2 out dr
D3 0 a2 dr
D4 0 s2 dr
C1 out 0 {c}
RL out 0 {r}
"""


def ripple(step: float) -> float:
    """Ripple [V] of the settled rectifier at a step."""
    run = transient(parse(RECTIFIER.replace("{c}", "1000u").replace("{r}", "100")), 0.2, step, fixed=True)
    settled = run.times > 0.16
    return float(np.ptp(run.v("out")[0][settled]))


def rectifier() -> None:
    """One transient and 500 together, against the simulator."""
    plain = RECTIFIER.replace("{c}", "1000u").replace("{r}", "100")
    circuit = parse(plain)
    sampled = parse(RECTIFIER.replace("V1 s1", ".param c=1000u r=100\nV1 s1", 1))
    rng = np.random.default_rng(2)
    samples = {"c": rng.uniform(500e-6, 2e-3, 500), "r": rng.uniform(80, 200, 500)}
    fine, coarse = ripple(10e-6), ripple(50e-6)
    assert abs(coarse / fine - 1) < 0.0025, (fine, coarse)
    theirs = simulate(plain + ".options rshunt=1e9\n", ["tran 10u 200m 0 10u"])
    found = medians({
        "ours": lambda: transient(circuit, 0.2, 10e-6, fixed=True),
        "coarse": lambda: transient(circuit, 0.2, 50e-6, fixed=True),
        "free": lambda: transient(circuit, 0.2, 10e-6),
        "theirs": theirs,
    })  # fmt: skip
    each = {k: f"{1e3 * v:.0f} ms to {1e3 * found['theirs']:.0f} ms" for k, v in found.items()}
    row(
        "bridge rectifier, 200 ms at equal step (10 µs), to a simulator process",
        found["theirs"] / found["ours"],
        "0.67",
        each["ours"],
    )
    row(
        f"the same at equal ripple ({100 * abs(coarse / fine - 1):.2f} % apart, 50 µs)",
        found["theirs"] / found["coarse"],
        "3",
        each["coarse"],
    )
    row(
        "the same with the step left to the error control", found["theirs"] / found["free"], "–", each["free"]
    )
    together = medians(
        {
            "ours": lambda: transient(sampled, 0.2, 50e-6, fixed=True, samples=samples, outputs=("out",)),
            "theirs": theirs,
        },
        3,
    )
    row(
        "500 rectifiers together, to as many simulator processes",
        500 * together["theirs"] / together["ours"],
        "30",
        f"{together['ours']:.2f} s to {500 * together['theirs']:.0f} s",
    )


SWITCH = """high-side switch
.model n npn(is=6.7f bf=416 vaf=74)
.model p pnp(is=1.4f bf=180 vaf=115)
{param}Vcc cc 0 5
Vctl ctl 0 6.9
Rctl ctl h 10k
R1 h b1 {r1}
Q1 c1 b1 0 n
R2 c1 b2 {r2}
R3 b2 cc 10k
Q2 out b2 cc p
RL out 0 120
"""


def operating_points() -> None:
    """1,000 operating points of the high-side switch against as many processes."""
    circuit = parse(SWITCH.replace("{param}", ".param r1=47k r2=1k\n"))
    plain = SWITCH.replace("{param}", "").replace("{r1}", "47k").replace("{r2}", "1k")
    rng = np.random.default_rng(3)
    samples = {"r1": rng.uniform(40e3, 56e3, SAMPLES), "r2": rng.uniform(900, 1100, SAMPLES)}
    found = medians({"ours": lambda: operating_point(circuit, samples), "theirs": simulate(plain, ["op"])})
    row(
        "1,000 operating points of a high-side switch, to as many processes",
        SAMPLES * found["theirs"] / found["ours"],
        "20",
        f"{1e3 * found['ours']:.1f} ms to {found['theirs'] * SAMPLES:.1f} s",
    )


def one_frame() -> None:
    """Reading a deck of 200 elements, and solving it again after one value is turned, as a part of a frame."""
    lines = [x for x in chain(67, True).split("\n") if x]
    text = "\n".join(lines) + "\n"
    circuit = parse(text)
    count = len(circuit.elements)
    turns = iter(np.linspace(900, 1100, 1_000_000))
    found = medians({
        "read": lambda: _parse.__wrapped__(text.partition("\n")[2]),
        "rest": lambda: operating_point(circuit, {"rk": next(turns)}),
        "ac": lambda: Batch(circuit, {"rk": next(turns)}).ac([1000.0]),
    }, 15)  # fmt: skip
    for name, words in (
        ("read", f"reading a deck of {count} elements"),
        ("rest", "its operating point after one value is turned"),
        ("ac", "its answer at one frequency after one value is turned"),
    ):
        print(
            f"| {words} | {found[name] * 1e3 / FRAME_MS:.2f} of a frame | small | {1e3 * found[name]:.1f} ms of {FRAME_MS} ms |"
        )


def growth() -> None:
    """How the cost grows: seconds fitted by a power of the number of samples and of frequencies."""
    circuit = parse(chain(20, True))
    rng = np.random.default_rng(4)
    counts = (500, 1000, 2000, 4000)
    sizes = {f"s{n}": (n, 200) for n in counts} | {f"f{n}": (1000, n // 5) for n in counts}
    runs = {k: (Batch(circuit, spread(rng, s)), np.geomspace(20, 20e3, f)) for k, (s, f) in sizes.items()}
    found = medians({k: (lambda b=b, f=f: b.ac(f, ("n20",))) for k, (b, f) in runs.items()}, 3)
    for letter, words in (("s", "samples"), ("f", "frequencies")):
        power = np.polyfit(np.log(counts), np.log([found[f"{letter}{n}"] for n in counts]), 1)[0]
        print(f"| cost by the number of {words} | power {power:.2f} | 1 | fitted over a factor of eight |")


def main() -> None:
    """Print the table."""
    if SIMULATOR is None:
        sys.exit("the reference simulator (ngspice) is not installed")
    print("| what, to what | ratio | aim | figures |\n|---|---|---|---|")
    one_sweep()
    batches()
    rectifier()
    operating_points()
    one_frame()
    growth()
    print(f"(peak memory of the whole run {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e3:.0f} MB)")


if __name__ == "__main__":
    main()
