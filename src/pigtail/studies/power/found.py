"""What the study of supplies found. Free of numerical packages."""

from __future__ import annotations

import msgspec

from pigtail.model.estimate import Estimate
from pigtail.studies.findings import Study

#: What tells of a wire on the wrong pad, which only hands can mend, and of which nothing else that is solved with it holds.
MISWIRED = (
    "power.swapped", "power.on_signal", "power.pin_on_return", "power.rail_on_return", "power.rails_joined", "power.foot_on_supply",
    "power.reversed", "power.stage_reversed",
)  # fmt: skip


class StateRow(msgspec.Struct, frozen=True):
    """One host state, as solved: whether the rail has its volts and whether the module is powered in it."""

    state: str
    name: str
    rail: bool
    powered: bool


class SupplyDetail(msgspec.Struct, frozen=True):
    """What the Power station paints of one supply: the rail, the converter and the pin, and the host states."""

    link: str
    module: str
    rail: str
    supply: str
    converter: str
    numbers: dict[str, Estimate]
    states: tuple[StateRow, ...] = ()


class PowerFound(Study, frozen=True):
    """Numbers `power.…`, findings and a detail for each supply."""

    supplies: tuple[SupplyDetail, ...] = ()


FOUND = PowerFound
