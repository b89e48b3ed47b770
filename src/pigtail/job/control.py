"""What controls: how a line drives and an input listens, the switches that a person works, what a module does, what is wanted of it all."""

from __future__ import annotations

import enum

from pigtail.job.record import Name, Record, Ref
from pigtail.units.known import Known

#: A module works from this part of its lowest supply on.
WAKES = 0.5


class Drive(enum.Enum):
    """How an output holds its line: both ways, or only down to its return while it is active."""

    PUSH_PULL = "push-pull"
    OPEN_DRAIN = "open drain"


class Pull(enum.Enum):
    """What holds an input that nothing drives. Not known is never taken as none."""

    UNKNOWN = "not known"
    NONE = "nothing: it floats"
    DOWN = "pulled down"
    UP = "pulled up"


class Acts(enum.Enum):
    """What an input does while it is active."""

    ENABLES = "enables"
    MUTES = "mutes"
    TRIGGERS = "triggers a sound"
    READ = "is read as volts"


class LineState(Record, frozen=True, kw_only=True):
    """What a line of the host stands at in a state [V]."""

    state: Ref
    level: Known


class SwitchKind(enum.Enum):
    """What is worked, and how: some stay, some spring back, a jack and a limit switch are worked by a plug and by something that moves."""

    SELECTOR = "selector"
    SWITCH = "switch"
    JACK = "jack contact"
    BUTTON = "button"
    LIMIT = "limit switch"
    RELAY = "relay contact"


#: What springs back: it may be worked in every state, and in any position of what stays.
SPRINGS = (SwitchKind.BUTTON,)


class Stand(Record, frozen=True, kw_only=True):
    """On which of its ways a switch stands in a host state; empty for none: it is open there."""

    state: Ref
    way: Ref = ""


class Switch(Record, frozen=True, kw_only=True):
    """A switch of the host: its common point, the points of its ways, on which it stands in each state that is told; what its contacts
    carry [A] and stand [V]. A button closes to its only way while it is pressed."""

    id: Ref
    name: Name
    kind: SwitchKind = SwitchKind.SWITCH
    common: Ref = ""
    ways: tuple[Ref, ...] = ()
    stands: tuple[Stand, ...] = ()
    volts: Known | None = None
    amperes: Known | None = None

    def stands_on(self, state: str) -> str | None:
        """The way that it stands on in a state; empty where it is open, None where nobody told."""
        return next((s.way for s in self.stands if s.state == state), None)


#: All that a module may be doing, in the order of its life; what few papers tell the current of lies between off and fault.
LIVES = ("off", "searching", "linked", "playing", "transmitting", "charging", "fault")
OFF, PLAYING, SEARCHING = "off", "playing", "searching"
#: What is told of a module whose supply lead is off its pin.
UNPLUGGED = "unplugged"


class Doing(Record, frozen=True, kw_only=True):
    """What a module shows of itself while it does something: the ids of its lines that are active, those that blink, and whether it
    sounds by itself (None where nobody knows)."""

    does: Ref
    active: tuple[Ref, ...] = ()
    blinking: tuple[Ref, ...] = ()
    announces: bool | None = None


class WantedOf(enum.Enum):
    """What may be wanted of something: a module on or off, an output heard or mute, a light seen or dark."""

    POWERED = "on"
    HEARD = "heard"
    LIT = "lit"


class Behaviour(Record, frozen=True, kw_only=True):
    """A wish in the table of states: of a module, an output or a light (the id of its link), in a host state and, unless it is for all,
    while a module does something: on, heard or lit, or not."""

    of: Ref
    what: WantedOf
    state: Ref
    doing: Ref = ""
    yes: bool = True
