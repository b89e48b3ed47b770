"""One element line of a deck: what each letter takes, and how it is read."""

from __future__ import annotations

import re
from collections.abc import Callable

import msgspec

from pigtail.circuit.errors import DeckError
from pigtail.circuit.expressions import Call, Expression, Name, Number, Probe, parse_expression, parse_value
from pigtail.circuit.lines import Line, assignments, split_options
from pigtail.circuit.netlist import NOTHING, Element, Waveform

#: How many numbers each waveform takes: at least, at most.
WAVEFORMS = {"sin": (2, 6), "pulse": (2, 8), "exp": (2, 6), "pwl": (2, 2000)}
#: What may be given by name, beside a device's own instance parameters.
PASSIVE_OPTIONS = {"r": {"tc1", "tc2", "temp", "m"}, "c": {"ic", "m"}, "l": {"ic", "m"}}
DEVICE_OPTIONS = {"ic", "temp", "dtemp"}
_RELATION = re.compile(r"\s*(v|i|vol|cur|value)\s*=\s*(.+)", re.DOTALL)


class Raw(msgspec.Struct, frozen=True):
    """An element as read, with the name of its model where it has one."""

    element: Element
    model: str = ""


def read_element(line: Line) -> Raw:
    """Read an element line; raises DeckError with the line and the mend."""
    reader = _READERS.get(line.words[0][0])
    if reader is None:
        known = " ".join(k.upper() for k in (*_READERS, "x"))
        raise DeckError(f"the element {line.words[0]} is of no known kind ({known})", line=line.number)
    return reader(line)


def _nodes(line: Line, count: int, and_then: str = "a value") -> tuple[str, ...]:
    if len(line.words) < count + 2:
        raise DeckError(f"{line.words[0]} needs {count} nodes and {and_then}", line=line.number)
    nodes = line.words[1 : count + 1]
    if "=" in nodes or any(n[0] in "{'" for n in nodes):
        raise DeckError(f"{line.words[0]} needs {count} nodes before its value", line=line.number)
    return tuple("0" if n == "gnd" else n for n in nodes)


def _passive(line: Line) -> Raw:
    kind = line.words[0][0]
    nodes = _nodes(line, 2)
    plain, named = split_options(line.words[3:])
    options = assignments(_temperature(named), line.number)
    if not plain and kind in options:
        value = options.pop(kind)
    elif len(plain) == 1:
        value = parse_value(plain[0], line.number)
    else:
        raise DeckError(f"one value is wanted, not “{' '.join(plain)[:40]}”", line=line.number)
    _known(options, PASSIVE_OPTIONS[kind], line)
    return Raw(Element(kind, line.words[0], nodes, value, options=tuple(options.items()), line=line.number))


def _temperature(words: tuple[str, ...]) -> tuple[str, ...]:
    """`tc = 1m 2u` written as tc1 and tc2."""
    if words[:2] != ("tc", "="):
        return words
    if len(words) > 3 and (len(words) == 4 or words[4] != "="):
        return ("tc1", "=", words[2], "tc2", "=", *words[3:])
    return ("tc1", *words[1:])


def _known(options: dict[str, Expression], allowed: set[str], line: Line) -> None:
    for name in options:
        if name not in allowed:
            raise DeckError(
                f"{line.words[0]} does not take {name}=; it takes {', '.join(sorted(allowed))}",
                line=line.number,
            )


def _coupling(line: Line) -> Raw:
    if len(line.words) != 4:
        raise DeckError(f"write {line.words[0]} as K1 L1 L2 0.99", line=line.number)
    value = parse_value(line.words[3], line.number)
    return Raw(Element("k", line.words[0], (), value, senses=line.words[1:3], line=line.number))


def _source(line: Line) -> Raw:
    words, number = line.words, line.number
    nodes = _nodes(line, 2) if len(words) > 3 else _nodes(Line(number, line.text, (*words, "0")), 2)
    dc: Expression | None = None
    ac: Expression = NOTHING
    phase: Expression = NOTHING
    waveform: Waveform | None = None
    at = 3
    while at < len(words):
        word = words[at]
        if word in WAVEFORMS:
            end = at + 1
            while end < len(words) and words[end] not in ("dc", "ac", *WAVEFORMS):
                end += 1
            waveform = _waveform(word, words[at + 1 : end], number)
            at = end
        elif word in ("dc", "ac"):
            if at + 1 >= len(words):
                raise DeckError(f"{word} needs a value", line=number)
            value = parse_value(words[at + 1], number)
            at += 2
            if word == "dc":
                dc = value
            else:
                ac = value
                if at < len(words) and words[at] not in ("dc", *WAVEFORMS):
                    phase = parse_value(words[at], number)
                    at += 1
        elif at == 3:
            dc = parse_value(word, number)
            at += 1
        else:
            raise DeckError(f"“{word[:40]}” after a source's value is not understood", line=number)
    options = () if dc is None else (("dc", dc),)
    value = dc if dc is not None else NOTHING
    return Raw(
        Element(words[0][0], words[0], nodes, value, ac, phase, waveform, options=options, line=number)
    )


def _waveform(kind: str, words: tuple[str, ...], line: int) -> Waveform:
    least, most = WAVEFORMS[kind]
    if not least <= len(words) <= most or (kind == "pwl" and len(words) % 2):
        wanted = "pairs of time and value" if kind == "pwl" else f"{least} to {most} numbers"
        raise DeckError(f"{kind.upper()}( ) takes {wanted}", line=line)
    return Waveform(kind, tuple(parse_value(w, line) for w in words))


def _controlled(line: Line) -> Raw:
    kind = line.words[0][0]
    if len(line.words) > 3 and line.words[3] in ("value", "vol", "cur"):
        return _relation(line, "bv" if kind == "e" else "bi")
    nodes = _nodes(line, 4)
    return Raw(Element(kind, line.words[0], nodes, _single(line, 5), line=line.number))


def _sensing(line: Line) -> Raw:
    nodes = _nodes(line, 2, "the name of a source and a gain")
    if len(line.words) != 5:
        raise DeckError(f"write {line.words[0]} as {line.words[0]} OUT RETURN SOURCE GAIN", line=line.number)
    kind = line.words[0][0]
    value = parse_value(line.words[4], line.number)
    return Raw(Element(kind, line.words[0], nodes, value, senses=(line.words[3],), line=line.number))


def _single(line: Line, at: int) -> Expression:
    if len(line.words) != at + 1:
        raise DeckError(f"one value is wanted, not “{' '.join(line.words[at:])[:40]}”", line=line.number)
    return parse_value(line.words[at], line.number)


def _behavioural(line: Line) -> Raw:
    nodes = _nodes(line, 2, "v=… or i=…")
    form = line.words[3]
    if form not in ("v", "i"):
        raise DeckError(f"{line.words[0]} needs v=… or i=… after its nodes", line=line.number)
    return _relation(line, f"b{form}", nodes)


def _relation(line: Line, kind: str, nodes: tuple[str, ...] = ()) -> Raw:
    nodes = nodes or _nodes(line, 2)
    rest = line.text.split(None, 3)
    match = _RELATION.match(rest[3]) if len(rest) == 4 else None
    if not match:
        raise DeckError(f"{line.words[0]} needs a relation such as v={{2*v(in)}}", line=line.number)
    text = match[2].strip()
    if len(text) > 1 and (text[0], text[-1]) in (("{", "}"), ("'", "'")):
        text = text[1:-1]
    value = parse_expression(text.replace("{", "(").replace("}", ")"), line.number, probing=True)
    return Raw(Element(kind, line.words[0], nodes, value, line=line.number))


def _device(line: Line) -> Raw:
    letter = line.words[0][0]
    from pigtail.circuit.devices import LETTERS, device_kinds

    kind = device_kinds()[LETTERS[letter]]
    plain, named = split_options(line.words)
    count = len(kind.nodes)
    if letter == "q" and len(plain) > 5 and not _numeric(plain[5]) and plain[5] not in ("on", "off"):
        plain = (*plain[:4], *plain[5:])  # the substrate of a bipolar transistor stands apart here
    if len(plain) < count + 2:
        raise DeckError(f"{line.words[0]} needs {count} nodes and a model", line=line.number)
    nodes = tuple("0" if n == "gnd" else n for n in plain[1 : count + 1])
    options = assignments(named, line.number)
    _known(options, set(kind.instance) | DEVICE_OPTIONS, line)
    for word in plain[count + 2 :]:
        if word in ("on", "off"):
            options["on"] = Number(float(word == "on"))
        elif "area" in kind.instance and "area" not in options:
            options["area"] = parse_value(word, line.number)
        else:
            raise DeckError(f"“{word[:40]}” after the model is not understood", line=line.number)
    element = Element(letter, line.words[0], nodes, options=tuple(options.items()), line=line.number)
    return Raw(element, plain[count + 1])


def _numeric(word: str) -> bool:
    return word[0].isdigit() or word[0] in ".{'"


_READERS: dict[str, Callable[[Line], Raw]] = {
    "r": _passive, "c": _passive, "l": _passive, "k": _coupling, "v": _source, "i": _source,
    "e": _controlled, "g": _controlled, "f": _sensing, "h": _sensing, "b": _behavioural,
    "d": _device, "q": _device, "m": _device, "s": _device,
}  # fmt: skip


def renamed(expression: Expression, node: Callable[[str], str], element: Callable[[str], str]) -> Expression:
    """A relation with the nodes and sources that it reads called by other names."""
    if isinstance(expression, Probe):
        rename = node if expression.kind == "v" else element
        return Probe(expression.kind, tuple(rename(n) for n in expression.names))
    if isinstance(expression, Call):
        return Call(expression.function, tuple(renamed(a, node, element) for a in expression.arguments))
    return expression


#: A name that stands for the time in a relation, not for a parameter.
TIME = Name("time")
