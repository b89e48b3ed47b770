"""The netlist that leaves the program, solved by the general circuit simulator of the Debian archive (ngspice).

Live where it is installed; under CI a missing simulator is a failure, not a skip.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
from pathlib import Path

import numpy as np
import pytest

from feeds import CASES, pad, through
from pigtail.catalogue.demo import demo
from pigtail.circuit import ac, operating_point, parse
from pigtail.job.document import AudioIn, Job
from pigtail.model import names
from pigtail.sheet.content import netlist_text

SIMULATOR = shutil.which("ngspice")
HERTZ = (10.0, 100.0, 1000.0, 10e3, 100e3)


def simulate(
    text: str, nodes: list[str], folder: Path, sweep: str = "dec 1 10 100k"
) -> tuple[dict[str, float], np.ndarray]:
    """Operating point by name and AC [F, nodes] of a deck over a sweep, by the simulator."""
    deck, out = folder / "deck.cir", folder / "ac.txt"
    wanted = " ".join(f"v({n})" for n in nodes)
    control = (
        f".control\nop\nprint all\nac {sweep}\nset wr_singlescale\nwrdata {out} {wanted}\nquit\n.endc\n.end\n"
    )
    body = re.sub(r"^\.(op|ac|print|end)\b.*\n", "", text, flags=re.MULTILINE)
    deck.write_text(body + control)
    done = subprocess.run(
        [str(SIMULATOR), "-b", str(deck)], capture_output=True, text=True, timeout=60, check=False
    )
    found = dict(re.findall(r"^(\S+) = (\S+)", done.stdout, flags=re.MULTILINE))
    assert found, done.stdout + done.stderr
    table = np.atleast_2d(np.loadtxt(out))
    amplitudes = table[:, 1::2] + 1j * table[:, 2::2]
    return {k: float(v) for k, v in found.items()}, amplitudes


def sinks(job: Job) -> list[str]:
    """Nodes of the audio inputs of a job."""
    return [names.at(a) for a in job.addresses() if isinstance(job.terminal(a), AudioIn)]


def cases() -> dict[str, Job]:
    """The demos, the flawed one mended and lifted, and a feed of every everyday kind."""
    from pigtail.catalogue.topologies import topology
    from pigtail.edits.links import set_sections
    from pigtail.edits.plan import set_converter

    larkmoor = demo("larkmoor").job
    lifted = set_sections(larkmoor, "audio_return", (topology("lift").section(),))
    return {
        "larkmoor": larkmoor,
        "tidewell": demo("tidewell").job,
        "buck": set_converter(larkmoor, "supply", "buck"),
        "lifted": lifted,
        "isolated": through(pad(), "feed_left", "transformer"),
        "received": through(pad(), "feed_left", "receiver"),
        **{name: make() for name, make in CASES.items()},
    }


@pytest.mark.parametrize("name", ["larkmoor", "tidewell", "buck", "lifted", "isolated", "received", *CASES])
def test_our_solution_is_the_simulators(name: str, tmp_path: Path) -> None:
    """Every node's operating point to 1e-4, and the AC at the inputs to 1e-4."""
    if SIMULATOR is None:
        assert not os.environ.get("CI"), "ngspice must be installed under CI"
        pytest.skip("ngspice is not installed")
    job = cases()[name]
    text = netlist_text(job)
    circuit = parse(text)
    heard = [node for node in sinks(job) if node in circuit.nodes]
    assert heard
    rest, amplitudes = simulate(text, heard, tmp_path)
    ours = operating_point(circuit)
    compared = 0
    for node in circuit.nodes:
        if node in rest:
            assert float(ours.v(node)[0]) == pytest.approx(rest[node], rel=1e-4, abs=1e-9)
            compared += 1
    assert compared >= len(circuit.nodes) - 2
    solved = ac(circuit, HERTZ)
    for k, node in enumerate(heard):
        assert solved.v(node)[0] == pytest.approx(amplitudes[:, k], rel=1e-4, abs=1e-12)
