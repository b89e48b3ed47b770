"""The other end of the studies' process: started at once, asked from a lane, started again should it die."""

from __future__ import annotations

import contextlib
import os
import pickle
import signal
import sys
import threading
import time
from collections.abc import Callable
from typing import ParamSpec, TypeVar

from pigtail.language import tr

P = ParamSpec("P")
R = TypeVar("R")
SERVICE = "pigtail.service.server"
#: So long the end of a call is waited for when the program ends [s].
CLOSING_S = 0.2


class HelperLostError(RuntimeError):
    """The studies' process ended twice while it was asked the same thing."""


class CancelledError(RuntimeError):
    """What was asked is no longer wanted: something newer is, or the program ends."""


def _serve_forked(requests: int, answers: int) -> None:
    """Become the studies' process: its pipes as input and output, nothing else of the parent's kept open."""
    code = 1
    try:
        os.dup2(requests, 0)
        os.dup2(answers, 1)
        os.closerange(3, 256)
        from pigtail.service.server import main

        main()
        code = 0
    finally:
        os._exit(code)


class Helper:
    """A process that studies. `call` may be used from any thread; calls are answered one after another."""

    def __init__(self) -> None:
        self._turn = threading.Lock()
        self._pid = 0
        self._since = 0.0
        self._cancelled = self._closed = False
        self._start()

    def _start(self) -> None:
        """Start the process: by a fork while nothing but this module is loaded, since that saves the start of an
        interpreter; else, and whenever it is started again, by os.posix_spawn."""
        from_us, to_it = os.pipe()
        from_it, to_us = os.pipe()
        for end in (to_it, from_it):
            os.set_inheritable(end, False)
        actions = [
            (os.POSIX_SPAWN_DUP2, from_us, 0),
            (os.POSIX_SPAWN_DUP2, to_us, 1),
            (os.POSIX_SPAWN_CLOSE, from_us),
            (os.POSIX_SPAWN_CLOSE, to_us),
        ]
        os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
        if threading.active_count() == 1 and "PyQt6.QtCore" not in sys.modules:
            self._pid = os.fork()
            if self._pid == 0:
                _serve_forked(from_us, to_us)
        else:
            self._pid = os.posix_spawn(
                sys.executable, [sys.executable, "-m", SERVICE], os.environ, file_actions=actions
            )
        os.close(from_us)
        os.close(to_us)
        self._requests = os.fdopen(to_it, "wb")
        self._answers = os.fdopen(from_it, "rb")

    def call(self, service: Callable[P, R], *arguments: P.args, **named: P.kwargs) -> R:
        """Ask for a service of `pigtail.service.services` and wait for its answer; raises what it raised, HelperLostError, or
        CancelledError once it is cancelled."""
        from pigtail.service.server import receive, send

        with self._turn:
            self._cancelled = False
            self._since = time.monotonic()
            for _ in range(2):
                if self._closed:
                    raise CancelledError
                try:
                    send(self._requests, (service.__name__, arguments, named))
                    fine, answer = receive(self._answers)
                    break
                except (EOFError, OSError, pickle.UnpicklingError):
                    self._reap()
                    if not self._closed:
                        self._start()
                    if self._cancelled or self._closed:
                        raise CancelledError from None
                finally:
                    self._since = 0.0
            else:
                raise HelperLostError(
                    tr("the studies' process ended unexpectedly; undo the last edit and go on")
                )
        if fine:
            found: R = answer
            return found
        raise answer

    def _reap(self) -> None:
        for stream in (self._requests, self._answers):
            try:
                stream.close()
            except OSError:
                continue
        if self._pid:
            with contextlib.suppress(ChildProcessError):
                os.waitpid(self._pid, 0)
            self._pid = 0

    def cancel(self, after: float = 0.0) -> bool:
        """Give up what is asked just now if that has gone on for longer than `after` [s]; whether it was. Its caller gets CancelledError;
        the next call starts afresh."""
        since = self._since
        if not since or time.monotonic() - since < after:
            return False
        self._cancelled = True
        self._kill()
        return True

    def _kill(self) -> None:
        if self._pid:
            with contextlib.suppress(ProcessLookupError):
                os.kill(self._pid, signal.SIGKILL)

    def close(self) -> None:
        """End the process, whatever it does."""
        self._closed = True
        if self._since:
            self._kill()
        if self._turn.acquire(timeout=CLOSING_S):
            try:
                self._reap()
            finally:
                self._turn.release()


class Inside:
    """The same face without a process of its own: services run in the thread that asks."""

    def call(self, service: Callable[P, R], *arguments: P.args, **named: P.kwargs) -> R:
        """Run a service here; raises what it raises."""
        return service(*arguments, **named)

    def cancel(self, after: float = 0.0) -> bool:
        """Nothing that runs here can be given up. The time in [s]."""
        return False

    def close(self) -> None:
        """Nothing to end."""
