"""Decks that grow: what is written out, parsed and solved is bounded, and a large circuit that is none of these is solved."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from pigtail.circuit import CircuitError, parse
from pigtail.circuit.carry import carry_out
from pigtail.circuit.expressions import MAX_TERMS, bounded, parse_expression

HEAD = "t\nV1 a 0 DC 1 AC 1\nR1 a 0 1k\n"
NESTED = "".join(
    f".subckt s{k} a b\n" + "".join(f"X{j} a b s{k + 1}\n" for j in range(10)) + ".ends\n" for k in range(11)
)
DOUBLED = "".join(f".param p{k + 1}={{p{k}+p{k}}}\n" for k in range(60))
REFUSED = {
    "subcircuits in subcircuits": (f"{HEAD}{NESTED}.subckt s11 a b\nRx a b 1\n.ends\nX1 a 0 s0\n", "more than 20,000 elements"),
    "a parameter doubled sixty times": (
        f"{HEAD}.subckt d a b\n.param p0=1\n{DOUBLED}Rx a b {{p60}}\n.ends\nX1 a 0 d\n", "more than 5,000 terms"),
    "a sum of 500 terms": (f"{HEAD}R2 a 0 {{{'+'.join('1' * 500)}}}\n", "more than 100 terms deep"),
    "a power of 500 powers": (f"{HEAD}R2 a 0 {{{'**'.join('1' * 500)}}}\n", "more than 100 terms deep"),
    "a relation of 500 terms": (f"{HEAD}B1 a 0 i={{{'+'.join(['v(a)'] * 500)}}}\n", "more than 100 terms deep"),
    "a pulse of 1e-300 s": (f"{HEAD}V2 b 0 PULSE(0 1 0 1e-300 1e-300 1e-300 1e-300)\nR2 b 0 1k\n.tran 1u 1m\n", "200,000 times"),
    "315 decades": (f"{HEAD}.ac dec 10000 1e-300 1e15\n", "more than 20,000 frequencies"),
    "ten million steps": (f"{HEAD}.tran 1u 10\n", "1,000,000 steps"),
    "300,000 continuations": (f"{HEAD}R2 a 0{chr(10) + '+ 1' * 1}{(chr(10) + '+') * 300_000} 1\n", "longer than 50,000"),
    "noise of nothing": (f"{HEAD}.noise v V1 dec 1 1 10\n", "write .noise"),
    "2,000 diodes": (
        f"{HEAD}.model d d\n" + "".join(f"Rd{k} n{k} n{k + 1} 10\nDd{k} n{k + 1} 0 d\n" for k in range(2000)) + "Rz n0 a 1\n",
        "may have 1,000 unknowns"),
}  # fmt: skip


@pytest.mark.parametrize("name", REFUSED)
def test_what_grows_without_end_is_refused_in_a_moment(name: str) -> None:
    """With the limit in its sentence, and long before anything is full."""
    text, words = REFUSED[name]
    began = time.process_time()
    with pytest.raises(CircuitError, match=words):
        carry_out(parse(text + ".end\n"))
    assert time.process_time() - began < 8.0


def test_what_is_just_within_is_solved() -> None:
    """Ninety terms; a parameter of parameters at the top, however often doubled."""
    found = carry_out(
        parse(f"{HEAD}R2 b a {{{'+'.join('1' * 90)}}}\nR3 b 0 90\n.param p0=1\n{DOUBLED}.end\n")
    )
    assert found.op is not None
    assert found.op.v("b")[0] == pytest.approx(0.5)


def test_a_long_expression_is_told_from_a_deep_one() -> None:
    """A wide one may have so many terms."""
    wide = parse_expression("1")
    for _ in range(11):
        from pigtail.circuit.expressions import Call

        wide = Call("+", (wide, wide))
    assert bounded(wide) is wide
    for _ in range(3):
        wide = Call("+", (wide, wide))
    with pytest.raises(CircuitError, match=f"{MAX_TERMS:,}"):
        bounded(wide)


def test_twenty_thousand_resistors_in_a_row_divide_evenly() -> None:
    """By hand: the k-th of n nodes stands at 1 − k/n."""
    count = 19_000
    rows = "".join(f"Rr{k} n{k} n{k + 1} 1\n" for k in range(count - 1))
    found = carry_out(parse(f"t\nV1 n0 0 DC 1 AC 1\n{rows}Rz n{count - 1} 0 1\n.op\n.ac lin 1 1k 1k\n.end\n"))
    assert found.op is not None
    assert found.ac is not None
    for k in (1, 5_000, 18_999):
        assert found.op.v(f"n{k}")[0] == pytest.approx(1 - k / count, abs=1e-9)
        assert abs(found.ac.v(f"n{k}")[0, 0]) == pytest.approx(1 - k / count, abs=1e-9)


def test_a_large_grid_is_solved_as_a_small_one_is() -> None:
    """A grid of resistors and capacitors of 420 nodes against the planned elimination of the same."""
    import pigtail.circuit.sparse as sparse

    across, down = 21, 20
    rows = [
        f"Rh{i}_{j} n{i}_{j} n{i + 1}_{j} {1 + (i * j) % 7}" for i in range(across - 1) for j in range(down)
    ]
    rows += [
        f"Rv{i}_{j} n{i}_{j} n{i}_{j + 1} {2 + (i + j) % 5}" for i in range(across) for j in range(down - 1)
    ]
    rows += [f"Cc{i} n{i}_{i % down} 0 1u" for i in range(across)]
    text = (
        "t\nV1 n0_0 0 DC 1 AC 1\n"
        + "\n".join(rows)
        + f"\nRz n{across - 1}_{down - 1} 0 1\n.op\n.ac dec 3 10 1meg\n.end\n"
    )
    large = carry_out(parse(text))
    kept, sparse.LARGE = sparse.LARGE, 10_000
    try:
        planned = carry_out(parse(text.replace("\nV1", "\n* the same\nV1")))
    finally:
        sparse.LARGE = kept
    assert large.op is not None
    assert planned.op is not None
    assert large.ac is not None
    assert planned.ac is not None
    np.testing.assert_allclose(large.op.x, planned.op.x, rtol=1e-7, atol=1e-12)
    np.testing.assert_allclose(large.ac.x, planned.ac.x, rtol=1e-6, atol=1e-12)


# -- the command --------------------------------------------------------------------------------------------------

SLOW = f"{HEAD}.model d d\nC1 a b 1n\nD1 b 0 d\nR2 b 0 1k\nV2 c 0 SIN(0 1 1meg)\nR3 c b 1k\n.tran 10n 9.9m\n.end\n"


def solved(path: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    """`pigtail solve` on a deck."""
    return subprocess.run(
        [sys.executable, "-m", "pigtail", "solve", str(path), *arguments],
        capture_output=True,
        text=True,
        timeout=100,
        check=False,
    )


def test_a_deck_that_takes_too_long_is_stopped(tmp_path: Path) -> None:
    """After the seconds that are given, with one sentence, exit 2 and nothing else."""
    path = tmp_path / "slow.cir"
    path.write_text(SLOW)
    began = time.monotonic()
    found = solved(path, "--limit", "1.5")
    assert (found.returncode, found.stdout) == (2, "")
    assert (
        found.stderr
        == f"pigtail: {path}: it took longer than 1.5 s; make it smaller, or give a larger --limit\n"
    )
    assert time.monotonic() - began < 30


def test_a_deck_that_needs_too_much_memory_is_stopped(tmp_path: Path) -> None:
    """The same for memory."""
    path = tmp_path / "large.cir"
    rows = "".join(f"R{i}_{j} n{i} n{j} 1k\n" for i in range(160) for j in range(i))
    path.write_text(f"t\nV1 n0 0 1 AC 1\n{rows}Rz n1 0 1\n.ac lin 9000 1 10k\n.end\n")
    found = solved(path, "--memory", "150", "--limit", "60")
    assert (found.returncode, found.stdout) == (2, "")
    assert "more than 150 MB" in found.stderr


def test_a_deck_is_stopped_by_ctrl_c(tmp_path: Path) -> None:
    """At any moment; nothing of it goes on."""
    path = tmp_path / "slow.cir"
    path.write_text(SLOW)
    process = subprocess.Popen(
        [sys.executable, "-m", "pigtail", "solve", str(path)], stderr=subprocess.PIPE, text=True
    )
    time.sleep(2.0)
    process.send_signal(signal.SIGINT)
    _, words = process.communicate(timeout=20)
    assert process.returncode == 130
    assert words == "pigtail: stopped\n"


def test_what_is_not_finite_is_null_in_json(tmp_path: Path) -> None:
    """JSON has no word for it."""
    from pigtail.cli.solve import _list, _number

    assert (
        json.dumps([_list(np.array([1.0, np.inf, np.nan])), _number(-np.inf)], allow_nan=False)
        == "[[1.0, null, null], null]"
    )


@pytest.mark.parametrize("where", ["pipe", "/dev/zero"])
@pytest.mark.parametrize("command", ["solve", "stock", "bench", "check"])
def test_a_pipe_or_device_is_refused_at_once(command: str, where: str, tmp_path: Path) -> None:
    """Nothing waits for a writer that never comes, or reads without end."""
    path = tmp_path / "pipe" if where == "pipe" else Path(where)
    if where == "pipe":
        os.mkfifo(path)
    found = subprocess.run(
        [sys.executable, "-m", "pigtail", command, str(path)],
        capture_output=True,
        text=True,
        timeout=30,
        check=False,
    )
    assert found.returncode == 2
    assert "not a file" in found.stderr
    assert len(found.stderr.splitlines()) == 1


def test_a_reader_that_goes_away_gets_no_error(tmp_path: Path) -> None:
    """`check FILE | head -1` says nothing on the error output."""
    from pigtail.catalogue.demo import export_demos

    path = export_demos(tmp_path)[0]
    line = f"{sys.executable} -m pigtail check --json {path} | head -c 20; exit ${{PIPESTATUS[0]}}"
    found = subprocess.run(["bash", "-c", line], capture_output=True, text=True, timeout=60, check=False)
    assert found.stderr == ""
    assert found.returncode in (0, 1, 141)
    assert len(found.stdout) == 20
