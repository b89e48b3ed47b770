"""The linear solution: limiting cases, batches, and random circuits against a dense solve."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pigtail.circuit import ac, operating_point, parse


def test_an_rc_is_three_decibels_down_at_its_corner() -> None:
    """At f = 1/(2πRC) the output is 1/√2 and lags 45°; far below it passes, far above it falls as 1/f."""
    circuit = parse("rc\nV1 in 0 AC 1\nR1 in out 1k\nC1 out 0 1u\n")
    corner = 1 / (2 * np.pi * 1e-3)
    h = ac(circuit, [corner / 1e6, corner, 1e4 * corner]).v("out")[0]
    assert abs(h[0]) == pytest.approx(1.0, abs=1e-9)
    assert abs(h[1]) == pytest.approx(1 / np.sqrt(2), rel=1e-12)
    assert np.degrees(np.angle(h[1])) == pytest.approx(-45.0)
    assert abs(h[2]) == pytest.approx(1e-4, rel=1e-6)


def test_a_series_resonance_leaves_only_the_resistance() -> None:
    """At ω = 1/√(LC) the reactances cancel: the current is V/R."""
    circuit = parse("rlc\nV1 in 0 AC 1\nL1 in a 10m\nC1 a b 1u\nR1 b 0 50\nR2 a 0 1g\n")
    current = ac(circuit, [1 / (2 * np.pi * np.sqrt(1e-8))]).i("r1")
    assert abs(current[0, 0]) == pytest.approx(1 / 50, rel=1e-6)


def test_controlled_sources_amplify_and_invert() -> None:
    """E gives its gain times the controlling voltage, G its transconductance as a current through the load."""
    circuit = parse("eg\nV1 in 0 0.5\nR1 in 0 1k\nE1 e 0 in 0 -4\nR2 e 0 1k\nG1 0 g in 0 2m\nR3 g 0 1k\n")
    solution = operating_point(circuit)
    assert solution.v("e") == pytest.approx([-2.0])
    assert solution.v("g") == pytest.approx([1.0])


def test_superposition_holds() -> None:
    """The answer to two sources is the sum of the answers to each."""
    circuit = parse("s\n.param a=1 b=1\nV1 x 0 {a}\nI1 0 y {b}\nR1 x y 1k\nR2 y 0 2k\nR3 x 0 3k\n")
    both, first, second = operating_point(circuit, {"a": [2, 2, 0], "b": [3e-3, 0, 3e-3]}).v("y")
    assert both == pytest.approx(first + second)


def test_reciprocity_holds_for_resistors() -> None:
    """A current here makes the same voltage there as the current there makes here."""
    text = "r\n.param p=0 q=0\nI1 0 a {p}\nI2 0 c {q}\nR1 a b 1k\nR2 b 0 470\nR3 b c 2.2k\nR4 c 0 10k\nR5 a c 33k\n"
    solution = operating_point(parse(text), {"p": [1e-3, 0], "q": [0, 1e-3]})
    assert solution.v("c")[0] == pytest.approx(solution.v("a")[1])


def test_currents_at_a_node_sum_to_nought() -> None:
    """Element currents leave their first node."""
    solution = operating_point(parse("k\nV1 a 0 9\nR1 a b 1k\nR2 b 0 2k\nR3 b 0 3k\nI1 b 0 1m\n"))
    left = solution.i("r1") - solution.i("r2") - solution.i("r3") - solution.i("i1")
    assert left == pytest.approx([0.0], abs=1e-15)
    assert solution.i("v1") == pytest.approx(-solution.i("r1"))


def test_a_batch_equals_its_samples_one_by_one() -> None:
    """The sample axis comes first and each sample stands alone, each with frequencies of its own."""
    circuit = parse("b\n.param r=1k c=1u\nV1 in 0 AC 1\nR1 in out {r}\nC1 out 0 {c}\nR2 out 0 47k\n")
    rng = np.random.default_rng(3)
    r, c = rng.uniform(100, 1e4, 7), rng.uniform(1e-8, 1e-5, 7)
    hertz = rng.uniform(10, 1e4, (7, 3))
    together = ac(circuit, hertz, {"r": r, "c": c}).v("out")
    assert together.shape == (7, 3)
    for k in range(7):
        alone = ac(circuit, hertz[k], {"r": r[k], "c": c[k]}).v("out")[0]
        assert together[k] == pytest.approx(alone, rel=1e-12)


@st.composite
def ladders(draw: st.DrawFn) -> tuple[str, int]:
    """A random network of resistors and capacitors over a few nodes, every node held by a resistor to 0."""
    nodes = draw(st.integers(2, 9))
    values = st.floats(1.0, 1e6)
    lines = [f"R{k} n{k} 0 {draw(values):.6g}" for k in range(nodes)]
    for k in range(draw(st.integers(1, 14))):
        a, b = draw(st.integers(0, nodes - 1)), draw(st.integers(0, nodes - 1))
        if a != b:
            kind = draw(st.sampled_from("RC"))
            value = draw(values) if kind == "R" else draw(st.floats(1e-9, 1e-5))
            lines.append(f"{kind}x{k} n{a} n{b} {value:.6g}")
    lines.append("V1 s 0 DC 1 AC 1\nRs s n0 100")
    order = draw(st.permutations(range(len(lines))))
    return "ladder\n" + "\n".join(lines[k] for k in order) + "\n", nodes


@settings(deadline=None, max_examples=60)
@given(ladders(), st.floats(1.0, 1e5))
def test_random_networks_agree_with_a_dense_solve(case: tuple[str, int], hertz: float) -> None:
    """The planned elimination gives what nodal analysis by dense algebra gives, in any order of the lines."""
    text, nodes = case
    y = np.zeros((nodes, nodes), dtype=complex)
    b = np.zeros(nodes, dtype=complex)
    for line in text.split("\n")[1:]:
        words = line.split()
        if not words or words[0] == "V1":
            continue
        value = 1 / float(words[3]) if words[0][0] == "R" else 2j * np.pi * hertz * float(words[3])
        ends = [int(w[1:]) if w.startswith("n") else -1 for w in words[1:3]]
        if words[0] == "Rs":
            y[0, 0] += value
            b[0] += value
            continue
        p, m = ends
        for row, column, sign in ((p, p, 1), (m, m, 1), (p, m, -1), (m, p, -1)):
            if row >= 0 and column >= 0:
                y[row, column] += sign * value
    dense = np.linalg.solve(y, b)
    solution = ac(parse(text), [hertz])
    ours = np.array([solution.v(f"n{k}")[0, 0] for k in range(nodes)])
    assert ours == pytest.approx(dense, rel=1e-7, abs=1e-12)
