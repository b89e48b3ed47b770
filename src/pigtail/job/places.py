"""Where a point can be reached: board, part, pin, connector, and the kind of pad with its difficulty."""

from __future__ import annotations

import enum

import msgspec

from pigtail.job.record import Name
from pigtail.language import tr


class Pad(enum.Enum):
    """What a wire would be soldered to, the easiest first."""

    LUG = "lug or jack terminal"
    PIN = "through-hole pin"
    TEST_PAD = "test pad"
    ELECTROLYTIC = "electrolytic pad"
    VIA = "via under mask"
    SMD_0805 = "0805 end"
    SMD_0603 = "0603 end"
    SMD_0402 = "0402 end"
    CHIP_LEG = "chip leg"
    UNKNOWN = "not known yet"


#: How much of the ease of a jack lug is left. Common practice, by order; the numbers are ours.
EASE: dict[Pad, float | None] = {
    Pad.LUG: 1.0,
    Pad.PIN: 0.95,
    Pad.TEST_PAD: 0.85,
    Pad.ELECTROLYTIC: 0.75,
    Pad.VIA: 0.45,
    Pad.SMD_0805: 0.5,
    Pad.SMD_0603: 0.4,
    Pad.SMD_0402: 0.25,
    Pad.CHIP_LEG: 0.15,
    Pad.UNKNOWN: None,
}


class Place(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One place at which a point can be reached; empty where nothing is known."""

    board: Name = ""
    part: Name = ""
    pin: Name = ""
    connector: Name = ""
    position: int = 0
    pad: Pad = Pad.UNKNOWN

    def text(self) -> str:
        """The place in words: `main board, U7 pin 43, J4-2`."""
        pin = tr("pin {pin}", pin=self.pin) if self.pin.isdigit() else self.pin
        part = " ".join(x for x in (self.part, pin) if x)
        socket = f"{self.connector}-{self.position}" if self.connector and self.position else self.connector
        return ", ".join(x for x in (self.board, part, socket) if x)

    def __bool__(self) -> bool:
        """Whether anything is known of it."""
        return bool(self.text()) or self.pad is not Pad.UNKNOWN


NOWHERE = Place()
