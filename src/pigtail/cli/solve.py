"""`pigtail solve`: a deck of one's own, solved; as a JSON object for programs, as tables for people."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pigtail.circuit import Circuit, CircuitError, Solution, parse
from pigtail.circuit.carry import Answers, carry_out
from pigtail.circuit.noises import Noise
from pigtail.circuit.sweeping import SweepSolution
from pigtail.circuit.system import BRANCHES
from pigtail.job.disk import read_whole
from pigtail.job.errors import FileError
from pigtail.units import format_quantity

Array = NDArray[Any]
MAX_BYTES = 4_000_000
#: Rows and columns that a table shows; the JSON object holds all.
ROWS, COLUMNS = 25, 6


def solve_file(path: Path) -> tuple[Circuit, Answers]:
    """Read and solve a deck; raises FileError with the line or part at fault."""
    data = read_whole(path, MAX_BYTES, "deck")
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    try:
        circuit = parse(text)
        return circuit, carry_out(circuit)
    except CircuitError as error:
        raise FileError(path, str(error)) from error
    except RecursionError as error:
        raise FileError(path, "something in the deck is nested too deeply; write it in parts") from error
    except (ArithmeticError, np.linalg.LinAlgError) as error:
        raise FileError(
            path, f"the deck has values that cannot be worked with ({error}); look for the extreme ones"
        ) from error


def names_of(circuit: Circuit) -> dict[str, Callable[[Solution], Array]]:
    """What is told of every solution: the voltage of each node, the current of each source and inductor.

    In [V] and [A], shape [S] or [S, F].
    """
    found: dict[str, Callable[[Solution], Array]] = {}
    for node in circuit.nodes:
        found[f"v({node})"] = partial(Solution.v, node=node)
    for element in circuit.elements:
        if element.kind in BRANCHES:
            found[f"i({element.name})"] = partial(Solution.i, name=element.name)
    return found


def as_json(circuit: Circuit, answers: Answers) -> dict[str, Any]:
    """The answers as plain objects, in SI base units."""
    names = names_of(circuit)
    report: dict[str, Any] = {}
    if answers.op is not None:
        report["op"] = {k: _number(read(answers.op)[0]) for k, read in names.items()}
    if answers.ac is not None:
        solved = answers.ac
        report["ac"] = {"frequency": _list(solved.frequencies)} | {
            k: {"re": _list(value.real), "im": _list(value.imag)}
            for k, read in names.items()
            for value in [read(solved)[0]]
        }
    if answers.tran is not None:
        run = answers.tran
        report["tran"] = {"time": _list(run.times)} | {k: _list(read(run)[0]) for k, read in names.items()}
    if answers.noise is not None:
        report["noise"] = _noise(answers.noise)
    if answers.dc is not None:
        swept = answers.dc
        report["dc"] = {"sweep": _list(swept.values)} | {
            k: _list(read(swept)[0]) for k, read in names.items()
        }
    if circuit.notes:
        report["notes"] = list(circuit.notes)
    return report


def _list(values: Array | None) -> list[float | None]:
    """Numbers for JSON, which has none that is not finite: null stands for those."""
    if values is None:
        return []
    found = np.asarray(values, dtype=float)
    return [v if math.isfinite(v) else None for v in found.tolist()]


def _number(value: Any) -> float | None:
    return float(value) if math.isfinite(value) else None


def _noise(noise: Noise) -> dict[str, Any]:
    return {
        "frequency": _list(noise.frequencies),
        "onoise_density": _list(noise.output_density[0]),
        "inoise_density": _list(noise.input_density[0]),
        "onoise_total": _number(noise.output_total[0]),
        "inoise_total": _number(noise.input_total[0]),
        "parts_total": {name: _number(noise.part_total(name)[0]) for name in noise.parts},
    }


def as_text(circuit: Circuit, answers: Answers) -> str:
    """The answers as tables."""
    names = names_of(circuit)
    lines = [circuit.title or "(no title)"]
    if answers.op is not None:
        lines += ["", "Operating point"]
        lines += [f"  {k:<24} {_value(k, float(read(answers.op)[0]))}" for k, read in names.items()]
    if answers.ac is not None:
        lines += ["", *_ac(answers.ac, names)]
    if answers.dc is not None:
        lines += ["", *_dc(answers.dc, names)]
    if answers.tran is not None:
        lines += ["", *_tran(answers.tran, names)]
    if answers.noise is not None:
        lines += ["", *_noise_lines(answers.noise)]
    return "\n".join(lines)


def _value(name: str, value: float) -> str:
    return format_quantity(value, "V" if name.startswith("v") else "A", 5)


def _chosen(count: int) -> list[int]:
    """The rows that a table shows, spread evenly, first and last among them."""
    return sorted({round(k) for k in np.linspace(0, count - 1, min(count, ROWS))})


def _left_out(rows: int, columns: int) -> Iterator[str]:
    if rows > ROWS or columns > COLUMNS:
        yield f"  ({min(rows, ROWS)} of {rows} rows and {min(columns, COLUMNS)} of {columns} columns; --json gives all)"


def _ac(solved: Solution, names: dict[str, Callable[[Solution], Array]]) -> Iterator[str]:
    nodes = [k for k in names if k.startswith("v") and np.any(names[k](solved))]
    yield "AC: magnitude in dB re 1 V and phase; nodes at which nothing arrives are left out"
    yield "  " + f"{'frequency':>12}" + "".join(f"{k:>22}" for k in nodes[:COLUMNS])
    values = {k: names[k](solved)[0] for k in nodes[:COLUMNS]}
    hertz = solved.frequencies
    assert hertz is not None
    for row in _chosen(hertz.size):
        cells = (
            f"{_decibels(v[row]):>14} {_rounded(np.degrees(np.angle(v[row])), 1):>6}°"
            for v in values.values()
        )
        yield "  " + f"{format_quantity(float(hertz[row]), 'Hz', 4):>12}" + "".join(cells)
    yield from _left_out(hertz.size, len(nodes))


def _decibels(value: complex) -> str:
    return f"{_rounded(20 * np.log10(abs(value)), 2)} dB" if value else "none"


def _rounded(value: float, places: int) -> str:
    """A number with a true minus, and none before nought."""
    return f"{round(float(value), places) + 0.0:.{places}f}".replace("-", "−")


def _dc(swept: SweepSolution, names: dict[str, Callable[[Solution], Array]]) -> Iterator[str]:
    shown = list(names)[:COLUMNS]
    values = {k: names[k](swept)[0] for k in shown}
    yield "DC sweep"
    yield "  " + f"{'source':>12}" + "".join(f"{k:>16}" for k in shown)
    for row in _chosen(swept.values.size):
        yield (
            "  "
            + f"{swept.values[row]:>12.5g}"
            + "".join(f"{_value(k, float(v[row])):>16}" for k, v in values.items())
        )
    yield from _left_out(swept.values.size, len(names))


def _tran(run: Solution, names: dict[str, Callable[[Solution], Array]]) -> Iterator[str]:
    times = run.times
    assert times is not None
    span = times[-1] - times[0]
    yield f"Transient: {times.size} points, {format_quantity(float(times[0]), 's')} to {format_quantity(float(times[-1]), 's')}"
    yield "  " + f"{'':<24}" + "".join(f"{word:>14}" for word in ("least", "mean", "greatest", "at the end"))
    for name, read in names.items():
        value = read(run)[0]
        mean = float(np.trapezoid(value, times) / span) if span > 0 else float(value[0])
        cells = (float(value.min()), mean, float(value.max()), float(value[-1]))
        yield f"  {name:<24}" + "".join(f"{_value(name, c):>14}" for c in cells)


def _noise_lines(noise: Noise) -> Iterator[str]:
    total = float(noise.output_total[0])
    low, high = (format_quantity(float(noise.frequencies[k]), "Hz") for k in (0, -1))
    yield f"Noise: {format_quantity(total, 'V', 4)} rms at the output from {low} to {high}"
    totals = sorted(((float(noise.part_total(n)[0]), n) for n in noise.parts), reverse=True)
    for part, name in totals[:ROWS]:
        share = 100 * (part / total) ** 2 if total > 0 else 0.0
        yield f"  {name:<32} {format_quantity(part, 'V', 4):>12}  {share:5.1f} % of the power"
