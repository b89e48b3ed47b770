"""Deck text in: the SPICE-style subset that the catalogue and the compile step are written in, and what people bring.

Elements R C L K V I E G F H B D Q M S X; cards .param .model .subckt .ends .op .dc .ac .noise .tran .temp .options .end.
Subcircuits are expanded while reading: element R1 of instance X7 becomes `r1.x7`, its inner node n `x7.n`.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping

import msgspec

from pigtail.circuit.cards import IGNORED, NOTED, read_analysis, read_model, read_options
from pigtail.circuit.elements import TIME, read_element, renamed
from pigtail.circuit.errors import DeckError, MissingModelError
from pigtail.circuit.expressions import Expression, bounded, substitute
from pigtail.circuit.lines import Line, assignments, logical_lines, split_options
from pigtail.circuit.netlist import Analysis, Circuit, Element, ModelCard, Options, Waveform
from pigtail.units.store import remembered

MAX_DEPTH = 12
MAX_CHARACTERS = 2_000_000
MAX_ELEMENTS = 20_000


class _Subcircuit(msgspec.Struct):
    name: str
    ports: tuple[str, ...]
    defaults: dict[str, Expression]
    body: list[Line] = msgspec.field(default_factory=list)


class _Scope(msgspec.Struct):
    """What a body sees: where it is, its ports, its parameters, the models and subcircuits of its surroundings."""

    path: str
    ports: dict[str, str]
    names: dict[str, Expression]
    models: dict[str, ModelCard]
    subcircuits: dict[str, _Subcircuit]
    count: list[int]
    depth: int = 0

    def node(self, text: str) -> str:
        text = "0" if text == "gnd" else text
        return self.ports.get(text, text if text == "0" or not self.path else f"{self.path}.{text}")

    def element(self, name: str) -> str:
        return f"{name}.{self.path}" if self.path else name


#: A parameter of a plain value, on a line of its own.
_PLAIN = re.compile(r"^\.param ([a-z_]\w*)=(-?\d+(?:\.\d*)?(?:e[+-]?\d+)?)$", re.MULTILINE)


def parse(text: str) -> Circuit:
    """Read deck text; the first line is its title. Raises DeckError with the line and the mend.

    Decks that differ in the values of parameters alone are read once.
    """
    if len(text) > MAX_CHARACTERS:
        raise DeckError(f"the deck is longer than {MAX_CHARACTERS:,} characters")
    title, _, rest = text.partition("\n")
    plain = _PLAIN.findall(rest)
    values = {name: float(value) for name, value in plain}
    if len(values) == len(plain):
        circuit = _parse(_PLAIN.sub(r".param \1=0", rest))
        if values.keys() <= {name for name, _ in circuit.parameters}:
            return circuit.with_values(title.strip(), values)
    return _parse(rest).with_values(title.strip(), {})


@remembered(64)
def _parse(rest: str) -> Circuit:
    subcircuits, top = _sort(logical_lines(rest))
    parameters: list[tuple[str, Expression]] = []
    analyses: list[Analysis] = []
    options, notes, body = Options(), list[str](), list[Line]()
    for line in top:
        card = line.words[0]
        if card == ".param":
            parameters += assignments(line.words[1:], line.number).items()
        elif card in (".options", ".option", ".temp"):
            options, more = read_options(options, line)
            notes += more
        elif (analysis := read_analysis(line)) is not None:
            analyses.append(analysis)
        elif card in NOTED:
            notes.append(f"line {line.number}: {card} is not carried out")
        elif card not in IGNORED:
            body.append(line)
    scope = _Scope("", {}, {}, {}, subcircuits, [0])
    elements = tuple(_flatten(body, scope, notes))
    _check_names(elements)
    _check_parameters(parameters)
    return Circuit("", tuple(parameters), elements, tuple(analyses), options, tuple(notes))


def _check_names(elements: tuple[Element, ...]) -> None:
    counts = Counter(e.name for e in elements)
    names = {e.name: e for e in elements}
    for element in elements:
        if counts[element.name] > 1:
            raise DeckError(f"there are two elements called {element.name}; rename one", line=element.line)
        wanted = "l" if element.kind == "k" else "vlehbv"
        for sense in element.senses:
            if sense not in names or names[sense].kind[0] not in wanted:
                kind = "inductor" if element.kind == "k" else "voltage source"
                raise DeckError(
                    f"{element.name} refers to {sense}, and there is no such {kind}", line=element.line
                )


def _check_parameters(parameters: Iterable[tuple[str, Expression]]) -> None:
    taken = TIME.name
    for name, _ in parameters:
        if name == taken:
            raise DeckError(f"{taken} cannot be the name of a parameter; it is the time in a relation")


def _sort(lines: Iterable[Line]) -> tuple[dict[str, _Subcircuit], list[Line]]:
    """Split the lines into subcircuit definitions and the top level."""
    subcircuits: dict[str, _Subcircuit] = {}
    top: list[Line] = []
    current: _Subcircuit | None = None
    for line in lines:
        word = line.words[0]
        if word == ".subckt":
            if current or len(line.words) < 3:
                raise DeckError(".subckt needs a name and ports, outside any other .subckt", line=line.number)
            plain, named = split_options(line.words[2:])
            ports = tuple(w for w in plain if w != "params:")
            current = _Subcircuit(line.words[1], ports, assignments(named, line.number))
            subcircuits[current.name] = current
        elif word == ".ends":
            if current is None:
                raise DeckError(".ends without a .subckt", line=line.number)
            current = None
        elif word == ".end":
            break
        elif current:
            current.body.append(line)
        else:
            top.append(line)
    if current:
        raise DeckError(f"the subcircuit {current.name} has no .ends")
    return subcircuits, top


def _flatten(body: list[Line], scope: _Scope, notes: list[str]) -> Iterator[Element]:
    """Elements of a body with its ports joined to outer nodes and its parameters written out."""
    if scope.depth > MAX_DEPTH:
        raise DeckError(f"subcircuits are nested more than {MAX_DEPTH} deep; does one call itself?")
    for line in body:
        if line.words[0] == ".model":
            model, more = read_model(line)
            notes += [n for n in more if n not in notes]
            scope.models[model.name] = _given(model, scope)
    for line in body:
        word = line.words[0]
        if word == ".param":
            for key, value in assignments(line.words[1:], line.number).items():
                scope.names[key] = bounded(substitute(value, scope.names), line.number)
        elif word[0] == "x":
            _count(scope, line)
            yield from _instance(line, scope, notes)
        elif word[0] != ".":
            _count(scope, line)
            yield _element(line, scope)
        elif word != ".model" and word not in IGNORED:
            raise DeckError(f"the card {word} is not known here", line=line.number)


def _count(scope: _Scope, line: Line) -> None:
    """Count an element or a call of a subcircuit, of the whole circuit as it is written out."""
    scope.count[0] += 1
    if scope.count[0] > MAX_ELEMENTS:
        raise DeckError(f"the circuit has more than {MAX_ELEMENTS:,} elements", line=line.number)


def _given(model: ModelCard, scope: _Scope) -> ModelCard:
    name = scope.element(model.name)
    return ModelCard(name, model.type, tuple((k, substitute(v, scope.names)) for k, v in model.parameters))


def _element(line: Line, scope: _Scope) -> Element:
    """An element with its nodes, names and parameters as seen from the top."""
    raw = read_element(line)
    element, names = raw.element, scope.names
    waveform = element.waveform
    value = renamed(element.value, scope.node, scope.element) if element.kind[0] == "b" else element.value
    return Element(
        element.kind,
        scope.element(element.name),
        tuple(map(scope.node, element.nodes)),
        bounded(substitute(value, names), line.number),
        substitute(element.ac, names),
        substitute(element.phase, names),
        waveform and Waveform(waveform.kind, tuple(substitute(a, names) for a in waveform.arguments)),
        tuple(map(scope.element, element.senses)),
        _model(raw.model, element, scope) if raw.model else None,
        tuple((k, substitute(v, names)) for k, v in element.options),
        element.line,
    )


def _model(name: str, element: Element, scope: _Scope) -> ModelCard:
    model = scope.models.get(name)
    if model is None:
        raise MissingModelError(
            f"{element.name} is of the model {name}, which is not in the deck; add a .model {name} line",
            line=element.line,
            element=element.name,
        )
    from pigtail.circuit.devices import LETTERS, kind_of_model

    kind = kind_of_model(model.type)
    if kind is None or kind.name != LETTERS[element.kind]:
        raise MissingModelError(
            f"{element.name} cannot be of the model {name}, whose type is {model.type}",
            line=element.line,
            element=element.name,
        )
    return model


def _instance(line: Line, scope: _Scope, notes: list[str]) -> Iterator[Element]:
    """Elements of a subcircuit call (X)."""
    plain, named = split_options(line.words)
    if not plain:
        raise DeckError(f"{line.words[0]} is followed by no nodes and no subcircuit", line=line.number)
    outer = [w for w in plain[1:] if w != "params:"]
    called = outer.pop() if outer else ""
    sub = scope.subcircuits.get(called)
    if sub is None:
        raise MissingModelError(
            f"{plain[0]} calls the subcircuit {called or '(none)'}, which is not defined", line=line.number
        )
    if len(outer) != len(sub.ports):
        raise DeckError(
            f"{plain[0]} joins {len(outer)} nodes, but {called} has {len(sub.ports)} ports", line=line.number
        )
    given = _substituted(assignments(named, line.number), scope.names, line.number)
    stray = set(given) - set(sub.defaults)
    if stray:
        raise DeckError(f"{called} has no parameter {sorted(stray)[0]}", line=line.number)
    inner = _Scope(
        f"{scope.path}.{plain[0]}" if scope.path else plain[0],
        dict(zip(sub.ports, map(scope.node, outer), strict=True)),
        dict(sub.defaults) | given,
        dict(scope.models),
        scope.subcircuits,
        scope.count,
        scope.depth + 1,
    )
    yield from _flatten(sub.body, inner, notes)


def _substituted(
    values: Mapping[str, Expression], names: Mapping[str, Expression], line: int
) -> dict[str, Expression]:
    return {k: bounded(substitute(v, names), line) for k, v in values.items()}
