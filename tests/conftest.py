"""What all tests share: no screen, folders of their own, and the demo jobs."""

from __future__ import annotations

import os
import tempfile

os.environ["QT_QPA_PLATFORM"] = os.environ.get("PIGTAIL_TEST_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
_STATE = tempfile.mkdtemp(prefix="pigtail-tests-")
for _name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
    os.environ[_name] = _STATE

import pytest

from pigtail.advice.networks import regauged, set_converter
from pigtail.catalogue.demo import demo
from pigtail.job.model import Job


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
