"""Kills a program that edits, keeps and saves a job, at random moments, and looks whether every acknowledged edit
is there afterwards.

The child takes over what the one before it left, edits, saves, saves as and packs through the same code as the window; it prints the
number of an edit when its recovery file is on disk, and of a save or pack when that has returned. After each kill a recovery file must
hold at least the last acknowledged edit, and the saved files and the pack must be whole and hold at least the last that was acknowledged.
A second child runs a runbook forth and back; after each kill the record and the log must hold every step and reading
that was acknowledged, in their order, and it goes on there.
"""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pigtail.job.document import Job

LONGEST_S, LONGEST_RUN_S = 0.12, 0.5


def child(folder: Path, first: int) -> None:
    """Take over what the last one left, edit, keep and sometimes save, save as or pack, until killed."""
    from pigtail import edits
    from pigtail.catalogue.demo import demo
    from pigtail.job.file import Document, load
    from pigtail.job.pack import write_pack
    from pigtail.job.recovery import Keeper, discard, leftovers
    from pigtail.job.saving import Obstacle, save_over

    saved, other, packed = folder / "job.pigtail", folder / "other.pigtail", folder / "job.pigtail.zip"
    left = leftovers(folder / "recovery").jobs
    newest = max(left, key=lambda x: number_of(x.document.job.brief.wanted), default=None)
    document = newest.document if newest else load(saved) if saved.exists() else demo("larkmoor")
    number = max(first, number_of(document.job.brief.wanted))
    keeper = Keeper(folder / "recovery")
    print("ready", flush=True)
    keeper.keep(document, number, str(saved))
    for leftover in left:  # given up only now that what they held is on disk elsewhere
        discard(leftover.file)
    print("kept", number_of(document.job.brief.wanted), flush=True)
    chance, seen = random.Random(first), load(saved).seen if saved.exists() else None
    while True:
        number += 1
        job = edits.set_brief(document.job, wanted=f"edit {number}", notes="x" * (number % 2000))
        document = Document(job, document.extras, seen)
        keeper.keep(document, number, str(saved))
        print("kept", number, flush=True)
        what = chance.random()
        if what < 0.3:
            seen = save_over(document, saved, seen, folder=folder / "locks")
            print("saved", number, flush=True)
        elif what < 0.4:
            save_over(document, other, None, frozenset((Obstacle.STRANGE,)), folder=folder / "locks")
            print("other", number, flush=True)
        elif what < 0.45:
            write_pack(document, folder, packed, {"sheet.html": b"x" * number})
            print("packed", number, flush=True)


def running_child(folder: Path, first: int) -> None:
    """Run the runbook of a demo forth and back, keep each step, and sometimes save, until killed."""
    from pigtail.bench.walked import BEGAN, proved, take
    from pigtail.catalogue.demo import demo
    from pigtail.job.file import Document, load, save
    from pigtail.job.recovery import Keeper, leftovers

    saved = folder / "run.pigtail"
    left = leftovers(folder / "recovery").jobs
    document = left[0].document if left else load(saved) if saved.exists() else demo("tidewell")
    keeper = Keeper(folder / "recovery")
    job, back = document.job, False
    keeper.keep(document, size_of(job), str(saved))
    print("ready", flush=True)
    while True:
        found = proved(job)
        stand = found.next_back if back else found.next
        if stand is None:
            back = not back
            continue
        job = take(job, stand, BEGAN)
        number = size_of(job)
        keeper.keep(Document(job, document.extras), number, str(saved))
        print("kept", number, flush=True)
        if number % 5 == 0:
            save(Document(job, document.extras), saved)
            print("saved", number, flush=True)


def size_of(job: Job) -> int:
    """How many entries and readings a job holds."""
    return len(job.record) + len(job.readings)


def one_running_kill(folder: Path, chance: random.Random, before: Job | None) -> tuple[Job, str]:
    """Start, kill, look. Returns the job that was recovered and what is wrong, empty when nothing is."""
    from pigtail.catalogue.demo import demo
    from pigtail.job.file import load
    from pigtail.job.recovery import discard, leftovers

    old = leftovers(folder / "recovery").jobs
    told = _killed(["running", str(folder), "0"], chance, LONGEST_RUN_S)
    kept, saved = told["kept"], told["saved"]
    left = [x for x in leftovers(folder / "recovery").jobs if all(x.file != o.file for o in old)]
    if not left:
        return before or demo("tidewell").job, "nothing was recovered"
    job = left[0].document.job
    trouble = ""
    if size_of(job) < kept:
        trouble = f"{kept} entries and readings were acknowledged, the recovery file holds {size_of(job)}"
    if before is not None and (
        job.record[: len(before.record)] != before.record
        or job.readings[: len(before.readings)] != before.readings
    ):
        trouble = "an entry or a reading that was there before has changed"
    if saved and size_of(load(folder / "run.pigtail").job) < saved:
        trouble = f"save {saved} was acknowledged and is not in the file"
    for leftover in old:
        discard(leftover.file)
    return job, trouble


def number_of(words: str) -> int:
    """The number of the edit that a job's brief tells."""
    return int(words.removeprefix("edit ")) if words.startswith("edit ") else 0


def one_kill(folder: Path, chance: random.Random, first: int) -> tuple[int, str]:
    """Start, kill, look. Returns the last acknowledged edit and what is wrong, empty when nothing is."""
    from pigtail.job.file import decode, load
    from pigtail.job.pack import read_pack
    from pigtail.job.recovery import leftovers

    told = _killed(["child", str(folder), str(first)], chance, LONGEST_S)
    kept = max(told["kept"], first)
    found = leftovers(folder / "recovery")
    there = max((number_of(x.document.job.brief.wanted) for x in found.jobs), default=0)
    troubles = [f"a recovery file cannot be read: {p.name}" for p, _ in found.unreadable]
    if there < kept:
        troubles.append(f"edit {kept} was acknowledged, the recovery file holds {there}")
    for word, file in (("saved", "job.pigtail"), ("other", "other.pigtail")):
        if told[word] and number_of(load(folder / file).job.brief.wanted) < told[word]:
            troubles.append(f"save {told[word]} was acknowledged and is not in {file}")
    pack = folder / "job.pigtail.zip"
    if pack.exists():
        number = number_of(decode(read_pack(pack)["job.pigtail"]).job.brief.wanted)
        if number < told["packed"]:
            troubles.append(f"pack {told['packed']} was acknowledged, it holds {number}")
    return max(kept, there), "; ".join(troubles)


def _killed(arguments: list[str], chance: random.Random, longest: float) -> Counter[str]:
    """Start a child, kill it at some moment [s]; the last number that it told under each word. Raises RuntimeError for one that does not
    start."""
    process = subprocess.Popen([sys.executable, __file__, *arguments], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    if process.stdout.readline().strip() != "ready":
        raise RuntimeError("the child did not start")
    time.sleep(chance.uniform(0.0, longest))
    os.kill(process.pid, signal.SIGKILL)
    lines = process.stdout.read().split("\n")
    process.wait()
    process.stdout.close()
    whole = [line.split() for line in lines[:-1] if len(line.split()) == 2]
    told: Counter[str] = Counter()
    for word, number in whole:
        told[word] = max(told[word], int(number))
    return told


def run_running(kills: int, seed: int = 1) -> list[str]:
    """Kill a running runbook so many times; returns what went wrong."""
    chance, troubles = random.Random(seed), []
    job: Job | None = None
    with tempfile.TemporaryDirectory() as name:
        for _ in range(kills):
            job, trouble = one_running_kill(Path(name), chance, job)
            troubles += [trouble] if trouble else []
    done = size_of(job) if job is not None else 0
    print(
        f"{kills} kills of a running runbook, {done} entries and readings acknowledged, {len(troubles)} lost"
    )
    return troubles


def run(kills: int, seed: int = 1) -> list[str]:
    """Kill so many times; returns what went wrong."""
    chance = random.Random(seed)
    troubles = []
    acknowledged = 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for _ in range(kills):
            before = acknowledged
            acknowledged, trouble = one_kill(folder, chance, acknowledged)
            if trouble:
                troubles.append(trouble)
            if acknowledged < before:
                troubles.append(f"fell back from edit {before} to {acknowledged}")
    print(f"{kills} kills, {acknowledged} edits acknowledged, {len(troubles)} lost")
    return troubles


if __name__ == "__main__":
    if sys.argv[1:2] == ["child"]:
        child(Path(sys.argv[2]), int(sys.argv[3]))
    elif sys.argv[1:2] == ["running"]:
        running_child(Path(sys.argv[2]), int(sys.argv[3]))
    else:
        times = int(sys.argv[1]) if len(sys.argv) > 1 else 20
        found = run(times) + run_running(times)
        print("\n".join(found))
        sys.exit(bool(found))
