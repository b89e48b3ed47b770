"""The host's points and chain, edited in place: names, roles, places, pads, what they ring out to; stages and states."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QWidget

from pigtail.desktop import ask
from pigtail.desktop.fields import fill_combo
from pigtail.desktop.tables import Cell, RowsModel, lay_out_page, make_table, set_widths
from pigtail.edits import host as host_edits
from pigtail.edits.change import Change, Edit
from pigtail.job.document import HOST, AnyTerminal, Channel, Job, Pin, Stage, State, Trait, Use, Way
from pigtail.job.errors import EditError, JobError
from pigtail.job.places import Pad, Place
from pigtail.job.roles import role_of
from pigtail.job.wiring import star_address
from pigtail.language import mark, tr

COLUMNS = (
    tr("point"), tr("role"), tr("stage"), tr("board"), tr("part, pin"), tr("connector"), tr("pad"),
    tr("rings to"), tr("alive in"), tr("true of it"),
    tr("papers say"), tr("found by way of"),
)  # fmt: skip


class Points(QWidget):
    """The table of points. `edited` carries a Change; `refused` one sentence."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.rows = RowsModel(COLUMNS)
        self.table = make_table(self.rows, "points_table", tr("Points of the host, edited in place"), 11)
        set_widths(self.table, (150, 92, 96, 84, 84, 72, 100, 110, 84, 150, 130))
        self._job: Job | None = None
        self.of = QComboBox()
        self.of.setObjectName("points_of")
        self.of.setAccessibleName(tr("Whose points are listed"))
        self.of.setToolTip(tr("The points of the host, or of a module"))
        self.of.activated.connect(lambda _k: self._fill())
        hint = tr(
            "Type over any cell. Role: audio in, audio out, rail, return, control, digital, video; "
            "behind it left, right, low way, high way, turned round, headphones, speaker. True of "
            "it: words such as shared, not shared, bridge-tied, feedback, equalised."
        )
        buttons = (
            (tr("Add a point…"), "add_point", self._add_point),
            (tr("Remove the point"), "remove_point", self._remove_point),
            (tr("Add another place…"), "add_place", self._add_place),
            (tr("Use the other place"), "next_place", self._next_place),
        )
        lay_out_page(self, self.table, hint, buttons, before=self.of)

    def show_job(self, job: Job) -> None:
        """Show the points of a job's host, or of the module chosen."""
        self._job = job
        fill_combo(self.of, [(device.name, device_id) for device_id, device in job.devices()])
        self._fill()

    @property
    def device_id(self) -> str:
        """Whose points are listed."""
        return self.of.currentData() or HOST

    @property
    def _terminals(self) -> tuple[AnyTerminal, ...]:
        device = self._job.device(self.device_id) if self._job is not None else None
        return device.terminals if device is not None else ()

    def _fill(self) -> None:
        job = self._job
        if job is not None:
            stages = {p: s.name for s in job.host.stages for p in s.points} if self.device_id == HOST else {}
            self.rows.show_rows([self._row(job, t, stages.get(t.id, "")) for t in self._terminals])

    def _row(self, job: Job, terminal: AnyTerminal, stage: str) -> tuple[Cell, ...]:
        address = f"{self.device_id}.{terminal.id}"
        place = terminal.place
        part = " ".join(x for x in (place.part, place.pin) if x)
        socket = (
            f"{place.connector}-{place.position}" if place.connector and place.position else place.connector
        )
        target = job.terminal(f"{self.device_id}.{terminal.rings_to}")
        states = "; ".join(s.name for s in job.host.states if s.id in terminal.states) or "all"
        said = [t.value for t in terminal.traits] + [tr("not {t}", t=t.value) for t in terminal.lacks]
        others = "; ".join(p.text() for p in terminal.alternatives)

        set_point = partial(partial, host_edits.set_point, address=address)

        def cell(text: str, make: Callable[[str], tuple[str, Edit]], tip: str = "") -> Cell:
            return Cell(text, edit=partial(self._typed, make), use="ink" if text else "unknown", tip=tip)

        return (
            cell(terminal.name, lambda t: (tr("call it {t}", t=t), partial(host_edits.set_point, address=address, name=t.strip()))),
            cell(_role(terminal), lambda t: (tr("role {t}", t=t), _role_edit(address, t))),
            cell(stage, lambda t: (tr("put on {t}", t=t), partial(host_edits.put_on_stage, address=address, stage_id=_stage(job, t)))),
            cell(place.board, lambda t: (tr("board {t}", t=t), partial(host_edits.set_place, address=address, board=t.strip()))),
            cell(part, lambda t: (tr("part {t}", t=t), _part_edit(address, t))),
            cell(socket, lambda t: (tr("connector {t}", t=t), _socket_edit(address, t))),
            cell(_pad(place.pad), lambda t: (tr("pad {t}", t=t), partial(host_edits.set_place, address=address, pad=_pad_of(t))), others),
            cell(target.name if target else "", lambda t: (tr("rings to {t}", t=t), set_point(rings_to=_point_id(self._terminals, t)))),
            cell(states, lambda t: (tr("alive in {t}", t=t), partial(host_edits.set_point, address=address, states=_states(job, t)))),
            cell("; ".join(said), lambda t: (tr("true of it: {t}", t=t), _traits_edit(address, t))),
            cell(terminal.papers, lambda t: (tr("papers say {t}", t=t), partial(host_edits.set_point, address=address, papers=t.strip()))),
            cell(" → ".join(terminal.path), lambda t: (tr("found by way of"), set_point(path=_path(t)))),
        )  # fmt: skip

    def _typed(self, make: Callable[[str], tuple[str, Edit]], text: str) -> None:
        try:
            words, edit = make(text)
        except JobError as error:
            self.refused.emit(str(error))
            return
        self.edited.emit(Change(words, edit))

    def chosen(self) -> str:
        """Address of the point chosen, empty for none."""
        row = self.table.currentIndex().row()
        terminals = self._terminals
        return f"{self.device_id}.{terminals[row].id}" if 0 <= row < len(terminals) else ""

    def _add_point(self) -> None:
        name = ask.line(self, tr("Add a point"), tr("What is it called?"))
        if name and self._job is not None:
            made = Pin(
                id=host_edits.id_of(name, [t.id for t in self._terminals]),
                name=name,
                return_to=star_address(self._job, self.device_id).partition(".")[2],
            )
            edit = partial(host_edits.add_point, terminal=made, device_id=self.device_id)
            self.edited.emit(Change(tr("add {name}", name=name), edit))

    def _remove_point(self) -> None:
        if address := self.chosen():
            self.edited.emit(Change(tr("remove a point"), partial(host_edits.remove_point, address=address)))
        else:
            self.refused.emit(tr("choose a point in the table first"))

    def _next_place(self) -> None:
        address = self.chosen()
        terminal = self._job.terminal(address) if self._job and address else None
        if terminal is None or not terminal.alternatives:
            self.refused.emit(tr("no other place on the net of this point is known"))
            return
        self.edited.emit(
            Change(
                tr("use another place on the net"),
                partial(host_edits.use_alternative, address=address, index=0),
            )
        )

    def _add_place(self) -> None:
        address = self.chosen()
        if not address:
            self.refused.emit(tr("choose a point in the table first"))
            return
        text = ask.line(
            self,
            tr("Another place on the same net"),
            tr("Board; part and pin; kind of pad (main board; R31; 0603 end)"),
        )
        if text:
            try:
                place = _place(text)
            except JobError as error:
                self.refused.emit(str(error))
                return
            self.edited.emit(
                Change(
                    tr("another place: {text}", text=text),
                    partial(host_edits.add_alternative, address=address, place=place),
                )
            )


#: What may stand behind the role of a point that carries sound: the word, the field, its value.
SOUND = {
    **{c.value: ("channel", c) for c in Channel},
    **{w.value: ("way", w) for w in Way},
    **{u.value: ("use", u) for u in Use},
    "turned round": ("inverted", True),
    mark("not turned round"): ("inverted", False),
}


def _role(terminal: AnyTerminal) -> str:
    usual = {"channel": Channel.MONO, "way": Way.FULL, "use": Use.LINE, "inverted": False}
    words = [
        w for w, (field, value) in SOUND.items() if getattr(terminal, field, None) == value != usual[field]
    ]
    return ", ".join((role_of(terminal), *words))


def _role_edit(address: str, text: str) -> Edit:
    role, *words = (p.strip().lower() for p in text.split(","))

    def edit(job: Job) -> Job:
        job = host_edits.set_role(job, address, role)
        changes: dict[str, object] = {}
        for word in words:
            if word not in SOUND:
                raise EditError(
                    tr(
                        "“{word}” is not known of a point; write any of {listed}",
                        word=word,
                        listed=", ".join(SOUND),
                    ),
                    value=word,
                )
            field, value = SOUND[word]
            changes[field] = value
        return host_edits.set_point(job, address, **changes) if changes else job

    return edit


def _part_edit(address: str, text: str) -> Edit:
    part, _, pin = text.strip().replace(" pin ", " ").partition(" ")
    return partial(host_edits.set_place, address=address, part=part, pin=pin.strip())


def _socket_edit(address: str, text: str) -> Edit:
    name, _, position = text.strip().rpartition("-")
    if not position.isdigit() or not name:
        return partial(host_edits.set_place, address=address, connector=text.strip(), position=0)
    return partial(host_edits.set_place, address=address, connector=name, position=int(position))


def _pad(pad: Pad) -> str:
    return "" if pad is Pad.UNKNOWN else pad.value


def _pad_of(text: str) -> Pad:
    lowered = text.strip().lower()
    for pad in Pad:
        if lowered and (pad.value.lower().startswith(lowered) or lowered in pad.value.lower()):
            return pad
    if not lowered:
        return Pad.UNKNOWN
    raise EditError(
        tr(
            "“{text}” is no kind of pad; write one of {listed}",
            text=text,
            listed=", ".join(p.value for p in Pad),
        ),
        value=text,
    )


def _id_of(things: Iterable[Stage | AnyTerminal], text: str) -> str | None:
    """The id of the one that a text names by its id or its name; "" for an empty text, None where there is none."""
    lowered = text.strip().lower()
    found = next((t.id for t in things if lowered in (t.id, t.name.lower())), None)
    return found if found is not None or lowered else ""


def _stage(job: Job, text: str) -> str:
    found = _id_of(job.host.stages, text)
    if found is not None:
        return found
    raise EditError(
        tr(
            "there is no stage “{text}”; write one of {listed}",
            text=text,
            listed=", ".join(s.name for s in job.host.stages),
        ),
        value=text,
    )


def _point_id(terminals: Sequence[AnyTerminal], text: str) -> str:
    found = _id_of(terminals, text)
    if found is not None:
        return found
    raise EditError(tr("there is no point “{text}”", text=text), value=text)


def _states(job: Job, text: str) -> tuple[str, ...]:
    if text.strip().lower() in ("", "all"):
        return ()
    found = []
    for word in text.split(";"):
        state = _state(job.host.states, word)
        found.append(state.id)
    return tuple(found)


def _state(states: tuple[State, ...], text: str) -> State:
    lowered = text.strip().lower()
    for state in states:
        if lowered in (state.id, state.name.lower()) or (lowered and state.name.lower().startswith(lowered)):
            return state
    raise EditError(
        tr(
            "there is no state “{strip}”; write one of {listed}",
            strip=text.strip(),
            listed=", ".join(s.name for s in states),
        ),
        value=text,
    )


def _traits_edit(address: str, text: str) -> Edit:
    """Traits typed as words: each that is named is true of the point, or not with a “not” before it."""
    wanted: dict[Trait, bool] = {}
    for phrase in filter(None, (p.strip().lower() for p in text.split(";"))):
        negative = phrase.startswith("not ")
        word = phrase.removeprefix("not ").strip()
        trait = next((t for t in Trait if word in t.value or word.replace(" ", "-") in t.value), None)
        if trait is None:
            raise EditError(
                tr(
                    "“{word}” is not known; write one of {listed}",
                    word=word,
                    listed="; ".join(t.value for t in Trait),
                ),
                value=word,
            )
        wanted[trait] = not negative

    def edit(job: Job) -> Job:
        for trait in Trait:
            job = host_edits.set_trait(job, address, trait, wanted.get(trait))
        return job

    return edit


def _path(text: str) -> tuple[str, ...]:
    """The way by which a point was found on paper: block diagram → chip → pin → nearest place."""
    return tuple(p.strip() for p in text.replace("->", "→").split("→") if p.strip())


def _place(text: str) -> Place:
    """A place typed as board; part and pin; kind of pad. Raises EditError for a pad that is none."""
    parts = [p.strip() for p in text.split(";")]
    board, spot, pad = (*parts, "", "")[:3] if len(parts) > 1 else ("", parts[0], "")
    part, _, pin = spot.replace(" pin ", " ").partition(" ")
    return Place(board=board, part=part, pin=pin.strip(), pad=_pad_of(pad))
