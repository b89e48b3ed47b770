"""The search for a network: how many candidates a second, against running the same ones through the reference simulator."""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import tempfile
import time
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from pigtail.advice.search import search
from pigtail.catalogue.demo import demo
from pigtail.studies.compile import compile_job

ROUNDS, RUNS = 5, 12


def main() -> None:
    """Print the table."""
    print("| search | figures | |")
    print("|---|---|---|")
    for name, feed in (("larkmoor", "feed"), ("tidewell", "feed_left")):
        job = demo(name).job
        search(job, feed)
        times = []
        for _ in range(ROUNDS):
            begun = time.perf_counter()
            found = search(job, feed)
            times.append(time.perf_counter() - begun)
        each = statistics.median(times)
        print(
            f"| {name}, {feed} | {found.solved:,} candidates in {1e3 * each:.0f} ms | {found.solved / each:,.0f} a second |"
        )
        simulator = shutil.which("ngspice")
        if simulator is None:
            print("| the reference simulator | not installed | – |")
            continue
        deck = compile_job(job, job.working_state()).text
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "deck.cir"
            path.write_text(deck)
            runs = []
            for _ in range(RUNS):
                begun = time.perf_counter()
                subprocess.run([simulator, "-b", str(path)], capture_output=True, check=False)
                runs.append(time.perf_counter() - begun)
        theirs = statistics.median(runs)
        print(
            f"| the same ones, a simulator process each | {theirs * found.solved:.0f} s ({1e3 * theirs:.1f} ms each) | {theirs * found.solved / each:,.0f} × |"
        )


if __name__ == "__main__":
    main()
