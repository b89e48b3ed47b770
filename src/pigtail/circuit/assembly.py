"""The text of a circuit's code, put together from its sections.

`set_up` takes values and returns what later sections use, starting controls, and how far each may be guessed ahead.
`prepare` does what a step size asks for. `step` finds one point. `march` goes on by equal steps with Gear's formula,
keeping charges and controls in its own variables, so that a step costs its arithmetic and little else; it returns
where it stands when a step does not settle.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

import msgspec

from pigtail.circuit.emitter import AFTER, ITERATION, SET_UP, STEP, STEP_SIZE, Emitter

_NAME = re.compile(r"[a-z_]\w*")
#: A junction that conducts is guessed to move no more than this [V] in a step.
LEAP = 0.05


class Parts(msgspec.Struct, frozen=True):
    """What the text is put together from: the code, and the names (or lines) of what goes in and comes out.

    controls are the variables that the formulas read, news the values that the solution gives them; edges how far a
    control may be guessed ahead, "inf" for as far as one likes; test and moves end an iteration.
    """

    code: Emitter
    starts: list[str]
    edges: list[str]
    controls: list[str]
    test: str
    moves: list[str]
    unknowns: list[str]
    news: list[str]
    stores: tuple[int, ...]
    charges: list[str]
    memories: list[str]

    def inputs(self) -> list[str]:
        """What set_up takes."""
        written = {line.split("=", 1)[0] for line in self.code.sections[SET_UP]}
        return [n for n, home in self.code.homes.items() if home == SET_UP and n not in written]

    def used(self, level: int) -> list[str]:
        """The values of a level that later lines use."""
        lines = [x for part in self.code.sections[level + 1 :] for x in part]
        lines += [self.test, *self.moves, *self.unknowns, *self.news, *self.charges, *self.memories]
        words = set(_NAME.findall("\n".join(lines)))
        return [n for n, home in self.code.homes.items() if home == level and n in words]

    def given(self, letter: str) -> list[str]:
        """The variables of a letter that a step is given."""
        pattern = re.compile(rf"{letter}\d+")
        return [n for n, home in self.code.homes.items() if home == STEP and pattern.fullmatch(n)]


def assemble(parts: Parts) -> str:
    """The functions as text."""
    return "\n".join([*_set_up(parts), *_prepare(parts), *_step(parts), *_march(parts), ""])


def _set_up(parts: Parts) -> Iterator[str]:
    yield f"def set_up({','.join(parts.inputs())}):"
    yield from _indented(parts.code.sections[SET_UP], 1)
    yield f" return {_tuple(parts.used(SET_UP))},{_tuple(parts.starts)},{_tuple(parts.edges)}"


def _prepare(parts: Parts) -> Iterator[str]:
    yield "def prepare(K,alpha):"
    yield from _unpacked(parts.used(SET_UP), "K", 1)
    yield from _indented(parts.code.sections[STEP_SIZE], 1)
    yield f" return {_tuple(parts.used(STEP_SIZE))}"


def _step(parts: Parts) -> Iterator[str]:
    yield "def step(K,M,B,H,U,W,time,tol,off,most):"
    taken = {"K": parts.used(SET_UP), "M": parts.used(STEP_SIZE), "B": parts.given("b"), "H": parts.given("h"),
             "U": parts.controls, "W": parts.given("w")}  # fmt: skip
    for source, names in taken.items():
        yield from _unpacked(names, source, 1)
    yield from _indented(parts.code.sections[STEP], 1)
    yield from (" ok=True", " n=0")
    yield from _iteration(parts, 1)
    yield from _indented(parts.code.sections[AFTER], 1)
    results = (parts.unknowns, parts.news, parts.charges, parts.memories)
    yield f" return ok,n,{','.join(map(_tuple, results))}"


def _iteration(parts: Parts, depth: int) -> Iterator[str]:
    if not parts.controls:
        return
    yield " " * depth + "for n in range(most):"
    yield from _indented([*parts.code.sections[ITERATION], f"ok={parts.test}"], depth + 1)
    yield from _indented(["if settled(ok): break", *parts.moves], depth + 1)


def _march(parts: Parts) -> Iterator[str]:
    """Equal steps: q and p are the charges one and two steps back, y and z the controls."""
    memories, rows = parts.given("w"), parts.stores
    q, p = [f"q{r}" for r in rows], [f"p{r}" for r in rows]
    y, z, e = ([f"{letter}{k}" for k in range(len(parts.controls))] for letter in "yze")
    state = ",".join(map(_tuple, (q, p, y, z, memories)))
    yield "def march(K,M,rows,a1,a2,Q,P,Y,Z,W,E,tol,off,most,keep):"
    taken = {
        "K": parts.used(SET_UP),
        "M": parts.used(STEP_SIZE),
        "Q": q,
        "P": p,
        "Y": y,
        "Z": z,
        "E": e,
        "W": memories,
    }
    for source, names in taken.items():
        yield from _unpacked(names, source, 1)
    yield " try:"
    yield "  for B,time in rows:"
    yield from _unpacked(parts.given("b"), "B", 3)
    yield from _indented([f"h{r}=a1*q{r}+a2*p{r}" for r in rows], 3)
    for k, name in enumerate(parts.controls):
        yield f"   {name}=2*y{k}-z{k}"
        if parts.edges[k] != "inf" and parts.code.arrays:
            yield f"   {name}=least({name},greatest(y{k},e{k})+{LEAP})"
        elif parts.edges[k] != "inf":
            ahead = f"(y{k} if y{k}>e{k} else e{k})+{LEAP}"
            yield f"   if {name}>e{k} and {name}>{ahead}: {name}={ahead}"
    yield from _indented(parts.code.sections[STEP], 3)
    yield from _iteration(parts, 3)
    if parts.controls:
        yield f"   if not settled(ok): return {state}"
    yield from _indented(parts.code.sections[AFTER], 3)
    yield from _indented([f"p{r}=q{r}" for r in rows], 3)
    yield from _indented([f"q{r}={value}" for r, value in zip(rows, parts.charges, strict=True)], 3)
    yield from _indented([f"z{k}=y{k}" for k in range(len(y))], 3)
    yield from _indented([f"y{k}={value}" for k, value in enumerate(parts.news)], 3)
    yield from _indented([f"{w}={value}" for w, value in zip(memories, parts.memories, strict=True)], 3)
    yield f"   keep({_tuple(parts.unknowns)})"
    yield " except failures: pass"
    yield f" return {state}"


def _unpacked(names: list[str], source: str, depth: int) -> Iterator[str]:
    if names:
        yield " " * depth + f"{_tuple(names)}={source}"


def _indented(lines: Iterable[str], depth: int) -> Iterator[str]:
    return (" " * depth + line for line in lines)


def _tuple(names: Iterable[str]) -> str:
    return f"({''.join(f'{n},' for n in names)})"
