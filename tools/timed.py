"""How long something takes, as the benchmarks tell it."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

#: How often each thing is timed.
ROUNDS = 7


def median(action: Callable[[int], object]) -> float:
    """Median time of an action [s], which is given the number of its round."""
    times = []
    for k in range(ROUNDS):
        begun = time.perf_counter()
        action(k)
        times.append(time.perf_counter() - begun)
    return statistics.median(times)
