"""Deck text out: a circuit as text that reads back to the same circuit."""

from __future__ import annotations

from collections.abc import Iterator

from pigtail.circuit.expressions import Expression, Number, write
from pigtail.circuit.netlist import (
    NOTHING,
    AcCard,
    Analysis,
    Circuit,
    DirectSweep,
    Element,
    ModelCard,
    NoiseCard,
    OperatingPoint,
    Options,
    Transient,
)

WIDTH = 100


def to_deck(circuit: Circuit) -> str:
    """The deck text of a circuit, subcircuits written out; `parse` gives the same circuit back but for line numbers."""
    lines = [circuit.title]
    lines += [f".param {name}={_value(value)}" for name, value in circuit.parameters]
    models = dict.fromkeys(e.model for e in circuit.elements if e.model is not None)
    lines += [_model(m) for m in models]
    lines += [_element(e) for e in circuit.elements]
    lines += _options(circuit.options)
    lines += [_analysis(a) for a in circuit.analyses]
    return "\n".join(piece for line in lines for piece in _folded(line)) + "\n.end\n"


def _folded(line: str) -> Iterator[str]:
    """A long line as a first one and continuations, broken at spaces outside braces."""
    current = ""
    depth = 0
    for word in line.split(" "):
        if depth == 0 and current and len(current) + len(word) > WIDTH:
            yield current
            current = "+ " + word
        else:
            current = f"{current} {word}" if current else word
        depth += word.count("{") - word.count("}")
    yield current


def _value(expression: Expression) -> str:
    return f"{expression.value!r}" if isinstance(expression, Number) else f"{{{write(expression)}}}"


def _model(model: ModelCard) -> str:
    given = " ".join(f"{_parameter(k)}={_value(v)}" for k, v in model.parameters)
    return f".model {model.name} {model.type}({given})"


def _parameter(key: str) -> str:
    """A parameter under the name that decks use, where ours differs to keep it from an instance's."""
    return key.rstrip("_")


def _element(element: Element) -> str:
    words = [element.name, *element.nodes, *element.senses]
    options = dict(element.options)
    if element.kind in ("v", "i"):
        dc = options.pop("dc", None)
        words += ["dc", _value(dc)] if dc is not None else []
        if element.ac != NOTHING or element.phase != NOTHING:
            words += ["ac", _value(element.ac), _value(element.phase)]
        if element.waveform:
            words.append(f"{element.waveform.kind}({' '.join(map(_value, element.waveform.arguments))})")
        if len(words) == 1 + len(element.nodes):
            words.append("0")
    elif element.kind in ("bv", "bi"):
        words.append(f"{element.kind[1]}={write(element.value)}")
    elif element.model is not None:
        words.append(element.model.name)
        on = options.pop("on", None)
        words += [] if on is None else ["on" if on == Number(1.0) else "off"]
    else:
        words.append(_value(element.value))
    return " ".join([*words, *(f"{k}={_value(v)}" for k, v in options.items())])


def _options(options: Options) -> Iterator[str]:
    default = Options()
    words = [
        f"{name}={value if isinstance(value, str) else repr(value)}"
        for name in options.__struct_fields__
        if (value := getattr(options, name)) != getattr(default, name)
    ]
    if words:
        yield ".options " + " ".join(words)


def _sweep(sweep: AcCard) -> str:
    return f"{sweep.spacing} {sweep.points} {sweep.start_hz!r} {sweep.stop_hz!r}"


def _direct(sweep: DirectSweep) -> str:
    own = f"{sweep.source} {sweep.start!r} {sweep.stop!r} {sweep.step!r}"
    return f"{own} {_direct(sweep.outer)}" if sweep.outer else own


def _analysis(analysis: Analysis) -> str:
    match analysis:
        case OperatingPoint():
            return ".op"
        case AcCard():
            return f".ac {_sweep(analysis)}"
        case NoiseCard(node, against, source, sweep):
            return f".noise v({node},{against}) {source} {_sweep(sweep)}"
        case DirectSweep():
            return f".dc {_direct(analysis)}"
        case Transient(step, stop, start, largest, initial):
            times = f"{step!r} {stop!r} {start!r} {largest!r}"
            return f".tran {times}{' uic' if initial else ''}"
