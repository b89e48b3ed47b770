"""The Control station, driven as a person does; two journeys through the real window."""

from __future__ import annotations

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton
from pytestqt.qtbot import QtBot

from conftest import Bench
from controlling import decoded, muting, woken
from pigtail.catalogue.topologies import topologies
from pigtail.desktop.fields import ValueField
from pigtail.desktop.stations.control.dialogs import JoinDialog, PinDialog, SwitchDialog
from pigtail.desktop.stations.control.station import ControlStation
from pigtail.desktop.stations.sketch import marks_of
from pigtail.edits.change import Change
from pigtail.job.control import Acts, Drive, Pull, WantedOf
from pigtail.job.document import Control, ControlIn, Job
from pigtail.job.file import Document
from pigtail.studies.all import study_job
from pigtail.studies.control.transitions import transitions_of
from pigtail.studies.findings import Severity


def shown(qtbot: QtBot, job: Job) -> ControlStation:
    """The station with a job on view."""
    station = ControlStation()
    qtbot.addWidget(station)
    station.resize(790, 580)
    station.show_job(job, study_job(job))
    station.show()
    return station


def cell_of(station: ControlStation, row: int, column: int) -> str:
    """What a cell tells to those who cannot see it."""
    index = station.table.model_.index(row, column)
    return str(station.table.model_.data(index, Qt.ItemDataRole.AccessibleTextRole))


def press(station: ControlStation, text: str, key: Qt.Key = Qt.Key.Key_unknown) -> None:
    """Press a key in the table."""
    station.table.keyPressEvent(QKeyEvent(QEvent.Type.KeyPress, key, Qt.KeyboardModifier.NoModifier, text))


def test_the_table_tells_each_state(qtbot: QtBot) -> None:
    """Off in standby, on with aux, with their numbers and verdicts in words."""
    station = shown(qtbot, woken())
    assert "off" in cell_of(station, 1, 0)
    assert "on 4.98 V" in cell_of(station, 3, 0)
    assert "good" in cell_of(station, 3, 0)
    assert station.table.model_.headerData(1, Qt.Orientation.Horizontal) == "on line"


def test_the_picked_cell_is_drawn_with_what_makes_it_so(qtbot: QtBot) -> None:
    """The switch with its parts, the line that works it, the volts of that row."""
    station = shown(qtbot, woken())
    station.table.pick(3, 0)
    assert station.network.isVisible()
    assert station.findChild(ValueField, "part_0_rd") is not None
    assert station.line.currentData() == "host.on_line"
    assert "is fed wherever it is wanted" in station.paths.accessibleName()


@pytest.mark.parametrize(("typed", "yes"), [("+", True), ("-", False), ("y", True), ("n", False)])
def test_what_is_wanted_is_typed_into_the_table(qtbot: QtBot, typed: str, yes: bool) -> None:
    """A wish for the module in the state picked."""
    station = shown(qtbot, woken())
    told: list[Change] = []
    station.edited.connect(told.append)
    station.table.pick(2, 0)
    press(station, typed)
    (want,) = told[-1].edit(woken()).wants
    assert (want.of, want.what, want.state, want.yes) == ("rx", WantedOf.POWERED, "radio", yes)


def test_a_wish_is_taken_back(qtbot: QtBot) -> None:
    """By Delete; and the cell shows it until then."""
    from pigtail.edits.control import set_want

    job = set_want(woken(), "rx", WantedOf.POWERED, "radio", "", False)
    station = shown(qtbot, job)
    row = next(k for k, r in enumerate(station.table.model_.found.rows) if r.state == "radio")  # type: ignore[union-attr]
    assert "wanted off" in cell_of(station, row, 0)
    told: list[Change] = []
    station.edited.connect(told.append)
    station.table.pick(row, 0)
    press(station, "", Qt.Key.Key_Delete)
    assert told[-1].edit(job).wants == ()


def test_nothing_is_wanted_of_a_rail(qtbot: QtBot) -> None:
    """A key there does nothing, and it has no menu."""
    station = shown(qtbot, woken())
    told: list[Change] = []
    station.edited.connect(told.append)
    station.table.pick(3, 2)
    press(station, "+")
    assert told == []
    assert station.table.menu() is None


def test_a_resistor_is_turned_in_the_drawing(qtbot: QtBot) -> None:
    """One change of the supply link."""
    station = shown(qtbot, woken())
    told: list[Change] = []
    station.edited.connect(told.append)
    field = station.findChild(ValueField, "part_0_rd")
    assert field is not None
    field.setText("100k")
    field.setModified(True)
    field.commit()
    link = told[-1].edit(woken()).link("supply")
    assert link is not None
    assert next(p.value.nominal for p in link.sections[0].parts if p.name == "rd") == 100e3


def test_a_line_tells_what_the_host_needs(qtbot: QtBot) -> None:
    """Typed beside the table: the least that still works, the level in the state picked."""
    station = shown(qtbot, woken())
    told: list[Change] = []
    station.edited.connect(told.append)
    station.table.pick(1, 1)
    for name, text in (("fact_least", "3 V ±5 %"), ("fact_here", "0.9 V")):
        entry = station.findChild(QLineEdit, name)
        assert entry is not None
        entry.setText(text)
        entry.setModified(True)
        entry.editingFinished.emit()
    job = woken()
    for change in told:
        job = change.edit(job)
    found = job.terminal("host.on_line")
    assert isinstance(found, Control)
    assert found.least is not None
    assert found.least.nominal == 3.0
    assert found.told_in("standby") is not None


def test_an_input_tells_what_holds_it(qtbot: QtBot) -> None:
    """Chosen beside the table; a text that is no value is refused in one sentence."""
    station = shown(qtbot, muting())
    told: list[Change] = []
    refused: list[str] = []
    station.edited.connect(told.append)
    station.refused.connect(refused.append)
    station.table.pick(3, 2)
    pulls = station.findChild(QComboBox, "fact_pulls")
    assert pulls is not None
    pulls.setCurrentText(Pull.DOWN.value)
    pulls.activated.emit(pulls.currentIndex())
    found = told[-1].edit(muting()).terminal("host.amp_enable")
    assert isinstance(found, ControlIn)
    assert found.pulls is Pull.DOWN
    entry = station.findChild(QLineEdit, "fact_high")
    assert entry is not None
    entry.setText("high")
    entry.setModified(True)
    entry.editingFinished.emit()
    assert len(refused) == 1


def test_what_a_pin_shows_is_told_for_each_thing_done(qtbot: QtBot) -> None:
    """The link pin blinks while it searches."""
    station = shown(qtbot, muting())
    told: list[Change] = []
    station.edited.connect(told.append)
    rows = station.table.model_.found.rows  # type: ignore[union-attr]
    station.table.pick(next(k for k, r in enumerate(rows) if r.doing == "searching"), 1)
    combo = station.findChild(QComboBox, "fact_shown")
    assert combo is not None
    combo.setCurrentText("blinking")
    combo.activated.emit(combo.currentIndex())
    (module,) = told[-1].edit(muting()).modules
    shows = module.shows("searching")
    assert shows is not None
    assert shows.blinking == ("link",)
    drive = station.findChild(QComboBox, "fact_drive")
    assert drive is not None
    assert drive.currentText() == Drive.PUSH_PULL.value


def test_what_blinks_tells_how_often_and_its_average_is_told(qtbot: QtBot) -> None:
    """Fields for rate and duty beside a line that blinks, and for none that does not; the averaged input shows the mean in its cell."""
    station = shown(qtbot, decoded(rate=""))
    told: list[Change] = []
    station.edited.connect(told.append)
    rows = station.table.model_.found.rows  # type: ignore[union-attr]
    at = next(k for k, r in enumerate(rows) if r.doing == "searching")
    station.table.pick(at, 1)
    rate = station.findChild(QLineEdit, "fact_blink")
    assert rate is not None
    rate.setText("2 Hz")
    rate.setModified(True)
    rate.editingFinished.emit()
    job = told[-1].edit(decoded(rate=""))
    line = job.terminal("tx.link")
    assert isinstance(line, Control)
    assert line.blink is not None
    station.show_job(job, study_job(job))
    assert "blinks" in cell_of(station, at, 1)
    assert "blinks 1.6 V" in cell_of(station, at, 2)
    station.table.pick(2, 0)
    station.show_job(muting(), study_job(muting()))
    station.table.pick(at, 1)
    assert "blink" not in station.facts.fields


def test_switches_and_networks_are_in_the_menu(qtbot: QtBot) -> None:
    """Every switch for the supply of the module picked; what pulls and shows under its title; the switch is taken out again."""
    station = shown(qtbot, woken())
    told: list[Change] = []
    station.edited.connect(told.append)
    station.table.pick(3, 0)
    station.menu.aboutToShow.emit()
    texts = [a.text() for a in station.menu.actions()]
    assert sum("High-side switch" in t for t in texts) == 5
    next(a for a in station.menu.actions() if a.text() == "Nothing: joined straight").trigger()
    link = told[-1].edit(woken()).link("supply")
    assert link is not None
    assert link.sections[0].topology == "direct"
    assert link.at("ctl") == ()
    subs = {a.text() for a in station.menu.actions() if a.menu() is not None}
    assert {"Pull a line", "Show something", "Delay or average"} <= subs


def test_transitions_are_shown_one_at_a_time(qtbot: QtBot) -> None:
    """A click goes to the next; what happens is told in its order."""
    station = shown(qtbot, muting())
    station.course.show_transitions(transitions_of(muting()))
    first = station.course.accessibleName()
    assert "from “standby” to “on, aux”" in first
    assert "supply is fed" in first
    qtbot.mouseClick(station.course, Qt.MouseButton.LeftButton)
    assert station.course.accessibleName() != first
    for event in station.course.transitions:
        assert list(event.events) == sorted(event.events)


def test_a_pin_is_added_by_its_dialog(qtbot: QtBot) -> None:
    """An enable of the module that mutes an output; without a name it is refused."""
    job = muting()
    dialog = PinDialog(job)
    qtbot.addWidget(dialog)
    dialog.kind.setCurrentIndex(dialog.kind.findData(Acts.MUTES.value))
    dialog.name.setText("")
    dialog.accept()
    assert dialog.change is None
    assert dialog.trouble.text()
    dialog.name.setText("mute pin")
    dialog.accept()
    assert dialog.change is not None
    made = dialog.change.edit(job).terminal("tx.mute_pin")
    assert isinstance(made, ControlIn)
    assert made.acts is Acts.MUTES
    assert made.pulls is Pull.UNKNOWN


def test_a_light_is_joined_by_its_dialog(qtbot: QtBot) -> None:
    """From the link pin to the star."""
    job = muting()
    dialog = JoinDialog(job, "led", "tx.link")
    qtbot.addWidget(dialog)
    dialog.accept()
    assert dialog.change is not None
    link = dialog.change.edit(job).links[-1]
    assert (link.starts, link.at("out")) == (("tx.link",), ("host.star",))


def test_a_switch_of_the_host_is_told_by_its_dialog(qtbot: QtBot) -> None:
    """Common, a way, and how it stands in a state; the same point twice is refused."""
    from pigtail.edits.host import add_point
    from pigtail.job.document import Pin

    job = woken("direct", ctl="")
    for name in ("pole", "contact"):
        job = add_point(job, Pin(id=name, name=name))
    dialog = SwitchDialog(job)
    qtbot.addWidget(dialog)
    dialog.common.setCurrentIndex(dialog.common.findData("pole"))
    dialog.ways[0].setCurrentIndex(dialog.ways[0].findData("pole"))
    dialog.accept()
    assert dialog.change is None
    dialog.ways[0].setCurrentIndex(dialog.ways[0].findData("contact"))
    dialog.stands["aux"].setCurrentIndex(dialog.stands["aux"].findData("contact"))
    dialog.accept()
    assert dialog.change is not None
    (switch,) = dialog.change.edit(job).host.switches
    assert switch.stands_on("aux") == "contact"
    assert switch.stands_on("radio") is None


@pytest.mark.parametrize("key", [k for k, t in topologies().items() if t.sketch])
def test_every_sketch_draws_its_bought_parts_and_its_ports(key: str) -> None:
    """A field for each part, a place for each port but the common."""
    shape = topologies()[key]
    marks = marks_of(shape.sketch)
    assert {m.names[0] for m in marks if m.word in ("r", "c")} == {p.name for p in shape.bought()}
    assert {m.names[0] for m in marks if m.word == "port"} == set(shape.ports) - {"com"}


# -- journeys ------------------------------------------------------------------------------------------------


def found(bench: Bench) -> ControlStation:
    """The station on view."""
    view = bench.assembly.views.of("control")
    assert isinstance(view, ControlStation)
    return view


def sought(bench: Bench) -> None:
    """Search for what is picked, and take the first way."""
    station = found(bench)
    bench.click(bench.find(QPushButton, "find_controls"))
    bench.qtbot.waitUntil(lambda: not station.found.searching, timeout=60_000)
    bench.settle()
    bench.click(station.found.take)


@pytest.mark.long
def test_a_receiver_is_woken_by_a_line_of_the_host(bench: Bench) -> None:
    """From a permanent rail that stays up in standby to a switch that the line works: searched, taken, the table good; undone again."""
    bench.assembly.files.start(Document(woken("direct", ctl="")), None)
    bench.settle()
    bench.assembly.views.go("control")
    station = found(bench)
    station.table.pick(0, 0)
    assert bench.session.studies is not None
    assert "power.always_on" in {f.code for f in bench.session.studies.findings}
    sought(bench)
    assert bench.session.job is not None
    link = bench.session.job.link("supply")
    assert link is not None
    assert link.at("ctl") == ("host.on_line",)
    assert bench.session.studies.verdicts["control"] is Severity.GOOD
    assert "power.always_on" not in {f.code for f in bench.session.studies.findings}
    station.table.pick(1, 0)
    assert "off" in cell_of(station, 1, 0)


def test_a_transmitter_mutes_the_speaker_while_it_is_linked(bench: Bench) -> None:
    """The speaker's column is picked, the search offers an N-MOSFET, taken it is mute while linked and heard while searching."""
    job = muting()
    bench.assembly.files.start(
        Document(replace(job, links=tuple(x for x in job.links if x.id != "mute"))), None
    )
    bench.settle()
    bench.assembly.views.go("control")
    station = found(bench)
    study = station.table.model_.found
    assert study is not None
    column = next(k for k, c in enumerate(study.columns) if c.subject == "host.speaker")
    station.table.pick(len(study.rows) - 1, column)
    sought(bench)
    table = station.table.model_.found
    assert table is not None
    words = {r.doing: table.cell(r, "output.host.speaker").word for r in table.rows if r.state == "aux"}  # type: ignore[union-attr]
    assert words["linked"] == "mute"
    assert words["searching"] == "heard"
    assert words["unplugged"] == "heard"
