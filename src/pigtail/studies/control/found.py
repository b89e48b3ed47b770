"""What the study of control found: the table of states, the drive of every switch, courses of transitions. Free of numerical packages."""

from __future__ import annotations

import enum

import msgspec

from pigtail.model.estimate import Estimate
from pigtail.studies.findings import Severity, Study


class ColumnKind(enum.Enum):
    """What a column of the table of states is about."""

    MODULE = "module"
    LINE = "line"
    INPUT = "input"
    OUTPUT = "output"
    LIGHT = "light"
    RAIL = "rail"


class Column(msgspec.Struct, frozen=True):
    """One column: its key, kind, what it is about (a module, a terminal, or a link and its network), in words."""

    key: str
    kind: ColumnKind
    subject: str
    words: str


class StateCell(msgspec.Struct, frozen=True):
    """What something is in a row: one word, its number, how it is judged (None where there is nothing to judge), the sentence that says
    why, and the links and terminals that make it so."""

    column: str
    word: str
    text: str
    severity: Severity | None
    why: str = ""
    lit: tuple[str, ...] = ()
    yes: bool | None = None


class Row(msgspec.Struct, frozen=True):
    """A host state and what a module does in it, with the cells of all columns. module is empty where none does anything."""

    state: str
    name: str
    module: str
    doing: str
    cells: tuple[StateCell, ...]

    @property
    def key(self) -> tuple[str, str, str]:
        """What tells it from the other rows."""
        return self.state, self.module, self.doing


class SwitchDetail(msgspec.Struct, frozen=True):
    """One network that switches, mutes, pulls or shows: its link and number, and the numbers of its drive by name."""

    link: str
    at: int
    topology: str
    numbers: dict[str, Estimate]


class Curve(msgspec.Struct, frozen=True):
    """Volts of something over a transition [V], with the level that it is judged by, if there is one [V]."""

    words: str
    volts: tuple[float, ...]
    mark: float | None = None


class Transition(msgspec.Struct, frozen=True):
    """What happens as the host goes from one state to another: times [s], curves, and what happens in order, in words [s]."""

    before: str
    after: str
    words: str
    times: tuple[float, ...]
    curves: tuple[Curve, ...]
    events: tuple[tuple[float, str], ...]


class Press(msgspec.Struct, frozen=True):
    """What a button fires in a position of the selectors: the positions and the button in words, and the inputs that are active."""

    position: str
    button: str
    fires: tuple[str, ...]
    undecided: tuple[str, ...]


class ControlFound(Study, frozen=True):
    """Numbers `control.…`, findings, the table of states, the drives, transitions and what buttons fire; given: the most that a line or a
    rail gives [A], by the key of its row and that of its column."""

    columns: tuple[Column, ...] = ()
    rows: tuple[Row, ...] = ()
    switches: tuple[SwitchDetail, ...] = ()
    transitions: tuple[Transition, ...] = ()
    presses: tuple[Press, ...] = ()
    given: dict[tuple[tuple[str, str, str], str], float] = msgspec.field(default_factory=dict)

    def row(self, state: str, module: str = "", doing: str = "") -> Row | None:
        """The row of a state, of what a module does in it if that is told, else its first."""
        return next(
            (
                r
                for r in self.rows
                if r.state == state and (not module or (r.module, r.doing) == (module, doing))
            ),
            None,
        )

    def cell(self, row: Row, column: str) -> StateCell | None:
        """The cell of a row under a column."""
        return next((c for c in row.cells if c.column == column), None)


FOUND = ControlFound
