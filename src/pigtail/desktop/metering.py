"""The meter of the window: one connection, used on a lane of its own; what it is doing is always told, it blocks nothing."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from pigtail.desktop.work import CLOSING_S, Lane
from pigtail.language import tr

if TYPE_CHECKING:
    import subprocess

    from pigtail.bench.address import Address
    from pigtail.bench.meters import ScpiMeter
    from pigtail.job.ask import Ask

#: So long a stand-in is waited for to end [s].
WAIT_S = 2.0
NONE = tr("no meter: type what yours shows")


class MeterLink(QObject):
    """Connects to a meter or a stand-in and reads it.

    Signals: status (words for the strip; whether a meter is there), read (value), failed (one sentence).
    """

    status = pyqtSignal(str, bool)
    read = pyqtSignal(float)
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._lane = Lane("meter", self)
        self._meter: ScpiMeter | None = None
        self._address: Address | None = None
        self._server: subprocess.Popen[str] | None = None
        self.words = NONE
        self.there = False
        self.reading = False

    @property
    def wanted(self) -> bool:
        """Whether a meter was chosen, be it there or not."""
        return self._address is not None

    @property
    def idle(self) -> bool:
        """Whether nothing is asked of the meter."""
        return self._lane.idle

    def connect_to(self, address: Address) -> None:
        """Take a meter at an address as the window's meter."""
        self._address = address
        self._say(tr("connecting to {text} …", text=address.text()), False)
        self._lane.submit("connect", self._connected, self._there, self._not_there)

    def start_stand_in(self, name: str) -> None:
        """Start a stand-in as a process of its own and take its meter, as if it were hardware."""
        self._say(tr("starting the stand-in {stem} …", stem=Path(name.partition("+")[0]).stem), False)
        self._lane.submit("start", lambda: self._started(name), self._there, self._not_there)

    def leave(self) -> None:
        """Have no meter any more."""
        self._address = None
        self._lane.submit("leave", self._drop, lambda _: self._say(NONE, False), self._not_there)

    def take(self, request: Ask, *, stable: bool = True) -> None:
        """Read once; a lost meter is looked for again first."""
        if self._address is None:
            self.failed.emit(tr("no meter is chosen; choose one under Bench, or type the reading"))
            return
        self.reading = True
        self._lane.submit("read", lambda: self._reading(request, stable), self._have, self._not_read)

    # -- on the lane ----------------------------------------------------------------------------------------

    def _connected(self) -> str:
        from pigtail.bench.meters import ScpiMeter

        assert self._address is not None
        if self._meter is not None:
            self._meter.close()
            self._meter = None
        self._meter = ScpiMeter(self._address)
        return self._meter.identity

    def _started(self, name: str) -> str:
        import subprocess

        from pigtail.bench.address import Address, MeterError

        self._drop()
        self._server = subprocess.Popen(
            [sys.executable, "-m", "pigtail", "bench", name, "--port", "0"],
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
            env=os.environ | {"PIGTAIL_BENCH_FOLLOWS": "1"},
        )  # fmt: skip
        assert self._server.stdout is not None
        line = self._server.stdout.readline()
        _, _, tail = line.partition("127.0.0.1:")
        if not tail:
            raise MeterError(line.strip() or tr("the stand-in did not start; look at its truth file"))
        self._address = Address(host="127.0.0.1", port=int(tail.partition(";")[0]))
        return self._connected()

    def _drop(self) -> None:
        import subprocess

        if self._meter is not None:
            self._meter.close()
            self._meter = None
        if self._server is not None:
            self._server.terminate()
            try:
                self._server.wait(WAIT_S)
            except subprocess.TimeoutExpired:
                self._server.kill()
            if self._server.stdout is not None:
                self._server.stdout.close()
            self._server = None

    def _reading(self, request: Ask, stable: bool) -> float:
        from pigtail.bench.address import MeterError, NotOfferedError

        if self._meter is None:
            self._connected()
        assert self._meter is not None
        try:
            return self._meter.read_stable(request) if stable else self._meter.read(request)
        except NotOfferedError:
            raise
        except MeterError:
            self._meter.close()
            self._meter = None
            raise

    # -- on the main thread ---------------------------------------------------------------------------------

    def _say(self, words: str, there: bool) -> None:
        self.words, self.there = words, there
        self.status.emit(words, there)

    def _there(self, identity: str) -> None:
        name = " ".join(identity.split(",")[:2])
        self._say(
            tr("{name} at {more}", name=name, more=self._address.text() if self._address else "?"), True
        )

    def _not_there(self, error: BaseException) -> None:
        self._say(tr("the meter is not there; it is looked for again at the next reading"), False)
        self.failed.emit(str(error))

    def _have(self, value: float) -> None:
        self.reading = False
        if self._address is not None and not self.there:
            self._say(tr("back at {text}", text=self._address.text()), True)
        self.read.emit(value)

    def _not_read(self, error: BaseException) -> None:
        from pigtail.bench.address import NotOfferedError

        self.reading = False
        if isinstance(error, NotOfferedError):
            self.failed.emit(str(error))
        else:
            self._not_there(error)

    def close(self) -> None:
        """End the connection, the stand-in and the lane."""
        meter, server = self._meter, self._server
        if meter is not None:
            meter.stop()
        if server is not None:
            server.terminate()
        self._lane.close(CLOSING_S)
        if self._lane.idle:
            self._drop()
