"""The studies of a job against the arithmetic they rest on, in one interleaved run."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

import numpy as np

from pigtail.advice.remedies import advised
from pigtail.catalogue.demo import demo
from pigtail.job.readings import effective
from pigtail.model.netlist import compile_job
from pigtail.studies.all import study_job

ROUNDS = 9


def timed(task: Callable[[], object]) -> float:
    """Seconds that a task takes."""
    started = time.perf_counter()
    task()
    return time.perf_counter() - started


def main() -> None:
    """Print the table."""
    job = demo("larkmoor").job
    studies = study_job(job)
    measured = effective(job)
    netlist = compile_job(measured, "on")
    size = len(netlist.circuit.nodes) + 8
    samples = 1 + 2 * sum(i.in_deck for i in netlist.inputs)
    rng = np.random.default_rng(1)
    a = rng.normal(size=(samples, size, size)) + 1j * rng.normal(size=(samples, size, size))
    b = rng.normal(size=(samples, size, 1)) + 0j
    tasks: dict[str, Callable[[], object]] = {
        "one dense complex solve of the same size and samples": lambda: np.linalg.solve(a, b),
        "compile to a netlist": lambda: compile_job(measured, "on"),
        "all studies of the demo": lambda: study_job(job),
        "all remedies of the demo": lambda: advised(job, studies),
    }
    times: dict[str, list[float]] = {name: [] for name in tasks}
    for turn in range(ROUNDS + 1):
        for name, task in tasks.items():
            seconds = timed(task)
            if turn:
                times[name].append(seconds)
    dense = statistics.median(times["one dense complex solve of the same size and samples"])
    for name, values in times.items():
        middle = statistics.median(values)
        print(f"{name}: {middle / dense:.2f} x the dense solve ({1e3 * middle:.1f} ms)")
    print(f"({samples} samples of {size} unknowns, medians of {ROUNDS})")


if __name__ == "__main__":
    main()
