"""The order of steps: by need alone. What a step needs comes before it; where that leaves it open, what can be done as the host stands."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cache
from typing import NamedTuple

from pigtail.job.steps import Power, RunStep
from pigtail.language import tr


class HostStand(NamedTuple):
    """How the host stands: closed and used, unplugged, or open with power, and in which of its states; unplugged, whether what it holds was
    read and is gone."""

    power: Power
    state: str = ""
    emptied: bool = False

    def serves(self, step: RunStep) -> bool:
        """Whether a step can be done as the host stands."""
        if step.power is not self.power:
            return step.power is Power.ANY
        if step.power is Power.OFF:
            return self.emptied or step.outside
        return step.power is Power.USED or self.state == step.state

    def after(self, step: RunStep) -> HostStand:
        """How it stands once a step that it serves was done."""
        if step.power is Power.ANY:
            return self
        if step.power is Power.OFF:
            return HostStand(
                Power.OFF, emptied=(self.power is Power.OFF and self.emptied) or not step.outside
            )
        return HostStand(step.power, step.state if step.power is Power.LIVE else "")


#: A runbook begins beside a host that stands where it is used.
AT_FIRST = HostStand(Power.USED)
#: Makes the steps that bring the host from one mode to what a step wants; limited: something new was put in since it last had power.
Turner = Callable[[HostStand, RunStep, bool], Sequence[RunStep]]


class NeedsCircleError(ValueError):
    """Steps need each other in a circle; `steps` are their ids."""

    def __init__(self, steps: Sequence[str]) -> None:
        super().__init__(
            tr(
                "these steps need each other in a circle: {listed}; mend their needs in steps.toml",
                listed=", ".join(steps[:8]),
            )
        )
        self.steps = tuple(steps)


@cache
def _pattern(text: str) -> re.Pattern[str]:
    return re.compile(".*".join(re.escape(part) for part in text.split("*")))


def matching(pattern: str, facts: Iterable[str]) -> Iterator[str]:
    """The facts that a need stands for."""
    if "*" not in pattern:
        yield from (f for f in (pattern,) if f in facts)
        return
    yield from (f for f in facts if _pattern(pattern).fullmatch(f))


class Graph:
    """Which step needs which, by their places in a list. `needs` must still hold, `before` has only to come earlier (needs among them)."""

    def __init__(self, steps: Sequence[RunStep]) -> None:
        self.makers = {s.makes: k for k, s in enumerate(steps) if s.makes}
        found: dict[str, tuple[int, ...]] = {}

        def of(patterns: Iterable[str], own: int) -> frozenset[int]:
            places: set[int] = set()
            for pattern in patterns:
                if pattern not in found:
                    found[pattern] = tuple(self.makers[f] for f in matching(pattern, self.makers))
                places.update(found[pattern])
            return frozenset(places - {own})

        self.needs = [of(s.needs, k) for k, s in enumerate(steps)]
        self.before = [self.needs[k] | of(s.after, k) for k, s in enumerate(steps)]
        self.without = [of(s.without, k) for k, s in enumerate(steps)]


def ordered(steps: Sequence[RunStep], rank: Callable[[RunStep], int]) -> tuple[RunStep, ...]:
    """Steps in an order in which none needs what a later one makes. Raises NeedsCircleError."""
    graph = Graph(steps)
    left = {k: set(b) for k, b in enumerate(graph.before)}
    followers: dict[int, list[int]] = {}
    for k, before in left.items():
        for b in before:
            followers.setdefault(b, []).append(k)
    ready = {k for k, before in left.items() if not before}
    mode = AT_FIRST
    found: list[RunStep] = []
    while ready:
        now = mode

        def place(k: int, now: HostStand = now) -> tuple[object, ...]:
            step = steps[k]
            fits = step.power is Power.ANY or step.power is now.power
            return not fits, not now.serves(step), rank(step), k

        chosen = min(ready, key=place)
        ready.remove(chosen)
        del left[chosen]
        found.append(steps[chosen])
        mode = mode.after(steps[chosen])
        for k in followers.get(chosen, ()):
            left[k].discard(chosen)
            if not left[k]:
                ready.add(k)
    if left:
        raise NeedsCircleError([steps[k].id for k in left])
    return tuple(found)


def is_risky(step: RunStep) -> bool:
    """Whether the next power after it is given through a limit: something new is in the host."""
    return step.risks or (step.lasting and step.power is Power.OFF)


def with_turns(
    steps: Sequence[RunStep], turner: Turner, begin: HostStand = AT_FIRST, *, risky: bool = False
) -> tuple[RunStep, ...]:
    """Steps with what brings the host to where each wants it put between them."""
    mode = begin
    found: list[RunStep] = []
    for step in steps:
        if not mode.serves(step):
            found += turner(mode, step, risky)
            risky = risky and step.power is not Power.LIVE
        mode = mode.after(step)
        risky = risky or is_risky(step)
        found.append(step)
    return tuple(found)
