"""The reference simulator (ngspice of the Debian archive): run on a deck of ours, its answers as plain numbers.

`python tests/reference/simulator.py` records its answers to the decks beside this file, for machines without it.
"""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

HERE = Path(__file__).parent
DECKS = sorted((HERE / "decks").glob("*.cir"))
RECORDED = HERE / "answers"
SIMULATOR = shutil.which("ngspice")
#: Its own tolerance is a thousandth; at rest it is asked for more than we are judged by.
STRICT = ".options reltol=1e-7 abstol=1e-15 vntol=1e-10"
_CARD = re.compile(r"^\.(op|ac|noise|tran|dc|end|print)\b.*\n", re.MULTILINE)


def run(text: str, commands: list[str], folder: Path) -> str:
    """Run a deck with commands in place of its cards; what the simulator prints."""
    deck = folder / "deck.cir"
    strict = [] if commands[0].startswith("tran") else [STRICT]
    lines = [*strict, ".control", *commands, "quit", ".endc", ".end", ""]
    deck.write_text(_CARD.sub("", text) + "\n".join(lines))
    done = subprocess.run(
        [str(SIMULATOR), "-b", str(deck)], capture_output=True, text=True, timeout=120, check=False
    )
    return done.stdout + done.stderr


def cards(text: str) -> dict[str, str]:
    """The analyses of a deck: kind → its words."""
    return dict(re.findall(r"^\.(op|ac|noise|tran|dc)\b(.*)$", text, re.MULTILINE))


def answers(text: str, nodes: list[str], currents: list[str], folder: Path) -> dict[str, Any]:
    """What the simulator finds: op by name, ac and dc and noise at their points, least, mean and greatest in time."""
    asked = cards(text)
    names = [f"v({n})" for n in nodes] + [f"i({c})" for c in currents]
    vectors = " ".join(names)
    found: dict[str, Any] = {}
    if "op" in asked:
        printed = run(text, ["op", "set numdgt=12", "print all"], folder)
        values = dict(re.findall(r"^(\S+) = (\S+)", printed, re.MULTILINE))
        assert values, printed
        found["op"] = {f"v({n})": float(values[n]) for n in nodes} | {
            f"i({c})": float(values[f"{c}#branch"]) for c in currents
        }
    if "ac" in asked:
        table = _table(text, f"ac {asked['ac']}", vectors, folder)
        found["ac"] = {"frequency": table[:, 0].tolist()} | {
            n: {"re": table[:, 1 + 2 * k].tolist(), "im": table[:, 2 + 2 * k].tolist()}
            for k, n in enumerate(names)
        }
    if "dc" in asked:
        table = _table(text, f"dc {asked['dc']}", vectors, folder)
        found["dc"] = {"sweep": table[:, 0].tolist()} | {
            n: table[:, 1 + k].tolist() for k, n in enumerate(names)
        }
    if "tran" in asked:
        table = _table(text, f"tran {asked['tran']}", vectors, folder)
        times = table[:, 0]
        found["tran"] = {n: summary(times, table[:, 1 + k]) for k, n in enumerate(names)}
    if "noise" in asked:
        printed = run(
            text, [f"noise {asked['noise']}", "set numdgt=12", "print onoise_total inoise_total"], folder
        )
        values = dict(re.findall(r"^(\w+_total) = (\S+)", printed, re.MULTILINE))
        assert values, printed
        found["noise"] = {k: float(v) for k, v in values.items()}
    return found


def _table(text: str, command: str, vectors: str, folder: Path) -> np.ndarray:
    out = folder / "table.txt"
    printed = run(text, [command, "set numdgt=12", "set wr_singlescale", f"wrdata {out} {vectors}"], folder)
    assert out.exists(), printed
    table = np.atleast_2d(np.loadtxt(out))
    out.unlink()
    return table


def summary(times: np.ndarray, values: np.ndarray) -> dict[str, float]:
    """Least, mean and greatest of a course in time."""
    mean = float(np.trapezoid(values, times) / (times[-1] - times[0]))
    return {"min": float(values.min()), "mean": mean, "max": float(values.max())}


def names_in(text: str) -> tuple[list[str], list[str]]:
    """Nodes and voltage sources of a deck by our reading of it."""
    from pigtail.circuit import parse

    circuit = parse(text)
    sources = [e.name for e in circuit.elements if e.kind in ("v", "l") and "." not in e.name]
    return list(circuit.nodes), sources


def record() -> None:
    """Write the answers to all decks."""
    RECORDED.mkdir(exist_ok=True)
    for deck in DECKS:
        text = deck.read_text(encoding="utf-8")
        with tempfile.TemporaryDirectory() as folder:
            found = answers(text, *names_in(text), Path(folder))
        rounded = json.loads(json.dumps(found), parse_float=lambda x: float(f"{float(x):.8g}"))
        (RECORDED / f"{deck.stem}.json").write_text(json.dumps(rounded) + "\n", encoding="utf-8")
        print(deck.stem, ", ".join(found))


if __name__ == "__main__":
    sys.exit(record())
