"""Whether a circuit can have an answer: a node that floats and a loop of sources are found before numbers hide them."""

from __future__ import annotations

from collections.abc import Iterable

from pigtail.circuit.errors import CircuitError, FloatingNodeError, SourceLoopError
from pigtail.circuit.netlist import Circuit, Element
from pigtail.units.groups import Groups
from pigtail.units.store import Store

#: Between which of its nodes each kind of element lets direct current pass.
CONDUCTING = {
    "r": ((0, 1),), "l": ((0, 1),), "v": ((0, 1),), "e": ((0, 1),), "h": ((0, 1),), "bv": ((0, 1),),
    "d": ((0, 1),), "q": ((0, 1), (1, 2)), "m": ((0, 2), (3, 2)), "s": ((0, 1),),
}  # fmt: skip
#: Elements that fix a voltage and may therefore not close a loop.
STIFF = frozenset(("v", "e", "h", "l", "bv"))
_Pair = tuple[Element, str, str]


def check_structure(circuit: Circuit, *, from_charge: bool = False) -> None:
    """Raise FloatingNodeError or SourceLoopError for a circuit without an answer.

    from_charge: the run starts from charges that are given, so that a capacitor holds its node.
    """
    key = (circuit.structure, from_charge)
    if key in _SOUND:
        return
    if not circuit.elements:
        raise CircuitError("the circuit has no elements")
    kinds = CONDUCTING | ({"c": ((0, 1),)} if from_charge else {})
    pairs = [(e, e.nodes[a], e.nodes[b]) for e in circuit.elements for a, b in kinds.get(e.kind, ())]
    grounded, _ = _groups(pairs)
    home = grounded.get("0", "0")
    for node in circuit.nodes:
        if grounded.get(node, node) != home:
            raise FloatingNodeError(
                f"the node {node} has no path for direct current to node 0; add a resistor or a return",
                node=node,
            )
    stiff = STIFF - {"l"} if from_charge else STIFF
    _, loop = _groups([p for p in pairs if p[0].kind in stiff])
    if loop:
        raise SourceLoopError(
            f"{loop.name} closes a loop of voltage sources or inductors; put a resistance in it",
            line=loop.line,
            element=loop.name,
        )
    _SOUND.put(key, True)


def _groups(pairs: Iterable[_Pair]) -> tuple[dict[str, str], Element | None]:
    """Union of nodes joined by elements, and the first element that closes a loop."""
    groups = Groups()
    loop: Element | None = None
    for element, a, b in pairs:
        if not groups.join(a, b):
            loop = loop or element
    return groups.all(), loop


#: Structures that were found sound already.
_SOUND: Store[object, bool] = Store(f"{__name__}._SOUND", 64)
