"""Recovery: what a killed program leaves is found, what a living one holds is not."""

from __future__ import annotations

import importlib.util
import os
from pathlib import Path

import pytest

from pigtail.edits.values import rename
from pigtail.job.document import Job
from pigtail.job.file import Document
from pigtail.job.recovery import Keeper, discard, leftovers

TOOLS = Path(__file__).parents[2] / "tools"


def _die(keeper: Keeper) -> None:
    """Let go of the lock as a kill would, leaving the files."""
    os.close(keeper._lock)


def test_a_killed_programs_job_is_found_with_its_last_edit(tmp_path: Path, larkmoor: Job) -> None:
    """The newest kept document comes back with where it was opened from."""
    keeper = Keeper(tmp_path)
    keeper.keep(Document(larkmoor), 1, "/home/me/a.pigtail")
    keeper.keep(Document(rename(larkmoor, "later")), 2, "/home/me/a.pigtail")
    _die(keeper)
    (found,) = leftovers(tmp_path).jobs
    assert (found.number, found.saved_as, found.document.job.name) == (2, "/home/me/a.pigtail", "later")
    discard(found.file)
    assert leftovers(tmp_path).jobs == ()
    assert list(tmp_path.iterdir()) == []


def test_a_living_programs_job_is_left_alone(tmp_path: Path, larkmoor: Job) -> None:
    """A second window does not offer what the first one holds."""
    keeper = Keeper(tmp_path)
    keeper.keep(Document(larkmoor), 1)
    assert leftovers(tmp_path).jobs == ()
    keeper.close()
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("data", [b"", b"{", b'{"saved_as": "", "number": 1, "job": {}}', b"\x00\xff"])
def test_a_damaged_leftover_is_passed_over_and_kept(tmp_path: Path, data: bytes) -> None:
    """What cannot be read is neither offered nor thrown away."""
    file = tmp_path / "aa.json"
    file.write_bytes(data)
    assert leftovers(tmp_path).jobs == ()
    assert file.exists()


def test_kills_lose_no_acknowledged_edit() -> None:
    """The short form of tools/kills.py: every acknowledged edit and save is there after each kill."""
    spec = importlib.util.spec_from_file_location("kills", TOOLS / "kills.py")
    assert spec is not None
    assert spec.loader is not None
    kills = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(kills)
    assert kills.run(12, seed=7) == []
