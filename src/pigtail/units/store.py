"""What is kept for the next time: up to a number of things, the one asked for longest ago goes first. All of it is told here."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from threading import Lock
from typing import TYPE_CHECKING, Any, Generic, ParamSpec, TypeVar, cast

K = TypeVar("K")
V = TypeVar("V")
P = ParamSpec("P")
R = TypeVar("R")

#: How full each store is and how much it holds at most, by its name.
_TOLD: dict[str, Callable[[], tuple[int, int]]] = {}


if TYPE_CHECKING:
    from functools import cached_property as cached_property  # noqa: PLC0414  passed on
else:

    class cached_property:  # noqa: N801  it stands for the one of the standard library
        """What a property found is kept in its object. Without the lock that the standard library's has up to Python 3.11: that one is one
        for all objects of a class, so that two threads that each ask one property for another wait for each other for ever."""

        def __init__(self, found: Callable[[Any], Any]) -> None:
            self.found, self.name, self.__doc__ = found, found.__name__, found.__doc__

        def __set_name__(self, owner: type, name: str) -> None:
            self.name = name

        def __get__(self, instance: Any, owner: type | None = None) -> Any:
            if instance is None:
                return self
            kept = instance.__dict__
            if self.name not in kept:
                kept[self.name] = self.found(instance)
            return kept[self.name]


class Store(Generic[K, V]):
    """Things by their keys, at most so many; may be asked from several threads."""

    def __init__(self, name: str, most: int) -> None:
        self.most = most
        self._things: dict[K, V] = {}
        self._lock = Lock()
        _TOLD[name] = lambda: (len(self._things), self.most)

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


def remembered(most: int) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """A function that keeps what it found last, for so many arguments."""

    def made(function: Callable[P, R]) -> Callable[P, R]:
        kept: Any = lru_cache(maxsize=most)(function)
        _TOLD[f"{function.__module__}.{function.__qualname__}"] = lambda: (kept.cache_info().currsize, most)
        return cast(Callable[P, R], kept)

    return made


def stores() -> dict[str, tuple[int, int]]:
    """How many things each store of the program holds, and how many it holds at most, by its name."""
    return {name: tell() for name, tell in _TOLD.items()}
