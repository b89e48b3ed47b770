"""What the marking of a regulator tells: its volts, current, dropout and highest input, and so what a board with it really wants.

The families by their generic numbers, from memory; a code of two to five signs on a tiny case is not decoded: it means something else with
each maker, and is to be looked up.
"""

from __future__ import annotations

import re
import tomllib
from functools import cache
from pathlib import Path

import msgspec
from msgspec.structs import replace

from pigtail.job.document import SupplyIn
from pigtail.language import said, tr
from pigtail.units.known import Basis, Known

TABLE = Path(__file__).parent / "data" / "markings.toml"
#: Output volts that these families are made for.
MADE_FOR = (1.2, 1.5, 1.8, 2.5, 2.85, 3.0, 3.3, 5.0, 6.0, 8.0, 9.0, 10.0, 12.0, 15.0, 18.0, 24.0)


class RegulatorFamily(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A family of regulators: current [A], dropout [V] and heat resistance [°C/W] low, usual and high, highest input [V]."""

    words: str
    amperes: float
    dropout: tuple[float, float, float]
    highest: float
    theta: tuple[float, float, float]
    negative: bool = False


class Decoded(msgspec.Struct, frozen=True):
    """What a marking tells: the family and the output volts [V], below nought for a negative one."""

    marking: str
    family: RegulatorFamily
    volts: float

    @property
    def lowest_input(self) -> float:
        """The least that holds its output [V]."""
        return abs(self.volts) + self.family.dropout[2]

    @property
    def sentence(self) -> str:
        """What it means for a board that has it."""
        f = self.family
        volts = (
            tr("{volts:g} V below its ground", volts=-self.volts) if self.volts < 0 else f"{self.volts:g} V"
        )
        return tr(
            "{marking} ({family}): {volts}, up to {amperes:g} A; a board with it wants {lowest:g} to {highest:g} V at that pin, or "
            "{behind:g} V behind it",
            marking=self.marking,
            family=f.words,
            volts=volts,
            amperes=f.amperes,
            lowest=self.lowest_input,
            highest=f.highest,
            behind=abs(self.volts),
        )


@cache
def _table() -> dict[str, dict[str, RegulatorFamily]]:
    return msgspec.convert(
        said("markings.toml", tomllib.loads(TABLE.read_text(encoding="utf-8"))),
        dict[str, dict[str, RegulatorFamily]],
    )


_FIXED = re.compile(r"[A-Z]{0,3}(78|79)(L|M|S)?(\d\d)[A-Z]{0,4}")
_LOW = re.compile(r"[A-Z]{0,4}1117[A-Z]{0,3}[-_ ]?(\d)[.V]?(\d{0,2})V?")


def decode(text: str) -> Decoded | None:
    """What a marking tells, or None for one that is to be looked up."""
    marking = re.sub(r"[^A-Z0-9.\-_ ]", "", text.upper()).strip()
    made: tuple[RegulatorFamily, float] | None = None
    if match := _FIXED.fullmatch(marking.replace(" ", "").replace("-", "")):
        number, size, volts = match.groups()
        family = _table()["fixed"].get(f"{number}{'' if size == 'S' else size or ''}")
        made = (family, float(volts)) if family else None
    elif match := _LOW.fullmatch(marking):
        whole, part = match.groups()
        made = _table()["low"]["1117"], float(f"{whole}.{part or 0}")
    if made is None or made[1] not in MADE_FOR:
        return None
    family, amount = made
    return Decoded(marking, family, -amount if family.negative else amount)


def behind(pin: SupplyIn) -> SupplyIn:
    """A supply pin with what the regulator behind it really wants; as it is where its marking is not decoded."""
    found = decode(pin.behind)
    if found is None or found.volts < 0:
        return pin
    low, usual, high = (found.volts + d for d in found.family.dropout)
    source, most = tr("the {marking} behind it", marking=found.marking), found.family.highest
    least = Known(nominal=usual, low=low, high=high, unit="V", basis=Basis.DOCUMENTED, source=source)
    return replace(pin, minimum=least, maximum=Known.of(most, "V", Basis.DOCUMENTED, source=source))
