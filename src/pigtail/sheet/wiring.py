"""The wiring drawing, made from the plan: the host at the left, what the networks are made of in the middle, the modules at the right.

Nothing on it is told by colour alone: each wire has a number at both ends, the marks of its colour along it, and its words at its terminal.
"""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

from pigtail.board.parts import is_straight, mounted
from pigtail.drawing.shapes import Circle, Drawing, Lettering, Shape, Stroke, box, fitted, moved, words_width
from pigtail.job.build import Relief, ScreenAt
from pigtail.job.document import HOST, Job, Terminal
from pigtail.job.places import Pad
from pigtail.language import tr
from pigtail.sheet.lanes import Lanes, lanes_of
from pigtail.studies.loom.found import LoomFound, LoomWire
from pigtail.studies.loom.telling import meaning
from pigtail.studies.loom.wires import return_words

#: How the colours of wires look; another word is painted grey.
PAINT = {
    "black": "#23211d", "red": "#c62828", "orange": "#e07b1a", "white": "#ffffff", "green": "#2e7d4f",
    "yellow": "#e3b505", "blue": "#2a5caa", "brown": "#6d4326", "violet": "#7246a3", "grey": "#8a8a86",
}  # fmt: skip
#: The marks along a wire by its colour, so that a grey print tells them apart: lengths of marks and gaps [mm].
MARKS = {
    "red": (0.6, 5.4), "orange": (0.6, 0.6, 0.6, 4.2), "yellow": (0.6, 1.8), "green": (2.0, 2.0), "blue": (0.6, 0.6, 0.6, 0.6, 0.6, 3.0),
    "brown": (4.0, 1.0), "violet": (0.5, 1.0), "grey": (1.2, 6.0),
}  # fmt: skip
_OTHER_MARKS = (2.0, 0.8, 0.6, 0.8)
#: Widths of the columns, of the room for numbers and signs before them, beside a network; distance of tracks; a line of words [mm].
_HOST, _MODULE, _SIGNS, _NUMBER, _TRACK, _LINE = 68.0, 64.0, 14.0, 7.0, 2.8, 3.9
_TYPE, _SMALL, _GAP, _TOP = 3.3, 2.9, 5.0, 15.0


class _Seat(NamedTuple):
    """Where a wire ends: the edge of a device or a network, and its height."""

    x: float
    y: float


class _WirePath(NamedTuple):
    """A wire with its number, from its terminal to its other end; whether it runs on the host's side; whether that end is a terminal
    too."""

    wire: LoomWire
    number: int
    start: _Seat
    end: _Seat
    left: bool
    both: bool = False


def wiring_drawing(job: Job, build: LoomFound) -> Drawing:
    """The wiring drawing of a plan; a sentence where nothing is planned."""
    if not build.wires:
        return Drawing("Wiring", 120, 20, (Lettering(6, 12, tr("Nothing is planned yet."), 4.0, "dim"),))
    return _Sketch(job, build).drawing()


class _Sketch:
    """One drawing in the making."""

    def __init__(self, job: Job, build: LoomFound) -> None:
        self.job, self.wires = job, build.wires
        board = mounted(job)
        self.lanes = [lanes_of(x, board) for x in job.links if not is_straight(x)]
        self.through = [w for w in self.wires if w.b and _sides(w) == {True, False}]
        left = sum(1 for w in self.wires if True in _sides(w))
        right = sum(1 for w in self.wires if False in _sides(w))
        self.wide = max([50.0, *(m.width for m in self.lanes)])
        self.x_left = _HOST + _SIGNS + left * _TRACK + _NUMBER
        self.x_right = self.x_left + self.wide
        self.x_module = self.x_right + _NUMBER + right * _TRACK + _SIGNS
        self.shapes: list[Shape] = []
        self.seats: dict[tuple[int, str], _Seat] = {}

    def drawing(self) -> Drawing:
        bottoms = [self._devices(host=True), self._devices(host=False)]
        y, port_at, through_at = _TOP, {}, {}
        for m in self.lanes:
            x = self.x_left + (self.wide - m.width) / 2
            self._frame(m, x, y)
            port_at.update({(m.link.id, p): (x, x + m.width, y + dy) for p, dy in m.ports.items()})
            y += m.height + _GAP
        for w in self.through:
            through_at[id(w)] = y + 2.0
            y += 6.0
        self._wires(port_at, through_at)
        height = self._legend(max(*bottoms, y) + 4.0)
        heads = (
            (0.0, _HOST, self.job.host.name),
            (self.x_left, self.wide, "networks"),
            (self.x_module, _MODULE, "modules"),
        )
        for x, width, text in heads:
            self.shapes.append(
                Lettering(x + width / 2, 9.0, fitted(text, 4.0, width), 4.0, anchor="middle", bold=True)
            )
        return Drawing(
            tr("Wiring, {job}", job=self.job.name), self.x_module + _MODULE + 1, height, tuple(self.shapes)
        )

    # -- terminals ----------------------------------------------------------------------------------------------

    def _ends(self, *, host: bool) -> dict[str, list[int]]:
        """The terminals of host or modules that wires end at, with the places of those wires in the loom."""
        found: dict[str, list[int]] = {}
        for k, w in enumerate(self.wires):
            for address in dict.fromkeys(x for x in (w.a, w.b) if x):
                if address.startswith(f"{HOST}.") is host:
                    found.setdefault(address, []).append(k)
        return found

    def _devices(self, *, host: bool) -> float:
        """The terminals of one side in boxes by where they are; the height that they reach."""
        ends = self._ends(host=host)
        groups: dict[str, list[str]] = {}
        for address in self.job.addresses():
            if address in ends:
                groups.setdefault(_group(self.job, address), []).append(address)
        x, width = (0.0, _HOST) if host else (self.x_module, _MODULE)
        y = _TOP
        for name, members in groups.items():
            row = y + 10.5
            for address in sorted(members, key=lambda a: _pin_order(self.job, a)):
                row = self._terminal(address, ends[address], row, (x, width), host=host)
            heading = Lettering(x + 3, y + 4.8, fitted(name, _TYPE, width - 8), _TYPE, "dim", bold=True)
            self.shapes += [box(x + 1, y, width - 2, row - y - 2.5, line=0.4), heading]
            y = row - 2.5 + _GAP
        return y

    def _terminal(
        self, address: str, ends: list[int], y: float, column: tuple[float, float], *, host: bool
    ) -> float:
        """A terminal with a row for each of its wires; the height of the next row."""
        terminal = self.job.terminal(address)
        x, width = column
        inward = -1 if host else 1
        edge, anchor = (x + width - 1, "end") if host else (x + 1, "start")
        name = terminal.name if terminal is not None else address
        first, room = y, width - 13
        for n, k in enumerate(ends):
            self.seats[k, address] = _Seat(edge, y)
            self.shapes.append(Stroke(((edge, y), (edge + 3 * inward, y)), 0.5))
            lines = [(w, _SMALL) for w in self._words(k, address)]
            if n == 0:
                where = _where(terminal)
                title = fitted(name, _TYPE, room - (words_width(where, _SMALL) + 2 if where else 0))
                self.shapes.append(
                    Lettering(edge + 5.6 * inward, y + 1.1, title, _TYPE, anchor=anchor, bold=True)
                )
                beside = words_width(title, _TYPE, bold=True) + 2
                self.shapes.append(
                    Lettering(edge + (5.6 + beside) * inward, y + 1.1, where, _SMALL, "dim", anchor)
                )
            at = y + 1.1 + (_LINE if n == 0 else 0.0)
            for text, size in lines:
                self.shapes.append(
                    Lettering(edge + 5.6 * inward, at, fitted(text, size, room), size, "ink", anchor)
                )
                at += _LINE
            last, y = y, max(at + 1.2, y + 5.5)
        if len(ends) > 1:
            self.shapes.append(Stroke(((edge + 3 * inward, first), (edge + 3 * inward, last)), 0.5))
        self.shapes += _pad(edge + 3 * inward, first, terminal)
        return y + 0.8

    def _words(self, k: int, address: str) -> list[str]:
        """What is written at a wire's terminal: its colour, gauge and length, and what to heed; at its other one nothing."""
        wire = self.wires[k]
        if address != wire.a:
            return []
        return [f"{k + 1}: {wire.colour}, AWG {wire.gauge}, {wire.cut}", *self._heed(wire)]

    def _heed(self, wire: LoomWire) -> list[str]:
        found = []
        if wire.screened:
            back = return_words(self.job, wire.a).rpartition(" · ")[2]
            told = {
                ScreenAt.TERMINAL: tr("screen here, to {value}", value=back or tr("the return")),
                ScreenAt.BOARD: tr("screen to the network's common"),
                ScreenAt.BOTH: tr("screen joined at BOTH ends"), ScreenAt.NEITHER: tr("screen joined nowhere"),
            }  # fmt: skip
            found.append(told.get(wire.screen, tr("screened")))
        if wire.twist:
            mates = [
                str(k) for k, w in enumerate(self.wires, start=1) if w is not wire and w.twist == wire.twist
            ]
            found.append(tr("twisted with {listed}", listed=", ".join(mates)) if mates else "twisted")
        return found

    # -- wires --------------------------------------------------------------------------------------------------

    def _frame(self, m: Lanes, x: float, y: float) -> None:
        self.shapes.append(box(x, y, m.width, m.height, line=0.4, dash=(2.0, 1.2)))
        self.shapes += moved(m.shapes, x, y)

    def _wires(
        self, port_at: dict[tuple[str, str], tuple[float, float, float]], through_at: dict[int, float]
    ) -> None:
        runs = []
        for number, w in enumerate(self.wires, start=1):
            seat = {x: self.seats[number - 1, x] for x in (w.a, w.b) if x}
            if id(w) in through_at:
                y = through_at[id(w)]
                self._stroke(w, [(self.x_left, y), (self.x_right, y)], number)
                for address, start in seat.items():
                    left = address.startswith(f"{HOST}.")
                    runs.append(
                        _WirePath(w, number, start, _Seat(self.x_left if left else self.x_right, y), left)
                    )
            elif w.b:
                runs.append(_WirePath(w, number, seat[w.a], seat[w.b], True in _sides(w), both=True))
            else:
                x0, x1, y = port_at[w.link, w.port]
                left = True in _sides(w)
                runs.append(_WirePath(w, number, seat[w.a], _Seat(x0 if left else x1, y), left))
        for left in (True, False):
            self._routed([r for r in runs if r.left is left], left=left)

    def _routed(self, runs: list[_WirePath], *, left: bool) -> None:
        """Wires of one side, each on a track of its own: those that go down from the right, those that go up from the left, so that few
        cross."""
        down = sorted((r for r in runs if r.end.y >= r.start.y), key=lambda r: -r.start.y)
        up = sorted((r for r in runs if r.end.y < r.start.y), key=lambda r: r.start.y)
        first, way = (_HOST + _SIGNS, 1) if left else (self.x_module - _SIGNS, -1)
        for n, run in enumerate((*down, *up)):
            track = first + way * n * _TRACK
            points = [run.start, _Seat(track, run.start.y), _Seat(track, run.end.y), run.end]
            level = abs(run.end.y - run.start.y) < 1e-6
            self._stroke(run.wire, [points[0], points[-1]] if level and not run.both else points, run.number)
            self._at_terminal(run.wire, run.start, run.number, way)
            if run.both:
                self._at_terminal(run.wire, run.end, run.number, way)
            else:
                self._number(run.end.x - 3.5 * way, run.end.y, run.number)

    def _stroke(
        self, wire: LoomWire, points: list[_Seat] | list[tuple[float, float]], number: int = 0
    ) -> None:
        line = tuple((x, y) for x, y in points)
        colour = PAINT.get(wire.colour, PAINT["grey"])
        self.shapes += [
            Stroke(line, 1.4, "ink", layer=tr("wire {number}", number=number)),
            Stroke(line, 0.9, colour),
        ]
        marks = MARKS.get(wire.colour, () if wire.colour in PAINT else _OTHER_MARKS)
        if marks:
            self.shapes.append(Stroke(line, 0.9, "ink", dash=marks))
        for a, b in pairwise(line) if wire.screened else ():
            if a[1] == b[1] and abs(a[0] - b[0]) > 8:
                sheath = (
                    Stroke(((a[0], a[1] + off), (b[0], b[1] + off)), 0.25, "ink", dash=(1.0, 0.7))
                    for off in (-1.4, 1.4)
                )
                self.shapes += sheath

    def _at_terminal(self, wire: LoomWire, seat: _Seat, number: int, way: int) -> None:
        """Sleeve, relief and number where a wire comes to its terminal."""
        x, y = seat
        if wire.side:
            self.shapes.append(box(min(x, x + 4 * way), y - 1.3, 4, 2.6, line=0.25, fill="paper"))
        if wire.relief not in (Relief.UNSAID, Relief.NONE):
            self.shapes += [
                Stroke(((x + off * way, y - 1.9), (x + off * way, y + 1.9)), 0.5) for off in (5.2, 6.2)
            ]
        self._number(x + 9.8 * way, y, number)

    def _number(self, x: float, y: float, number: int) -> None:
        size = 2.8 if number < 10 else 2.4
        self.shapes += [
            Circle(x, y, 2.3, 0.3, "ink", "paper"),
            Lettering(x, y + 0.36 * size, str(number), size, anchor="middle", bold=True),
        ]

    def _legend(self, y: float) -> float:
        """Colours with their marks and meanings, and the signs at the ends; the height that it reaches."""
        meanings: dict[str, list[str]] = {}
        for w in self.wires:
            told = meanings.setdefault(w.colour, [])
            if meaning(w) not in told:
                told.append(meaning(w))
        right, x = self.x_module + _MODULE, 3.0
        for colour, told in meanings.items():
            text = f"{colour}: {', '.join(told)}"
            wide = 16 + words_width(text, _SMALL)
            if x + wide > right and x > 3.0:
                x, y = 3.0, y + 5.5
            self._stroke(LoomWire(0, "", "", "", "", "", colour, 26, 0.0, False, ""), [(x, y), (x + 12, y)])
            self.shapes.append(Lettering(x + 14, y + 1.0, text, _SMALL))
            x += wide + 5
        y += 6.5
        signs: tuple[tuple[tuple[Shape, ...], str], ...] = (
            ((box(0, -1.3, 4, 2.6, line=0.25),), tr("sleeve over the joint")),
            (
                tuple(Stroke(((off, -1.9), (off, 1.9)), 0.5) for off in (1.5, 2.5)),
                tr("strain relief: glue, tie or clamp"),
            ),
            (
                tuple(Stroke(((0, off), (8, off)), 0.25, dash=(1.0, 0.7)) for off in (-1.4, 1.4)),
                tr("screen, joined only where it is said"),
            ),
        )
        x = 3.0
        for shapes, text in signs:
            self.shapes += moved(shapes, x, y)
            self.shapes.append(Lettering(x + 10, y + 1.0, text, _SMALL))
            x += 16 + words_width(text, _SMALL)
        return y + 6.0


def _sides(wire: LoomWire) -> set[bool]:
    """On which sides a wire ends: True for the host's."""
    return {x.startswith(f"{HOST}.") for x in (wire.a, wire.b) if x}


def _group(job: Job, address: str) -> str:
    """Where a terminal is, as a heading: board and connector of the host, or its module."""
    device_id = address.partition(".")[0]
    if device_id != HOST:
        return next((m.name for m in job.modules if m.id == device_id), device_id)
    terminal = job.terminal(address)
    place = terminal.place if terminal is not None else None
    if place is None or not place:
        return tr("place not known yet")
    return ", ".join(x for x in (place.board, place.connector or place.part) if x) or place.pad.value


def _where(terminal: Terminal | None) -> str:
    """The pin or pad of a terminal, as its board shows it."""
    if terminal is None:
        return ""
    place = terminal.place
    if place.connector and place.position:
        return f"{place.connector}-{place.position}"
    return " ".join(
        x for x in (place.part, tr("pin {pin}", pin=place.pin) if place.pin.isdigit() else place.pin) if x
    )


def _pin_order(job: Job, address: str) -> tuple[int, str]:
    terminal = job.terminal(address)
    return (terminal.place.position, terminal.place.pin) if terminal is not None else (0, "")


def _pad(x: float, y: float, terminal: Terminal | None) -> list[Shape]:
    """What a wire is soldered to: a pin of a plug is square, a lug a ring, a pad a dot, a leg a bar."""
    pad = terminal.place.pad if terminal is not None else Pad.UNKNOWN
    if terminal is not None and terminal.place.connector:
        return [box(x - 1.2, y - 1.2, 2.4, 2.4, fill="paper", line=0.4)]
    if pad is Pad.LUG:
        return [Circle(x, y, 1.4, 0.5, "ink", "paper")]
    if pad is Pad.CHIP_LEG:
        return [box(x - 1.6, y - 0.6, 3.2, 1.2, line=0.3, fill="ink")]
    return [Circle(x, y, 1.1, 0.3, "ink", "ink" if pad is not Pad.UNKNOWN else "paper")]
