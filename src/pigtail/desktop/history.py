"""The history of the open job: every step packed small, and no more of them than a bounded memory holds."""

from __future__ import annotations

import zlib
from typing import NamedTuple

import msgspec

from pigtail.job.document import Job

#: The most that the steps of a history take [bytes], and how many they are at most.
MOST_BYTES, MOST_STEPS = 48_000_000, 2_000


class _Remembered(NamedTuple):
    """A job of the history, packed, and the words of the edit that led away from it, or back to it."""

    packed: bytes
    words: str


class History:
    """Jobs before the open one and after it."""

    def __init__(self) -> None:
        self._past: list[_Remembered] = []
        self._future: list[_Remembered] = []

    def clear(self) -> None:
        """Forget everything."""
        self._past, self._future = [], []

    def add(self, job: Job, words: str, *, going_on: bool = False) -> None:
        """The job as it was before an edit. going_on: the edit turns on what the last one turned, and is one step with it."""
        if going_on and self._past:
            self._past[-1] = self._past[-1]._replace(words=words)
        else:
            self._past.append(_packed(job, words))
        self._future = []
        self._bound()

    def step(self, job: Job, *, back: bool) -> Job | None:
        """The job a step back, or forth again; None where there is none. The one given takes its place on the other side."""
        source, target = (self._past, self._future) if back else (self._future, self._past)
        if not source:
            return None
        step = source.pop()
        target.append(_packed(job, step.words))
        return msgspec.msgpack.decode(zlib.decompress(step.packed), type=Job)

    @property
    def undo_words(self) -> str:
        """Words of the edit that a step back would take back; empty when there is none."""
        return self._past[-1].words if self._past else ""

    @property
    def redo_words(self) -> str:
        """Words of the edit that a step forth would bring again; empty when there is none."""
        return self._future[-1].words if self._future else ""

    @property
    def size(self) -> int:
        """What the steps take [bytes]."""
        return sum(len(s.packed) for s in (*self._past, *self._future))

    def _bound(self) -> None:
        del self._past[:-MOST_STEPS]
        size = self.size
        while size > MOST_BYTES and len(self._past) > 1:
            size -= len(self._past.pop(0).packed)


def _packed(job: Job, words: str) -> _Remembered:
    return _Remembered(zlib.compress(msgspec.msgpack.encode(job), 1), words)
