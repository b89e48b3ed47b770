"""What every search weighs its options by: what is to be bought, what the stock lacks, which options nothing else betters."""

from __future__ import annotations

from collections.abc import Sequence

from pigtail.catalogue.stock import Stock
from pigtail.catalogue.topologies import PartRule, topology
from pigtail.job.document import Link


def bought(link: Link) -> list[tuple[PartRule, float]]:
    """The parts of a link that are bought, each with its value [Ω, F]."""
    return [
        (rule, topology(s.topology).values(s)[rule.name].nominal)
        for s in link.sections
        for rule in topology(s.topology).bought()
    ]


def not_held(link: Link, stock: Stock) -> list[tuple[PartRule, float]]:
    """The parts of a link that are not in stock, each with its value [Ω, F]."""
    return [(rule, value) for rule, value in bought(link) if not stock.holds(rule.kind, value)]


def unbettered(figures: Sequence[tuple[float, ...]]) -> list[bool]:
    """Which options no other betters: none is at least as good in every figure and better in one. Less is better [1]."""
    return [not any(_betters(other, own) for other in figures) for own in figures]


def _betters(ours: tuple[float, ...], theirs: tuple[float, ...]) -> bool:
    return all(x <= y for x, y in zip(ours, theirs, strict=True)) and ours != theirs
