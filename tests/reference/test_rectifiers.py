"""AC supplies against the reference simulator.

The decks for the simulator are written here by hand: winding, diodes, reservoir, a current drawn. Ours is the course of a job.
The rules for the same are checked in test_supply_rules.
"""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import pytest
from simulator import SIMULATOR, _table

from pigtail.job.energy import Earthed
from pigtail.job.measured import Measured
from pigtail.model.course import Course, mean_of, rms_of
from pigtail.studies.power.dip import dip_of
from supplying import volts, winding_job

OPEN_V, OHM, TESR = 12.0, 1.5, 80e-6
#: How each kind lies: its diodes and reservoir by hand, between a, b (and t, the tap) and out, com; the winding of two halves has t.
BRIDGE, HALF = "Da a out r\nDb b out r\nDc com a r\nDd com b r\n", "Da a out r\nVl b com 0\n"
KINDS = {
    "bridge": (1e-3, BRIDGE, False),
    "bridge_schottky": (1e-3, BRIDGE, False),
    "half_wave": (2.2e-3, HALF, False),
    "half_wave_schottky": (2.2e-3, HALF, False),
    "full_wave": (1e-3, "Da a out r\nDb b out r\nVl t com 0\n", True),
    "doubler": (1e-3, "Cp x a {c} ic={crest}\nDa com x r\nDb x out r\nVl b com 0\n", False),
}
#: The diodes as the decks here have them, silicon and Schottky.
SILICON, SCHOTTKY = "is=2.55n n=1.75", "is=3u n=1.05"
#: Those whose one end is the common stand on a winding that the host has on its ground.
LEGGED = ("half_wave", "half_wave_schottky", "doubler")
LOADS = (0.01, 0.05, 0.1, 0.2, 0.4)


@pytest.fixture(autouse=True)
def simulator() -> None:
    """Every test here needs it."""
    if SIMULATOR is None:
        assert not os.environ.get("CI"), "ngspice must be installed under CI"
        pytest.skip("ngspice is not installed")


def by_hand(kind: str, amperes: float, folder: Path) -> dict[str, float]:
    """What the reference simulator finds over the last period: valley, peak, mean [V], r.m.s. and crest of the charging current [A]."""
    farads, parts, tapped = KINDS[kind]
    crest = np.sqrt(2) * OPEN_V * (0.5 if tapped else 1.0)
    start = 2 * crest if kind == "doubler" else crest
    half = f"sin(0 {np.sqrt(2) * OPEN_V / 2:.9g} 50)"
    winding = (
        f"Va m t {half}\nRa m a {OHM / 2}\nVb t n {half}\nRb n b {OHM / 2}\n"
        if tapped
        else f"Va m b sin(0 {np.sqrt(2) * OPEN_V:.9g} 50)\nRa m a {OHM}\n"
    )
    diode = SCHOTTKY if kind.endswith("schottky") else SILICON
    text = (
        f"by hand\n.model r d({diode} rs=0.04)\n{winding}{parts.format(c=farads, crest=crest - 1)}"
        f"Cr out e {farads} ic={start - 1.5}\nRe e com {TESR / farads}\nIl out com {amperes}\nRg com 0 1m\nRs b 0 1g\n.end\n"
    )
    # its switching instants ring: a step of 20 us and Gear's method keep its own error below a thousandth
    table = _table(
        f"{text}.options method=gear reltol=1e-4\n",
        "tran 20u 600m 580m 20u uic",
        "v(out) v(com) i(va)",
        folder,
    )
    times, out = table[:, 0], table[:, 1] - table[:, 2]
    current = np.abs(table[:, 3])
    weight = np.gradient(times)
    weight /= weight.sum()
    return {
        "valley": out.min(),
        "peak": out.max(),
        "mean": float((out * weight).sum()),
        "rms": float(np.sqrt((current**2 * weight).sum())),
        "charging": float(current.max()),
    }


def ours(kind: str, amperes: float) -> dict[str, float]:
    """The same of the course of a job: the module draws the current straight from the reservoir."""
    pin = {"average": volts(f"{amperes} A", "A"), "burst": volts(f"{amperes} A", "A")}
    tapped = KINDS[kind][2]
    job = winding_job(
        kind, open_v=f"{OPEN_V} V", ohm=f"{OHM} Ω", rated="5 A", tapped=tapped, pin=pin,
        earthed=Earthed.SECOND if kind in LEGGED else Earthed.NONE,
    )  # fmt: skip
    job = Measured(job).job
    course = Course(job, job.links[0])
    bare = {i.name: 1e-4 for i in course.netlist.inputs if i.field == "length"}
    run = course.settled(bare | {course.rectifier.parameter("tesr"): TESR}).solution
    period = course.last_period(run)
    out = course.probe(run, course.rectifier, "dc_v")[period]
    current = np.abs(np.asarray(run.i(course.netlist.winding_elements("ac")[0]))[0][period])
    return {
        "valley": out.min(), "peak": out.max(), "mean": mean_of(out), "rms": rms_of(current), "charging": current.max(),
    }  # fmt: skip


@pytest.mark.one_of(3)
@pytest.mark.parametrize("amperes", LOADS)
@pytest.mark.parametrize("kind", KINDS)
def test_a_rectifier_runs_as_the_simulator_finds(kind: str, amperes: float, tmp_path: Path) -> None:
    """Valley, peak, mean, r.m.s. and crest of the charging current within 1 %."""
    wanted, found = by_hand(kind, amperes, tmp_path), ours(kind, amperes)
    for name, value in wanted.items():
        assert found[name] == pytest.approx(value, rel=0.01), (name, wanted, found)


DIPS = [(5.0, 0.5, 100e-6, 0.1, 470e-6), (12.0, 2.0, 1000e-6, 0.05, 1000e-6), (5.0, 0.05, 10e-6, 0.2, 220e-6), (9.0, 5.0, 2200e-6, 1.0, 47e-6)]  # fmt: skip


@pytest.mark.parametrize(("volt", "source", "store", "way", "empty"), DIPS)
def test_a_rail_dips_as_the_simulator_finds(
    volt: float, source: float, store: float, way: float, empty: float, tmp_path: Path
) -> None:
    """An empty capacitor put onto a rail: its lowest volts and the crest of the current within 1 % of the rail's volts and of the crest."""
    fast = way * empty * store / (empty + store)
    span = 8 * max(source * store, source * empty, fast)
    text = (
        f"by hand\nVs s 0 {volt}\nRs s x {source}\nCs x 0 {store} ic={volt}\nRw x y {way}\nCm y 0 {empty} ic=0\n.end\n"
        ".options reltol=1e-5\n"
    )
    step = min(fast / 50, span / 2000)
    table = _table(text, f"tran {step} {span} 0 {step} uic", "v(x) v(y)", tmp_path)
    lowest, crest = dip_of(*(np.array([v]) for v in (volt, source, store, way, empty)))
    assert lowest[0] == pytest.approx(table[:, 1].min(), abs=0.01 * volt)
    assert crest[0] == pytest.approx(((table[:, 1] - table[:, 2]) / way).max(), rel=0.01)
