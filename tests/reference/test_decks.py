"""Circuits of the trade, solved by us and by the reference simulator.

Live where it is installed; elsewhere against its recorded answers. Under CI a missing simulator is a failure. The decks
are of our own making; what they are checked against is the simulator's solution of the same text.
"""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from simulator import DECKS, RECORDED, SIMULATOR, answers, names_in, summary
from topologies import decks

from pigtail.circuit import parse, to_deck
from pigtail.circuit.carry import carry_out
from pigtail.cli.solve import as_json

#: Allowed difference, relative to the largest value of the same curve or the same kind of unknown.
REST, CURVE, TOTAL, TIME = 1e-4, 1e-4, 1e-2, 1e-2
ids = [d.stem for d in DECKS]


def reference(deck: Path, folder: Path) -> dict[str, Any]:
    """The simulator's answers, live or as recorded."""
    text = deck.read_text(encoding="utf-8")
    if SIMULATOR is None:
        assert not os.environ.get("CI"), "ngspice must be installed under CI"
        found: dict[str, Any] = json.loads((RECORDED / f"{deck.stem}.json").read_text(encoding="utf-8"))
        return found
    return answers(text, *names_in(text), folder)


def ours(text: str) -> dict[str, Any]:
    """Our answers in the form of `pigtail solve --json`."""
    circuit = parse(text)
    return as_json(circuit, carry_out(circuit))


def worst(mine: dict[str, Any], theirs: dict[str, Any]) -> dict[str, float]:
    """Greatest differences by kind of analysis, each as a part of what is allowed."""
    found: dict[str, float] = {}
    if "op" in theirs:
        found["op"] = max(_apart(mine["op"][k], v, 1e-9) for k, v in theirs["op"].items()) / REST
    for kind in ("ac", "dc"):
        if kind in theirs:
            found[kind] = max(_curves(mine[kind], theirs[kind], kind)) / CURVE
    if "tran" in theirs:
        times = np.array(mine["tran"]["time"])
        found["tran"] = (
            max(_courses(summary(times, np.array(mine["tran"][k])), v) for k, v in theirs["tran"].items())
            / TIME
        )
    if "noise" in theirs:
        pairs = (("onoise_total", "onoise_total"), ("inoise_total", "inoise_total"))
        found["noise"] = max(_apart(mine["noise"][a], theirs["noise"][b], 0.0) for a, b in pairs) / TOTAL
    return found


def _apart(a: float, b: float, floor: float) -> float:
    return max(abs(a - b) - floor, 0.0) / max(abs(b), 1e-30)


def _curves(mine: dict[str, Any], theirs: dict[str, Any], kind: str) -> list[float]:
    """Difference of each curve at each point, relative to the value there (AC) or to the curve's greatest (DC)."""
    axis = "frequency" if kind == "ac" else "sweep"
    assert mine[axis] == pytest.approx(theirs[axis], rel=1e-6, abs=1e-12)
    apart = []
    for name, value in theirs.items():
        if name == axis:
            continue
        if kind == "ac":
            a = np.array(mine[name]["re"]) + 1j * np.array(mine[name]["im"])
            b = np.array(value["re"]) + 1j * np.array(value["im"])
            apart.append(float(np.max(np.maximum(np.abs(a - b) - 1e-12, 0) / np.maximum(np.abs(b), 1e-30))))
        else:
            a, b = np.array(mine[name]), np.array(value)
            apart.append(float(np.max(np.abs(a - b)) / max(np.max(np.abs(b)), 1e-9)))
    return apart


def _courses(mine: dict[str, float], theirs: dict[str, float]) -> float:
    """Difference of least, mean and greatest, relative to the greatest magnitude."""
    size = max(abs(theirs["min"]), abs(theirs["max"]), 1e-9)
    return max(abs(mine[k] - theirs[k]) for k in theirs) / size


@pytest.mark.one_of(3)
@pytest.mark.parametrize("deck", DECKS, ids=ids)
def test_we_agree_with_the_reference(deck: Path, tmp_path: Path) -> None:
    """Operating point, AC and sweep to 1e-4, noise totals and courses in time to 1 %."""
    apart = worst(ours(deck.read_text(encoding="utf-8")), reference(deck, tmp_path))
    assert apart
    assert max(apart.values()) <= 1.0, apart


@pytest.mark.parametrize("deck", DECKS, ids=ids)
def test_a_deck_written_out_is_the_same_circuit(deck: Path) -> None:
    """Writing and reading again changes nothing, and writing that once more gives the same text."""
    circuit = parse(deck.read_text(encoding="utf-8"))
    text = to_deck(circuit)
    again = parse(text)
    assert to_deck(again) == text
    assert again.structure == circuit.structure
    assert again.analyses == circuit.analyses


def test_there_are_thirty_decks_and_more() -> None:
    """The circuits of the trade, each with recorded answers."""
    assert len(DECKS) >= 30
    assert {p.stem for p in RECORDED.glob("*.json")} == set(ids)


def test_every_network_of_the_catalogue_has_its_deck() -> None:
    """The decks hold the catalogue's own text as it ships: `python tests/reference/topologies.py` writes them anew."""
    for name, text in decks().items():
        assert (Path(__file__).parent / "decks" / f"{name}.cir").read_text(encoding="utf-8") == text, name
