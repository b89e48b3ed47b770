"""How large parts are, and what a network needs besides the parts that are bought by value: two tables, read strictly."""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path

import msgspec

from pigtail.catalogue.topologies import FILM_F, topology
from pigtail.job.document import Part, Plus
from pigtail.language import said

DATA = Path(__file__).parent / "data"
#: Distance of the holes of a board [mm].
PITCH = 2.54


class Form(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The outline of a part: how far apart its two leads may be, and at which of those distances it stands on end, in steps of the board;
    or the holes of its several pins [column, row]; its body [mm]: across the strips, along them, and its height above the board.
    """

    wide: float
    tall: float
    high: float = 0.0
    spans: tuple[int, ...] = ()
    stands: tuple[int, ...] = ()
    pins: tuple[tuple[int, int], ...] = ()

    @property
    def straddles(self) -> bool:
        """Whether its pins lie in two columns, so that the copper between them must be cut."""
        return any(column for column, _ in self.pins)


class Body(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A part that a network needs besides what is bought by value: the letter of its designator, what it is, its form, the node of the
    subcircuit on each of its pins."""

    name: str
    words: str
    form: str
    pins: dict[str, str]


class Bodies(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a topology has on a board; see the table."""

    bodies: tuple[Body, ...] = ()
    same: tuple[tuple[str, str], ...] = ()
    wires: tuple[str, ...] = ()
    lights: tuple[tuple[str, str], ...] = ()
    apart: bool = False


@cache
def forms() -> dict[str, Form]:
    """All forms by their name."""
    return msgspec.convert(tomllib.loads((DATA / "forms.toml").read_text(encoding="utf-8")), dict[str, Form])


@cache
def _table() -> dict[str, Bodies]:
    return msgspec.convert(
        said("bodies.toml", tomllib.loads((DATA / "bodies.toml").read_text(encoding="utf-8"))),
        dict[str, Bodies],
    )


def bodies_of(key: str) -> Bodies:
    """What a topology has on a board: as the table says of it, else as of the one that it is like."""
    table = _table()
    while key not in table:
        like = topology(key).like
        if not like:
            return Bodies()
        key = like
    return table[key]


#: The letters of the legs, in the order of the pins, for the usual kinds of parts. From memory; the data sheet decides.
LEGS = {
    "PNP": "CBE", "NPN": "CBE", "NPN pair of high gain": "CBE", "P-MOSFET": "SGD", "N-MOSFET": "SGD", "junction FET": "DSG",
    "78L05 kind": "OGI", "7805 kind": "IGO",
}  # fmt: skip

#: The form of a resistor: the most watts that one is for, smallest first.
_RESISTOR = ((0.3, "resistor"), (0.6, "resistor_half"), (1.2, "resistor_one"))
#: The diameter of an electrolytic capacitor: the most that volts times farads may be for a form, smallest first [V·F]. Usual catalogue
#: sizes of low-voltage kinds, from memory.
_ELECTROLYTIC = (
    (2.5e-3, "electrolytic5"), (5.5e-3, "electrolytic6"), (12e-3, "electrolytic8"), (25e-3, "electrolytic10"),
    (60e-3, "electrolytic13"), (120e-3, "electrolytic16"),
)  # fmt: skip
#: Up to this a capacitor is a ceramic disc or block [F]; up to this a film one is small.
_CERAMIC_F, _SMALL_FILM_F = 22e-9, 0.68e-6
#: What an electrolytic is rated for where nobody says [V].
_USUAL_V = 25.0


def form_of(kind: str, part: Part, *, audio: bool) -> str:
    """The form of a part that is bought by its value and rating; in an audio path small capacitors are film."""
    if kind == "resistor":
        watts = part.rating.nominal if part.rating is not None else 0.25
        return next((form for most, form in _RESISTOR if watts <= most), "resistor_five")
    farads = part.value.nominal
    if farads <= FILM_F or part.plus is Plus.FILM:
        if farads <= _CERAMIC_F or (not audio and farads <= FILM_F / 2):
            return "ceramic"
        return "film" if farads <= _SMALL_FILM_F else "film_large"
    volts = part.rating.nominal if part.rating is not None else _USUAL_V
    return next((form for most, form in _ELECTROLYTIC if volts * farads <= most), "electrolytic18")
