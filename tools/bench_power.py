"""The Power study of a host with an AC supply over its whole spread, as a ratio to one run of the reference simulator of the same circuit; a
quick look at a value that is turned; candidates that a search of supplies looks at in a second."""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pigtail.job.document import Job

sys.path[:0] = [
    str(Path(__file__).parents[1] / "tests"),
    str(Path(__file__).parents[1] / "tests" / "reference"),
]

ROUNDS = 7
KEYS = ("half_wave_schottky", "ldo")
#: The same supply by hand, 200 ms at 10 µs: what one run of the simulator takes, its process and all.
DECK = """heater winding, half wave, a regulator's current
.model r d(is=3u n=1.05 rs=0.04)
Va m b sin(0 9.76 50)
Ra m a 0.4
Da a out r
Vl b 0 0
C1 out e 2.2m ic=8
Re e 0 0.04
Il out 0 135m
"""


def median(action: Callable[[int], object]) -> float:
    """Median time of an action [s]."""
    times = []
    for k in range(ROUNDS):
        begun = time.perf_counter()
        action(k)
        times.append(time.perf_counter() - begun)
    return statistics.median(times)


def turned(k: int) -> Job:
    """The job with a reservoir that no round before had [F]."""
    from pigtail.edits.plan import put_supply
    from supplying import PIN, winding_job

    return put_supply(winding_job(*KEYS), PIN, "ac", KEYS, 2.2e-3 * (1 + 0.01 * (k + 1)))


def main() -> None:
    """Print seconds and ratios."""
    from simulator import SIMULATOR, run

    from pigtail.advice.supplies import SupplyStep, take_step
    from pigtail.model.model import Model
    from pigtail.studies.power.study import glance_power, study_power
    from supplying import PIN, winding_job

    study_power(Model.of(winding_job(*KEYS)))
    study = median(lambda k: study_power(Model.of(turned(k))))
    look = median(lambda k: glance_power(turned(100 + k), "supply"))
    print(f"power study of an AC supply, whole spread   {1e3 * study:6.0f} ms")
    print(f"quick look at a turned reservoir            {1e3 * look:6.0f} ms")
    if SIMULATOR is not None:
        with tempfile.TemporaryDirectory() as folder:
            reference = median(
                lambda _k: run(DECK, ["tran 10u 200m 0 10u uic", "print v(out)[100]"], Path(folder))
            )
        print(
            f"one run of the reference simulator          {1e3 * reference:6.0f} ms   study {study / reference:.2f} x, look {look / reference:.2f} x"
        )
    begun = time.perf_counter()
    step = take_step(winding_job(*KEYS), PIN, "ac", SupplyStep())
    seconds = time.perf_counter() - begun
    print(
        f"search of one winding: {step.solved} ways in {seconds:.1f} s, {step.solved / seconds:.0f} a second; {len(step.options)} offered"
    )


if __name__ == "__main__":
    main()
