"""The cards of a deck: analyses, options and models."""

from __future__ import annotations

import math
from collections.abc import Callable

import msgspec

from pigtail.circuit.errors import DeckError
from pigtail.circuit.expressions import Expression, Number
from pigtail.circuit.lines import Line, assignments
from pigtail.circuit.netlist import (
    AcCard,
    Analysis,
    DirectSweep,
    ModelCard,
    NoiseCard,
    OperatingPoint,
    Options,
    Transient,
)
from pigtail.circuit.numerals import number

#: Cards that ask for printed output or say nothing about the circuit.
IGNORED = (".end", ".print", ".plot", ".save", ".probe", ".width", ".title", ".backanno")
#: Cards of general simulators that would change the answer, or ask for one that is not given here.
NOTED = (".four", ".meas", ".measure")
MAX_POINTS, MAX_STEPS = 20_000, 1_000_000
SPACINGS = {"dec": "decade", "oct": "octave", "lin": "points in all"}
_OPTIONS = {"temp", "tnom", "gmin", "reltol"}
_RULES = {
    "abstol",
    "vntol",
    "chgtol",
    "itl1",
    "itl2",
    "itl4",
    "itl6",
    "rshunt",
    "noacct",
    "trtol",
    "pivtol",
    "pivrel",
}


def read_analysis(line: Line) -> Analysis | None:
    """The analysis that a card asks for, None for a card of another kind."""
    reader = _ANALYSES.get(line.words[0])
    return reader(line) if reader else None


def _sweep(words: tuple[str, ...], line: int, card: str) -> AcCard:
    if len(words) != 4 or words[0] not in SPACINGS:
        raise DeckError(f"write the sweep as {card} dec POINTS START STOP (or oct, lin)", line=line)
    points, start, stop = (number(w, line) for w in words[1:])
    if not (1 <= points <= 10_000 and 0 < start <= stop <= 1e15):
        raise DeckError("a sweep needs 1 to 10,000 points, and 0 < START ≤ STOP", line=line)
    spans = {"dec": math.log10(stop / start), "oct": math.log2(stop / start), "lin": 1.0}[words[0]]
    if points * spans > MAX_POINTS:
        raise DeckError(
            f"the sweep has more than {MAX_POINTS:,} frequencies in all; take fewer points or a narrower band",
            line=line,
        )
    return AcCard(words[0], int(points), start, stop)


def _ac(line: Line) -> AcCard:
    return _sweep(line.words[1:], line.number, ".ac")


def _noise(line: Line) -> NoiseCard:
    words = line.words
    if len(words) < 4 or words[1] != "v":
        raise DeckError("write .noise v(OUT) SOURCE dec POINTS START STOP", line=line.number)
    at = next((k for k, w in enumerate(words) if w in SPACINGS), 0)
    if at not in (4, 5):
        raise DeckError("write .noise v(OUT) SOURCE dec POINTS START STOP", line=line.number)
    nodes = tuple("0" if n == "gnd" else n for n in words[2 : at - 1])
    if not nodes:
        raise DeckError("write .noise v(OUT) SOURCE dec POINTS START STOP", line=line.number)
    sweep = _sweep(words[at : at + 4], line.number, ".noise")
    return NoiseCard(nodes[0], nodes[1] if len(nodes) > 1 else "0", words[at - 1], sweep)


def _dc(line: Line) -> DirectSweep:
    words = line.words[1:]
    if len(words) not in (4, 8):
        raise DeckError("write .dc SOURCE START STOP STEP", line=line.number)
    outer = _range(words[4:], line.number, None) if len(words) == 8 else None
    card = _range(words[:4], line.number, outer)
    if outer is not None and card.steps * outer.steps > MAX_POINTS:
        raise DeckError("a .dc sweep has at most 20,000 steps in all", line=line.number)
    return card


def _range(words: tuple[str, ...], line: int, outer: DirectSweep | None) -> DirectSweep:
    start, stop, step = (number(w, line) for w in words[1:])
    card = DirectSweep(words[0], start, stop, step, outer)
    if step == 0 or (stop - start) * step < 0 or card.steps > MAX_POINTS:
        raise DeckError("the STEP of a .dc sweep leads from START to STOP in at most 20,000 steps", line=line)
    return card


def _tran(line: Line) -> Transient:
    words = [w for w in line.words[1:] if w != "uic"]
    if not 2 <= len(words) <= 4:
        raise DeckError("write .tran STEP STOP [START [MAXSTEP]] [uic]", line=line.number)
    step, stop, start, largest = (*(number(w, line.number) for w in words), 0.0, 0.0)[:4]
    if not (0 < step <= stop and 0 <= start < stop and largest >= 0 and stop / step <= MAX_STEPS):
        raise DeckError(
            f"a .tran needs 0 < STEP ≤ STOP, START before STOP, no more than {MAX_STEPS:,} steps",
            line=line.number,
        )
    return Transient(step, stop, start, largest, "uic" in line.words)


def _op(_line: Line) -> OperatingPoint:
    return OperatingPoint()


_ANALYSES: dict[str, Callable[[Line], Analysis]] = {
    ".ac": _ac,
    ".noise": _noise,
    ".dc": _dc,
    ".tran": _tran,
    ".op": _op,
}


def read_options(options: Options, line: Line) -> tuple[Options, list[str]]:
    """The options with those of a card set, and notes on those that are not taken into account.

    Raises DeckError for a card that cannot be read.
    """
    if line.words[0] == ".temp":
        if len(line.words) != 2:
            raise DeckError("write .temp DEGREES, one temperature", line=line.number)
        return msgspec.structs.replace(
            options, temp=_in_range("temp", number(line.words[1], line.number), line)
        ), []
    notes: list[str] = []
    words = list(line.words[1:])
    while words:
        name = words.pop(0)
        value = words[1] if words[:1] == ["="] and len(words) > 1 else ""
        if value:
            del words[:2]
        if name == "method":
            if value not in ("gear", "trap", "trapezoidal"):
                raise DeckError("the method is gear or trap", line=line.number)
            options = msgspec.structs.replace(options, method="gear" if value == "gear" else "trap")
        elif name in _OPTIONS and value:
            options = msgspec.structs.replace(
                options, **{name: _in_range(name, number(value, line.number), line)}
            )
        elif name in _RULES or name.isidentifier():
            notes.append(f"line {line.number}: the option {name} is not taken into account")
        else:
            raise DeckError(f"“{name[:40]}” is not an option", line=line.number)
    return options, notes


_RANGES = {"temp": (-200.0, 1000.0), "tnom": (-200.0, 1000.0), "gmin": (0.0, 1e-3), "reltol": (1e-9, 0.1)}


def _in_range(name: str, value: float, line: Line) -> float:
    low, high = _RANGES[name]
    if not low <= value <= high:
        raise DeckError(f"{name} lies between {low:g} and {high:g}, not {value:g}", line=line.number)
    return value


def read_model(line: Line) -> tuple[ModelCard, list[str]]:
    """A .model card, and notes on parameters that it gives and that are not taken into account.

    Raises DeckError for a card that cannot be read.
    """
    if len(line.words) < 3:
        raise DeckError("write .model NAME TYPE (parameter=value …)", line=line.number)
    name, model_type = line.words[1:3]
    from pigtail.circuit.devices import (
        kind_of_model,  # a deck without models does without the table of devices
    )

    kind = kind_of_model(model_type)
    if kind is None:
        raise DeckError(
            f"the model type {model_type} is not known; use d, npn, pnp, nmos, pmos or sw", line=line.number
        )
    parameters: dict[str, Expression] = {}
    notes: list[str] = []
    for given, value in assignments(line.words[3:], line.number).items():
        key = kind.aliases.get(given, given)
        if key in kind.parameters:
            parameters[key] = value
        elif given == "level":
            if value != Number(1.0):
                raise DeckError(
                    f"the model {name} is not of level 1, the only one known here", line=line.number
                )
        elif given in kind.ignored:
            notes.append(f"line {line.number}: {given} of the model {name} is not taken into account")
        else:
            raise DeckError(f"a {model_type} model has no parameter {given}", line=line.number)
    return ModelCard(name, model_type, tuple(sorted(parameters.items()))), notes
