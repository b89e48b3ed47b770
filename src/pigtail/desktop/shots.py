"""`pigtail shots DIR`: one PNG of each main view, from the demo, with no screen needed."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QDeadlineTimer, QSettings
from PyQt6.QtWidgets import QApplication

SIZE = (1280, 800)
WAIT_MS = 20_000


def run_shots(folder: Path) -> int:
    """Paint the views into PNG files of a folder; returns the exit code."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        print(
            f"pigtail: {folder}: the folder cannot be made ({error.strerror}); choose another",
            file=sys.stderr,
        )
        return 2
    from pigtail.desktop.start import make_application

    application = make_application(["pigtail"])
    with tempfile.TemporaryDirectory() as state:
        shoot(application, folder, Path(state))
    return 0


def shoot(application: QApplication, folder: Path, state: Path) -> None:
    """Take all pictures; `state` holds the recovery and settings files meanwhile."""
    from pigtail.catalogue.demo import demo
    from pigtail.desktop.assemble import Assembly
    from pigtail.desktop.newjob import NewJob
    from pigtail.desktop.window import MainWindow
    from pigtail.job.recovery import Keeper

    settings = QSettings(str(state / "settings.ini"), QSettings.Format.IniFormat)
    window = MainWindow("the demo")
    window.resize(*SIZE)
    assembly = Assembly(window, Keeper(state / "recovery"), settings)
    assembly.finish()
    window.show()
    assembly.set_theme("light")

    def settled() -> bool:
        return assembly.quiet and assembly.session.studies is not None

    assembly.start(demo("larkmoor"), None)
    wait(application, settled)
    for name in ("survey", "level", "power", "returns", "build"):
        assembly.go(name)
        wait(application, settled)
        take(application, window, folder / f"{name}.png")
    assembly.set_theme("dark")
    assembly.go("level")
    wait(application, settled)
    take(application, window, folder / "level-dark.png")
    assembly.set_theme("light")
    assembly.start(demo("tidewell"), None)
    wait(application, settled)
    assembly.go("returns")
    wait(application, settled)
    take(application, window, folder / "returns-clean.png")
    dialog = NewJob(window)
    dialog.show()
    take(application, dialog, folder / "new-job.png")
    dialog.close()
    window.may_close = lambda: True
    window.close()
    assembly.close()


def take(application: QApplication, widget, path: Path) -> None:  # type: ignore[no-untyped-def]
    """Grab a widget into a PNG file."""
    application.processEvents()
    widget.grab().save(str(path))
    print(path)


def wait(application: QApplication, done: Callable[[], bool]) -> None:
    """Run the event loop until something is done; raises TimeoutError when it is not in time."""
    deadline = QDeadlineTimer(WAIT_MS)
    while True:
        application.processEvents()
        if done():
            application.processEvents()
            if done():
                return
        if deadline.hasExpired():
            raise TimeoutError("the window did not settle")
