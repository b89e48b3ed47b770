"""Habits of a desk: keys, mnemonics, help, copying for others, the size of things, bench mode by one hand."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QPlainTextEdit, QWidget
from tests.desktop.conftest import Bench

from pigtail.catalogue.demo import demo
from pigtail.catalogue.glossary import words
from pigtail.desktop import theme
from pigtail.desktop.actions import MENUS, TABLE
from pigtail.desktop.benchmode import BenchMode
from pigtail.desktop.helping import KEYS, LIMITS, WORDS, Help, pages
from pigtail.desktop.newjob import NewJob
from pigtail.desktop.pickmodule import PickDevice
from pigtail.desktop.stockdialog import StockDialog
from pigtail.desktop.window import MainWindow
from pigtail.job.file import Document
from pigtail.studies.judging import judgements
from pigtail.studies.register import REGISTER


def clip() -> str:
    """What is on the clipboard."""
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    return clipboard.text()


def test_no_key_and_no_letter_of_a_menu_means_two_things() -> None:
    """Each shortcut once; in a menu each underlined letter once; every menu has one itself."""
    keys = [k for e in TABLE for k in (e.keys, e.more_keys) if k]
    assert not [k for k, n in Counter(keys).items() if n > 1]
    for menu in MENUS:
        marks = [e.words[e.words.index("&") + 1].lower() for e in TABLE if e.menu == menu and "&" in e.words]
        assert not [k for k, n in Counter(marks).items() if n > 1], menu
    assert {"Ctrl+Y", "Ctrl+W", "F11", "F1"} <= set(keys)


def test_redo_answers_to_both_its_keys(bench: Bench) -> None:
    """Ctrl+Shift+Z, and Ctrl+Y."""
    bench.open_demo("tidewell")
    keys = [s.toString() for s in bench.assembly.actions["redo"].shortcuts()]
    assert keys == ["Ctrl+Shift+Z", "Ctrl+Y"]


def test_the_help_is_searched_and_knows_where_one_is(bench: Bench) -> None:
    """F1 opens the page of the station; words narrow the pages and are found; all words, keys and limits are in it."""
    bench.open_demo("tidewell").run("go_returns")
    bench.run("help")
    (shown,) = bench.window.findChildren(Help)
    item = shown.list.currentItem()
    assert item is not None
    assert item.text() == "Returns"
    bench.qtbot.keyClicks(shown.search, "foot switch")
    now = shown.list.currentItem()
    assert now is not None
    assert now.text() == "At the bench"
    assert shown.text.textCursor().selectedText() == "foot switch"
    shown.search.setText("zebra crossing")
    assert shown.none.isVisible()
    bench.run("help")
    assert len(bench.window.findChildren(Help)) == 1
    shown.close()
    found = pages()
    assert {e.words for e in REGISTER} | {WORDS, KEYS, LIMITS} <= set(found)
    assert all(w in found[WORDS] for w in words())
    assert all(f"{e.menu}: {e.plain}" in found[KEYS] for e in TABLE if e.keys)
    assert found[LIMITS].count("(limit ") == sum(
        c.partition(".")[0] in {e.key for e in REGISTER} for c in judgements()
    )
    assert "{" not in found[LIMITS]


@pytest.mark.parametrize(("how", "mark"), [("", "**FIX** "), ("_text", "FIX: ")])
def test_findings_and_stations_are_copied_for_a_forum(bench: Bench, how: str, mark: str) -> None:
    """With the figures; as Markdown or text; nothing in them is taken for a mark."""
    bench.open_demo().run("go_power")
    bench.assembly.why.pick("power.overheats")
    bench.run(f"copy_finding{how}")
    assert clip().startswith(f"{mark}The regulator overheats")
    assert "24.1 V come in" in clip()
    bench.run(f"copy_station{how}")
    assert "Power, fix" in clip().split("\n")[0]
    assert clip().count("FIX") >= 3
    bench.run("copy_picture")
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert clipboard.pixmap().width() > 500


def test_value_basis_and_source_are_typed_and_stay(bench: Bench) -> None:
    """A source that somebody gave stays when the value is typed over; measured cannot be typed."""
    bench.open_demo("tidewell").run("go_survey")
    view = bench.assembly.views.of("survey")
    model = view.rows

    def row() -> int:
        return next(
            k
            for k, r in enumerate(model.rows)
            if r[0].text == "line input, left" and r[1].text == "overload level"
        )

    def put(column: int, text: str) -> None:
        model.setData(model.index(row(), column), text)
        bench.settle()

    put(5, "service sheet, page 12")
    put(4, "typical")
    put(2, "1,2 V ±5 %")
    known = bench.session.job.terminal("host.line_left").overload
    assert (known.nominal, known.basis.value, known.source) == (1.2, "typical", "service sheet, page 12")
    put(4, "measured")
    assert "log a reading" in bench.message()
    assert bench.session.job.terminal("host.line_left").overload is known or known.basis.value == "typical"


def test_the_theme_follows_the_system_unless_one_is_chosen(bench: Bench, qapp: QApplication) -> None:
    """What was chosen is remembered."""
    assert theme.named("system", qapp) in (theme.LIGHT, theme.DARK)
    assert (theme.named("light", qapp), theme.named("dark", qapp)) == (theme.LIGHT, theme.DARK)
    bench.open_demo("tidewell").run("dark")
    assert theme.current() is theme.DARK
    bench.run("as_system")
    assert bench.assembly.settings.value("theme") == "system"
    assert theme.current() is theme.named("system", qapp)
    bench.run("light")


def test_the_size_of_things_is_stepped_and_told(bench: Bench) -> None:
    """From the next start on; never beyond its ends; a strange setting is as usual."""
    bench.run("larger").run("larger")
    assert bench.assembly.settings.value("text_size") == 125
    assert "125 %" in bench.message()
    for _ in range(9):
        bench.run("smaller")
    assert bench.assembly.settings.value("text_size") == theme.SIZES[0]
    bench.run("usual")
    assert theme.text_size(bench.assembly.settings) == 100
    bench.assembly.settings.setValue("text_size", "enormous")
    assert theme.text_size(bench.assembly.settings) == 100


def test_the_window_is_inside_the_screen_and_comes_back_as_it_was_left(bench: Bench, tmp_path: Path) -> None:
    """Also where the screen is lower than the usual window with its title bar."""
    settings = QSettings(str(tmp_path / "geometry.ini"), QSettings.Format.IniFormat)
    window = MainWindow()
    window.place(settings)
    screen = QGuiApplication.primaryScreen()
    assert screen is not None
    free = screen.availableGeometry()
    assert window.width() <= free.width()
    assert window.height() <= free.height() - 30
    window.resize(700, 500)
    window.show()
    size = window.size()
    window.close()
    again = MainWindow()
    again.place(settings)
    assert again.size() == size
    for each in (window, again):
        each.deleteLater()


def test_every_control_of_the_dialogs_has_a_tip_and_text_boxes_are_left_by_tab(bench: Bench) -> None:
    """The dialogs that have their own form."""
    for dialog in (
        NewJob(bench.window),
        PickDevice("Add", "Add it", parent=bench.window),
        StockDialog(bench.window),
        Help(bench.window),
    ):
        bench.qtbot.addWidget(dialog)
        dialog.show()
        for control in dialog.findChildren(QWidget):
            if (
                isinstance(control, (QAbstractButton, QComboBox, QLineEdit))
                and control.isVisible()
                and control.objectName() != "qt_spinbox_lineedit"
            ):
                assert control.toolTip(), (
                    type(dialog).__name__,
                    control.objectName(),
                    getattr(control, "text", str)(),
                )
        for box in dialog.findChildren(QPlainTextEdit):
            assert box.tabChangesFocus()
        dialog.close()


def test_bench_mode_takes_back_and_learns_a_foot_switch(bench: Bench) -> None:
    """Ctrl+Z takes the last reading back, and nothing else; any key that no value is typed with can be the foot switch."""
    document = demo("tidewell")
    bench.assembly.files.start(Document(replace(document.job, readings=())), None, unsaved=True)
    bench.settle().run("mode")
    mode = bench.window.findChild(BenchMode)
    assert mode is not None
    mode._settings = bench.assembly.settings
    assert mode.what.text() == mode.current().function.value
    before = bench.session.job
    bench.qtbot.keyClick(mode.value, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert bench.session.job is before
    bench.qtbot.mouseClick(mode.foot, Qt.MouseButton.LeftButton)
    bench.qtbot.keyClick(mode.value, Qt.Key.Key_A)
    assert "Values are typed" in mode.verdict.text()
    bench.qtbot.mouseClick(mode.foot, Qt.MouseButton.LeftButton)
    bench.qtbot.keyClick(mode.value, Qt.Key.Key_F6)
    first = mode.current()
    bench.qtbot.keyClicks(mode.value, "0.0")
    bench.qtbot.keyClick(mode.value, Qt.Key.Key_F6)
    if mode.value.text():  # it was asked back
        bench.qtbot.keyClick(mode.value, Qt.Key.Key_F6)
    bench.settle()
    assert len(bench.session.job.readings) == len(before.readings) + 1
    assert mode.current().key != first.key
    bench.qtbot.keyClick(mode.value, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    bench.settle()
    assert bench.session.job.readings == before.readings
    mode.close()
