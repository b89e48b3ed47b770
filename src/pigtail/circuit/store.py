"""What is kept for the next time: up to a number of things, the one asked for longest ago goes first."""

from __future__ import annotations

from threading import Lock
from typing import Generic, TypeVar

K = TypeVar("K")
V = TypeVar("V")


class Store(Generic[K, V]):
    """Things by their keys, at most so many; may be asked from several threads."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._things: dict[K, V] = {}
        self._lock = Lock()

    def __contains__(self, key: K) -> bool:
        return key in self._things

    def get(self, key: K) -> V | None:
        """A thing, or None."""
        with self._lock:
            if key not in self._things:
                return None
            thing = self._things[key] = self._things.pop(key)
            return thing

    def put(self, key: K, thing: V) -> V:
        """Keep a thing; it is given back."""
        with self._lock:
            self._things.pop(key, None)
            while len(self._things) >= self.most:
                del self._things[next(iter(self._things))]
            self._things[key] = thing
        return thing
