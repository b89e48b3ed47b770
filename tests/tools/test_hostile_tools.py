"""Short forms of the tools that attack the program: strange input by the seed, a disk that is full, two programs on one file, a long day."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parents[2]))

from tools.strange import Strange, base_jobs

from tools import disk, fuzz, soak


@pytest.mark.parametrize(("what", "count"), [("jobs", 8), ("decks", 60), ("inputs", 100), ("sheets", 1)])
def test_strange_input_is_read_or_refused(what: str, count: int) -> None:
    """Nothing falls, hangs or is said badly; `tools/fuzz.py` runs thousands."""
    assert fuzz.run(what, count, 7_000, quiet=True) == []


@pytest.mark.long
def test_the_strange_jobs_reach_the_studies() -> None:
    """A good part of them is read: a generator of nothing but refusals would prove nothing."""
    bases = base_jobs()
    read = sum(fuzz.accepted(Strange(seed).job(bases)) is not None for seed in range(40))
    assert 6 <= read <= 34


def test_what_falls_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    """A case that raises, and one that does not come to an end, are told with their seed."""
    import time

    def one(strange: Strange) -> str:
        if strange.chance.random() < 0.5:
            raise KeyError("broken")
        time.sleep(5)
        return "never"

    monkeypatch.setattr(fuzz, "one_deck", one)
    found = fuzz.run("decks", 6, longest=0.05, quiet=True)
    assert len(found) == 6
    assert {f.split(": ")[1].split(" ")[0] for f in found} == {"KeyError", "it"}


def test_a_disk_full_at_any_call_loses_nothing() -> None:
    """Keep, save, save as, save over, take over and pack, each with every call that writes failing in turn."""
    assert disk.full() == []


def test_two_programs_on_one_file_overwrite_nothing_unsaid() -> None:
    """For a few seconds; `tools/disk.py two SECONDS` runs an hour."""
    assert disk.two(4.0) == []


def test_a_little_day_leaves_no_handle_and_no_thread() -> None:
    """Edits, undos, stations and other jobs: handles and threads are as many at the end as at the beginning."""
    # in a process of its own: what a window leaves to be collected may not be collected beside other windows
    tool = Path(__file__).parents[2] / "tools" / "soak.py"
    told = subprocess.run(
        [sys.executable, str(tool), "75", "inside", "25"],
        capture_output=True,
        text=True,
        timeout=200,
        check=True,
    )
    curve = [line.split()[:5] for line in told.stdout.splitlines() if line[:1].isdigit()][:-1]
    assert len(curve) == 3
    assert len({handles for *_, handles, _ in curve}) <= 2
    assert len({threads for *_, threads in curve}) == 1


def test_growth_is_the_slope_after_the_first_thousand() -> None:
    """A megabyte for every thousand edits; what the first thousand took does not count."""
    curve = [(n, 100.0 + (0.05 * n if n < 1000 else 50 + 0.001 * n), 0.0, 9, 3) for n in range(0, 5001, 250)]
    assert soak.growth(curve) == pytest.approx(1.0, abs=0.01)


def test_all_that_is_kept_is_bounded_and_told_in_one_place() -> None:
    """No store of the program is over its measure, and none is made beside them."""
    import pigtail.studies.all  # noqa: F401  whatever studies keep is there once they are
    from pigtail.units.store import stores

    assert all(held <= most for held, most in stores().values())
    assert len(stores()) > 12
    source = Path(__file__).parents[2] / "src" / "pigtail"
    beside = [p.name for p in source.rglob("*.py") if "lru_cache" in p.read_text() and p.name != "store.py"]
    assert beside == []
