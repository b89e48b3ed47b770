"""Decks that nobody meant: thousands of mutations never crash, hang or slip a number that is not finite through."""

from __future__ import annotations

import random
import re
from pathlib import Path

import numpy as np
import pytest

from pigtail.circuit import CircuitError, parse, running
from pigtail.circuit.carry import Answers, carry_out

DECKS = [
    p.read_text(encoding="utf-8")
    for p in sorted((Path(__file__).parent.parent / "reference/decks").glob("*.cir"))
]
TOKENS = ["0", "-1", "1e400", "1e-30", "nan", "inf", "{", "}", "'", "(", ")", "=", ",", "+", ".", "1meg", "{x}", "v(", "v=", "i=",
          ".tran", ".ac", ".op", ".model", ".subckt", ".ends", "x1", "d1", "q1", "k1", "b1 a 0 v=", "sin(", "pulse(", "pwl(", "µ", "\t",
          "\n+", "\n", ";", "$", "if(", "**", "1/0", "time", "gnd", "ic=", "uic", "level=2", "\x00", "𝄞", "1k2k", ".param a={a}"]  # fmt: skip


def mutated(rng: random.Random) -> str:
    """A deck with a few things cut, doubled, swapped or put in."""
    text = rng.choice(DECKS)
    for _ in range(rng.randint(1, 4)):
        at = rng.randrange(len(text) + 1)
        match rng.randrange(6):
            case 0:
                text = text[:at] + text[at + rng.randint(1, 12) :]
            case 1:
                text = text[:at] + rng.choice(TOKENS) + text[at:]
            case 2:
                lines = text.split("\n")
                rng.shuffle(lines)
                text = "\n".join(lines)
            case 3:
                lines = text.split("\n")
                lines.insert(rng.randrange(len(lines)), rng.choice(lines))
                text = "\n".join(lines)
            case 4:
                numbers = list(re.finditer(r"\b\d+\.?\d*[a-z]*\b", text))
                if numbers:
                    chosen = rng.choice(numbers)
                    text = (
                        text[: chosen.start()]
                        + rng.choice(["0", "-3", "1e30", "1e-30", "7", "2k2"])
                        + text[chosen.end() :]
                    )
            case 5:
                words = text.split(" ")
                a, b = rng.randrange(len(words)), rng.randrange(len(words))
                words[a], words[b] = words[b], words[a]
                text = " ".join(words)
    return text


def finite(answers: Answers) -> bool:
    """Whether all that was solved is a number."""
    solutions = [s for s in (answers.op, answers.ac, answers.tran, answers.dc) if s is not None]
    return all(np.isfinite(np.abs(s.x)).all() for s in solutions)


@pytest.fixture
def short_runs(monkeypatch: pytest.MonkeyPatch) -> None:
    """Runs in time end after a few steps: here it counts that they end."""
    monkeypatch.setattr(running, "MOST_STEPS", 60)


@pytest.mark.one_of(3)
@pytest.mark.parametrize("seed", range(20))
def test_mutations_are_solved_or_refused_in_words(seed: int, short_runs: None) -> None:
    """A hundred and fifty mutations a seed: a finite answer, or one sentence of a line."""
    rng = random.Random(seed)
    for _ in range(150):
        text = mutated(rng)
        try:
            answers = carry_out(parse(text))
        except CircuitError as error:
            assert "\n" not in str(error), text
            assert len(str(error)) < 400, text
        else:
            assert finite(answers), text
