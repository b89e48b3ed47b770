"""What the disk may do: be full at any write, and be written to by two programs at once.

`disk.py full`: for every way a job comes to disk, the n-th call that writes fails, for every n: what was acknowledged is there, the rest is
the old or the new, whole, and nothing unfinished lies about. `disk.py two SECONDS`: two processes edit and save one file as people would;
afterwards the saves must be one chain, each made over what its maker had last seen, and no state that was acknowledged may be gone.
"""

from __future__ import annotations

import contextlib
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1]))

#: What writes: each of these calls may be the one that fails.
WRITES = ("write", "fsync", "replace", "open", "fchmod", "unlink", "link", "rename")
MOST_CALLS = 60


class Full:
    """A disk that is full at the n-th call that writes."""

    def __init__(self, at: int) -> None:
        self.at, self.count = at, 0

    @contextlib.contextmanager
    def on(self) -> Iterator[None]:
        """While it lasts, calls are counted and one fails."""
        kept = {n: getattr(os, n) for n in WRITES}
        for name, call in kept.items():
            setattr(os, name, self._counted(name, call))
        try:
            yield
        finally:
            for name, call in kept.items():
                setattr(os, name, call)

    def _counted(self, name: str, call: Callable[..., Any]) -> Callable[..., Any]:
        def counted(*arguments: Any, **named: Any) -> Any:
            writes = name != "open" or (
                len(arguments) > 1 and bool(arguments[1] & (os.O_WRONLY | os.O_RDWR | os.O_CREAT))
            )
            if writes:
                self.count += 1
                if self.count == self.at:
                    raise OSError(28, "No space left on device")
            return call(*arguments, **named)

        return counted


def ways(folder: Path) -> dict[str, tuple[Callable[[], object], Callable[[bool], str]]]:
    """The ways by which a job comes to disk: what is done, and what is wrong afterwards, told whether it was acknowledged."""
    from pigtail.catalogue.demo import demo
    from pigtail.edits.values import rename
    from pigtail.job.file import Document, load, save
    from pigtail.job.pack import read_pack, write_pack
    from pigtail.job.recovery import Keeper, discard, leftovers
    from pigtail.job.saving import Obstacle, save_over

    old, new = Document(rename(demo("larkmoor").job, "old")), Document(rename(demo("larkmoor").job, "new"))
    path, other, locks = folder / "a.pigtail", folder / "b.pigtail", folder / "locks"
    seen = save(old, path)
    recovery = folder / "recovery"
    keeper = Keeper(recovery)
    keeper.keep(old, 1, str(path))
    left_folder = folder / "left"
    dead = Keeper(left_folder)
    dead.keep(new, 7, str(path))
    os.close(dead._lock)
    shutil.copyfile(Path(__file__), folder / "photo.png")

    def name_at(file: Path) -> str:
        return load(file).job.name if file.exists() else ""

    def whole(file: Path, fine: bool, before: str = "old") -> str:
        name = name_at(file)
        return "" if name == "new" or (not fine and name == before) else f"{file.name} holds “{name}”"

    def take_over() -> None:
        (found,) = leftovers(left_folder).jobs
        taker = Keeper(recovery)
        try:
            taker.keep(found.document, found.number, found.saved_as)
            discard(found.file)
        finally:
            os.close(taker._lock)

    def taken(fine: bool) -> str:
        there = [x.document.job.name for x in (*leftovers(left_folder).jobs, *leftovers(recovery).jobs)]
        return "" if "new" in there else f"what was left is gone: {there}"

    def packed(fine: bool) -> str:
        file = folder / "a.pigtail.zip"
        if not file.exists():
            return "the pack is gone" if fine else ""
        return "" if "job.pigtail" in read_pack(file) else "the pack holds no job"

    def kept(fine: bool) -> str:
        import msgspec

        raw = msgspec.json.decode(keeper.file.read_bytes())
        return (
            ""
            if raw["number"] == 2 or (not fine and raw["number"] == 1)
            else f"number {raw['number']} is kept"
        )

    hard = folder / "hard.pigtail"
    os.link(path, hard)
    os.unlink(hard)
    return {
        "keep": (lambda: keeper.keep(new, 2, str(path)), kept),
        "save": (lambda: save_over(new, path, seen, folder=locks), lambda fine: whole(path, fine)),
        "save as": (lambda: save_over(new, other, None, folder=locks), lambda fine: whole(other, fine, "")),
        "save over": (
            lambda: save_over(new, path, None, frozenset((Obstacle.STRANGE,)), folder=locks),
            lambda fine: whole(path, fine),
        ),
        "take over": (take_over, taken),
        "pack": (lambda: write_pack(new, folder, folder / "a.pigtail.zip", {"sheet.html": b"x"}), packed),
    }


def full() -> list[str]:
    """Every way with the disk full at every call; what went wrong, in words."""
    from pigtail.job.disk import PART_END
    from pigtail.job.errors import JobError

    troubles: list[str] = []
    told: dict[str, int] = {}
    with tempfile.TemporaryDirectory() as place:
        for way in ways(Path(tempfile.mkdtemp(dir=place))):
            for at in range(1, MOST_CALLS):
                folder = Path(tempfile.mkdtemp(dir=place))
                act, wrong = ways(folder)[way]
                disk, fine = Full(at), True
                try:
                    with disk.on():
                        act()
                except (JobError, OSError):
                    fine = False
                if trouble := wrong(fine):
                    troubles.append(f"{way}, call {at}: {trouble}")
                unfinished = [p.name for p in folder.rglob(f"*{PART_END}")]
                if unfinished and disk.count < at + 2:
                    # its removal may have been the call that failed: the next start sweeps it
                    from pigtail.job.disk import sweep_parts

                    for inner in {p.parent for p in folder.rglob(f"*{PART_END}")}:
                        sweep_parts(inner)
                    unfinished = [p.name for p in folder.rglob(f"*{PART_END}")]
                if unfinished:
                    troubles.append(f"{way}, call {at}: {unfinished} is left")
                if disk.count < at:
                    told[way] = at - 1
                    break
    print(
        "the disk full at every call that writes:",
        ", ".join(f"{w} {n}" for w, n in told.items()),
        f"calls; {len(troubles)} wrong",
    )
    return troubles


# -- two at once --------------------------------------------------------------------------------------------------


def one_of_two(path: Path, log: Path, seconds: float, seed: int) -> None:
    """Edit and save one file as a person with a program would, who is asked where another has saved meanwhile; all is written down."""
    from pigtail.edits.values import set_brief
    from pigtail.job.disk import sha256_of
    from pigtail.job.errors import FileError
    from pigtail.job.file import Document, encode, load
    from pigtail.job.saving import Obstacle, ObstacleError, free_name, save_over

    chance = random.Random(seed)
    document, number = load(path), 0
    until = time.monotonic() + seconds

    with log.open("a") as told:

        def tell(what: str, base: str, new: str, where: Path) -> None:
            told.write(json.dumps([what, base, new, str(where)]) + "\n")
            told.flush()

        while time.monotonic() < until:
            number += 1
            job = set_brief(
                document.job, wanted=f"{seed} {number} {chance.random()}", notes="n" * chance.randrange(2000)
            )
            mine = Document(job, document.extras, document.seen)
            new, base = sha256_of(encode(mine)), document.seen.sha256 if document.seen else ""
            try:
                seen = save_over(mine, path, document.seen, folder=log.parent / "locks")
                tell("saved", base, new, path)
                document = Document(job, document.extras, seen)
            except ObstacleError as error:
                if error.obstacle is not Obstacle.CHANGED:
                    raise
                if chance.random() < 0.3:  # keep mine as a copy, take theirs
                    copy = free_name(path)
                    with contextlib.suppress(ObstacleError):
                        save_over(mine, copy, None, folder=log.parent / "locks")
                        tell("copied", base, new, copy)
                document = load(path)
            except FileError:
                tell("waited", base, new, path)
            time.sleep(chance.uniform(0.0, 0.04))


def two(seconds: float) -> list[str]:
    """Two processes on one file for so long [s]; what went wrong, in words."""
    from pigtail.catalogue.demo import demo
    from pigtail.job.file import load, save

    troubles: list[str] = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        path = folder / "a.pigtail"
        first = save(demo("larkmoor"), path).sha256
        logs = [folder / f"log{k}" for k in range(2)]
        both = [
            subprocess.Popen([sys.executable, __file__, "one", str(path), str(log), str(seconds), str(k + 1)])
            for k, log in enumerate(logs)
        ]
        for process in both:
            if process.wait(seconds + 120):
                troubles.append("one of them broke off")
        told = [json.loads(line) for log in logs for line in log.read_text().splitlines()]
        over: dict[str, str] = {}
        for what, base, new, _ in told:
            if what == "saved":
                if base in over:
                    troubles.append(f"two saves were made over one state: {base[:8]}")
                over[base] = new
        at, steps = first, 0
        while at in over:
            at, steps = over[at], steps + 1
        saved = sum(1 for t in told if t[0] == "saved")
        if steps != saved:
            troubles.append(f"{saved} saves were acknowledged, and {steps} lie in one chain")
        last = load(path).seen
        if last is None or last.sha256 != at:
            troubles.append("the file does not hold the last save")
        copies = [t for t in told if t[0] == "copied"]
        for _, _, new, where in copies:
            seen = load(Path(where)).seen
            if seen is None or seen.sha256 != new:
                troubles.append(f"{where} is not what was kept as a copy")
        left = [p.name for p in folder.iterdir() if p.name.endswith(".part")]
        troubles += [f"{left} is left"] if left else []
        print(
            f"two processes on one file for {seconds:g} s: {saved:,} saves in one chain, {len(copies):,} kept as copies, {len(troubles)} wrong"
        )
    return troubles


if __name__ == "__main__":
    if sys.argv[1] == "one":
        one_of_two(Path(sys.argv[2]), Path(sys.argv[3]), float(sys.argv[4]), int(sys.argv[5]))
    else:
        found = full() if sys.argv[1] == "full" else two(float(sys.argv[2]))
        print("\n".join(found))
        sys.exit(bool(found))
