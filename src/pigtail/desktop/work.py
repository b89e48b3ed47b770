"""The one road for slow work: lanes of background threads, the latest task of a kind wins, results on the main thread."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

#: So long what runs in the background is waited for when the program ends [s].
CLOSING_S = 0.2

Task = Callable[[], Any]
Done = Callable[[Any], None]
Failed = Callable[[BaseException], None]


class Lane(QObject):
    """A background thread that runs tasks one after another.

    A task put in under a kind replaces one of the same kind that has not begun. `done` and `failed` are called
    on the main thread.
    """

    _finished = pyqtSignal(object, object)

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._waiting: dict[str, tuple[Task, Done, Failed]] = {}
        self._wake = threading.Condition()
        self._open = True
        self._busy = 0
        self._finished.connect(self._deliver)
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)
        self._thread.start()

    def submit(self, kind: str, task: Task, done: Done, failed: Failed) -> None:
        """Put a task into the lane; a lane that was closed takes none."""
        with self._wake:
            if not self._open:
                return
            self._waiting.pop(kind, None)
            self._waiting[kind] = (task, done, failed)
            self._wake.notify()

    @property
    def idle(self) -> bool:
        """Whether nothing waits, runs or is still to be delivered."""
        with self._wake:
            return not self._waiting and not self._busy

    def close(self, within: float | None = None) -> None:
        """Finish what runs and what waits, then end the thread. `within` a time [s]: what waits is dropped, and what still runs then is
        left to end by itself."""
        with self._wake:
            self._open = False
            if within is not None:
                self._waiting.clear()
            self._wake.notify()
        self._thread.join(within)

    def _run(self) -> None:
        while True:
            with self._wake:
                while not self._waiting and self._open:
                    self._wake.wait()
                if not self._waiting:
                    return
                kind = next(iter(self._waiting))
                task, done, failed = self._waiting.pop(kind)
                self._busy += 1
            try:
                result, callback = task(), done
            except BaseException as error:  # noqa: BLE001  every failure is told on the main thread
                result, callback = error, failed
            try:
                self._finished.emit(callback, result)
            except RuntimeError:  # the window is gone
                return

    def _deliver(self, callback: Callable[[Any], None], result: Any) -> None:
        with self._wake:
            self._busy -= 1
        callback(result)
