"""The cascades of the trade for a feed, which of them suit the feed in hand, and through what values their parts run."""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path

import msgspec
import numpy as np

from pigtail.catalogue.stock import Stock, load_stock, stock_of
from pigtail.catalogue.topologies import E96_TOLERANCE, topologies
from pigtail.job.document import AudioIn, AudioOut, Job, Link, Trait, Use, Way
from pigtail.job.errors import EditError
from pigtail.language import said, tr
from pigtail.studies.level.aim import has_own_dc
from pigtail.units.series import members

TABLE = Path(__file__).parent / "data" / "shapes.toml"
#: DC that no capacitor is needed for [V].
NO_BIAS_V = 0.02
#: A source from here on, and every resistor sum, is weak: what follows loads it [Ω].
WEAK_OHM = 2000.0
TURNS = 19
#: A part in stock takes the place of a usual one within this factor.
NEAR = 3.5

Run = tuple[str, float, float]


class Member(msgspec.Struct, frozen=True):
    """A cascade of a family: its networks, the parts that run through values, those that follow, those that are as good as
    absent. `shift`: by how many networks the family's places are ahead of its own."""

    words: str
    sections: tuple[str, ...]
    vary: dict[str, Run] = {}
    then: dict[str, Run] = {}
    absent: dict[str, float] = {}
    shift: int = 0


class Family(msgspec.Struct, frozen=True):
    """Cascades solved on one netlist; `when` they suit, `set` values that are not the usual ones."""

    sections: tuple[str, ...]
    member: tuple[Member, ...]
    when: tuple[str, ...] = ()
    set: dict[str, float] = {}


class Sum(msgspec.Struct, frozen=True):
    """How two outputs are held apart before each cascade."""

    sections: dict[str, str]
    vary: Run


class Shapes(msgspec.Struct, frozen=True):
    """All families."""

    family: tuple[Family, ...]
    sum: Sum


@cache
def table() -> Shapes:
    """The families."""
    return msgspec.convert(said("shapes.toml", tomllib.loads(TABLE.read_text(encoding="utf-8"))), Shapes)


def families() -> tuple[Family, ...]:
    """The families of the table, and one for each topology of the catalogue that says by itself how it is tried."""
    found = list(table().family)
    for shape in topologies().values():
        if shape.tried is not None:
            vary, then = (
                {f"0.{k}": v for k, v in runs.items()} for runs in (shape.tried.vary, shape.tried.then)
            )
            member = Member(shape.short, (shape.key,), vary, then)
            found.append(Family((shape.key,), (member,), shape.tried.when))
    return tuple(found)


class Wish(msgspec.Struct, frozen=True):
    """How a search chooses parts: from the series that suit each, from one series for all, or only from the stock."""

    series: str = ""
    stock: Stock = Stock()
    only_stock: bool = False

    @property
    def tolerance(self) -> float:
        """What the resistors that are searched for are made to, at worst. A ratio [1]."""
        return E96_TOLERANCE if self.series in ("E48", "E96") else np.inf

    def values(self, run: Run, kind: str) -> tuple[float, ...]:
        """The values that a part runs through. In SI [Ω, F], or turns of a control [0 to 1]."""
        series, low, high = run
        if series == "turns":
            return tuple(np.linspace(low, high, TURNS).round(3).tolist())
        if self.only_stock:
            held = self.stock.capacitors if kind == "capacitor" else self.stock.resistors
            return tuple(sorted(v for v in held if low <= v <= high))
        return members(self.series if self.series and kind == "resistor" else series, low, high)

    def usual(self, value: float, kind: str) -> float:
        """A part that is not searched for: its usual value, or what is in stock and near it. Both in SI [Ω, F]."""
        held = self.stock.capacitors if kind == "capacitor" else self.stock.resistors
        near = [v for v in held if value / NEAR <= v <= value * NEAR]
        return min(near, key=lambda v: abs(np.log(v / value))) if self.only_stock and near else value


def wish_of(series: str = "", *, only_stock: bool = False) -> Wish:
    """How parts are chosen: from a series, or only from the library's stock. Raises EditError for an empty stock."""
    stock = stock_of(load_stock())
    if only_stock and not stock:
        raise EditError(
            tr("no parts are listed yet; `pigtail stock FILE` takes a list such as 4k7 x20"), value="stock"
        )
    return Wish(series, stock, only_stock)


def traits_of(job: Job, link: Link) -> set[str]:
    """What is true of a feed, in the words of the table."""
    (sink,) = link.at("out")
    end = job.terminal(sink)
    sources = [t for a in link.starts if isinstance(t := job.terminal(a), AudioOut)]
    assert isinstance(end, AudioIn)
    found = {end.use.value}
    if end.use is Use.LINE:
        found.add(
            "equalised" if end.has(Trait.EQUALISED) else "passive" if end.has(Trait.PASSIVE_NODE) else "plain"
        )
    own = has_own_dc(end)
    biases = [*(t.bias for t in sources), *([] if own else [end.dc])]
    if own:
        found.add("own dc")
    elif all(b is None or max(abs(b.low), abs(b.high)) <= NO_BIAS_V for b in biases):
        found.add("may be unbiased")
    weak = any(t.impedance is None or t.impedance.nominal > WEAK_OHM for t in sources)
    if weak or len(sources) > 1:
        found.add("weak")
    if any(t.way is not Way.FULL for t in sources):
        found.add("ways")
    return found


def suits(family: Family, traits: set[str]) -> bool:
    """Whether a family is worth trying; “quiet” is left to the search, which finds it out."""
    for word in family.when:
        if word.startswith("not "):
            if word[4:] in traits:
                return False
        elif word not in traits and word != "quiet":
            return False
    return True
