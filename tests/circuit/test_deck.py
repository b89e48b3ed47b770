"""Deck text: what is read, and what is refused with line and mend."""

import pytest

from pigtail.circuit import (
    CircuitError,
    DeckError,
    FloatingNodeError,
    SourceLoopError,
    operating_point,
    parse,
)
from pigtail.circuit.expressions import evaluate, number, parse_value


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("4.7u", 4.7e-6),
        ("1meg", 1e6),
        ("10kOhm", 1e4),
        ("2.2K", 2200.0),
        ("3m", 3e-3),
        ("5V", 5.0),
        ("1e-3", 1e-3),
        ("-2.5", -2.5),
    ],
)
def test_spice_numbers(text: str, value: float) -> None:
    """Suffixes whatever their case, unit tails ignored, M is milli."""
    assert number(text) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "value"),
    [("{2*3+4}", 10.0), ("{2+3*4}", 14.0), ("{-2**2}", 4.0), ("{(1+1)/4}", 0.5), ("{max(1,2)*min(3,4)}", 6.0),
     ("{sqrt(16)-abs(-3)}", 1.0), ("{1k/2}", 500.0), ("{2**3**2}", 512.0), ("{--3}", 3.0)],
)  # fmt: skip
def test_expressions(text: str, value: float) -> None:
    """Arithmetic in braces; a sign binds closer than a power."""
    assert evaluate(parse_value(text), {}) == pytest.approx(value)


@pytest.mark.parametrize(
    ("body", "line", "words"),
    [
        ("R1 a 0", 2, "needs 2 nodes"), ("R1 a 0 abc", 2, "no number"), ("Z1 a b c x", 2, "no known kind"),
        (".step 1m", 2, "not known here"), ("R1 a 0 {1+}", 2, "complete"), ("R1 a 0 {foo(1)}", 2, "no function"),
        ("X1 a b nosuch", 2, "not defined"), (".subckt s a\nR1 a 0 1", 0, "no .ends"), (".ends", 2, "without"),
        ("R1 a 0 1\nR1 a 0 2", 2, "two elements"), ("+ foo", 2, "follows nothing"), (".param x", 2, "name=value"),
        ("V1 a 0 DC", 2, "needs a value"), ("V1 a 0 1 bogus", 2, "not understood"), ("R1 a 0 {" + "(" * 200 + "1", 2, ""),
        (".subckt s a b\nR1 a b 1\n.ends\nX1 n s", 5, "joins 1 nodes"), (".subckt s a b\nX1 a b s\n.ends\nX2 n 0 s", 0, "deep"),
        (".subckt s a b\nR1 a b 1\n.ends\nX1 n 0 s r9=2", 5, "no parameter r9"), (".ac log 1 2 3", 2, "dec"),
    ],
)  # fmt: skip
def test_faulty_decks_name_line_and_mend(body: str, line: int, words: str) -> None:
    """Every fault is a DeckError of one line."""
    with pytest.raises(DeckError) as trouble:
        parse(f"title\n{body}\n")
    assert trouble.value.line == line
    assert words in str(trouble.value)
    assert "\n" not in str(trouble.value)


def test_subcircuits_nest_with_their_parameters() -> None:
    """Parameters reach inner calls, defaults hold where none is given, names and nodes stay apart."""
    circuit = parse("""nested
.param top=3k
.subckt inner a b r=1k
R1 a mid {r/2}
R2 mid b {r/2}
.ends
.subckt outer a b scale=1
X1 a n inner r={scale*1k}
X2 n b inner
.ends
V1 in 0 4
X1 in 0 outer scale={top/1k}
""")
    solution = operating_point(circuit)
    assert solution.v("x1.n") == pytest.approx([1.0])
    assert solution.i("r1.x1.x1") == pytest.approx([1e-3])


@pytest.mark.parametrize(
    ("body", "error", "words"),
    [
        ("V1 a 0 1\nC1 a b 1u\nR1 b c 1k", FloatingNodeError, "node b"),
        ("V1 a 0 1\nV2 a 0 2", SourceLoopError, "v2"),
        ("V1 a 0 1\nL1 a 0 1m", SourceLoopError, "l1"),
        ("V1 a 0 1\nR1 a 0 0", CircuitError, "r1 is 0"),
        ("V1 a 0 1\nR1 a 0 -5", CircuitError, "r1 is -5"),
        ("V1 a 0 1\nR1 a 0 {1/0}", CircuitError, "not a finite"),
        ("V1 a 0 1\nR1 a 0 {unset}", DeckError, "unset"),
        ("* nothing", CircuitError, "no elements"),
    ],
)
def test_circuits_without_an_answer_are_refused(body: str, error: type[Exception], words: str) -> None:
    """A floating node, a loop of sources, a part of nought: a typed error that names it."""
    with pytest.raises(error, match=words):
        operating_point(parse(f"t\n{body}\n"))


def test_stray_samples_and_names_are_refused() -> None:
    """Sampling a parameter that is not there, or asking for a node that is not there, is an error."""
    circuit = parse("t\n.param r=1\nV1 a 0 1\nR1 a 0 {r}\n")
    with pytest.raises(CircuitError, match="no parameter q"):
        operating_point(circuit, {"q": 1.0})
    with pytest.raises(CircuitError, match="no node z"):
        operating_point(circuit).v("z")
    with pytest.raises(CircuitError, match="no element R7"):
        operating_point(circuit).i("R7")
    with pytest.raises(CircuitError, match="different lengths"):
        operating_point(parse("t\n.param r=1 q=1\nV1 a 0 {q}\nR1 a 0 {r}\n"), {"r": [1, 2], "q": [1, 2, 3]})


def test_decks_that_differ_in_values_share_what_does_not_depend_on_them() -> None:
    """Only the values of the parameters are read anew, exactly; a deck where that would mislead is read whole."""
    text = "pad\n.param r={}\n.param e=1k\nV1 a 0 DC 1\nR1 a b {{r}}\nR2 b 0 {{e}}\n"
    first, second = parse(text.format("1000")), parse(text.format("2.2e+03"))
    assert first.body is second.body
    assert first != second
    for circuit, r in ((first, 1000.0), (second, 2200.0)):
        assert operating_point(circuit).v("b")[0] == pytest.approx(1e3 / (r + 1e3))
    twice = parse("pad\n.param r=1\n.param r=3\nV1 a 0 DC 1\nR1 a b {r}\nR2 b 0 1\n")
    assert operating_point(twice).v("b")[0] == pytest.approx(0.25)
    inner = parse("pad\n.param r=3\n.subckt x p\nR1 p 0 {r}\n.ends\nV1 a 0 DC 1\nR1 a b 1\nX1 b x\n")
    assert operating_point(inner).v("b")[0] == pytest.approx(0.75)
