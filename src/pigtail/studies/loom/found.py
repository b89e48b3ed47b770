"""What the study of the loom found. Free of numerical packages."""

from __future__ import annotations

import msgspec

from pigtail.job.build import Relief, ScreenAt
from pigtail.language import tr
from pigtail.studies.findings import Study


class LoomWire(msgspec.Struct, frozen=True):
    """One wire of the loom: its number, what it joins, colour, gauge [AWG], length to cut [m] or None, and whether screened.

    a, b: the addresses that it joins, b empty where it ends at the network of its link. screen, relief: what is planned. ohms: its
    resistance [Ω]; drop: what falls along it at the largest current of its pin [V]; None where unknown. fine: whether a joint of it is one
    that a shake breaks; side: whether an end of it lies beside another lead, and so needs a sleeve of its own; guessed: nobody measured
    its length."""

    number: int
    link: str
    port: str
    function: str
    start: str
    end: str
    colour: str
    gauge: int
    length: float | None
    screened: bool
    route: str
    a: str = ""
    b: str = ""
    screen: ScreenAt = ScreenAt.UNSAID
    twist: str = ""
    relief: Relief = Relief.UNSAID
    ohms: float | None = None
    drop: float | None = None
    fine: bool = False
    side: bool = False
    guessed: bool = False

    @property
    def cut(self) -> str:
        """What it is cut to, in words: how long, and whether nobody measured that."""
        if self.length is None:
            return tr("length ?")
        if self.length == 0:
            return tr("on the part")
        return f"{100 * self.length:.0f} cm" + (" (guess)" if self.guessed else "")


class PartLine(msgspec.Struct, frozen=True):
    """One line of the parts list: where it is, what, its value, what to heed, and its designator on the little board."""

    reference: str
    words: str
    value: str
    note: str
    link: str
    name: str = ""


class Supplies(msgspec.Struct, frozen=True):
    """What the loom needs besides its wires: sleeves, ties, and the labels to print, two a wire; kinds of wire with their whole length [m],
    None where a length is not known."""

    sleeves: int = 0
    ties: int = 0
    labels: tuple[str, ...] = ()
    wire: tuple[tuple[str, float | None], ...] = ()


class LoomFound(Study, frozen=True):
    """The loom and the parts list with the findings about them; usual: the usual colour of what a wire carries."""

    wires: tuple[LoomWire, ...] = ()
    parts: tuple[PartLine, ...] = ()
    supplies: Supplies = Supplies()
    usual: tuple[tuple[str, str], ...] = ()


FOUND = LoomFound
