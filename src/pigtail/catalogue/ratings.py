"""What capacitors and resistors are sold for: one table for what is offered, asked for and judged."""

from __future__ import annotations

import tomllib
from functools import cache

import msgspec

from pigtail.catalogue.topologies import data


class _Capacitor(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    volts: tuple[float, ...]
    margin: float
    reservoir: float = 1.2


class _Resistor(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    watts: tuple[float, ...]
    usual: float
    volts: float
    margin: float
    stands: tuple[tuple[float, float], ...]


class Ratings(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Ratings: of capacitors [V], of resistors [W], and what of each is kept in hand."""

    capacitor: _Capacitor
    resistor: _Resistor


@cache
def ratings() -> Ratings:
    """The table."""
    return msgspec.convert(tomllib.loads(data("ratings.toml")), Ratings)


def rated(volts: float) -> float | None:
    """The least voltage that capacitors are sold for and that is not below this one [V]; None beyond all of them."""
    return next((v for v in ratings().capacitor.volts if v >= volts), None)


def heavy(watts: float) -> float | None:
    """The least heat that resistors are sold for and that is not below this one [W]; None beyond all of them."""
    return next((w for w in ratings().resistor.watts if w >= watts), None)


def stands_v(watts: float) -> float:
    """The volts that a film resistor of so many watts stands across it [W to V]; of less than the least one its volts."""
    pairs = ratings().resistor.stands
    return next((v for w, v in reversed(pairs) if watts >= w), pairs[0][1])
