"""Engineering values and their text, spreads and bases, decibels, preferred series, wire gauges."""

from pigtail.units.decibels import db, dbv, from_db, from_dbv
from pigtail.units.entry import PLAIN, Sort, UnreadableError, Volts, parse_gauge, parse_known, parse_quantity
from pigtail.units.known import Basis, Known, KnownError
from pigtail.units.text import format_known, format_quantity, format_spread, marking

__all__ = [
    "PLAIN",
    "Basis",
    "Known",
    "KnownError",
    "Sort",
    "UnreadableError",
    "Volts",
    "db",
    "dbv",
    "format_known",
    "format_quantity",
    "format_spread",
    "from_db",
    "from_dbv",
    "marking",
    "parse_gauge",
    "parse_known",
    "parse_quantity",
]
