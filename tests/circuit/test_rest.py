"""Operating points, sweeps, impedances and small signals of circuits with devices; circuits that are hard to settle."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pigtail.circuit import (
    Batch,
    CircuitError,
    ConvergenceError,
    SourceLoopError,
    ac,
    impedance,
    operating_point,
    parse,
    sweep,
    transient,
)
from pigtail.circuit.analysis import checked_rest
from pigtail.circuit.errors import UnsolvedError
from pigtail.circuit.newton import Rest, rest_of
from pigtail.circuit.system import System

FOLLOWER = """follower
.param beta=200 re=1k rs=470
.model n npn(is=1e-15 bf={beta})
Vcc s 0 12
V1 in 0 DC 6 AC 1
Rs in b {rs}
Q1 s b e n
Re e 0 {re}
"""
HIGH_SIDE = """high side switch
.param vg=0 rl=50 vin=12
.model p pmos(vto=-1.5 kp=40u)
.model n npn(is=1e-15 bf=150)
Vin in 0 {vin}
Vg g 0 {vg}
R1 in pg 10k
M1 out pg in in p w=200m l=10u
Rb g b 10k
Q1 pg b 0 n
Rl out 0 {rl}
"""


def test_a_follower_repeats_its_base_less_a_diode() -> None:
    """A diode below the base; gain a little under one; output near re ∥ RE."""
    rest = operating_point(parse(FOLLOWER))
    assert 0.7 < float(rest.v("b")[0] - rest.v("e")[0]) < 0.8
    wave = ac(parse(FOLLOWER), [1e3])
    gm = float(rest.i("q1")[0]) / 0.02586
    gain = abs(wave.v("e")[0, 0])
    assert gain == pytest.approx(gm * 1e3 / (1 + gm * 1e3 + 470 * gm / 200), rel=0.01)
    z = abs(impedance(parse(FOLLOWER), [1e3], "e")[0, 0])
    assert z == pytest.approx(1 / (1 / (1 / gm + 470 / 200) + 1e-3), rel=0.02)


def test_both_kinds_of_switch_turn_on_and_off() -> None:
    """With the driver on the output has the supply less a little; off it has nothing."""
    found = operating_point(parse(HIGH_SIDE), {"vg": [0.0, 5.0]}).v("out")
    assert found[0] == pytest.approx(0.0, abs=1e-6)
    assert 11.5 < found[1] < 12.0


def test_an_operating_point_of_a_batch_equals_its_samples_one_by_one() -> None:
    """A thousand samples settle together, each where it would alone."""
    rng = np.random.default_rng(11)
    samples = {
        "vg": rng.choice([0.0, 0.6, 0.68, 3.3, 5.0], 300),
        "rl": rng.uniform(8, 500, 300),
        "vin": rng.uniform(8, 20, 300),
    }
    circuit = parse(HIGH_SIDE)
    together = operating_point(circuit, samples)
    for k in range(0, 300, 23):
        alone = operating_point(circuit, {name: v[k] for name, v in samples.items()})
        assert together.x[k] == pytest.approx(alone.x[0], rel=1e-5, abs=1e-7)


def test_an_operating_point_that_is_off_by_rounding_is_solved_once_more() -> None:
    """Unknowns that lie a little beside the solution, as an elimination with badly placed pivots leaves them, are mended by the
    devices as straight lines through where the search ended; ones far beside it are refused."""
    system = System(parse(FOLLOWER), {"re": [900.0, 1e3, 1.1e3]})
    rest = rest_of(system)
    right = checked_rest(system, rest).x
    off = Rest(tuple(np.asarray(x) * (1 + 1e-4) for x in rest.x), rest.u, rest.w)
    assert checked_rest(system, off).x == pytest.approx(right, rel=1e-6)
    wrong = Rest(rest.x, tuple(np.asarray(u) * 0.9 for u in rest.u), rest.w)
    assert checked_rest(system, wrong).x == pytest.approx(
        right, rel=1e-6
    )  # the unknowns alone satisfy every equation
    astray = Rest(
        tuple(np.asarray(x) * 0.9 for x in rest.x), tuple(np.asarray(u) * 0.9 for u in rest.u), rest.w
    )
    with pytest.raises(UnsolvedError, match="does not satisfy the equation"):
        checked_rest(system, astray)


def test_a_few_samples_one_after_another_are_as_all_together() -> None:
    """Up to a handful each sample is searched for by itself; the answer is that of the batch."""
    circuit = parse(HIGH_SIDE)
    few = {"vg": [0.0, 0.68, 5.0], "rl": [8.0, 50.0, 500.0]}
    many = {name: v * 4 for name, v in few.items()}
    assert operating_point(circuit, few).x == pytest.approx(
        operating_point(circuit, many).x[:3], rel=1e-6, abs=1e-8
    )


def test_small_signals_of_a_batch_follow_each_sample() -> None:
    """AC around each sample's own operating point."""
    circuit = parse(FOLLOWER)
    beta = np.array([50.0, 200.0, 600.0])
    together = ac(circuit, [1e3, 1e5], {"beta": beta}).v("e")
    for k in range(3):
        assert together[k] == pytest.approx(ac(circuit, [1e3, 1e5], {"beta": beta[k]}).v("e")[0], rel=1e-8)


def test_one_batch_answers_many_questions() -> None:
    """Its operating point is solved once and serves AC and impedance."""
    batch = Batch(parse(FOLLOWER), {"re": [500.0, 2000.0]})
    assert batch.operating_point() is batch.operating_point()
    assert batch.ac([1e3]).v("e").shape == (2, 1)
    z = np.abs(batch.impedance([1e3], "b"))[:, 0]
    assert z[1] == pytest.approx(470.0, rel=0.01)
    assert z[0] < z[1]


@pytest.mark.parametrize(
    ("body", "node", "volts", "within"),
    [
        # cross-coupled pair with a push to one side: two states and one in between
        (
            "V1 s 0 5\nR1 s a 1k\nR2 s b 1k\nR3 a y 10k\nR4 b x 10k\nQ1 a x 0 n\nQ2 b y 0 n\nR5 s x 47k",
            "a",
            0.1,
            0.2,
        ),
        # a chain of six diodes from a stiff source: far up its exponential at the first try
        ("V1 s 0 50\nR1 s a 10\nD1 a b d\nD2 b c d\nD3 c e d\nD4 e f d\nD5 f g d\nD6 g 0 d", "a", 5.2, 1.0),
        # a regulator with feedback from its output through a pass transistor
        ("V1 in 0 12\nE1 b 0 r o 1e4\nRb b base 100\nQ1 in base o n\nR1 o 0 50\nVr r 0 5", "o", 5.0, 2e-3),
        # a bridge whose secondary floats: held by its diodes only
        ("I1 a b 5m\nD1 a p d\nD2 b p d\nD3 0 a d\nD4 0 b d\nR1 p 0 1k", "p", 5.0, 0.05),
        # an amplifier as a relation that clips, with feedback around it
        ("V1 in 0 0.3\nB1 o 0 v=5*tanh(1e5*v(in,f))\nR1 o f 9k\nR2 f 0 1k", "o", 3.0, 1e-3),
    ],
)
def test_stiff_circuits_settle(body: str, node: str, volts: float, within: float) -> None:
    """Circuits that plain Newton steps from nought would miss."""
    deck = f"h\n.model n npn(is=1e-15 bf=150)\n.model d d(is=1e-14)\n{body}\n"
    assert operating_point(parse(deck)).v(node)[0] == pytest.approx(volts, abs=within)


def test_a_relation_without_a_solution_is_named() -> None:
    """v = v + 1 has none: a typed error names what does not settle."""
    with pytest.raises(ConvergenceError, match="b1"):
        operating_point(parse("n\nB1 a 0 v=v(a)*v(a)+1\nR1 a 0 1k\n"))


def test_a_sweep_is_the_operating_point_at_each_value() -> None:
    """Along a curve without hysteresis each point is that of its value alone."""
    circuit = parse(".\n.param v=0\n.model d d(is=1n n=1.6)\nV1 a 0 {v}\nR1 a b 100\nD1 b 0 d\n")
    values = np.linspace(-3, 3, 13)
    swept = sweep(circuit, "V1", values)
    assert swept.values == pytest.approx(values)
    assert swept.v("b")[0] == pytest.approx(
        operating_point(circuit, {"v": values}).v("b"), rel=1e-6, abs=1e-9
    )


def test_a_sweep_over_a_batch_has_both_axes() -> None:
    """Samples first, then the values of the source."""
    circuit = parse(".\n.param r=1k\nI1 0 a 1m\nR1 a 0 {r}\n")
    found = sweep(circuit, "i1", [0.0, 1e-3, 2e-3], {"r": [1e3, 2e3]}).v("a")
    assert found == pytest.approx(np.array([[0, 1, 2], [0, 2, 4]]))
    with pytest.raises(CircuitError, match="no voltage or current source r1"):
        sweep(circuit, "r1", [1.0])


def test_impedances_are_those_of_their_parts() -> None:
    """Series and parallel, at any pair of nodes, with all sources at rest."""
    circuit = parse("z\nV1 s 0 AC 3\nR1 s a 1k\nC1 a 0 1u\nL1 a b 10m\nR2 b 0 50\n")
    hertz = np.array([10.0, 1e3, 1e5])
    w = 2j * np.pi * hertz
    branch, cap = 50 + w * 10e-3, 1 / (w * 1e-6)
    assert impedance(circuit, hertz, "a")[0] == pytest.approx(1 / (1e-3 + 1 / branch + 1 / cap), rel=1e-9)
    other = 50 + 1 / (1e-3 + 1 / cap)
    assert impedance(circuit, hertz, "a", "b")[0] == pytest.approx(
        1 / (1 / (w * 10e-3) + 1 / other), rel=1e-9
    )
    with pytest.raises(CircuitError, match="between two nodes"):
        impedance(circuit, hertz, "0")


def test_a_transformer_changes_impedance_by_the_square_of_its_ratio() -> None:
    """K near one: a load R at the secondary looks like R·(L1/L2) in the middle of the band."""
    circuit = parse("k\nV1 s 0 AC 1\nR0 s a 1\nL1 a 0 10\nL2 b 0 0.1\nK1 L1 L2 0.99999999\nR1 b 0 8\n")
    wave = ac(circuit, [1e3])
    seen = wave.v("a") / -wave.i("v1")
    assert abs(seen[0, 0]) == pytest.approx(800, rel=1e-3)
    assert abs(wave.v("b")[0, 0]) == pytest.approx(0.1 * 800 / 801, rel=1e-3)


@settings(max_examples=40, deadline=None)
@given(st.integers(2, 25), st.randoms(use_true_random=False), st.floats(10.0, 1e5))
def test_the_order_of_the_nodes_does_not_matter(count: int, rng: np.random.Generator, hertz: float) -> None:
    """Names and order of a random ladder shuffled: the same voltages."""
    names = [f"m{k}" for k in range(count)]
    lines = ["V1 m0 0 AC 1"]
    for k in range(count - 1):
        lines += [
            f"R{k} m{k} m{k + 1} {10 ** rng.uniform(1, 5):.5g}",
            f"C{k} m{k + 1} 0 {10 ** rng.uniform(-11, -6):.5g}",
        ]
        lines += [f"Rg{k} m{k + 1} 0 {10 ** rng.uniform(3, 6):.5g}"]
    other = dict(zip(names, rng.sample(names, count), strict=True))
    plain = ac(parse("a\n" + "\n".join(lines)), [hertz])
    renamed = [
        " ".join([w[0], *(other.get(x, x) for x in w[1:3]), *w[3:]]) for w in (line.split() for line in lines)
    ]
    rng.shuffle(renamed)
    again = ac(parse("a\n" + "\n".join(renamed)), [hertz])
    for name in names:
        assert again.v(other[name])[0, 0] == pytest.approx(plain.v(name)[0, 0], rel=1e-8, abs=1e-15)


@settings(max_examples=30, deadline=None)
@given(st.floats(1e-3, 1e3), st.floats(0.1, 10.0))
def test_scaling_leaves_a_linear_circuit_itself(scale: float, drive: float) -> None:
    """Impedances times k leave voltages alone; twice the drive gives twice the answer; the time scale moves the curve."""
    text = "s\n.param k=1 a=1\nV1 in 0 AC {{a}}\nR1 in b {{1k*k}}\nC1 b 0 {{1u/k}}\nL1 b o {{5m*k}}\nR2 o 0 {{220*k}}\n".replace(
        "{{", "{"
    ).replace("}}", "}")
    circuit = parse(text)
    hertz = np.geomspace(10, 1e5, 9)
    plain, scaled = ac(circuit, hertz, {"k": [1.0, scale]}).v("o")
    assert scaled == pytest.approx(plain, rel=1e-9)
    assert ac(circuit, hertz, {"a": drive}).v("o")[0] == pytest.approx(drive * plain, rel=1e-9)


def test_a_large_batch_is_worked_on_in_blocks() -> None:
    """More samples × frequencies than a block holds, each still its own."""
    circuit = parse("b\n.param r=1k\nV1 in 0 AC 1\nR1 in o {r}\nC1 o 0 100n\n")
    r = np.linspace(100, 1e4, 700)
    hertz = np.geomspace(20, 20e3, 40)
    found = ac(circuit, hertz, {"r": r}, outputs=["o"]).v("o")
    assert found == pytest.approx(1 / (1 + 2j * np.pi * hertz[None] * r[:, None] * 100e-9), rel=1e-10)


def test_values_far_from_those_of_the_plan_are_still_right() -> None:
    """A plan made for one sample meets samples twelve decades away: the answer is checked, and found another way."""
    circuit = parse(
        "f\n.param a=1 b=1\nV1 s 0 AC 1\nR1 s m {a}\nR2 m o {b}\nR3 o 0 1k\nE1 q 0 o 0 1e6\nR4 q m 1k\n"
    )
    a, b = np.array([1.0, 1e-6, 1e9, 1e3]), np.array([1.0, 1e9, 1e-6, 1e12])
    found = ac(circuit, [1.0], {"a": a, "b": b}).v("o")[:, 0]
    for k in range(4):
        g1, g2 = 1 / a[k], 1 / b[k]
        m = np.linalg.solve([[g1 + g2 + 1e-3, -g2 - 1e-3 * 1e6], [-g2, g2 + 1e-3]], [g1, 0.0])
        assert found[k] == pytest.approx(m[1], rel=1e-6)


def test_power_is_balanced_at_rest_and_in_time() -> None:
    """Tellegen: what the parts take up is what the sources give, devices included."""
    names = ["vin", "vg", "r1", "m1", "rb", "q1", "rl"]
    rest = operating_point(parse(HIGH_SIDE), {"vg": [0.0, 5.0], "rl": [8.0, 50.0]})
    total = sum(rest.power(n) for n in names)
    assert total == pytest.approx([0, 0], abs=1e-6 * float(np.max(np.abs(rest.power("vin")))) + 1e-12)
    run = transient(
        parse("p\n.model d d(is=1n rs=1)\nV1 a 0 SIN(0 5 50)\nD1 a b d\nR1 b 0 100\n"), 20e-3, 1e-4
    )
    left = run.power("v1") + run.power("d1") + run.power("r1")
    assert left == pytest.approx(np.zeros_like(left), abs=1e-5)


def test_power_of_a_wave_is_the_mean_over_its_period() -> None:
    """½·Re(V·I*) for peak amplitudes: a resistor takes V²/2R, a capacitor nothing."""
    wave = ac(parse("p\nV1 a 0 AC 2\nR1 a 0 50\nC1 a 0 1u\nR2 a b 50\nL1 b 0 1m\n"), [1e3])
    assert wave.power("r1")[0, 0] == pytest.approx(4 / 100)
    assert wave.power("c1")[0, 0] == pytest.approx(0.0, abs=1e-15)
    assert sum(wave.power(n) for n in ("v1", "r1", "c1", "r2", "l1"))[0, 0] == pytest.approx(0.0, abs=1e-12)


def test_currents_of_all_parts_meet_at_their_nodes() -> None:
    """Kirchhoff at rest and for small signals, with a transistor, a source of current and a controlled one."""
    deck = "k\n.model n npn(is=1e-15 bf=80 cje=10p cjc=5p tf=1n)\nV1 s 0 DC 9 AC 1\nR1 s b 470k\nR2 s c 2.2k\nQ1 c b 0 n\nI1 0 c 0.1m AC 1m\nG1 c 0 b 0 1m\nC1 c 0 1n\n"
    for solution in (operating_point(parse(deck)), ac(parse(deck), [1e3, 1e6])):
        into = solution.i("r2") + solution.i("i1")
        out = solution.i("q1") + solution.i("g1") + solution.i("c1")
        assert np.abs(into - out).max() < 1e-9 * np.abs(into).max()


@pytest.mark.parametrize(
    ("ask", "words"),
    [("i", "k1 is a coupling"), ("power", "k1 is a coupling")],
)
def test_a_coupling_has_neither_current_nor_power(ask: str, words: str) -> None:
    """It is no part of its own."""
    rest = operating_point(parse("k\nV1 s 0 1\nR1 s a 1\nL1 a 0 1m\nL2 b 0 1m\nR2 b 0 1\nK1 L1 L2 0.9\n"))
    with pytest.raises(CircuitError, match=words):
        getattr(rest, ask)("k1")


def test_frequencies_without_a_meaning_are_refused() -> None:
    """Nought is a frequency, minus one and nan are not."""
    circuit = parse("f\nV1 a 0 AC 1\nR1 a b 1k\nC1 b 0 1u\n")
    assert ac(circuit, [0.0]).v("b")[0, 0] == pytest.approx(1.0, abs=1e-9)
    for wrong in (-1.0, math.nan, math.inf):
        with pytest.raises(CircuitError, match="frequencies are finite"):
            ac(circuit, [wrong])


def test_a_loop_through_controlled_sources_is_found() -> None:
    """Two sources that hold the same node, one of them controlled."""
    with pytest.raises(SourceLoopError, match="e1"):
        operating_point(parse("l\nV1 a 0 1\nE1 a 0 b 0 2\nR1 b 0 1k\nR2 a b 1k\n"))


CANCELLED = """a conductance that another source takes away
.param gm=0
V1 in 0 DC 1 AC 1
R0 in a 1k
R1 a 0 1k
G1 0 a a 0 {gm}
G3 a 0 b 0 1m
R3 b 0 1k
G2 b 0 a 0 1m
.end
"""


def test_a_plan_that_fails_for_other_values_is_made_anew(monkeypatch: pytest.MonkeyPatch) -> None:
    """With gm = 2 mS the pivot that was good before is nought: a second plan is made, kept, and used again; no dense solve."""
    from pigtail.circuit import linear

    circuit = parse(CANCELLED)
    first = Batch(circuit, {"gm": np.array([0.0, 1e-4])}).ac([10.0, 100.0, 1e3])
    assert np.isfinite(first.v("a")).all()

    def never(*_arguments: object) -> None:
        raise AssertionError("solved densely")

    monkeypatch.setattr(linear, "_dense", never)
    made = []
    plans = linear.make_plan
    monkeypatch.setattr(linear, "make_plan", lambda *a: made.append(1) or plans(*a))
    for _ in range(2):
        second = Batch(circuit, {"gm": np.array([2e-3, 2e-3])}).ac([10.0, 100.0, 1e3])
        assert second.v("a") == pytest.approx(np.full((2, 3), -1.0))
        assert second.v("b") == pytest.approx(np.full((2, 3), 1.0))
    assert len(made) == 1


def test_an_answer_that_is_slightly_off_is_bettered_by_the_same_plan(monkeypatch: pytest.MonkeyPatch) -> None:
    """A plan whose answers are off by a millionth: what they leave over, solved again, mends them."""
    from pigtail.circuit import linear
    from pigtail.circuit.elimination import Plan

    right = Plan.solve
    monkeypatch.setattr(Plan, "solve", lambda self, a, b: [v * (1 + 1e-6) for v in right(self, a, b)])
    monkeypatch.setattr(linear, "RESIDUAL_LIMIT", 1e-11)
    found = Batch(parse(CANCELLED), {"gm": np.array([1e-4, 2e-4])}).ac([10.0, 1e3]).v("a")
    monkeypatch.undo()
    assert found == pytest.approx(
        Batch(parse(CANCELLED), {"gm": np.array([1e-4, 2e-4])}).ac([10.0, 1e3]).v("a"), rel=1e-10
    )
