"""What all tests share: no screen, folders of their own, and the demo jobs."""

from __future__ import annotations

import os
import tempfile
import threading
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

os.environ["QT_QPA_PLATFORM"] = os.environ.get("PIGTAIL_TEST_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
_STATE = tempfile.mkdtemp(prefix="pigtail-tests-")
for _name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
    os.environ[_name] = _STATE

import pytest

from pigtail.advice.networks import regauged, set_converter
from pigtail.catalogue.demo import demo
from pigtail.job.model import Job

if TYPE_CHECKING:
    from pigtail.bench.server import Server
    from pigtail.bench.truth import StandIn


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
    """The flawed demo job after its remedies: a buck converter, and a heavier supply return."""
    return regauged(set_converter(larkmoor, "supply", "buck"), "supply_return", 20)


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
