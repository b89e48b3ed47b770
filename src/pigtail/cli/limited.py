"""Work in a process of its own, within limits of time and memory: it tells how far it is, and can be stopped at any moment."""

from __future__ import annotations

import codecs
import contextlib
import os
import resource
import select
import signal
import sys
import time
from collections.abc import Callable

#: From so long on it is told every so often that it still goes on, where somebody looks on [s].
TELLS_S = 2.0
#: What the child ends with where it lacks memory.
MEMORY_OUT = 74


def within(work: Callable[[], int], seconds: float, megabytes: int, what: str) -> int:
    """Run work in a process of its own and return its exit code; 2, and one sentence on the error output, where it took more than the
    limits [s, MB]. What it prints is passed on. Ctrl+C stops it."""
    sys.stdout.flush()
    sys.stderr.flush()
    pipes = [os.pipe(), os.pipe()]
    child = os.fork()
    if child == 0:
        os._exit(_worked(work, megabytes, [ends for _, ends in pipes]))
    for _, ends in pipes:
        os.close(ends)
    try:
        code = _followed(child, [ended for ended, _ in pipes], seconds)
    except KeyboardInterrupt:
        _stop(child)
        print("pigtail: stopped", file=sys.stderr)
        return 128 + signal.SIGINT
    except BaseException:
        _stop(child)
        raise
    finally:
        for ended, _ in pipes:
            os.close(ended)
    if code is None:
        _stop(child)
        print(
            f"pigtail: {what}: it took longer than {seconds:g} s; make it smaller, or give a larger --limit",
            file=sys.stderr,
        )
        return 2
    if code == MEMORY_OUT or code < 0:
        print(
            f"pigtail: {what}: it needs more than {megabytes:,} MB, or broke off; make it smaller, or give a larger --memory",
            file=sys.stderr,
        )
        return 2
    return code


def _worked(work: Callable[[], int], megabytes: int, outputs: list[int]) -> int:
    """The work in the child, which prints into pipes. What it lacks room for becomes an exit code."""
    try:
        most = megabytes * 1_000_000
        resource.setrlimit(resource.RLIMIT_AS, (most, most))
        sys.stdout, sys.stderr = (os.fdopen(f, "w", encoding="utf-8", errors="replace") for f in outputs)
        code = work()
        sys.stdout.flush()
        sys.stderr.flush()
    except MemoryError:
        return MEMORY_OUT
    except KeyboardInterrupt:
        return 128 + signal.SIGINT
    except BaseException:  # noqa: BLE001  the child ends here whatever happens, and says so by its code
        sys.excepthook(*sys.exc_info())
        sys.stderr.flush()
        return 1
    return code


def _followed(child: int, pipes: list[int], seconds: float) -> int | None:
    """Pass on what the child prints until it ends: its exit code, None when the time is up. It is told every while that it goes on."""
    began = told = time.monotonic()
    decode = [codecs.getincrementaldecoder("utf-8")("replace") for _ in pipes]
    left = dict(zip(pipes, zip((sys.stdout, sys.stderr), decode, strict=True), strict=True))
    while left:
        now = time.monotonic()
        if now - began > seconds:
            return None
        for pipe in select.select(list(left), [], [], 0.25)[0]:
            data = os.read(pipe, 1 << 16)
            stream, decoder = left[pipe]
            stream.write(decoder.decode(data, not data))
            if not data:
                del left[pipe]
        if now - told >= TELLS_S and sys.stderr.isatty():
            told = now
            words = f"\rpigtail: solving, {now - began:.0f} s; Ctrl+C stops it "
            print(words, end="", file=sys.stderr, flush=True)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])


def _stop(child: int) -> None:
    with contextlib.suppress(ProcessLookupError, ChildProcessError):
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
