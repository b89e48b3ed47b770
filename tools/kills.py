"""Kills a program that edits, keeps and saves a job, at random moments, and looks whether every acknowledged edit
is there afterwards.

The child edits through the same keeper and file code as the window; it prints the number of an edit when its
recovery file is on disk and of a save when the save has returned. After each kill the recovery file must hold at
least the last acknowledged edit, and the saved file must be whole and hold at least the last acknowledged save.
"""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

LONGEST_S = 0.12


def child(folder: Path, first: int) -> None:
    """Edit, keep and sometimes save, until killed."""
    from pigtail import edits
    from pigtail.catalogue.demo import demo
    from pigtail.job.file import Document, load, save
    from pigtail.job.recovery import Keeper

    saved = folder / "job.pigtail"
    document = load(saved) if saved.exists() else demo("larkmoor")
    keeper = Keeper(folder / "recovery")
    print("ready", flush=True)
    number = first
    while True:
        number += 1
        job = edits.set_brief(document.job, wanted=f"edit {number}", notes="x" * (number % 2000))
        document = Document(job, document.extras)
        keeper.keep(document, number, str(saved))
        print("kept", number, flush=True)
        if number % 3 == 0:
            save(document, saved)
            print("saved", number, flush=True)


def number_of(words: str) -> int:
    """The number of the edit that a job's brief tells."""
    return int(words.removeprefix("edit ")) if words.startswith("edit ") else 0


def one_kill(folder: Path, chance: random.Random, first: int) -> tuple[int, str]:
    """Start, kill, look. Returns the last acknowledged edit and what is wrong, empty when nothing is."""
    from pigtail.job.file import load
    from pigtail.job.recovery import discard, leftovers

    command = [sys.executable, __file__, "child", str(folder), str(first)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    if process.stdout.readline().strip() != "ready":
        return first, "the child did not start"
    time.sleep(chance.uniform(0.0, LONGEST_S))
    os.kill(process.pid, signal.SIGKILL)
    lines = process.stdout.read().split("\n")
    process.wait()
    process.stdout.close()
    whole = [line.split() for line in lines[:-1] if len(line.split()) == 2]
    kept = max((int(n) for word, n in whole if word == "kept"), default=first)
    saved = max((int(n) for word, n in whole if word == "saved"), default=0)
    trouble = ""
    left = leftovers(folder / "recovery")
    there = max((number_of(x.document.job.brief.wanted) for x in left), default=0)
    if kept > first and there < kept:
        trouble = f"edit {kept} was acknowledged, the recovery file holds {there}"
    if saved and number_of(load(folder / "job.pigtail").job.brief.wanted) < saved:
        trouble = f"save {saved} was acknowledged and is not in the file"
    for leftover in left:
        discard(leftover)
    return max(kept, there), trouble


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
    else:
        found = run(int(sys.argv[1]) if len(sys.argv) > 1 else 20)
        print("\n".join(found))
        sys.exit(bool(found))
