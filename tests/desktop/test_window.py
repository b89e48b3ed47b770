"""The window's parts: what they show, how they are reached, and that trouble is told in one sentence."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLineEdit,
    QPushButton,
    QTableView,
    QWidget,
)
from pytestqt.modeltest import ModelTester
from pytestqt.qtbot import QtBot
from tests.desktop.conftest import Bench

from pigtail.catalogue.demo import demo, demo_bytes
from pigtail.desktop import actions, theme
from pigtail.desktop.fields import ValueField
from pigtail.desktop.tables import Cell, RowsModel
from pigtail.edits.change import Change
from pigtail.job.file import Document
from pigtail.job.recovery import Keeper
from pigtail.studies.register import REGISTER

KEYS = [e.key for e in REGISTER]


@pytest.mark.one_of(4, 1)
@pytest.mark.parametrize("key", KEYS)
def test_each_station_is_reached_by_alt_and_its_number(bench: Bench, key: str) -> None:
    """Alt+1 … Alt+5, by the action that carries the keys."""
    bench.open_demo()
    number = KEYS.index(key) + 1
    action = bench.assembly.actions[f"go_{key}"]
    assert action.shortcut().toString() == f"Alt+{number}"
    bench.run(f"go_{key}")
    assert bench.window.stations.currentWidget() is bench.assembly.views.made[key]
    assert bench.window.lead.splices[key].isChecked()


@pytest.mark.one_of(3, 1)
@pytest.mark.parametrize("key", KEYS)
@pytest.mark.parametrize("name", ["larkmoor", "tidewell"])
def test_every_control_has_an_accessible_name_and_takes_the_keyboard(
    bench: Bench, name: str, key: str
) -> None:
    """What can be clicked can be tabbed to and is announced."""
    bench.open_demo(name)
    bench.assembly.views.go(key)
    bench.settle()
    kinds = (QAbstractButton, QComboBox, QLineEdit, QTableView)
    controls = [w for w in bench.window.findChildren(QWidget) if isinstance(w, kinds) and w.isVisible()]
    inner = [w for w in controls if not isinstance(w.parent(), (QComboBox, QTableView))]
    assert len(inner) > 12
    for widget in inner:
        assert widget.accessibleName(), widget.objectName() or type(widget).__name__
        assert widget.focusPolicy() & Qt.FocusPolicy.TabFocus, widget.accessibleName()
        assert widget.toolTip() or isinstance(widget, QTableView), widget.accessibleName()


@pytest.mark.one_of(3)
@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
@pytest.mark.parametrize("key", KEYS)
def test_nothing_is_cut_off(bench: Bench, key: str, size: tuple[int, int]) -> None:
    """At both sizes every panel lies inside the window and its neighbours do not overlap."""
    bench.open_demo()
    bench.window.resize(*size)
    bench.assembly.views.go(key)
    bench.settle()
    assert (bench.window.width(), bench.window.height()) == size
    face = bench.window.face.rect()
    panels = [
        bench.window.lead,
        bench.window.telltales,
        bench.window.stations,
        bench.window.why,
        bench.window.strip,
    ]
    places = [p.rect().translated(p.mapTo(bench.window.face, p.rect().topLeft())) for p in panels]
    assert all(face.contains(p) for p in places)
    assert not any(a.intersects(b) for k, a in enumerate(places) for b in places[k + 1 :])
    view = bench.assembly.views.made[key]
    for button in view.findChildren(QPushButton):
        if button.isVisible():
            assert view.rect().contains(button.geometry().center())
            assert button.width() >= button.minimumSizeHint().width()


def test_each_action_has_words_a_menu_and_keys_of_its_own() -> None:
    """The table is what menus, key sheet and tests read."""
    assert len({e.id for e in actions.TABLE}) == len(actions.TABLE)
    keys = [e.keys for e in actions.TABLE if e.keys]
    assert len(set(keys)) == len(keys)
    assert all(e.words and e.menu in actions.MENUS for e in actions.TABLE)


def test_telltales_lead_to_their_finding(bench: Bench) -> None:
    """A click on the hum opens Returns with the finding picked."""
    bench.open_demo()
    hum = next(d for d in bench.window.telltales.dials if d.dial.judgement == "returns.quiet")
    assert hum.accessibleName() == "bursts under music: −31.3 dB, fix"
    bench.click(hum)
    assert bench.assembly.views.here == "returns"
    assert "bursts are heard" in bench.window.why.list.currentItem().text()


def test_why_shows_the_relation_its_ingredients_and_what_a_remedy_brings(bench: Bench) -> None:
    """For the picked finding, in the words of the study."""
    bench.open_demo()
    bench.assembly.views.go("power")
    bench.settle()
    bench.window.why.pick("power.overheats")
    texts = [w.text() for w in bench.window.why.detail.findChildren(QWidget) if hasattr(w, "text")]
    joined = "\n".join(texts)
    assert "P = (Vin − Vout)·I + Vin·Iq" in joined
    assert "193 °C → 45 °C" in joined
    assert "guessed" in joined


def test_a_part_steps_along_its_series_with_the_arrow_keys(bench: Bench, qtbot: QtBot) -> None:
    """Up is the next preferred value; Esc gives back what was there."""
    bench.open_demo().run("go_level")
    field = bench.find(ValueField, "part_2_r2")
    field.setFocus()
    qtbot.keyClick(field, Qt.Key.Key_Up)
    bench.settle()
    assert field.text() == "2.2 kΩ"
    assert bench.session.undo_words == "R2 to 2.2 kΩ"
    qtbot.keyClicks(field, "9")
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    assert field.text() == "2.2 kΩ"


@pytest.mark.parametrize("text", ["banana", "0", "-5"])
def test_a_part_that_cannot_be_is_refused_in_one_sentence(bench: Bench, text: str) -> None:
    """The job stays as it was."""
    bench.open_demo().run("go_level")
    before = bench.session.job
    bench.type(bench.find(ValueField, "part_2_r2"), text)
    assert bench.message()
    assert bench.session.job is before


def test_networks_are_put_in_and_taken_out(bench: Bench) -> None:
    """The menu of Level offers what the feed may take and what it has."""
    bench.open_demo().run("go_level")
    menu = bench.assembly.views.made["level"].change.menu()
    menu.aboutToShow.emit()
    words = {a.text(): a for a in menu.actions()}
    assert "Take out: stereo to mono sum" not in words
    words["Take out: two-resistor pad"].trigger()
    bench.settle()
    assert bench.verdicts()["level"] == "watch"
    assert "part_2_r2" not in [f.objectName() for f in bench.assembly.views.made["level"].network._fields]


def test_converter_and_rail_are_chosen_in_place(bench: Bench) -> None:
    """Power's two choices are edits."""
    bench.open_demo().run("go_power")
    bench.choose(bench.find(QComboBox, "converter"), "buck")
    assert bench.verdicts()["power"] == "good"
    bench.choose(bench.find(QComboBox, "rail"), "host.rail_high")
    assert bench.verdicts()["power"] == "unknown"
    bench.run("undo").run("undo")
    assert bench.verdicts()["power"] == "fix"


def test_the_schools_are_listed_and_one_is_used(bench: Bench) -> None:
    """The quietest arrangement first; the plan itself cannot be "used"."""
    bench.open_demo().run("go_returns")
    view = bench.assembly.views.made["returns"]
    rows = [row[0].text for row in view.rows.rows]
    assert rows.index("As planned") < rows.index("Lift the audio return with 10 Ω")
    view.table.selectRow(rows.index("As planned"))
    assert not view.use.isEnabled()
    view.table.selectRow(0)
    bench.click(view.use)
    assert bench.session.undo_words == "supply return in AWG 20"


def test_what_is_known_is_edited_in_the_table(bench: Bench) -> None:
    """A value on paper changes the verdict; text that is none is refused; “?” makes it not known."""
    bench.open_demo().run("go_survey")
    model = bench.assembly.views.made["survey"].rows
    row = next(
        k
        for k, r in enumerate(model.rows)
        if r[0].text == "regulated rail" and r[1].text == "current it can give"
    )
    model.setData(model.index(row, 2), "500 mA")
    bench.settle()
    assert bench.session.job.terminal("host.rail_low").limit.nominal == 0.5
    model.setData(model.index(row, 2), "plenty")
    assert "plenty" in bench.message()
    model.setData(model.index(row, 2), "?")
    bench.settle()
    assert bench.verdicts()["power"] == "fix"
    assert model.rows[row][4].text == "unknown"


def test_a_reading_is_struck_and_kept(bench: Bench) -> None:
    """The log shows it struck; it counts no more."""
    bench.open_demo().run("go_survey")
    view = bench.assembly.views.made["survey"]
    view.view.setCurrentIndex(1)
    view.log_table.selectRow(1)
    bench.run("strike")
    assert bench.session.job.readings[1].struck
    assert view.log.rows[1][6].text.startswith("struck")
    assert bench.verdicts()["taps"] == "unknown"


def test_the_loom_is_edited_in_the_table(bench: Bench) -> None:
    """Colour, gauge and length; what makes no sense is refused."""
    bench.open_demo().run("go_build")
    model = bench.assembly.views.made["build"].loom.wires
    row = next(k for k, r in enumerate(model.rows) if r[3].text == "supply, from the rail")
    model.setData(model.index(row, 4), "Blue")
    model.setData(model.index(row, 5), "22, screened")
    model.setData(model.index(row, 6), "33 cm")
    bench.settle()
    conductor = bench.session.job.link("supply").joins[0].conductor
    assert (conductor.colour, conductor.gauge, conductor.screened) == ("blue", 22, True)
    assert conductor.length.nominal == pytest.approx(0.3)
    for column, text in ((5, "thick"), (5, "99"), (6, "long"), (6, "-3 cm")):
        before = bench.session.job
        model.setData(model.index(row, column), text)
        assert bench.message()
        assert bench.session.job is before


def test_a_reading_that_cannot_be_read_is_refused_in_one_sentence(bench: Bench) -> None:
    """The text stays, to be mended."""
    bench.open_demo()
    before = bench.session.job.readings
    bench.type(bench.assembly.strip.reading, "about five")
    assert "about five" in bench.message()
    assert bench.session.job.readings == before


def test_a_bad_file_is_told_and_the_open_job_stays(
    bench: Bench, answers: Callable[..., None], tmp_path: Path
) -> None:
    """One sentence in the message line."""
    bench.open_demo()
    before = bench.session.job
    bad = tmp_path / "bad.pigtail"
    bad.write_bytes(demo_bytes("larkmoor")[:500])
    answers(open_path=bad)
    bench.run("open")
    assert "not complete JSON" in bench.message()
    assert bench.session.job is before


def test_a_folder_that_cannot_be_written_is_told(
    bench: Bench, answers: Callable[..., None], tmp_path: Path
) -> None:
    """The job stays unsaved and open."""
    bench.open_demo().run("go_power")
    bench.choose(bench.find(QComboBox, "converter"), "buck")
    blocked = tmp_path / "a file"
    blocked.write_text("x")
    answers(save_path=tmp_path / "nowhere" / "a.pigtail", folder=blocked)
    bench.run("save")
    assert "cannot be written" in bench.message()
    assert bench.window.isWindowModified()
    bench.run("sheet")
    assert "cannot be made" in bench.message()


@pytest.mark.parametrize(("answer", "leaves"), [("leave", True), ("stay", False)])
def test_unsaved_work_is_asked_about(
    bench: Bench, answers: Callable[..., None], answer: str, leaves: bool
) -> None:
    """Leaving is the person's choice."""
    bench.open_demo().run("go_power")
    bench.choose(bench.find(QComboBox, "converter"), "buck")
    answers(save_before_leaving=answer)
    assert bench.assembly.files.may_leave() is leaves


def test_a_dropped_job_is_opened(bench: Bench, tmp_path: Path) -> None:
    """A job file dropped on the window; other files are not taken."""
    path = tmp_path / "t.pigtail"
    path.write_bytes(demo_bytes("tidewell"))
    bench.open_demo()
    for name, opened in ((tmp_path / "x.zebra", False), (path, True)):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(name))])
        action, button, keys = (
            Qt.DropAction.CopyAction,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        bench.window.dropEvent(QDropEvent(QPointF(5, 5), action, data, button, keys))
        bench.settle()
        assert bench.session.job.name.startswith("Tidewell") is opened
    assert str(path) in [a.text() for a in bench.assembly.files.recent.menu.actions()]


def test_every_edit_is_kept_and_the_window_shows_it(bench: Bench) -> None:
    """The recovery file holds the edit once the window says so."""
    bench.open_demo().run("go_power")
    with bench.qtbot.waitSignal(bench.session.kept, timeout=60_000):
        bench.session.edit(
            Change(
                "a name",
                lambda j: type(j)(**{**{f: getattr(j, f) for f in j.__struct_fields__}, "name": "Kept"}),
            )
        )
    assert "kept" in bench.window.lead.card.text()
    (file,) = (bench.folder / "recovery").glob("*.json")
    assert b'"Kept"' in file.read_bytes()


def test_what_a_killed_program_left_is_offered_and_taken_over(bench: Bench, tmp_path: Path) -> None:
    """Recover it: the job is there, unsaved, its pictures with it; the leftover file is gone."""
    import os

    from pigtail.job.recovery import leftovers

    folder = tmp_path / "left"
    keeper = Keeper(folder)
    photo = keeper.files / "pictures" / "board.png"
    photo.parent.mkdir(parents=True)
    photo.write_bytes(b"a photo")
    keeper.keep(Document(demo("tidewell").job), 5)
    os.close(keeper._lock)
    bench.assembly.files.offer_leftovers(leftovers(folder))
    assert "Tidewell" in bench.message()
    button = next(
        b for b in bench.window.findChildren(QPushButton, "message_action") if b.text() == "Recover it"
    )
    bench.click(button)
    assert bench.session.job.name.startswith("Tidewell")
    assert bench.window.isWindowModified()
    assert list(folder.iterdir()) == []
    assert bench.session.folder is not None
    assert (bench.session.folder / "pictures" / "board.png").read_bytes() == b"a photo"
    bench.session.leave()
    bench.settle()
    assert not list((bench.folder / "recovery").glob("*.files"))


def test_light_and_dark_are_chosen_and_remembered(bench: Bench, qapp: QApplication) -> None:
    """The palette changes at once and the choice is in the settings."""
    bench.open_demo()
    for name, made in (("dark", theme.DARK), ("light", theme.LIGHT)):
        bench.run(name)
        assert theme.current() is made
        assert qapp.palette().window().color().name() == made.ground
        assert bench.assembly.settings.value("theme") == name


@pytest.mark.parametrize("made", [theme.LIGHT, theme.DARK], ids=["light", "dark"])
def test_text_has_contrast(made: theme.Theme) -> None:
    """WCAG 2.1: at least 4.5 to 1 for every colour of text on every ground it stands on."""

    def luminance(use: str) -> float:
        channels = [int(getattr(made, use)[k : k + 2], 16) / 255 for k in (1, 3, 5)]
        linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    for ink in ("ink", "dim", "accent", "stop", "fix", "watch", "unknown", "good"):
        for ground in ("ground", "panel", "field"):
            light, dark = sorted((luminance(ink), luminance(ground)), reverse=True)
            assert (light + 0.05) / (dark + 0.05) >= 4.5, (ink, ground)


def test_the_table_model_is_a_sound_qt_model(qtmodeltester: ModelTester, qapp: QApplication) -> None:
    """By Qt's own model tests, in both modes."""
    model = RowsModel(("a", "b"))
    model.show_rows([(Cell("1", edit=lambda _t: None), Cell("2", mark="fix")), (Cell("3"), Cell("4"))])
    for native in (True, False):
        qtmodeltester.check(model, force_py=not native)


def test_pictures_say_in_words_what_they_show(bench: Bench) -> None:
    """For those who cannot see them."""
    bench.open_demo()
    words = {}
    for key in KEYS:
        bench.run(f"go_{key}")
        words[key] = " ".join(
            w.accessibleName() for w in bench.assembly.views.made[key].findChildren(QWidget)
        )
    assert "−11.9 dBV" in words["level"]
    assert "169 mA" in words["power"]
    assert "left at the input −61.2 dBV" in words["returns"]
    assert "read: 4" in words["survey"]
