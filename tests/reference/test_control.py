"""Control against the outside: every topology on and off against the general circuit simulator (the decks of `topologies.py`), arithmetic of
the trade in closed form, transitions against the simulator's run of the same deck.

LED: R = (V − Vf)/I. A blinking line behind R and C: mean = duty · V · R2/(R1 + R2), ripple of a square wave through one pole. A relay that
a capacitor holds: t = R·C·ln(V0/V1). Coil: di/dt = V/L while the switch opens. All common practice.
"""

from __future__ import annotations

import os
import re
from pathlib import Path

import numpy as np
import pytest
from simulator import SIMULATOR, run, summary

from controlling import decoded, host, line, rail, receiver, value, woken
from pigtail.catalogue.topologies import Does, topologies, topology
from pigtail.circuit import operating_point, parse, transient
from pigtail.model.model import Model
from pigtail.studies.control.study import study_control

SAME = 1e-3
MOVES = {
    "high_side_pnp": "PULSE(0 5 1m 1u 1u 6m 20m)", "high_side_pmos_npn": "PULSE(0 5 1m 1u 1u 6m 20m)",
    "high_side_pmos_nmos": "PULSE(0 5 1m 1u 1u 6m 20m)", "high_side_pmos": "PULSE(5 0 1m 1u 1u 6m 20m)",
    "high_side_opto": "PULSE(0 5 1m 1u 1u 6m 20m)", "relay": "PULSE(0 5 1m 1u 1u 6m 20m)", "low_side_nmos": "PULSE(0 5 1m 1u 1u 6m 20m)",
}  # fmt: skip


def switching(key: str, wave: str) -> str:
    """A switch with 47 µF behind it and a load, its line a pulse."""
    shape = topology(key)
    nodes = " ".join(
        {"out": "out", "in": "in", "com": "0", "ctl": "ctl", "back": "0"}[p] for p in shape.ports
    )
    load = (
        "Rl out 0 68\nCl out 0 47u\n"
        if key != "low_side_nmos"
        else "Rl p in 68\nCl p in 1u\nVp p 0 5\nRo out 0 10m\n"
    )
    feed = "Vin in 0 5\n" if key != "low_side_nmos" else ""
    return f"{shape.title}\n{shape.netlist}\nX1 {nodes} {key}\n{feed}Vl l 0 DC 0 {wave}\nRl2 l ctl 1k\n{load}.tran 5u 15m\n.end\n"


@pytest.mark.parametrize("key", MOVES)
def test_a_switch_turns_on_and_off_in_time_as_the_simulator_has_it(key: str, tmp_path: Path) -> None:
    """When the load passes half its volts, up and down: within 1 % or one step; its mean and extremes within 1 %."""
    if SIMULATOR is None:
        assert not os.environ.get("CI"), "ngspice must be installed under CI"
        pytest.skip("ngspice is not installed")
    text = switching(key, MOVES[key])
    node = "out" if key != "low_side_nmos" else "in"
    out = tmp_path / "t.txt"
    run(text, ["tran 5u 15m", "set wr_singlescale", f"wrdata {out} v({node})"], tmp_path)
    theirs = np.loadtxt(out)
    ours = transient(parse(text), 15e-3, 5e-6, max_step=20e-6)
    times, volts = np.asarray(ours.times), np.asarray(ours.v(node))[0]
    mine, other = summary(times, volts), summary(theirs[:, 0], theirs[:, 1])
    scale = max(abs(other["max"]), abs(other["min"]))
    for name in mine:
        assert mine[name] == pytest.approx(other[name], abs=0.01 * scale), name
    half = (other["max"] + other["min"]) / 2
    for mark in _crossings(theirs[:, 0], theirs[:, 1], half):
        nearest = min(_crossings(times, volts, half), key=lambda t, m=mark: abs(t - m))
        assert nearest == pytest.approx(mark, rel=0.01, abs=20e-6)


def _crossings(times: np.ndarray, volts: np.ndarray, mark: float) -> list[float]:
    above = volts >= mark
    return [float(times[k]) for k in np.flatnonzero(above[1:] != above[:-1])]


@pytest.mark.parametrize("volts", [3.3, 5.0, 12.0])
@pytest.mark.parametrize("milliampere", [1.0, 2.0, 10.0])
def test_an_led_draws_what_its_resistor_lets_through(volts: float, milliampere: float) -> None:
    """R = (V − Vf)/I: within 6 % of the arithmetic with Vf of the LED at that current (it falls by 60 mV · n a decade)."""
    shape = topology("led")
    vf = 1.9 + 2 * 0.02585 * np.log(milliampere / 10.0)
    ohm = (volts - vf) / (milliampere * 1e-3)
    deck = f"led\n{shape.netlist}\nX1 in 0 led r1={ohm:.6g}\nVs in 0 {volts}\n.op\n.end\n"
    solved = operating_point(parse(deck))
    current = (volts - float(solved.v("x1.a")[0])) / ohm
    assert current == pytest.approx(milliampere * 1e-3, rel=0.06)


@pytest.mark.parametrize(("hertz", "duty"), [(1.0, 0.5), (2.0, 0.5), (4.0, 0.25), (8.0, 0.1)])
def test_a_blinking_line_is_averaged(hertz: float, duty: float) -> None:
    """Mean = duty · V · R2/(R1 + R2); ripple of a square wave through one pole: V·k·(1 − a)(1 − b)/(1 − ab), a and b what decays in either part."""
    shape = topology("blink_decode")
    r1, r2, farad, high = 3.3e3, 100e3, 100e-6, 5.0
    tau, part = farad * r1 * r2 / (r1 + r2), r2 / (r1 + r2)
    period = 1 / hertz
    deck = (
        f"blink\n{shape.netlist}\nX1 in out 0 blink_decode\nVs in 0 DC 0 PULSE(0 {high} 0 1u 1u {duty * period:.6g} {period:.6g})\n"
        f".tran {period / 400:.6g} {12 * tau + 4 * period:.6g}\n.end\n"
    )
    solved = transient(parse(deck), 12 * tau + 4 * period, period / 400, max_step=period / 200)
    times, volts = np.asarray(solved.times), np.asarray(solved.v("out"))[0]
    end = times >= times[-1] - 2 * period
    mean = float(np.trapezoid(volts[end], times[end]) / (times[end][-1] - times[end][0]))
    assert mean == pytest.approx(duty * high * part, rel=0.02)
    a, b = np.exp(-duty * period / tau), np.exp(-(1 - duty) * period / tau)
    assert float(np.ptp(volts[end])) == pytest.approx(high * part * (1 - a) * (1 - b) / (1 - a * b), rel=0.03)


@pytest.mark.parametrize("farad", [4.7e-6, 22e-6, 100e-6])
def test_how_far_off_blinking_and_steady_lie_apart_is_what_the_circuit_does_in_time(farad: float) -> None:
    """The valley above nought and the crest below steady, of the steady level, as the circuit settles to them."""
    job = decoded(farad, rate="2 Hz")
    (said,) = [f for f in study_control(Model.of(job)).findings if f.judgement == "control.decoded"]
    shape = topology("blink_decode")
    deck = (
        f"blink\n{shape.netlist}\nRs s in 60\nX1 in out 0 blink_decode c1={farad:g}\n"
        "Vs s 0 DC 0 PULSE(0 3.3 0 1u 1u 0.25 0.5)\n.tran 1m 6\n.end\n"
    )
    solved = transient(parse(deck), 6.0, 1e-3, max_step=2e-3)
    times, volts = np.asarray(solved.times), np.asarray(solved.v("out"))[0]
    last = volts[times >= 5.0]
    steady = 3.3 * 100e3 / (100e3 + 3.3e3 + 60.0)
    apart = min(float(last.min()), steady - float(last.max())) / steady
    assert said.value == pytest.approx(apart, abs=0.005)


@pytest.mark.parametrize("farad", [1e-6, 10e-6, 47e-6])
def test_a_held_relay_drops_out_when_its_capacitor_is_empty(farad: float) -> None:
    """t = R·C·ln(V0/V1) for the time that the store falls from V0 to V1 through what empties it, within 3 %, where only R2 does."""
    shape = topology("relay_held")
    text = (
        f"held\n{shape.netlist}\nX1 in out 0 ctl relay_held c1={farad:g} rd=1g\nVin in 0 5\nRo out 0 68\n"
        "Vl ctl 0 DC 220 PULSE(220 0 1m 1u 1u 100 200)\n.end\n"
    )
    tau = farad * 22e3
    solved = transient(parse(text), 1e-3 + 3 * tau, tau / 500, max_step=tau / 100)
    times, store = np.asarray(solved.times), np.asarray(solved.v("x1.y"))[0]
    start = float(store[0])
    when = times[np.flatnonzero(store <= start / 3)[0]] - 1e-3
    assert when == pytest.approx(tau * np.log(3.0), rel=0.03)


def test_a_coil_that_nothing_catches_throws_what_its_energy_says() -> None:
    """½·L·I² = ½·C·V²: with 100 pF across it 45 mA in 100 mH make over a kilovolt; caught by a diode it stays a volt above its rail."""
    bare, caught = (
        f"coil\n.model fly D(is=3n n=1.8 rs=0.04)\nVs s 0 5\nRk s m 112\nLk m c 0.1\nCs c 0 100p\nS1 c 0 g 0 sw\n.model sw SW(ron=1 roff=1g vt=0.5 vh=0.1)\n"
        f"Vg g 0 DC 1 PULSE(1 0 1u 1n 1n 1 2)\n{d}.end\n"
        for d in ("", "Df c s fly\n")
    )
    peak = float(np.asarray(transient(parse(bare), 30e-6, 1e-9, max_step=5e-8).v("c")).max())
    held = float(np.asarray(transient(parse(caught), 30e-6, 1e-9, max_step=5e-8).v("c")).max())
    assert peak == pytest.approx(5 / 113 * np.sqrt(0.1 / 100e-12), rel=0.05)
    assert held < 5 + 1.5


def test_the_forced_gain_of_the_trade_saturates() -> None:
    """Base resistor (5 − 0.7 − 0.2)/(I/10), of the trade: less than 0.2 V is lost whatever the transistor's own gain."""
    load = 0.134
    found = study_control(Model.of(_with(woken(), rb=(5.1 - 0.7 - 0.2) / (load / 10))))
    (switch,) = found.switches
    assert switch.numbers["drop_v"].high < 0.2
    assert switch.numbers["forced"].value == pytest.approx(10.0, rel=0.15)


def _with(job, **values):  # type: ignore[no-untyped-def]
    from controlling import parts

    return parts(job, "supply", **values)


@pytest.mark.parametrize("ohm", [4.7e3, 10e3, 47e3, 220e3])
def test_a_line_is_pulled_down_as_a_divider_says(ohm: float) -> None:
    """6.9 V behind 10 kΩ (a design of the trade) into a base through R: V − (V − 0.65)·10k/(10k + R), what holds it off left aside."""
    found = study_control(Model.of(_with(woken(), rd=ohm, rg=10e6)))
    row = found.row("aux", "rx", "playing")
    assert row is not None
    cell = found.cell(row, "line.host.on_line")
    assert cell is not None
    told = float(re.sub(r"[^\d.]", "", cell.text.replace("V", "")))
    assert told == pytest.approx(6.9 - (6.9 - 0.65) * 10e3 / (10e3 + ohm), rel=0.02)


def test_a_mosfet_takes_nothing_from_the_line_and_a_switch_in_the_negative_none_from_the_feed() -> None:
    """What the trade says of the two: no steady current; fed through the audio ground."""
    found = study_control(Model.of(woken("high_side_pmos_nmos")))
    given = [
        v for (row, column), v in found.given.items() if column == "line.host.on_line" and row[0] == "aux"
    ]
    assert max(given) < 1e-5


def test_every_topology_of_control_is_held_against_the_simulator() -> None:
    """By a deck of its own: six copies, its line on and off, its values at their ends; compared in `test_decks`."""
    here = Path(__file__).parent / "decks"
    wanted = {Does.SWITCHES, Does.MUTES, Does.PULLS, Does.SHOWS, Does.DELAYS, Does.COMPARES, Does.AVERAGES}
    keys = [k for k, t in topologies().items() if t.does & wanted]
    assert len(keys) >= 21
    for key in keys:
        assert (here / f"topology_{key}.cir").read_text(encoding="utf-8").count("\nX") == 6


def test_standby_drain_is_what_leaks() -> None:
    """With a P-MOSFET that is off, a permanent rail gives its leakage and nothing else."""
    found = study_control(
        Model.of(
            woken(
                "high_side_pmos_nmos", of=host(rail(), line()), module=receiver(minimum=value("4.5 V", "V"))
            )
        )
    )
    given = [
        v for (row, column), v in found.given.items() if column == "rail.host.always" and row[0] == "standby"
    ]
    assert max(given) < 3e-6
