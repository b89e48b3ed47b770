"""`pigtail solve`: the JSON object, the tables, the notes, and one sentence for what cannot be solved."""

from __future__ import annotations

import json
from pathlib import Path

import msgspec
import numpy as np
import pytest

from pigtail.cli.main import parse
from pigtail.cli.main import run as command

DECK = """line stage with everything asked of it
.model d d(is=1n n=1.7)
V1 in 0 DC 2 AC 1 SIN(2 1 1k)
R1 in out 1k
D1 out 0 d
C1 out 0 10n
L1 out tail 1m
R2 tail 0 10k
.op
.ac dec 5 20 20k
.dc V1 0 2 0.5
.tran 10u 2m
.noise v(out) V1 dec 5 20 20k
.end
"""


class Complex(msgspec.Struct, forbid_unknown_fields=True):
    """Real and imaginary part by frequency."""

    re: list[float]
    im: list[float]


class Noise(msgspec.Struct, forbid_unknown_fields=True):
    """What the issue of noise holds."""

    frequency: list[float]
    onoise_density: list[float]
    inoise_density: list[float]
    onoise_total: float
    inoise_total: float
    parts_total: dict[str, float]


class Report(msgspec.Struct, forbid_unknown_fields=True):
    """The object that --json prints."""

    op: dict[str, float] = {}
    ac: dict[str, list[float] | Complex] = {}
    dc: dict[str, list[float]] = {}
    tran: dict[str, list[float]] = {}
    noise: Noise | None = None
    notes: list[str] = []


def run(capsys: pytest.CaptureFixture[str], *words: str) -> tuple[int, str, str]:
    """Exit code, what was printed and what was complained of."""
    try:
        code = command(parse(words))
    except SystemExit as stop:
        code = int(stop.code or 0)
    printed = capsys.readouterr()
    return int(code or 0), printed.out, printed.err


def deck_file(folder: Path, text: str, encoding: str = "utf-8") -> str:
    """A deck on disk."""
    path = folder / "stage.cir"
    path.write_bytes(text.encode(encoding))
    return str(path)


def test_json_holds_every_analysis_and_every_name(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """All nodes, all source and inductor currents, in each analysis; lengths agree."""
    code, out, err = run(capsys, "solve", deck_file(tmp_path, DECK), "--json")
    assert (code, err) == (0, "")
    report = msgspec.json.decode(out, type=Report)
    names = {"v(in)", "v(out)", "v(tail)", "i(v1)", "i(l1)"}
    assert set(report.op) == names
    assert set(report.ac) == names | {"frequency"}
    assert set(report.dc) == names | {"sweep"}
    assert set(report.tran) == names | {"time"}
    hertz = report.ac["frequency"]
    assert isinstance(hertz, list)
    assert len(hertz) == 16
    assert report.dc["sweep"] == pytest.approx([0, 0.5, 1, 1.5, 2])
    assert all(len(v) == len(report.tran["time"]) for v in report.tran.values())
    assert report.noise is not None
    assert report.noise.onoise_total**2 == pytest.approx(
        sum(p**2 for p in report.noise.parts_total.values()), rel=0.01
    )
    assert report.op["v(out)"] == pytest.approx(report.tran["v(out)"][0])
    assert report.dc["v(out)"][-1] == pytest.approx(report.op["v(out)"], rel=1e-5)
    assert report.op["i(v1)"] == pytest.approx((report.op["v(out)"] - 2) / 1e3, rel=1e-9)


def test_tables_name_their_quantities(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Title, a table for each analysis, units beside the numbers."""
    code, out, _ = run(capsys, "solve", deck_file(tmp_path, DECK))
    assert code == 0
    assert out.startswith("line stage with everything asked of it")
    for words in (
        "Operating point",
        "AC: magnitude in dB",
        "DC sweep",
        "Transient:",
        "Noise:",
        "v(out)",
        "mV",
        "kHz",
        "least",
        "of the power",
    ):
        assert words in out, words


def test_long_tables_say_what_they_leave_out(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """A table shows some rows and says that --json gives all."""
    deck = DECK.replace(".ac dec 5", ".ac dec 100")
    _, out, _ = run(capsys, "solve", deck_file(tmp_path, deck))
    assert "--json gives all" in out


def test_a_deck_without_analyses_gets_its_operating_point(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """A bare circuit is asked what it is at rest."""
    _, out, _ = run(capsys, "solve", deck_file(tmp_path, "bare\nV1 a 0 6\nR1 a b 1k\nR2 b 0 2k\n"), "--json")
    assert json.loads(out) == {"op": {"v(a)": 6.0, "v(b)": pytest.approx(4.0), "i(v1)": pytest.approx(-2e-3)}}


def test_old_encodings_are_read(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """A micro sign in a Latin text is a micro sign."""
    text = "µ\nV1 a 0 AC 1\nR1 a b 1k\nC1 b 0 1µ\n.ac lin 1 159.15494 159.15494\n"
    _, out, _ = run(capsys, "solve", deck_file(tmp_path, text, "latin-1"), "--json")
    found = json.loads(out)["ac"]["v(b)"]
    assert np.hypot(found["re"][0], found["im"][0]) == pytest.approx(1 / np.sqrt(2), rel=1e-6)


def test_what_is_not_taken_into_account_is_said(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Parameters and options beyond ours are noted, never dropped in silence."""
    text = "n\n.model q npn(bf=100 itf=0.1)\n.options rshunt=1e9\nV1 c 0 5\nI1 0 b 1u\nQ1 c b 0 q\n.op\n"
    code, out, err = run(capsys, "solve", deck_file(tmp_path, text))
    assert code == 0
    assert "itf" in err + out
    assert "rshunt" in err + out
    _, out, _ = run(capsys, "solve", deck_file(tmp_path, text), "--json")
    assert len(json.loads(out)["notes"]) == 2


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("t\nR1 a 0\n", "line 2: "),
        ("t\nV1 a 0 1\nR1 a b 1k\nC1 b c 1u\nR2 c d 1\n", "no path for direct current"),
        ("t\nV1 a 0 1\nD1 a 0 unheard\n", "unheard"),
        ("", "no elements"),
        ("t\nV1 a 0 1\nV2 a 0 2\n", "v2"),
        ("t\nB1 a 0 v=v(a)*v(a)+1\nR1 a 0 1\n", "no operating point"),
    ],
)
def test_a_deck_that_cannot_be_solved_exits_2(
    text: str, words: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """One sentence with file and line, no traceback."""
    code, out, err = run(capsys, "solve", deck_file(tmp_path, text), "--json")
    assert (code, out) == (2, "")
    assert err.count("\n") == 1
    assert words in err
    assert "stage.cir" in err


def test_files_that_are_not_there_or_too_long_exit_2(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """A name that does not exist, a folder, a file of megabytes."""
    big = tmp_path / "big.cir"
    big.write_bytes(b"x" * 4_000_001)
    for path, words in (
        (tmp_path / "none.cir", "no such file"),
        (tmp_path, "not a file"),
        (big, "larger than"),
    ):
        code, _, err = run(capsys, "solve", str(path))
        assert code == 2
        assert words in err
