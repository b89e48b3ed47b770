"""The Power study of a host with an AC supply over its whole spread, as a ratio to one run of the reference simulator of the same circuit; a
quick look at a value that is turned; candidates that a search of supplies looks at in a second."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from timed import median

if TYPE_CHECKING:
    from pigtail.job.document import Job

sys.path[:0] = [
    str(Path(__file__).parents[1] / "tests"),
    str(Path(__file__).parents[1] / "tests" / "reference"),
]

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
#: A bridge with junction capacitance, leakage inductance and a load resistor: 10,000 steps, whole process against whole process.
BRIDGE = """bridge
.model r d(is=2.55n n=1.75 rs=0.04 cjo=40p tt=4u)
Va m 0 sin(0 17 50)
Ra m l 1
Ll l a 200u
Da a out r
Db 0 out r
Dc com a r
Dd com 0 r
C1 out com 1000u
Rl out com 100
Rg com 0 1meg
"""
PROGRAM = (
    "import sys; from pigtail.circuit import parse, transient; "
    "run = transient(parse(sys.stdin.read()), 0.1, 1e-5, fixed=True); assert run.times.size == 10_001"
)


def turned(k: int) -> Job:
    """The job with a reservoir that no round before had [F]."""
    from pigtail.edits.plan import put_supply
    from supplying import PIN, winding_job

    return put_supply(winding_job(*KEYS), PIN, "ac", KEYS, 2.2e-3 * (1 + 0.01 * (k + 1)))


def bridge_in_time(run: Callable[..., str]) -> None:
    """Ten thousand steps, ours and the reference's, each with the start of its process."""
    ours = median(
        lambda _k: subprocess.run(
            [sys.executable, "-c", PROGRAM], input=BRIDGE + ".end\n", text=True, check=True
        )
    )
    with tempfile.TemporaryDirectory() as folder:
        theirs = median(lambda _k: run(BRIDGE, ["tran 10u 100m 0 10u"], Path(folder)))
    print(
        f"bridge, 10,000 steps, whole process         {1e3 * ours:6.0f} ms   {ours / theirs:.1f} x ({1e3 * theirs:.0f} ms)"
    )


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
        bridge_in_time(run)
    begun = time.perf_counter()
    step = take_step(winding_job(*KEYS), PIN, "ac", SupplyStep())
    seconds = time.perf_counter() - begun
    print(
        f"search of one winding: {step.solved} ways in {seconds:.1f} s, {step.solved / seconds:.0f} a second; {len(step.options)} offered"
    )


if __name__ == "__main__":
    main()
