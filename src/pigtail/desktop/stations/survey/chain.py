"""The chain and the states of the host, edited in place: stages in order with what each does, and what the host can be doing."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pigtail.desktop import ask
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.desktop.wrapping import Wrapping, add_buttons
from pigtail.edits import host as host_edits
from pigtail.edits.change import Change, Edit
from pigtail.job.document import Act, Job, Mode, Stage, State
from pigtail.job.errors import EditError, JobError
from pigtail.language import tr

#: What a state is for, in words.
KINDS = {
    Mode.OFF: tr("off, unplugged"),
    Mode.STANDBY: tr("standby"),
    Mode.ON: tr("on"),
    Mode.WORKING: tr("plays here"),
}


class ChainTables(QWidget):
    """The tables of stages and states. `edited` carries a Change; `refused` one sentence."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._job: Job | None = None
        self.stages = RowsModel((tr("stage"), tr("kind"), tr("does to what passes"), tr("points on it")))
        self.stage_table = make_table(self.stages, "stages_table", tr("Stages of the chain in order"), 3)
        set_widths(self.stage_table, (138, 96, 132))
        self.states = RowsModel((tr("state"), tr("what for")))
        self.state_table = make_table(
            self.states,
            "states_table",
            tr("States of the host, and what each is for: off, standby, on, plays here"),
            1,
        )
        set_widths(self.state_table, (160,))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        does = QLabel(
            tr("A stage does one or more of: {listed}.", listed=", ".join(tr(a.value) for a in Act))
        )
        does.setObjectName("dim")
        does.setWordWrap(True)
        layout.addWidget(does)
        beside = QHBoxLayout()
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addWidget(self.stage_table, 1)
        left.addLayout(
            self._buttons(
                (tr("Add a stage…"), "add_stage", self._add_stage), (tr("Take it out"), "remove_stage", self._remove_stage),
                (tr("Earlier"), "stage_earlier", partial(self._move, -1)), (tr("Later"), "stage_later", partial(self._move, 1)),
            )
        )  # fmt: skip
        right.addWidget(self.state_table, 1)
        right.addLayout(
            self._buttons(
                (tr("Add…"), "add_state", self._add_state), (tr("Take out"), "remove_state", self._remove_state),
                (tr("Plays in it"), "working_state", self._working),
            )
        )  # fmt: skip
        beside.addLayout(left, 5)
        beside.addLayout(right, 3)
        layout.addLayout(beside, 1)

    def _buttons(self, *given: tuple[str, str, Callable[[], None]]) -> Wrapping:
        row = Wrapping()
        add_buttons(row, given)
        return row

    def show_job(self, job: Job) -> None:
        """Show the chain of a job's host."""
        self._job = job
        names = {t.id: t.name for t in job.host.terminals}
        self.stages.show_rows([self._stage_row(s, names) for s in job.host.stages])
        self.states.show_rows(
            [
                (
                    Cell(s.name, edit=partial(self._rename_state, s)),
                    Cell(
                        KINDS[Mode.WORKING if s.id == job.working_state() else s.kind],
                        use="good",
                        edit=partial(self._set_kind, s),
                    ),
                )
                for s in job.host.states
            ]
        )

    def _stage_row(self, stage: Stage, names: dict[str, str]) -> tuple[Cell, ...]:
        return (
            Cell(
                stage.name,
                edit=lambda t: self._tell(
                    tr("call it {t}", t=t), partial(host_edits.rename_stage, stage_id=stage.id, name=t)
                ),
            ),
            Cell(
                stage.domain,
                edit=lambda t: self._tell(
                    tr("kind {t}", t=t), partial(host_edits.set_domain, stage_id=stage.id, domain=t)
                ),
            ),
            Cell(", ".join(tr(a.value) for a in stage.acts), edit=partial(self._acts, stage), use="accent"),
            Cell(", ".join(names[p] for p in stage.points), use="dim"),
        )

    def _tell(self, words: str, edit: Edit) -> None:
        self.edited.emit(Change(words, edit))

    def _acts(self, stage: Stage, text: str) -> None:
        try:
            acts = tuple(dict.fromkeys(_act(w) for w in text.replace(";", ",").split(",") if w.strip()))
        except JobError as error:
            self.refused.emit(str(error))
            return
        self._tell(
            tr("{stage} does: {text}", stage=stage.name, text=text),
            partial(host_edits.set_acts, stage_id=stage.id, acts=acts),
        )

    def _rename_state(self, state: State, text: str) -> None:
        if self._job is not None and text.strip():
            name = text.strip()
            states = tuple(replace(s, name=name) if s.id == state.id else s for s in self._job.host.states)
            self._tell(tr("call the state {text}", text=text), partial(host_edits.set_states, states=states))

    def _chosen_stage(self) -> Stage | None:
        row = self.stage_table.currentIndex().row()
        stages = self._job.host.stages if self._job else ()
        if not 0 <= row < len(stages):
            self.refused.emit(tr("choose a stage in the table first"))
            return None
        return stages[row]

    def _chosen_state(self) -> State | None:
        row = self.state_table.currentIndex().row()
        states = self._job.host.states if self._job else ()
        if not 0 <= row < len(states):
            self.refused.emit(tr("choose a state in the table first"))
            return None
        return states[row]

    def _add_stage(self) -> None:
        name = ask.line(self, tr("Add a stage"), tr("What is the stage called?"))
        if name:
            row = self.stage_table.currentIndex().row()
            self._tell(
                tr("add the stage {name}", name=name),
                partial(host_edits.add_stage, name=name, before=row + 1 if row >= 0 else None),
            )

    def _remove_stage(self) -> None:
        if stage := self._chosen_stage():
            self._tell(
                tr("take out {stage}", stage=stage.name), partial(host_edits.remove_stage, stage_id=stage.id)
            )

    def _move(self, by: int) -> None:
        if stage := self._chosen_stage():
            row = self.stage_table.currentIndex().row()
            self._tell(
                tr("move {stage}", stage=stage.name), partial(host_edits.move_stage, stage_id=stage.id, by=by)
            )
            self.stage_table.selectRow(min(max(row + by, 0), len(self.stages.rows) - 1))

    def _add_state(self) -> None:
        name = ask.line(self, tr("Add a state"), tr("What is the host doing in it?"))
        if name:
            self._tell(tr("add the state {name}", name=name), partial(host_edits.add_state, name=name))

    def _remove_state(self) -> None:
        state = self._chosen_state()
        if state is not None and self._job is not None:
            left = tuple(s for s in self._job.host.states if s.id != state.id)
            self._tell(tr("take out {state}", state=state.name), partial(host_edits.set_states, states=left))

    def _working(self) -> None:
        state = self._chosen_state()
        if state is not None and self._job is not None:
            edit = partial(host_edits.set_state_kind, state_id=state.id, kind=Mode.WORKING)
            self._tell(tr("it plays while {state}", state=state.name), edit)

    def _set_kind(self, state: State, text: str) -> None:
        kind = next((k for k, words in KINDS.items() if text.strip().lower() in (words, k.value)), None)
        if kind is None:
            self.refused.emit(
                tr(
                    "“{strip}” is no kind of state; write {listed}",
                    strip=text.strip(),
                    listed=", ".join(KINDS.values()),
                )
            )
        else:
            edit = partial(host_edits.set_state_kind, state_id=state.id, kind=kind)
            self._tell(f"{state.name}: {KINDS[kind]}", edit)


def _act(text: str) -> Act:
    lowered = text.strip().lower()
    for act in Act:
        if lowered in (act.value, act.name.lower()) or any(
            w.lower().startswith(lowered) for w in (act.value, tr(act.value))
        ):
            return act
    raise EditError(
        tr(
            "“{strip}” is nothing a stage does; write one of {listed}",
            strip=text.strip(),
            listed=", ".join(tr(a.value) for a in Act),
        ),
        value=text,
    )
