"""Deck text in: the SPICE-style subset that the catalogue and the compile step are written in.

Elements R C L V I E G X; cards .param .subckt .ends .op .ac .print .end; comments with * or ;, continuation with +.
Subcircuits are expanded while reading: element R1 of instance X7 becomes `r1.x7`, its inner node n `x7.n`.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import cached_property, lru_cache

import msgspec

from pigtail.circuit.errors import DeckError
from pigtail.circuit.expressions import Expression, Number, number, parse_value, substitute

NOTHING = Number(0.0)
NODES = {"r": 2, "c": 2, "l": 2, "v": 2, "i": 2, "e": 4, "g": 4}
MAX_DEPTH = 12
MAX_CHARACTERS = 2_000_000
_WORD = re.compile(r"\{[^}]*\}|[^\s=,]+|=")


class Element(msgspec.Struct, frozen=True):
    """One part of the flattened circuit: its nodes, value, and for a source its AC amplitude."""

    kind: str
    name: str
    nodes: tuple[str, ...]
    value: Expression
    ac: Expression = NOTHING
    line: int = 0


class Sweep(msgspec.Struct, frozen=True):
    """Frequencies of an .ac card: points a decade from start to stop [Hz]."""

    per_decade: int
    start_hz: float
    stop_hz: float


class Circuit(msgspec.Struct, frozen=True, dict=True):
    """A flattened circuit: parameters in the order of their definition, elements, and the sweep asked for."""

    title: str
    parameters: tuple[tuple[str, Expression], ...]
    elements: tuple[Element, ...]
    sweep: Sweep | None = None

    @cached_property
    def structure(self) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """What is joined to what, whatever the values: circuits that share it share their elimination."""
        return tuple((e.kind, e.nodes) for e in self.elements)

    @cached_property
    def nodes(self) -> tuple[str, ...]:
        """Names of all nodes but 0, in order of first use."""
        return tuple(dict.fromkeys(n for e in self.elements for n in e.nodes if n != "0"))


class _Subcircuit(msgspec.Struct):
    name: str
    ports: tuple[str, ...]
    defaults: dict[str, Expression]
    body: list[tuple[int, list[str]]] = msgspec.field(default_factory=list)


@lru_cache(maxsize=64)
def parse(text: str) -> Circuit:
    """Read deck text; the first line is its title. Raises DeckError with the line and the mend."""
    if len(text) > MAX_CHARACTERS:
        raise DeckError(f"the deck is longer than {MAX_CHARACTERS:,} characters")
    title, _, rest = text.partition("\n")
    subcircuits, top = _sort(list(_lines(rest)))
    parameters: list[tuple[str, Expression]] = []
    sweep: Sweep | None = None
    body: list[tuple[int, list[str]]] = []
    for line, words in top:
        if words[0] == ".param":
            parameters += _assignments(words[1:], line).items()
        elif words[0] == ".ac":
            sweep = _sweep(words, line)
        elif words[0].startswith("."):
            if words[0] not in (".op", ".end", ".print"):
                raise DeckError(f"the card {words[0]} is not known here", line=line)
        else:
            body.append((line, words))
    elements = tuple(_flatten(body, subcircuits, "", {}, {}, 0))
    names = [e.name for e in elements]
    for element in elements:
        if names.count(element.name) > 1:
            raise DeckError(f"there are two elements called {element.name}; rename one", line=element.line)
    return Circuit(title.strip(), tuple(parameters), elements, sweep)


def _lines(text: str) -> Iterator[tuple[int, list[str]]]:
    """Logical lines as lower-case words, with the number of their first physical line."""
    pending: tuple[int, str] | None = None
    for index, raw in enumerate(text.split("\n"), start=2):
        line = raw.split(";", 1)[0].strip().lower()
        if not line or line.startswith("*"):
            continue
        if line.startswith("+"):
            if pending is None:
                raise DeckError("a continuation line (+) follows nothing", line=index)
            pending = (pending[0], pending[1] + " " + line[1:])
            continue
        if pending:
            yield pending[0], _WORD.findall(pending[1])
        pending = (index, line)
    if pending:
        yield pending[0], _WORD.findall(pending[1])


def _sort(
    lines: list[tuple[int, list[str]]],
) -> tuple[dict[str, _Subcircuit], list[tuple[int, list[str]]]]:
    """Split the lines into subcircuit definitions and the top level."""
    subcircuits: dict[str, _Subcircuit] = {}
    top: list[tuple[int, list[str]]] = []
    current: _Subcircuit | None = None
    for line, words in lines:
        if not words:
            continue
        if words[0] == ".subckt":
            if current or len(words) < 3:
                raise DeckError(".subckt needs a name and ports, outside any other .subckt", line=line)
            current = _header(words, line)
            subcircuits[current.name] = current
        elif words[0] == ".ends":
            if current is None:
                raise DeckError(".ends without a .subckt", line=line)
            current = None
        elif words[0] == ".end":
            break
        elif current:
            current.body.append((line, words))
        else:
            top.append((line, words))
    if current:
        raise DeckError(f"the subcircuit {current.name} has no .ends")
    return subcircuits, top


def _header(words: list[str], line: int) -> _Subcircuit:
    first = words.index("=") - 1 if "=" in words else len(words)
    ports = tuple(w for w in words[2:first] if w != "params:")
    return _Subcircuit(words[1], ports, _assignments(words[first:], line))


def _assignments(words: list[str], line: int) -> dict[str, Expression]:
    """`a = 1 b = {2*a}` as a mapping."""
    found: dict[str, Expression] = {}
    if len(words) % 3:
        raise DeckError("parameters are written name=value", line=line)
    for at in range(0, len(words), 3):
        name, equals, value = words[at : at + 3]
        if equals != "=" or not name.isidentifier():
            raise DeckError(f"“{' '.join(words[at : at + 3])[:40]}” is not name=value", line=line)
        found[name] = parse_value(value, line)
    return found


def _sweep(words: list[str], line: int) -> Sweep:
    if len(words) != 5 or words[1] != "dec":
        raise DeckError("write the sweep as .ac dec POINTS START STOP", line=line)
    points, start, stop = (number(w, line) for w in words[2:])
    if not (1 <= points <= 10_000 and 0 < start <= stop):
        raise DeckError("a sweep needs one point a decade or more, and 0 < START ≤ STOP", line=line)
    return Sweep(int(points), start, stop)


def _flatten(
    body: list[tuple[int, list[str]]],
    subcircuits: dict[str, _Subcircuit],
    path: str,
    ports: dict[str, str],
    names: dict[str, Expression],
    depth: int,
) -> Iterator[Element]:
    """Elements of a body with its ports joined to outer nodes and its parameters written out."""
    if depth > MAX_DEPTH:
        raise DeckError(f"subcircuits are nested more than {MAX_DEPTH} deep; does one call itself?")
    local = dict(names)

    def node(text: str) -> str:
        text = "0" if text == "gnd" else text
        return ports.get(text, text if text == "0" or not path else f"{path}.{text}")

    for line, words in body:
        kind, name = words[0][0], words[0] + (f".{path}" if path else "")
        if words[0] == ".param":
            for key, value in _assignments(words[1:], line).items():
                local[key] = substitute(value, local)
        elif kind == "x":
            yield from _instance(words, line, subcircuits, path, node, local, depth)
        elif kind in NODES:
            count = NODES[kind]
            if len(words) < count + 2:
                raise DeckError(f"{words[0]} needs {count} nodes and a value", line=line)
            nodes = tuple(node(w) for w in words[1 : count + 1])
            value, ac = _values(kind, words[count + 1 :], line)
            yield Element(kind, name, nodes, substitute(value, local), substitute(ac, local), line)
        else:
            known = " ".join(k.upper() for k in (*NODES, "x"))
            raise DeckError(f"the element {words[0]} is of no known kind ({known})", line=line)


def _instance(
    words: list[str],
    line: int,
    subcircuits: dict[str, _Subcircuit],
    path: str,
    node: Callable[[str], str],
    local: dict[str, Expression],
    depth: int,
) -> Iterator[Element]:
    """Elements of a subcircuit call (X)."""
    first = words.index("=") - 1 if "=" in words else len(words)
    *outer, called = [w for w in words[1:first] if w != "params:"]
    if called not in subcircuits:
        raise DeckError(f"{words[0]} calls the subcircuit {called}, which is not defined", line=line)
    sub = subcircuits[called]
    if len(outer) != len(sub.ports):
        raise DeckError(
            f"{words[0]} joins {len(outer)} nodes, but {called} has {len(sub.ports)} ports", line=line
        )
    given = {k: substitute(v, local) for k, v in _assignments(words[first:], line).items()}
    stray = set(given) - set(sub.defaults)
    if stray:
        raise DeckError(f"{called} has no parameter {sorted(stray)[0]}", line=line)
    inner = f"{words[0]}.{path}" if path else words[0]
    ports = dict(zip(sub.ports, map(node, outer), strict=True))
    names = dict(sub.defaults) | given
    yield from _flatten(sub.body, subcircuits, inner, ports, names, depth + 1)


def _values(kind: str, words: list[str], line: int) -> tuple[Expression, Expression]:
    """The value of an element; for a source its DC value and AC amplitude."""
    if kind not in "vi":
        if len(words) != 1:
            raise DeckError(f"one value is wanted, not “{' '.join(words)[:40]}”", line=line)
        return parse_value(words[0], line), NOTHING
    dc: Expression = NOTHING
    ac: Expression = NOTHING
    at = 0
    while at < len(words):
        if words[at] in ("dc", "ac"):
            if at + 1 >= len(words):
                raise DeckError(f"{words[at]} needs a value", line=line)
            value = parse_value(words[at + 1], line)
            dc, ac = (value, ac) if words[at] == "dc" else (dc, value)
            at += 2
        elif at == 0:
            dc = parse_value(words[0], line)
            at = 1
        else:
            raise DeckError(f"“{words[at][:40]}” after a source's value is not understood", line=line)
    return dc, ac
