"""The search for a network: candidates a second, to the first answer and to the last, against the reference simulator.

The simulator is given the same kind of work twice over: a process for each candidate, and one process that alters two
resistors of the loaded deck and solves 1 kHz again, which is the least that enumerating could do.
"""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import tempfile
import time
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from pigtail.advice.search import SearchStep, search, steps_of, take_step
from pigtail.advice.shapes import Wish
from pigtail.catalogue.demo import demo
from pigtail.job.document import Job
from pigtail.model.netlist import compile_job

ROUNDS, RUNS, LOOPS = 5, 8, 2000


def timed(task) -> float:  # type: ignore[no-untyped-def]
    """Seconds that a task takes."""
    begun = time.perf_counter()
    task()
    return time.perf_counter() - begun


def simulate(simulator: str, deck: str) -> float:
    """Seconds of a whole simulator process, the median of some."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "deck.cir"
        path.write_text(deck)

        def run() -> None:
            done = subprocess.run([simulator, "-b", str(path)], capture_output=True, text=True, check=False)
            assert "rror" not in done.stdout + done.stderr, done.stdout + done.stderr

        return statistics.median(timed(run) for _ in range(RUNS))


def looping(job: Job, feed: str, loops: int) -> str:
    """The deck of a job with a loop that alters two resistors of a feed and solves 1 kHz again, the answer kept."""
    deck = compile_job(job, job.working_state()).text.rstrip().removesuffix(".end")
    at = len(job.link(feed).sections) - 1  # type: ignore[union-attr]
    names = [p.name for p in job.link(feed).sections[at].parts if p.name.startswith("r")]  # type: ignore[union-attr]
    turns = [f"alter r.x{feed}_{at}.{name} = {1000 + 10 * k} + k" for k, name in enumerate(names[:2])]
    keep = ["ac lin 1 1k 1k", f"wrdata /dev/null v({feed}_out)", "destroy", "setplot const"]
    lines = [
        ".control",
        "set noaskquit",
        "let k = 0",
        f"while k < {loops}",
        *turns,
        *keep,
        "let k = k + 1",
        "end",
        "quit",
    ]
    return "\n".join([deck, *lines, ".endc", ".end", ""])


def main() -> None:
    """Print the table."""
    print("| search | figures | ratio |")
    print("|---|---|---|")
    simulator = shutil.which("ngspice")
    for name, feed in (("larkmoor", "feed"), ("tidewell", "feed_left")):
        job = demo(name).job
        found = search(job, feed)
        whole = statistics.median(timed(lambda job=job, feed=feed: search(job, feed)) for _ in range(ROUNDS))
        first = statistics.median(
            timed(
                lambda job=job, feed=feed: take_step(job, feed, steps_of(job, feed)[0], Wish(), SearchStep())
            )
            for _ in range(ROUNDS)
        )
        rate = f"{found.solved / whole:,.0f} candidates a second"
        print(f"| {name}, {feed}: {found.solved:,} candidates in {1e3 * whole:.0f} ms | {rate} | – |")
        print(f"| {name}, {feed}: the first answers | {1e3 * first:.0f} ms | – |")
        if simulator is None:
            print("| the reference simulator | not installed | – |")
            continue
        single = simulate(simulator, compile_job(job, job.working_state()).text)
        loop = (
            simulate(simulator, looping(job, feed, LOOPS)) - simulate(simulator, looping(job, feed, 0))
        ) / LOOPS
        for words, each in (("a simulator process each", single), ("the simulator altering its deck", loop)):
            ratio = each * found.solved / whole
            print(
                f"| the same ones, {words} | {each * found.solved:.1f} s ({1e3 * each:.3f} ms each) | {ratio:,.0f} × |"
            )


if __name__ == "__main__":
    main()
