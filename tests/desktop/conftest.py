"""The real window without a screen: an assembly on a window, and words for driving it."""

from __future__ import annotations

import gc
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, ClassVar, ParamSpec, TypeVar

import msgspec
import pytest
from PyQt6.QtCore import QCoreApplication, QEvent, QSettings, Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QWidget
from pytestqt.qtbot import QtBot

from pigtail.catalogue.demo import demo
from pigtail.desktop import ask, theme
from pigtail.desktop.assemble import Assembly
from pigtail.desktop.window import MainWindow
from pigtail.job.recovery import Keeper
from pigtail.service import services
from pigtail.service.client import Inside

WAIT_MS = 60_000
W = TypeVar("W", bound=QWidget)
P = ParamSpec("P")
R = TypeVar("R")


class Remembering(Inside):
    """Studies and advises the same job once: most tests open the same demos."""

    known: ClassVar[dict[tuple[object, bytes], Any]] = {}

    def call(self, service: Callable[P, R], *arguments: P.args, **named: P.kwargs) -> R:
        """Run a service here, or give its answer for an equal job."""
        if service not in (services.study, services.advise):
            return super().call(service, *arguments, **named)
        key = (service, msgspec.msgpack.encode(arguments[0]))
        if key not in self.known:
            self.known[key] = super().call(service, *arguments, **named)
        answer: R = self.known[key]
        return answer


class Bench:
    """A window under test."""

    def __init__(self, qtbot: QtBot, folder: Path) -> None:
        self.qtbot, self.folder = qtbot, folder
        self.window = MainWindow("a test")
        settings = QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat)
        self.assembly = Assembly(self.window, Keeper(folder / "recovery"), settings, Remembering())
        self.assembly.finish()
        self.session = self.assembly.session
        self.window.show()
        qtbot.waitExposed(self.window)

    def open_demo(self, name: str = "larkmoor") -> Bench:
        """Put a demo on view and wait until it is studied and advised."""
        self.assembly.files.start(demo(name), None)
        return self.settle()

    def settle(self) -> Bench:
        """Wait until all background work is done and shown."""

        def quiet() -> bool:
            QApplication.processEvents()
            return self.assembly.quiet and (self.session.job is None or self.session.studies is not None)

        self.qtbot.waitUntil(quiet, timeout=WAIT_MS)
        QApplication.processEvents()
        self.qtbot.waitUntil(quiet, timeout=WAIT_MS)
        return self

    def find(self, kind: type[W], name: str) -> W:
        """A visible control by its object name."""
        found = [w for w in self.window.findChildren(kind, name) if w.isVisible()]
        assert found, f"no visible {name}"
        return found[0]

    def click(self, widget: QWidget) -> Bench:
        """Click a control with the mouse and settle."""
        self.qtbot.mouseClick(widget, Qt.MouseButton.LeftButton)
        return self.settle()

    def type(self, widget: QWidget, text: str) -> Bench:
        """Replace the text of a field with the keyboard, press Enter and settle."""
        widget.setFocus()
        self.qtbot.keyClick(widget, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        self.qtbot.keyClicks(widget, text)
        self.qtbot.keyClick(widget, Qt.Key.Key_Return)
        return self.settle()

    def choose(self, combo: QComboBox, data: object) -> Bench:
        """Choose an entry as a person would."""
        index = combo.findData(data)
        assert index >= 0, f"{data} is not offered"
        combo.setCurrentIndex(index)
        combo.activated.emit(index)
        return self.settle()

    def run(self, action: str) -> Bench:
        """Trigger an action of the menus."""
        assert self.assembly.actions[action].isEnabled(), f"{action} is not enabled"
        self.assembly.actions[action].trigger()
        return self.settle()

    def verdicts(self) -> dict[str, str]:
        """What the lead shows."""
        return {k: s.verdict for k, s in self.window.lead.splices.items()}

    def message(self) -> str:
        """The sentence in the message line, empty when it is hidden."""
        return self.window.message.words.text() if self.window.message.isVisible() else ""

    def close(self) -> None:
        """Close without questions."""
        self.window.may_close = lambda: True
        self.window.close()
        self.assembly.close()
        self.window.deleteLater()
        QCoreApplication.sendPostedEvents(self.window, QEvent.Type.DeferredDelete.value)


@pytest.fixture(scope="session")
def dressed_once(qapp: QApplication) -> None:
    """The application in our fonts and the light theme."""
    theme.load_fonts()
    theme.apply(qapp, theme.LIGHT)


@pytest.fixture(autouse=True)
def dressed(dressed_once: None, qapp: QApplication) -> None:
    """The light theme again, where a test before left another."""
    if theme.current() is not theme.LIGHT:
        theme.apply(qapp, theme.LIGHT)


@pytest.fixture
def bench(qtbot: QtBot, tmp_path: Path) -> Iterator[Bench]:
    """A window that is closed at the end and leaves no thread behind.

    Meanwhile nothing is collected: a collection may begin in a thread that solves, and Qt's objects may only end in the main one.
    """
    before = set(threading.enumerate())
    gc.disable()
    try:
        made = Bench(qtbot, tmp_path)
        yield made
        made.close()
        gc.collect(0)
    finally:
        gc.enable()
    for thread in set(threading.enumerate()) - before:
        thread.join(WAIT_MS / 1000)  # the window did not wait for what was still being studied
    left = [t.name for t in set(threading.enumerate()) - before if t.is_alive()]
    assert not left, f"threads left: {left}"


@pytest.fixture
def answers(monkeypatch: pytest.MonkeyPatch) -> Callable[..., None]:
    """Answer the questions that need a dialog: `answers(open_path=…, save_before_leaving="leave")`."""

    def set_answers(**given: object) -> None:
        for name, value in given.items():
            monkeypatch.setattr(ask, name, lambda *_a, value=value: value)

    return set_answers
