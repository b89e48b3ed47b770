"""Engineering values and their text, spreads and bases, decibels, preferred series, wire gauges."""

from pigtail.units.decibels import db, dbv, from_db, from_dbv
from pigtail.units.known import Basis, Known, KnownError
from pigtail.units.text import (
    UnreadableError,
    format_known,
    format_quantity,
    format_spread,
    marking,
    parse_known,
    parse_quantity,
)

__all__ = [
    "Basis",
    "Known",
    "KnownError",
    "UnreadableError",
    "db",
    "dbv",
    "format_known",
    "format_quantity",
    "format_spread",
    "from_db",
    "from_dbv",
    "marking",
    "parse_known",
    "parse_quantity",
]
