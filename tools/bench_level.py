"""Turning a value in the Level station until the station is painted anew, in the real window, as parts of a 60 Hz frame.

Two ways of turning: one notch at a time with the window at rest between, and thirty notches a second without a rest. Printed
beside them in the same run: painting the station alone, and the studies that follow.
"""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from PyQt6.QtCore import QEvent, QEventLoop, QObject, QSettings, QTimer

from pigtail.catalogue.demo import demo
from pigtail.desktop.assemble import Assembly
from pigtail.desktop.fields import ValueField
from pigtail.desktop.shots import wait
from pigtail.desktop.start import make_application
from pigtail.desktop.window import MainWindow
from pigtail.job.recovery import Keeper
from pigtail.service import services
from pigtail.service.client import Helper

FRAME_MS = 1000 / 60
TURNS, PACE_S, SETTLE_S = 60, 1 / 30, 2.0


class Painted(QObject):
    """Notes when a widget was last painted."""

    def __init__(self, widget: QObject) -> None:
        super().__init__(widget)
        self.at = 0.0
        widget.installEventFilter(self)

    def eventFilter(self, _watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Paint:
            self.at = time.perf_counter()
        return False


def main() -> None:
    """Print the table."""
    helper = Helper()
    application = make_application(["bench"])
    with tempfile.TemporaryDirectory() as folder:
        window = MainWindow("bench")
        window.resize(1280, 800)
        settings = QSettings(str(Path(folder) / "s.ini"), QSettings.Format.IniFormat)
        assembly = Assembly(window, Keeper(Path(folder) / "r"), settings, helper)
        assembly.finish()
        window.show()
        print("| turning a value, Level | median | worst | of a 60 Hz frame |")
        print("|---|---|---|---|")
        for name, part in (("larkmoor", "part_2_r2"), ("tidewell", "part_0_r1")):
            assembly.files.start(demo(name), None)
            wait(application, lambda: assembly.quiet and assembly.session.studies is not None)
            assembly.views.go("level")
            wait(application, lambda: assembly.quiet)
            station = assembly.views.of("level")
            field = next(f for f in station.network._fields if f.objectName() == part)
            painted, ladder = Painted(station.ladder), station.ladder

            def turned(
                by: int, field: ValueField = field, painted: Painted = painted, ladder=ladder
            ) -> float:  # type: ignore[no-untyped-def]
                """One notch, until the ladder has been painted with another level."""
                before, begun = ladder.feed, time.perf_counter()
                field._step(by)
                while ladder.feed is before or painted.at < begun:
                    application.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
                    if time.perf_counter() - begun > SETTLE_S:
                        break
                return time.perf_counter() - begun

            def rest() -> None:
                wait(application, lambda: assembly.quiet)

            turned(1)
            rest()
            single, steady = [], []
            for k in range(TURNS):
                single.append(turned(1 if k % 20 < 10 else -1))
                rest()
            for k in range(TURNS):
                took = turned(1 if k % 20 < 10 else -1)
                steady.append(took)
                pause = QEventLoop()
                QTimer.singleShot(int(1e3 * max(PACE_S - took, 0.0)), pause.quit)
                pause.exec()
            rest()
            paints = []
            for _ in range(20):
                begun = time.perf_counter()
                station.ladder.repaint()
                station.response.repaint()
                paints.append(time.perf_counter() - begun)
            begun = time.perf_counter()
            helper.call(services.study, assembly.session.job)
            study = time.perf_counter() - begun
            row(f"{name}, one notch at a time", single)
            row(f"{name}, thirty a second", steady)
            row(f"{name}, painting alone", paints)
            row(f"{name}, all studies (not waited for)", [study])
        window.may_close = lambda: True
        window.close()
        assembly.close()


def row(words: str, times: list[float]) -> None:
    median, worst = 1e3 * statistics.median(times), 1e3 * max(times)
    print(
        f"| {words} | {median:.1f} ms | {worst:.1f} ms | {median / FRAME_MS:.2f}, worst {worst / FRAME_MS:.2f} |"
    )


if __name__ == "__main__":
    main()
