"""Start-up of the window, measured against bare PyQt6 windows in the same run, and its longest event-loop gap.

Each child is a fresh process that is told when it was started (monotonic clock, shared by all processes) and prints
its times as JSON. Children of all kinds take turns, so that a drifting clock hits them alike.
"""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time

KINDS = ("bare", "curve", "demo")
ROUNDS = 7
GAP_TICK_MS = 1
REST_S = 1.0  # the gaps are watched this long after all is ready, and until nothing is at work


def child(kind: str, started: float) -> None:
    """Open one window of a kind, print its times and quit."""
    times: dict[str, float] = {}

    def mark(name: str) -> None:
        times.setdefault(name, time.monotonic() - started)

    def finish() -> None:
        print(json.dumps(times))
        sys.stdout.flush()
        os._exit(0)

    if kind == "demo":
        _demo(mark, times, finish, started)
        return
    from PyQt6.QtCore import QTimer
    from PyQt6.QtWidgets import QApplication, QMainWindow, QWidget

    application = QApplication([kind])

    class Face(QWidget):
        def paintEvent(self, event: object) -> None:
            mark("paint")
            QTimer.singleShot(0, finish)

    window = QMainWindow()
    window.resize(1280, 800)
    if kind == "curve":
        import numpy
        import pyqtgraph

        plot = pyqtgraph.PlotWidget()
        plot.plot(numpy.arange(70.0), numpy.arange(70.0))
        original = plot.paintEvent

        def painted(event: object) -> None:
            original(event)
            mark("paint")
            QTimer.singleShot(0, finish)

        plot.paintEvent = painted
        window.setCentralWidget(plot)
    else:
        window.setCentralWidget(Face())
    window.show()
    application.exec()


def _demo(mark, times: dict[str, float], finish, begun: float) -> None:  # type: ignore[no-untyped-def]
    """The demo window, with a ticking timer that finds the longest gap of its event loop."""
    from pigtail.__main__ import _plain

    _plain(["demo"])
    from pigtail.service.client import Helper

    helper = Helper()
    from PyQt6.QtCore import Qt, QTimer

    from pigtail.desktop import start
    from pigtail.desktop.window import MainWindow

    application = start.make_application(["pigtail"])
    window = MainWindow("Larkmoor Forty")
    loader = start.Loader(window, start.Opening("Larkmoor Forty", demo="larkmoor"), helper)
    started = [begun]
    last = [0.0]
    gaps: list[float] = []

    def tick() -> None:
        now = time.monotonic()
        gaps.append(now - last[0])
        last[0] = now

    timer = QTimer()
    timer.setTimerType(Qt.TimerType.PreciseTimer)
    timer.timeout.connect(tick)

    def painted() -> None:
        mark("paint")
        last[0] = time.monotonic()
        timer.start(GAP_TICK_MS)

    def settled() -> None:
        rested = time.monotonic() - started[0] > times.get("ready", 1e9) + REST_S
        if rested and loader.assembly is not None and loader.assembly.quiet:
            times["gap"] = max(gaps)
            finish()

    def ready() -> None:
        mark("ready")
        quiet.start(20)

    quiet = QTimer()
    quiet.timeout.connect(settled)
    window.face.painted.connect(painted)
    window.ready.connect(lambda: QTimer.singleShot(0, ready))
    window.show()
    application.exec()


def measure(rounds: int = ROUNDS) -> dict[str, dict[str, list[float]]]:
    """Times [s] by kind and name over interleaved rounds, the first one not counted."""
    found: dict[str, dict[str, list[float]]] = {k: {} for k in KINDS}
    with tempfile.TemporaryDirectory() as state:
        environment = {**os.environ, "XDG_STATE_HOME": state, "XDG_CONFIG_HOME": state}
        environment.setdefault("QT_QPA_PLATFORM", "offscreen")
        for turn in range(rounds + 1):
            for kind in KINDS:
                command = [sys.executable, __file__, "child", kind, repr(time.monotonic())]
                output = subprocess.run(command, env=environment, capture_output=True, text=True, check=True)
                for name, value in json.loads(output.stdout).items():
                    if turn:
                        found[kind].setdefault(name, []).append(value)
    return found


def main() -> None:
    """Print the table."""
    found = measure()
    middle = {k: {n: statistics.median(v) for n, v in names.items()} for k, names in found.items()}
    bare, curve, demo = middle["bare"]["paint"], middle["curve"]["paint"], middle["demo"]
    print(f"first paint: {demo['paint'] / bare:.2f} x a bare painted window (at most 2)")
    print(f"all ready:   {demo['ready'] / curve:.2f} x a window with one plotted curve (at most 1.2)")
    print(
        f"longest event-loop gap: {1e3 * demo['gap']:.0f} ms median, {1e3 * max(found['demo']['gap']):.0f} ms worst (at most 50)"
    )
    print(f"(ms, medians of {ROUNDS}: bare {1e3 * bare:.0f}, curve {1e3 * curve:.0f}, "
          f"paint {1e3 * demo['paint']:.0f}, ready {1e3 * demo['ready']:.0f})")  # fmt: skip


if __name__ == "__main__":
    if sys.argv[1:2] == ["child"]:
        child(sys.argv[2], float(sys.argv[3]))
    else:
        main()
