"""Free memory is given back: what a large array took is gone after it."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

from pigtail.units import memory


@pytest.mark.skipif(not sys.platform.startswith("linux"), reason="reads /proc")
def test_what_is_free_is_given_back() -> None:
    """Many small blocks that were freed leave the process."""
    memory.give_back()
    before = _resident()
    blocks = [bytearray(2000) for _ in range(40_000)]
    keep = blocks[::400]
    del blocks
    assert memory.give_back() in (True, False)
    assert _resident() - before < 40e6
    assert len(keep) == 100


def test_a_system_without_it_is_left_alone(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing is done, nothing raised."""
    monkeypatch.setattr(memory, "_trim", lambda: None)
    assert memory.give_back() is False


def _resident() -> float:
    return int(Path("/proc/self/statm").read_text().split()[1]) * 4096.0
