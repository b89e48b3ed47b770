"""What all tests share: no screen, folders of their own, and the demo jobs."""

from __future__ import annotations

import os
import shutil
import tempfile
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

os.environ["QT_QPA_PLATFORM"] = os.environ.get("PIGTAIL_TEST_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("PIGTAIL_LANGUAGE", "en")  # whatever the desk speaks
os.environ["LC_ALL"] = "C.UTF-8"
_STATE = tempfile.mkdtemp(prefix="pigtail-tests-")
for _name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
    os.environ[_name] = _STATE

import pytest

from pigtail.catalogue import kinds, topologies
from pigtail.catalogue.demo import demo
from pigtail.edits.plan import set_converter
from pigtail.job.document import Job
from pigtail.studies import judging, register, wording

if TYPE_CHECKING:
    from pigtail.bench.server import Server
    from pigtail.bench.truth import StandIn


#: `make long` takes every case of every test; `make test` one of so many where a test says so.
LONG = "PIGTAIL_LONG" in os.environ


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leave out tests marked `long`, and the cases of those marked `one_of(n, first)` but for each n-th from the first."""
    if LONG:
        return
    kept: list[pytest.Item] = []
    left_out: list[pytest.Item] = []
    seen: dict[str, int] = {}
    for item in items:
        marker = item.get_closest_marker("one_of")
        if item.get_closest_marker("long") is not None:
            left_out.append(item)
            continue
        name = item.nodeid.partition("[")[0]
        at = seen[name] = seen.get(name, -1) + 1
        every, first = (*marker.args, 0)[:2] if marker is not None else (1, 0)
        (kept if at % every == first else left_out).append(item)
    items[:] = kept
    config.hook.pytest_deselected(items=left_out)


@pytest.fixture
def larkmoor() -> Job:
    """The flawed demo job."""
    return demo("larkmoor").job


@pytest.fixture
def tidewell() -> Job:
    """The clean demo job."""
    return demo("tidewell").job


@pytest.fixture
def mended(larkmoor: Job) -> Job:
    """The flawed demo job after its remedies: an isolated converter, which needs no supply return."""
    return set_converter(larkmoor, "supply", "isolated_wide")


@pytest.fixture
def brindle() -> StandIn:
    """A stand-in whose papers are right: a receiver-amplifier."""
    from pigtail.bench.truth import load, shipped

    return load(shipped()["brindle"])


@pytest.fixture
def serve() -> Iterator[Callable[[StandIn], Server]]:
    """Serves stand-ins on the loopback address, each in a thread, until the test ends."""
    from pigtail.bench.host import StandInHost
    from pigtail.bench.server import Server

    running: list[tuple[Server, threading.Thread]] = []

    def start(stand_in: StandIn) -> Server:
        server = Server(StandInHost(stand_in))
        thread = threading.Thread(target=server.run, name="stand-in", daemon=True)
        thread.start()
        running.append((server, thread))
        return server

    yield start
    for server, thread in running:
        server.stop()
        thread.join(5)
        assert not thread.is_alive()


Extend = Callable[..., None]


def _forget() -> None:
    for cached in (topologies.topologies, kinds._raw, judging.judgements, wording.wordings):
        cached.cache_clear()


@pytest.fixture
def extend(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Extend]:
    """Adds entries, as text, to tables of the catalogue or to that of the judgements, for one test."""
    catalogue, table = tmp_path / "catalogue", tmp_path / "judgements.toml"
    shutil.copytree(topologies.DATA, catalogue)
    shutil.copy(judging.TABLE, table)
    monkeypatch.setattr(topologies, "DATA", catalogue)
    monkeypatch.setattr(judging, "TABLE", table)
    lines = list(register.REGISTER)

    def add(*, topology: str = "", module: str = "", judgement: str = "") -> None:
        for path, text in (
            (catalogue / "topologies.toml", topology),
            (catalogue / "modules.toml", module),
            (table, judgement),
        ):
            with path.open("a", encoding="utf-8") as file:
                file.write(f"\n{text}\n")
        _forget()

    yield add
    register.REGISTER[:] = lines
    monkeypatch.undo()
    _forget()
