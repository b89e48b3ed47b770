"""A host of 300 points, 6 states and 5,000 readings, against one of 30 points and 500 readings, in the real window.

Printed: opening until shown and studied, logging a reading until it is on the strip and until it is studied, a scroll
of the table by a page, and the longest gap of the event loop meanwhile; as ratios to the small host in the same run.
"""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from datetime import datetime
from functools import partial
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from PyQt6.QtCore import QSettings, QTimer

from pigtail.catalogue.kinds import make_host, make_module
from pigtail.desktop.assemble import Assembly
from pigtail.desktop.shots import wait
from pigtail.desktop.start import make_application
from pigtail.desktop.window import MainWindow
from pigtail.edits.change import Change
from pigtail.edits.host import add_connector, add_state
from pigtail.edits.readings import log_reading, log_readings
from pigtail.edits.values import add_module, new_job
from pigtail.job.document import Function, Job
from pigtail.job.file import Document
from pigtail.job.recovery import Keeper
from pigtail.job.taking import taken
from pigtail.service.client import Helper

ROUNDS = 5
WHEN = datetime(2026, 11, 25, 12, 0)


def made(points: int, readings: int) -> Job:
    """A receiver-amplifier with connectors up to so many points, six states, and readings spread over them."""
    job = add_module(
        new_job("large", make_host("receiver_amplifier")), make_module("wireless_receiver_5v", "rx")
    )
    for name in ("phono", "muted"):
        job = add_state(job, name)
    left, number = points - len(job.host.terminals), 0
    while left > 0:
        number += 1
        job = add_connector(job, f"J{number}", min(left, 30), against="star")
        left -= 30
    states = [s.id for s in job.host.states]
    pins = [f"host.{t.id}" for t in job.host.terminals if t.id.startswith("j")]
    rows = [
        taken(
            job, point=pins[k % len(pins)], against="host.star", state=states[(k // len(pins)) % len(states)], function=Function.DC_VOLTS,
            value=(k * 7 % 50) / 10, when=WHEN, number=k + 1,
        )
        for k in range(readings)
    ]  # fmt: skip
    return log_readings(job, rows)


class Watch:
    """A ticking timer that finds the longest gap of the event loop since it was asked last."""

    def __init__(self) -> None:
        self.longest, self.last = 0.0, time.perf_counter()
        self.timer = QTimer()
        self.timer.timeout.connect(self._tick)
        self.timer.start(1)

    def _tick(self) -> None:
        now = time.perf_counter()
        self.longest = max(self.longest, now - self.last)
        self.last = now

    def start(self) -> None:
        self.longest, self.last = 0.0, time.perf_counter()


def measured(application, job: Job, folder: Path) -> dict[str, float]:  # type: ignore[no-untyped-def]
    """Seconds of each thing a person does, on one host."""
    window = MainWindow("a benchmark")
    window.resize(1280, 800)
    settings = QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat)
    assembly = Assembly(window, Keeper(folder / "recovery"), settings, Helper())
    assembly.finish()
    window.show()
    watch = Watch()
    found: dict[str, float] = {}

    def settled() -> bool:
        return assembly.quiet and assembly.session.studies is not None

    watch.start()
    begun = time.perf_counter()
    assembly.files.start(Document(job), None, unsaved=True)
    wait(application, settled)
    assembly.views.go("survey")
    application.processEvents()
    found["open"] = time.perf_counter() - begun
    found["gap while opening"] = watch.longest
    view = assembly.views.of("survey")
    for page, name in ((1, "log"), (3, "points"), (4, "sweep")):
        begun = time.perf_counter()
        view.view.setCurrentIndex(page)
        application.processEvents()
        found[f"turn to the {name}"] = time.perf_counter() - begun
    view.view.setCurrentIndex(1)
    application.processEvents()
    bar = view.log_table.verticalScrollBar()
    times = []
    for _ in range(20):
        begun = time.perf_counter()
        bar.setValue((bar.value() + bar.pageStep()) % max(bar.maximum(), 1))
        application.processEvents()
        times.append(time.perf_counter() - begun)
    found["scroll a page"] = statistics.median(times)
    pin = next(t.id for t in job.host.terminals if t.id.startswith("j"))
    shown, studied = [], []
    watch.start()
    for k in range(ROUNDS):
        edit = partial(
            log_reading,
            point=f"host.{pin}",
            against="host.star",
            state="aux",
            function=Function.DC_VOLTS,
            value=1.0 + k,
            when=WHEN,
        )
        begun = time.perf_counter()
        assembly.session.edit(Change("log", edit))
        application.processEvents()
        shown.append(time.perf_counter() - begun)
        wait(application, settled)
        studied.append(time.perf_counter() - begun)
    found["log a reading, until shown"] = statistics.median(shown)
    found["log a reading, until studied and kept"] = statistics.median(studied)
    found["gap while logging"] = watch.longest
    window.may_close = lambda: True
    watch.timer.stop()
    window.close()
    assembly.close()
    return found


def main() -> None:
    """Print the table."""
    application = make_application(["bench"])
    with tempfile.TemporaryDirectory() as state:
        rounds = []
        for k in range(3):
            rounds.append(
                tuple(
                    measured(application, made(p, r), Path(state) / f"{k}-{p}")
                    for p, r in ((30, 500), (300, 5000))
                )
            )
    print("| 300 points × 6 states, 5,000 readings | to 30 points, 500 readings | figures |")
    print("|---|---|---|")
    for name in rounds[0][0]:
        small, large = (statistics.median(r[k][name] for r in rounds) for k in (0, 1))
        print(f"| {name} | {large / small:.1f} × | {1e3 * small:.0f} ms to {1e3 * large:.0f} ms |")


if __name__ == "__main__":
    main()
