"""Devices at rest against their textbook relations, and their slopes against difference quotients."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pigtail.circuit import (
    Circuit,
    CircuitError,
    MissingModelError,
    ParameterError,
    Solution,
    operating_point,
    parse,
)
from pigtail.circuit.devicecode import device_states
from pigtail.circuit.devices import device_kinds
from pigtail.circuit.sweeping import sweep
from pigtail.circuit.system import System

K_OVER_Q = 1.380649e-23 / 1.602176634e-19
VT = K_OVER_Q * 300.15  # kT/q [V] at the 27 °C at which decks are solved unless they say otherwise


def solved(body: str) -> Solution:
    """The operating point of a deck's body."""
    return operating_point(parse(f"t\n{body}\n"))


def test_a_diode_follows_its_exponential() -> None:
    """I = IS·(exp(V/nVt) − 1), a decade for each 2.3·n·Vt."""
    rest = solved(".param v=0.6\n.model d d(is=2n n=1.8)\nV1 a 0 {v}\nD1 a 0 d")
    assert rest.i("d1")[0] == pytest.approx(2e-9 * (math.exp(0.6 / (1.8 * VT)) - 1) + 0.6e-12, rel=1e-9)
    circuit = parse(".\n.param v=0.6\n.model d d(is=2n n=1.8)\nV1 a 0 {v}\nD1 a 0 d\n")
    two = operating_point(circuit, {"v": [0.6, 0.6 + 1.8 * VT * math.log(10)]}).i("d1")
    assert two[1] / two[0] == pytest.approx(10.0, rel=1e-5)


def test_a_diode_with_resistance_drops_more() -> None:
    """What the junction does not take lies across RS, and the current is that of both."""
    rest = solved(".model d d(is=1n n=1 rs=10)\nI1 0 a 10m\nD1 a 0 d")
    assert rest.v("a")[0] == pytest.approx(VT * math.log(10e-3 / 1e-9 + 1) + 0.1, rel=1e-9)
    assert rest.power("d1")[0] == pytest.approx(10e-3 * rest.v("a")[0], rel=1e-9)


def test_a_diode_breaks_down_at_its_voltage() -> None:
    """At the breakdown current IBV the reverse voltage is BV; ten times as much lies nVt·ln 10 beyond."""
    body = ".param i=1m\n.model z d(is=1f bv=5.1 ibv=1m)\nI1 a 0 {-i}\nD1 0 a z"
    found = operating_point(parse(f"t\n{body}\n"), {"i": [1e-3, 1e-2]}).v("a")
    assert found[0] == pytest.approx(5.1, abs=1e-6)
    assert found[1] - found[0] == pytest.approx(VT * math.log(10), rel=1e-4)


def test_a_warm_diode_drops_less() -> None:
    """About two millivolts a degree for silicon, at a current that is held: the trade's own rule of thumb."""
    body = ".model d d(is=1e-14)\nI1 0 a 1m\nD1 a 0 d\n.temp {}"
    cold, warm = (solved(body.format(t)).v("a")[0] for t in (27, 37))
    assert (warm - cold) / 10 == pytest.approx(-1.8e-3, abs=0.4e-3)


def test_a_transistor_has_its_current_gain_and_its_early_voltage() -> None:
    """IC = BF·IB far from saturation; its output conductance is IC/(VAF + VCE)."""
    deck = "t\n.param vc=5\n.model n npn(is=1e-15 bf=200 vaf={va})\n.param va=1e9\nI1 0 b 10u\nV1 c 0 {vc}\nQ1 c b 0 n\n"
    rest = operating_point(parse(deck))
    assert rest.i("q1")[0] == pytest.approx(2e-3, rel=1e-3)
    low, high = operating_point(parse(deck.replace("1e9", "100")), {"vc": [5.0, 6.0]}).i("q1")
    # base current is held, so IC grows with the collector voltage alone: from 1/q1 = 1 − VBC/VAF
    vbe = VT * math.log(10e-6 * 200 / 1e-15)
    assert high / low == pytest.approx((1 - (vbe - 6) / 100) / (1 - (vbe - 5) / 100), rel=1e-4)


def test_npn_and_pnp_are_mirror_images() -> None:
    """The same circuit upside down carries the same currents the other way."""
    body = ".model n npn(is=1e-15 bf=120 vaf=80 rb=50)\nV1 s 0 9\nR1 s b 470k\nR2 s c 2k\nQ1 c b 0 n"
    mirror = body.replace("npn", "pnp").replace("V1 s 0 9", "V1 s 0 -9")
    assert solved(mirror).v("c")[0] == pytest.approx(-solved(body).v("c")[0], rel=1e-9)


def test_gain_falls_where_the_current_is_high() -> None:
    """At IC = IKF the Gummel–Poon gain is about half of BF: q2 = 2 at IC/IKF = 1 gives qb = 2."""
    body = ".model n npn(is=1e-15 bf=100 ikf=10m)\n.param b=100u\nI1 0 b {b}\nV1 c 0 5\nQ1 c b 0 n"
    small, large = operating_point(parse(f"t\n{body}\n"), {"b": [1e-7, 2e-4]}).i("q1") / np.array(
        [1e-7, 2e-4]
    )
    assert small == pytest.approx(100, rel=5e-3)
    assert large == pytest.approx(50, rel=2e-2)


@pytest.mark.parametrize(
    ("vgs", "vds", "current"),
    [(1.5, 5.0, 0.0), (3.0, 5.0, 0.5 * 2e-3 * 1.0), (3.0, 0.2, 2e-3 * 0.2 * (1.0 - 0.1)), (3.0, -0.2, None)],
)
def test_a_mosfet_has_three_regions(vgs: float, vds: float, current: float | None) -> None:
    """Cut off, saturated at K/2·(VGS − VT)², a resistance at small VDS; with drain and source swapped it runs backwards."""
    body = f".model n nmos(vto=2 kp=20u)\nVg g 0 {vgs}\nVd d 0 {vds}\nM1 d g 0 0 n w=100u l=1u"
    found = solved(body).i("m1")[0]
    if current is None:
        current = -2e-3 * 0.2 * (3.0 + 0.2 - 2.0 - 0.1)
    assert found == pytest.approx(current, rel=1e-6, abs=2e-11)


def test_the_body_diode_of_a_switch_conducts_backwards() -> None:
    """With the gate off and the drain pulled below the source, bulk and drain form a diode."""
    body = ".model n nmos(vto=2 kp=20u is=1p)\nVg g 0 0\nI1 d 0 10m\nM1 d g 0 0 n"
    assert solved(body).v("d")[0] == pytest.approx(-VT * math.log(10e-3 / 1e-12), rel=1e-3)


def test_a_switch_holds_between_its_thresholds() -> None:
    """Up through vt + vh it closes, down through vt − vh it opens: two paths in one sweep."""
    circuit = parse(
        "t\n.model s sw(vt=1 vh=0.5 ron=1 roff=1meg)\nV1 c 0 0\nV2 p 0 1\nR1 p o 1k\nS1 o 0 c 0 s\n"
    )
    up = np.linspace(0, 2, 21)
    found = sweep(circuit, "v1", np.concatenate([up, up[::-1]])).v("o")[0]
    rising, falling = found[:21], found[21:][::-1]
    assert up[np.argmax(rising < 0.5)] == pytest.approx(1.6)
    assert up[np.argmax(falling < 0.5)] == pytest.approx(0.5)
    assert rising[10] > 0.9 > 0.1 > falling[10]


def test_the_table_of_devices_is_sound() -> None:
    """Every formula of every device has a value at its defaults."""
    deck = {
        "diode": ".model x d()\nD1 a 0 x",
        "bipolar": ".model x npn()\nQ1 a b 0 x",
        "mosfet": ".model x nmos(vto=1)\nM1 a b 0 0 x",
        "switch": ".model x sw(vt=1)\nS1 a 0 b 0 x",
    }
    assert set(deck) == set(device_kinds())
    for body in deck.values():
        rest = solved(f"V1 a 0 3\nR1 b 0 1k\n{body}")
        assert np.isfinite(rest.x).all()


FULL = """t
.model d d(is=1n n=1.7 rs=2 cjo=20p vj=0.7 m=0.4 tt=5n bv=6 ibv=1m)
.model q npn(is=1e-15 bf=150 vaf=60 ikf=0.05 ise=1e-13 ne=1.6 br=3 isc=1e-14 cje=10p cjc=4p tf=0.4n tr=20n)
.model m pmos(vto=-1.2 kp=30u lambda=0.02 gamma=0.4 phi=0.65 cbd=5p cbs=6p cgso=1n cgdo=1n)
.model s sw(vt=1 vh=0.2 ron=2 roff=1meg)
R1 a 0 1k
R2 b 0 1k
R3 c 0 1k
R4 e 0 1k
D1 a b d
Q1 a b c q
M1 a b c e m w=50u l=2u
S1 a b c e s
B1 a 0 i=v(b)*v(c,e)**2+tanh(v(a))
.end
"""


@settings(max_examples=60, deadline=None)
@given(st.lists(st.floats(-0.72, 0.72), min_size=11, max_size=11), st.integers(0, 10))
def test_slopes_of_devices_are_those_of_a_difference_quotient(controls: list[float], which: int) -> None:
    """Every current and charge of every device by every control that it reads."""
    system = System(CIRCUIT)
    count = sum(len(i.readings) for i in system.instances)
    u = np.resize(np.array(controls), count)
    which %= count
    h = 1e-6
    up, down = u.copy(), u.copy()
    up[which] += h
    down[which] -= h
    states = [device_states(system, [np.array([v]) for v in x], (np.zeros(1),)) for x in (u, up, down)]
    first = 0
    for middle, above, below in zip(*states, strict=True):
        own = which - first
        first += len(middle.instance.readings)
        if not 0 <= own < len(middle.instance.readings):
            continue
        for m, a, b in zip(middle.feeds, above.feeds, below.feeds, strict=True):
            for slope, high, low in (
                (m.conductances[own], a.current, b.current),
                (m.capacitances[own], a.charge, b.charge),
            ):
                size = abs(float(np.ravel(high)[0])) + abs(float(np.ravel(slope)[0])) * 0.1
                quotient = float(np.ravel(np.subtract(high, low))[0]) / (2 * h)
                assert float(np.ravel(slope)[0]) == pytest.approx(
                    quotient, rel=2e-4, abs=1e-9 * size / h + 1e-16
                )


CIRCUIT: Circuit = parse(FULL)


@pytest.mark.parametrize(
    ("body", "error", "words"),
    [
        ("D1 a 0 none", MissingModelError, "none"),
        ("Q1 a a 0 none", MissingModelError, "none"),
        (".model d npn()\nD1 a 0 d", CircuitError, "d1|npn"),
        (".model d d(is=0)\nD1 a 0 d", ParameterError, "d1 has is = 0"),
        (".model d d(n=-1)\nD1 a 0 d", ParameterError, "n = -1"),
        (".model d d(m=1.5)\nD1 a 0 d", ParameterError, "m = 1.5"),
        (".model d d(rs={1-2})\nD1 a 0 d", ParameterError, "rs = -1"),
        (".model d d(bogus=3)\nD1 a 0 d", CircuitError, "bogus"),
        (".model d d()\nD1 a 0 d area=0", ParameterError, "area = 0"),
        (".model m nmos()\nM1 a a 0 0 m w=-1u", ParameterError, "w = -1e-06"),
        (".model s sw(ron=0)\nS1 a 0 a 0 s", ParameterError, "ron = 0"),
        ("L1 a b 1m\nR2 b 0 1\nL2 c 0 1m\nR3 c 0 1\nK1 L1 L2 1.5", ParameterError, "1.5"),
        ("B1 a 0 i=i(vx)", CircuitError, "vx"),
    ],
)
def test_models_without_a_meaning_are_refused(body: str, error: type[Exception], words: str) -> None:
    """A typed error names the element and the parameter."""
    with pytest.raises(error, match=words):
        solved(f"V1 a 0 1\nR1 a 0 1k\n{body}")
