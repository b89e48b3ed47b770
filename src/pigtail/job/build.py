"""How it is built: the wires' ends, the little board, what sits where and how it is held, the panel that gets holes.

Measures of panel, areas and mountings are plain numbers in millimetres, 0 where nobody told; places on a panel are told from its upper
left corner as it is seen from outside."""

from __future__ import annotations

import enum

from pigtail.job.record import Name, Record, Ref


class ScreenAt(enum.Enum):
    """Where the screen of a wire is joined to a return: at one end, or it makes a second way back, or none."""

    UNSAID = "not said"
    TERMINAL = "at the terminal"
    BOARD = "at the network"
    BOTH = "at both ends"
    NEITHER = "at neither end"


class Relief(enum.Enum):
    """What keeps a pull or a shake from a joint; where nobody said, one is planned at every fine joint."""

    UNSAID = "not said"
    NONE = "nothing"
    GLUE = "hot glue or adhesive"
    TIE = "tie to something fixed"
    CLAMP = "clamp or grommet"


class BoardKind(enum.Enum):
    """What the parts of the networks sit on."""

    STRIP = "stripboard"
    PERFORATED = "perforated board"
    POINT = "point to point"


class Service(enum.Enum):
    """What must stay possible with the wires joined, which asks for slack."""

    NONE = "nothing is moved"
    BOARD = "the board is turned over"
    PANEL = "the panel is opened"


class ColourRule(Record, frozen=True, kw_only=True):
    """The person's own colour for what a wire carries."""

    carries: Name
    colour: Name


class Fixing(enum.Enum):
    """How a module or board is held."""

    UNSAID = "not said"
    STANDOFFS = "stand-offs"
    POSTS = "screw posts that are there"
    TAPE = "double-sided tape"
    CASE = "a case of its own"
    LOOSE = "nothing: it hangs in its wires"


class Metal(enum.Enum):
    """What is round an antenna."""

    UNSAID = "not said"
    CLEAR = "no metal near it"
    SLOT = "metal, with a slot or window at the antenna"
    CLOSED = "metal all round"


class Mounting(Record, frozen=True, kw_only=True):
    """Where a module, or the board of the networks (`board`), sits: its outline and the room there is for it [mm]; how it is held, and
    what is near: metal round its antenna, a battery on sharp leads, something that moves over it. None where nobody looked."""

    of: Name
    width: float = 0.0
    depth: float = 0.0
    height: float = 0.0
    room: float = 0.0
    fixing: Fixing = Fixing.UNSAID
    antenna: Metal = Metal.UNSAID
    sharp: bool | None = None
    moving: bool | None = None


class AreaKind(enum.Enum):
    """What a part of a panel is: the first kinds are never drilled, a board behind limits the depth, an opening may be used."""

    LABEL = "label that must stay"
    PLATE = "rating plate"
    POST = "post"
    RIB = "rib"
    TRAVEL = "travel of a tray or door"
    FITTED = "something that is fitted already"
    BOARD = "board behind"
    OPENING = "opening that is there"


#: What is never drilled.
KEPT = (AreaKind.LABEL, AreaKind.PLATE, AreaKind.POST, AreaKind.RIB, AreaKind.TRAVEL, AreaKind.FITTED)


class Area(Record, frozen=True, kw_only=True):
    """A rectangle of a panel, or the circle in it (round, as wide as it is), [mm]: its upper left corner and size; of a board behind how
    deep it is free there, and whether it is covered or taken out before anything is drilled."""

    id: Ref
    name: Name
    kind: AreaKind
    x: float
    y: float
    width: float
    height: float
    depth: float = 0.0
    covered: bool | None = None
    round: bool = False


class Fitting(Record, frozen=True, kw_only=True):
    """Something that is wanted in a panel: its kind in the catalogue, what it is called, and its middle [mm], None where no place is
    chosen."""

    id: Ref
    kind: Name
    name: Name
    x: float | None = None
    y: float | None = None


class Panel(Record, frozen=True, kw_only=True):
    """The side of a case that gets holes: its size and thickness [mm], whether it is metal and whether it comes off for drilling; the
    free depth behind it [mm]; the picture that it was measured on, and where on that its upper left corner lies [mm]."""

    name: Name = "back panel"
    width: float
    height: float
    thickness: float = 0.0
    metal: bool | None = None
    comes_off: bool | None = None
    depth: float = 0.0
    picture: Name = ""
    photo_x: float = 0.0
    photo_y: float = 0.0
    areas: tuple[Area, ...] = ()
    fittings: tuple[Fitting, ...] = ()


class Build(Record, frozen=True, kw_only=True):
    """How the plan is built."""

    board: BoardKind = BoardKind.STRIP
    service: Service = Service.NONE
    colours: tuple[ColourRule, ...] = ()
    shakes: bool | None = None
    mountings: tuple[Mounting, ...] = ()
    panel: Panel | None = None
    copies: int = 1

    def mounting(self, of: str) -> Mounting | None:
        """How something is mounted, or None where nobody told."""
        return next((m for m in self.mountings if m.of == of), None)


#: What mountings of the networks' own board, and of a cell of its own, are kept under.
BOARD, CELL = "board", "cell"
