"""What the studies tell of a volume control, a transformer, a valve's grid, a leaking capacitor and a regulator that drops out, against the
general circuit simulator of the Debian archive (ngspice), which is given the netlist that leaves the program.

Live where it is installed; under CI a missing simulator is a failure, not a skip.
"""

from __future__ import annotations

import os
import re
from pathlib import Path

import numpy as np
import pytest
from test_simulator import SIMULATOR, simulate

from feeds import headphones, job_of, known, pad, through, with_sections
from pigtail import edits
from pigtail.catalogue.topologies import topology
from pigtail.edits.plan import set_converter
from pigtail.job.document import Job
from pigtail.model.model import Model
from pigtail.sheet.content import netlist_text
from pigtail.studies.level.feed import OPEN_OHM
from pigtail.studies.level.found import FeedDetail
from pigtail.studies.level.study import study_level
from pigtail.studies.power.study import study_power

LOW, HIGH, CLOSE = 1.0, 10e6, 400


@pytest.fixture(autouse=True)
def simulator() -> None:
    """Every test here needs it."""
    if SIMULATOR is None:
        assert not os.environ.get("CI"), "ngspice must be installed under CI"
        pytest.skip("ngspice is not installed")


def told(job: Job, link: str = "") -> FeedDetail:
    """What the study tells of a feed, the first unless one is named."""
    feeds = study_level(Model.of(job)).feeds
    return next(f for f in feeds if not link or f.link == link)


def alone(job: Job, link: str) -> Job:
    """The job with no other feed than one: nothing else plays."""
    for other in [x for x in job.links if x.purpose.value == "feed" and x.id != link]:
        job = edits.remove_link(job, other.id)
    return job


def text_of(job: Job, **parameters: float) -> str:
    """The netlist of the working state with some of its parameters at other values."""
    text = netlist_text(job)
    for name, value in parameters.items():
        text, count = re.subn(rf"^\.param {name}=.*$", f".param {name}={value:g}", text, flags=re.MULTILINE)
        assert count == 1, name
    return text


def response(job: Job, feed: FeedDetail, folder: Path) -> tuple[np.ndarray, np.ndarray]:
    """Frequency [F] and level [F] in dBV at the input of a feed, by the simulator."""
    net = Model.of(job).netlist()
    nodes = [n for n in (net.node(feed.sink), net.reference(feed.sink)) if n != "0"]
    sweep = f"dec {CLOSE} {LOW:g} {HIGH:g}"
    _, volts = simulate(netlist_text(job), nodes, folder, sweep)
    across = volts[:, 0] - (volts[:, 1] if len(nodes) > 1 else 0.0)
    hertz = LOW * 10 ** (np.arange(len(across)) / CLOSE)
    return hertz, 20 * np.log10(np.abs(across))


def at_1k(hertz: np.ndarray, level: np.ndarray) -> float:
    """The level at 1 kHz."""
    return float(np.interp(3.0, np.log10(hertz), level))


@pytest.mark.parametrize("turn", [0.1, 0.3, 0.5, 0.8, 1.0])
def test_a_volume_control_gives_what_the_simulator_finds(turn: float, tmp_path: Path) -> None:
    """Headphones behind a control and an amplifier, from nearly closed to fully open: within 0.01 dB."""
    sections = (topology("volume").section(turn=turn), topology("headphone_amp").section())
    job = alone(with_sections(headphones(), "feed_left", *sections), "feed_left")
    feed = told(job)
    level = at_1k(*response(job, feed, tmp_path))
    assert feed.numbers["delivered_dbv"].value == pytest.approx(level, abs=0.01)


def transformed(farads: float, ohm: float) -> Job:
    """A capacitor, a resistor and a transformer into a line."""
    parts = (
        topology("capacitor").section(c1=farads),
        topology("series").section(r1=ohm),
        topology("transformer").section(),
    )
    return alone(with_sections(pad(), "feed_left", *parts), "feed_left")


@pytest.mark.parametrize(("farads", "ohm"), [(2.2e-6, 100.0), (10e-6, 100.0), (47e-6, 470.0), (220e-6, 1e3)])
def test_capacitor_and_primary_ring_as_the_simulator_finds(farads: float, ohm: float, tmp_path: Path) -> None:
    """The hump within 0.1 dB, the low corner within 1 %."""
    job = transformed(farads, ohm)
    feed = told(job)
    hertz, level = response(job, feed, tmp_path)
    over = level - at_1k(hertz, level)
    hump = float(over[hertz < 1e3].max())
    assert feed.numbers["peak_db"].value == pytest.approx(hump, abs=0.1)
    # from 1 kHz down to where it first falls by 3 dB
    below = np.flatnonzero((over <= -20 * np.log10(np.sqrt(2))) & (hertz < 1e3))
    assert feed.numbers["low_cut_hz"].value == pytest.approx(float(hertz[below[-1]]), rel=0.012)


@pytest.mark.parametrize(("farads", "ohm"), [(100e-12, 100e3), (300e-12, 100e3), (300e-12, 1e6)])
def test_a_grid_dulls_a_high_pad_as_the_simulator_finds(farads: float, ohm: float, tmp_path: Path) -> None:
    """55 kΩ and more before a triode's input capacitance: the high corner within 1 %."""
    job = job_of(
        "valve_amplifier", "card_player_5v", line_in__overload=(2.0, "V"), line_in__wanted=(0.2, "V")
    )
    job = edits.set_value(job, "host.line_in", "capacitance", known(farads, "F"))
    link = next(x for x in job.links if x.purpose.value == "feed")
    sections = (topology("sum").section(), topology("pad").section(r1=ohm, r2=ohm))
    job = with_sections(job, link.id, *sections)
    feed = told(job)
    hertz, level = response(job, feed, tmp_path)
    above = np.flatnonzero((level - at_1k(hertz, level) <= -20 * np.log10(np.sqrt(2))) & (hertz > 1e3))
    assert feed.numbers["high_cut_hz"].value == pytest.approx(float(hertz[above[0]]), rel=0.012)


@pytest.mark.parametrize("farads", [1e-6, 10e-6, 100e-6])
def test_a_capacitor_leaks_what_the_simulator_finds(farads: float, tmp_path: Path) -> None:
    """DC forced on the input, and at the open end: within a microvolt or a thousandth."""
    job = through(pad(), "feed_left", "coupling", c1=farads)
    job = alone(edits.set_value(job, "m.out_left", "bias", known(1.65, "V")), "feed_left")
    feed, net = told(job), Model.of(job).netlist()
    out, back = net.node(feed.sink), net.reference(feed.sink)

    def dc(text: str) -> float:
        rest, _ = simulate(text, [out], tmp_path)
        return rest[out] - (rest[back] if back != "0" else 0.0)

    here = dc(text_of(job))
    opened = dc(text_of(job, **{f"{out}__impedance": OPEN_OHM}))
    assert feed.numbers["offset_v"].value == pytest.approx(here, rel=1e-3, abs=1e-6)
    assert feed.numbers["pop_v"].value == pytest.approx(opened, rel=1e-3, abs=1e-6)
    assert abs(opened) > abs(here)


@pytest.mark.parametrize("volts", [5.5, 6.5, 7.5, 12.0])
@pytest.mark.parametrize("key", ["linear", "linear_large", "buck", "isolated_wide"])
def test_a_regulator_drops_out_as_the_simulator_finds(key: str, volts: float, tmp_path: Path) -> None:
    """Volts at the pins and current from the rail, on average and in a burst: within 0.1 % or a millivolt."""
    job = set_converter(pad(), "supply", key)
    for field, value, unit in (("voltage", volts, "V"), ("resistance", 0.3, "Ω"), ("used", 0.02, "A")):
        job = edits.set_value(job, "host.rail_5v", field, known(value, unit))
    net = Model.of(job).netlist()
    numbers = study_power(Model.of(job)).numbers
    pin, back = net.node("m.supply"), net.reference("m.supply")
    rail, foot = net.node("host.rail_5v"), net.reference("host.rail_5v")
    for bursting, suffix in ((0.0, ""), (1.0, "_burst")):
        rest, _ = simulate(text_of(job, bursting=bursting), [pin], tmp_path)
        at = {"0": 0.0} | rest
        assert numbers[f"power.module_v{suffix}"].value == pytest.approx(
            at[pin] - at[back], rel=1e-3, abs=1e-3
        )
        drawn = (volts - (at[rail] - at[foot])) / 0.3 + 0.02
        assert numbers[f"power.rail_current{suffix}_a"].value == pytest.approx(drawn, rel=1e-3, abs=2e-4)
