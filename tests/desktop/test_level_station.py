"""The Level station as it is used: values turned and locked, networks found and used, two ways, a match, parts in stock."""

from __future__ import annotations

import itertools
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QHelpEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit, QMenu, QPushButton, QToolButton, QToolTip
from pytestqt.qtbot import QtBot
from tests.desktop.conftest import Bench

from feeds import CASES, crossover, headphones, known, pad, speaker
from pigtail import edits
from pigtail.advice.found import SearchFound
from pigtail.catalogue.stock import load_stock, stock_of
from pigtail.catalogue.topologies import topology
from pigtail.desktop.fields import ValueField
from pigtail.desktop.figuresdialog import FiguresDialog
from pigtail.desktop.matchdialog import MatchDialog
from pigtail.desktop.stations.level.station import LevelStation
from pigtail.desktop.stockdialog import StockDialog
from pigtail.edits.plan import rejoined
from pigtail.job.document import Function, Job, Part, Plus, Reading
from pigtail.job.file import Document
from pigtail.studies.all import study_job
from pigtail.studies.level.found import LevelFound


@pytest.fixture(autouse=True)
def own_library(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """A library of parts of the test's own."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


def at_level(bench: Bench, job: Job) -> LevelStation:
    """A job opened and its Level station on view."""
    bench.assembly.files.start(Document(job), None, unsaved=True)
    bench.settle()
    bench.run("go_level")
    return bench.assembly.views.of("level")


def choose(menu: QMenu | None, words: str) -> None:
    """Choose an entry of a menu, or of its submenus, by its words."""
    assert menu is not None
    menu.aboutToShow.emit()
    for action in menu.actions():
        if action.text() == words:
            action.trigger()
            return
        if action.menu() is not None:
            for inner in action.menu().actions():
                if inner.text() == words:
                    inner.trigger()
                    return
    raise AssertionError(f"no {words} among {[a.text() for a in menu.actions()]}")


def turn(field: ValueField, notches: int) -> None:
    """Turn the wheel over a field that has the focus."""
    field.window().activateWindow()
    field.setFocus()
    QApplication.processEvents()
    assert field.hasFocus()
    where = QPointF(5, 5)
    no = Qt.MouseButton.NoButton
    event = QWheelEvent(
        where, field.mapToGlobal(where), QPoint(), QPoint(0, 120 * notches), no, Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(field, event)


def part(job: Job, link: str, name: str, section: int = 0) -> Part:
    """A part of a feed."""
    return next(p for p in job.link(link).sections[section].parts if p.name == name)


def test_turning_a_value_moves_the_ladder_of_both_channels(bench: Bench) -> None:
    """The wheel steps along the series; the twin follows; undo takes both back."""
    station = at_level(bench, pad())
    before = station.ladder.feed.rungs[-1].level.value
    turn(bench.find(ValueField, "part_0_r2"), 1)
    bench.settle()
    assert {part(bench.session.job, f"feed_{s}", "r2").value.nominal for s in ("left", "right")} == {620.0}
    assert station.ladder.feed.rungs[-1].level.value > before + 0.3
    bench.run("undo")
    assert {part(bench.session.job, f"feed_{s}", "r2").value.nominal for s in ("left", "right")} == {560.0}


def test_several_notches_are_one_step_back(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    """Turned on at once: one undo takes it back. Turned again later, or another part: steps of their own."""
    at_level(bench, pad())
    field = bench.find(ValueField, "part_0_r2")

    def value(name: str = "r2") -> float:
        return part(bench.session.job, "feed_left", name).value.nominal

    for _ in range(3):
        turn(field, 1)
    assert value() == 750.0
    assert bench.session.undo_words.startswith("R2 to 750 Ω")
    turn(bench.find(ValueField, "part_0_r1"), 1)
    bench.run("undo")
    assert (value("r1"), value()) == (1000.0, 750.0)
    bench.run("undo")
    assert value() == 560.0
    assert not bench.assembly.actions["undo"].isEnabled()
    turn(field, 1)
    monkeypatch.setattr("pigtail.desktop.session.TURNING_S", 0.0)
    turn(field, 1)
    bench.run("undo")
    assert value() == 620.0


def test_a_network_tells_what_it_is_good_for(bench: Bench) -> None:
    """Over its drawing, in a tip."""
    station = at_level(bench, pad())
    strip = station.network
    at = strip._slot_rect(0).center().toPoint()
    QApplication.sendEvent(strip, QHelpEvent(QEvent.Type.ToolTip, at, strip.mapToGlobal(at)))
    assert topology("pad").good_for in QToolTip.text()


def test_one_channel_alone_is_changed_when_asked(bench: Bench) -> None:
    """The box taken off: the other channel stays; the station says that left and right are apart."""
    station = at_level(bench, pad())
    station.both.setChecked(False)
    bench.type(bench.find(ValueField, "part_0_r2"), "3k3")
    assert part(bench.session.job, "feed_left", "r2").value.nominal == 3300.0
    assert part(bench.session.job, "feed_right", "r2").value.nominal == 560.0
    assert any(
        f.judgement == "level.balance"
        for f in bench.session.studies.of(LevelFound).findings
        if f.severity.value != "good"
    )


def test_a_quick_look_comes_before_the_studies(qtbot: QtBot) -> None:
    """Shown of a job just changed: the levels move, and what is not known yet is said to be studied."""
    job = pad()
    station = LevelStation()
    qtbot.addWidget(station)
    station.show_job(job, study_job(job))
    station.show()
    from pigtail.service.server import SERVICES

    changed = edits.set_part(job, "feed_left", 0, "r2", known(3300.0, "Ω"))
    station.show_glance(changed, SERVICES["glance"](changed, "feed_left"))
    seen = station.ladder.feed.rungs[-1].level
    full = next(d for d in study_job(changed).of(LevelFound).feeds if d.link == "feed_left").rungs[-1].level
    assert seen.value == pytest.approx(full.value, abs=1e-6)
    assert (seen.low, seen.high) == pytest.approx((full.low, full.high), abs=0.01)
    again = edits.set_part(changed, "feed_left", 0, "r2", known(1200.0, "Ω"))
    quick = SERVICES["glance"](again, "feed_left").rungs[-1].level
    full = next(d for d in study_job(again).of(LevelFound).feeds if d.link == "feed_left").rungs[-1].level
    assert (quick.low, quick.value, quick.high) == pytest.approx((full.low, full.value, full.high), abs=0.01)
    assert "being studied" in station.facts.toolTip()
    assert "…" in station.response._corners()


def test_levels_are_told_in_dbv_dbu_or_volts(bench: Bench) -> None:
    """0.775 V are −2.2 dBV and 0 dBu."""
    station = at_level(bench, pad())
    ladder = station.ladder
    assert ladder.text_of(-2.218) == "−2.2"
    station.unit.setCurrentText("dBu")
    assert ladder.text_of(-2.218) == "0.0"
    assert "dBu" in station.facts.text()
    station.unit.setCurrentText("volts")
    assert ladder.text_of(-2.218) == "775 mV"
    assert not ladder.grab().isNull()


def test_a_locked_part_is_not_turned_and_not_searched(bench: Bench) -> None:
    """Locked from its menu: wheel and keys leave it, the search keeps it."""
    station = at_level(bench, pad())
    more = station.network._more[0]
    choose(more.menu(), "Locked: searches and remedies leave it")
    bench.settle()
    assert part(bench.session.job, "feed_left", "r1").locked
    assert part(bench.session.job, "feed_right", "r1").locked
    field = bench.find(ValueField, "part_0_r1")
    assert field.isReadOnly()
    turn(field, 3)
    bench.settle()
    assert part(bench.session.job, "feed_left", "r1").value.nominal == 1000.0
    assert more.text().startswith("locked")
    bench.click(station.found.seek)
    bench.qtbot.waitUntil(lambda: not station.found.searching, timeout=60_000)
    assert all("pad 1k /" in r[0].text for r in station.found.rows.rows)


@pytest.mark.long
def test_a_capacitor_is_told_which_way_round_and_for_what_voltage(bench: Bench) -> None:
    """Fitted the wrong way it is to be mended; the right way with a good rating it is good."""
    station = at_level(bench, crossover())

    def verdict() -> set[str]:
        found = bench.session.studies.of(LevelFound).findings
        return {
            f"{f.code} {f.severity.value}"
            for f in found
            if f.code.startswith("level.capacitor") and f.subject == "feed_left"
        }

    place = next(k for k, s in enumerate(station.network._slots) if s.rule.name == "c1")
    choose(station.network._more[place].menu(), f"Plus {Plus.INPUT.value}")
    bench.settle()
    assert verdict() == {"level.capacitor_reversed fix"}
    choose(station.network._more[place].menu(), f"Plus {Plus.SOURCE.value}")
    bench.settle()
    choose(station.network._more[place].menu(), "16 V")
    bench.settle()
    assert verdict() == {"level.capacitor good"}
    assert station.network._more[place].text().startswith("+ source · 16 V")


@pytest.mark.long
def test_a_volume_control_is_turned_in_steps_and_never_beyond_full(bench: Bench) -> None:
    """0.05 of a turn a notch; typed 1.5 is refused in a sentence."""
    at_level(bench, headphones())
    field = bench.find(ValueField, "part_0_turn")
    start = field.value
    turn(field, -1)
    bench.settle()
    assert field.value == pytest.approx(start - 0.05)
    bench.type(field, "1.5")
    assert "0 to 1" in bench.message()
    assert part(bench.session.job, "feed_left", "turn").value.nominal == pytest.approx(start - 0.05)


def test_figures_are_typed_from_the_data_sheet(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    """The supply of the amplifier set to 9 V: its power follows; nonsense stays in the dialog."""
    station = at_level(bench, speaker())

    def fill(dialog: FiguresDialog) -> int:
        dialog.entries["supply"].setText("nine")
        dialog.accept()
        assert "its supply" in dialog.trouble.text()
        dialog.entries["supply"].setText("9 V ±5 %")
        dialog.accept()
        return 1

    monkeypatch.setattr(FiguresDialog, "exec", fill)
    before = bench.session.studies.numbers["level.most_w"].value
    at = len(bench.session.job.link("feed").sections) - 1
    station.ask_figures(at)
    bench.settle()
    assert part(bench.session.job, "feed", "supply", at).value.nominal == 9.0
    assert bench.session.studies.numbers["level.most_w"].value > 1.5 * before


@pytest.mark.long
def test_networks_are_put_in_and_taken_out_by_the_menu(bench: Bench) -> None:
    """A series resistor added in both channels and taken out again; two outputs held apart another way."""
    station = at_level(bench, pad())
    choose(station.change.menu(), "Series resistor")
    bench.settle()
    for side in ("left", "right"):
        assert [s.topology for s in bench.session.job.link(f"feed_{side}").sections] == ["pad", "series"]
    choose(station.change.menu(), "Take out: series resistor")
    bench.settle()
    assert [s.topology for s in bench.session.job.link("feed_right").sections] == ["pad"]
    station = at_level(bench, crossover())
    choose(station.change.menu(), f"Hold the outputs apart by: {topology('sum').title.lower()}")
    bench.settle()
    assert bench.session.job.link("feed_left").sections[0].topology == "sum"


def test_a_stage_can_be_supplied_from_a_rail(bench: Bench) -> None:
    """Chosen from the menu, the port is joined to the rail; chosen away it is not."""
    job = headphones()
    rail = next(a for a in job.addresses() if a.startswith("host.") and "rail" in a)
    station = at_level(bench, job)
    choose(station.change.menu(), bench.session.job.label(rail))
    bench.settle()
    assert bench.session.job.link("feed_left").at("sup") == (rail,)
    choose(station.change.menu(), "a supply of its own, as typed")
    bench.settle()
    assert bench.session.job.link("feed_left").at("sup") == ()


def test_a_search_shows_its_way_can_be_stopped_and_tells_the_ladder(bench: Bench) -> None:
    """Stopped after the first kind, what was found stays; the chosen option is drawn over the ladder."""
    station = at_level(bench, pad())
    found, seen = station.found, []
    show = found.show_search

    def first_then_stop(search: SearchFound, done: int, steps: int) -> None:
        show(search, done, steps)
        seen.append((done, steps))
        assert found.seek.text() == "Stop"
        assert f"{done} of {steps} kinds" in found.words.text()
        found.seek.click()

    station.found.show_search = first_then_stop
    bench.click(found.seek)
    assert seen[0][0] == 1 < seen[0][1]
    assert len(seen) == 1
    assert found.seek.text() == "Find networks"
    assert found.rows.rows
    assert station.ladder.option == found._found.options[0].ladder
    found.table.selectRow(1)
    assert station.ladder.option == found._found.options[1].ladder
    bench.click(found.take)
    chosen = [s.topology for s in bench.session.job.link("feed_left").sections]
    assert chosen == [s.topology for s in bench.session.job.link("feed_right").sections]
    assert station.ladder.option == ()


def test_only_parts_in_stock_when_asked(bench: Bench) -> None:
    """The list is typed in a dialog, what cannot be read is told and stays; the search then takes nothing else."""
    station = at_level(bench, pad())
    dialog = StockDialog(bench.window)
    dialog.text.setPlainText("1k\n2k2 apples")
    dialog.accept()
    assert "line 2" in dialog.trouble.text()
    assert load_stock() == ()
    dialog.text.setPlainText("1k\n1k5\n2k2 x3\n4k7\n100k\n10u\n")
    dialog.accept()
    assert stock_of(load_stock()).resistors == (1e3, 1.5e3, 2.2e3, 4.7e3, 1e5)
    assert "2k2 x3" in StockDialog(bench.window).text.toPlainText()
    station.found.parts.setCurrentText("parts I have")
    bench.click(station.found.seek)
    bench.qtbot.waitUntil(lambda: not station.found.searching, timeout=60_000)
    assert station.found.rows.rows
    for option in station.found._found.options:
        assert option.missing == 0


def test_parts_in_stock_without_a_list_are_told(bench: Bench) -> None:
    """One sentence, and the button is there again."""
    station = at_level(bench, pad())
    station.found.parts.setCurrentText("parts I have")
    bench.click(station.found.seek)
    assert "no parts are listed" in bench.message()
    assert not station.found.searching
    assert station.found.seek.text() == "Find networks"


def test_both_ways_are_shown_side_by_side_and_one_is_taken(bench: Bench) -> None:
    """Every question has our pick and its reason; taking the other side changes the job."""
    station = at_level(bench, pad())
    found = station.found
    bench.click(found.ways)
    schools = found.schools
    assert schools.isVisible()
    assert schools.question.count() == 3
    for k in range(schools.question.count()):
        schools.question.setCurrentIndex(k)
        titles = [side.title.text() for side in schools.sides]
        assert sum("our pick" in t for t in titles) == 1
        assert "because" in found.words.text()
        figures = [[w.text() for w in side.findChildren(QLabel) if w.isVisible()] for side in schools.sides]
        assert figures[0] != figures[1]
    schools.question.setCurrentText("The pad at the module or at the host?")
    before = bench.session.job
    (other,) = [side for side in schools.sides if side.use.isVisible()]
    bench.click(other.use)
    assert bench.session.job != before
    assert not schools.isVisible()


def test_nothing_to_argue_about_is_said(bench: Bench) -> None:
    """Headphones: no pad, no sum."""
    station = at_level(bench, headphones())
    bench.click(station.found.ways)
    assert "do not disagree about this feed" in station.found.words.text()


def recording(path: Path, gain: float) -> Path:
    noise = np.random.default_rng(3).normal(0, 0.02, 4 * 48_000)
    soundfile.write(path, noise * gain, 48_000, subtype="FLOAT")
    return path


@pytest.mark.long
def test_a_source_is_made_as_loud_as_a_recording_of_another(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Two recordings 3 dB apart: the wanted level goes up by 3 dB, of both channels, in one edit; the search then meets it."""
    station = at_level(bench, pad())
    now = bench.session.studies.numbers["level.delivered_dbv"].value
    quiet, loud = (recording(bench.folder / f"{n}.wav", g) for n, g in (("card", 1.0), ("tuner", 10**0.15)))

    def fill(dialog: MatchDialog) -> int:
        assert not dialog.want.isEnabled()
        dialog.set_file(0, bench.folder / "nothing.wav")
        dialog.set_file(1, loud)
        bench.qtbot.waitUntil(lambda: "no such file" in dialog.trouble.text(), timeout=60_000)
        dialog.set_file(0, quiet)
        bench.qtbot.waitUntil(dialog.want.isEnabled, timeout=60_000)
        assert "3.0 LU louder" in dialog.outcome.text()
        return 1

    monkeypatch.setattr(MatchDialog, "exec", fill)
    bench.click(station.found.match)
    for side in ("left", "right"):
        wanted = bench.session.job.terminal(f"host.line_{side}").wanted
        assert 20 * np.log10(wanted.nominal) == pytest.approx(now + 3.0 - 9.0, abs=0.05)
        assert "tuner.wav" in wanted.source
    assert "as loud as tuner.wav" in bench.session.undo_words
    bench.click(station.found.seek)
    bench.qtbot.waitUntil(lambda: not station.found.searching, timeout=60_000)
    best = station.found._found.options[0]
    assert abs(best.target.value - 9.0) < 1.0  # programme is wanted


def test_two_readings_or_a_typed_figure_tell_it_too(qtbot: QtBot) -> None:
    """20·lg of their ratio; −3 dB as typed; nonsense is told."""
    readings = tuple(
        Reading(id=k, when="2026-11-25T20:00:00", point="host.line_left", against="host.star", state="on",
                function=Function.AC_VOLTS, value=known(v, "V"))
        for k, v in (("a", 0.1), ("b", 0.4))
    )  # fmt: skip
    dialog = MatchDialog("Feed", readings)
    qtbot.addWidget(dialog)
    dialog.picks[1].setCurrentIndex(1)
    dialog.picks[1].activated.emit(1)
    assert dialog.louder_db == pytest.approx(12.04, abs=0.01)
    dialog.typed.setText("−3 dB")
    dialog.typed.setModified(True)
    dialog.typed.commit()
    assert dialog.louder_db == -3.0
    assert "3.0 dB quieter" in dialog.outcome.text()
    dialog.typed.setText("much")
    dialog.typed.setModified(True)
    dialog.typed.commit()
    assert dialog.trouble.text()


@pytest.mark.one_of(3)
@pytest.mark.parametrize("case", CASES)
def test_every_case_is_painted_and_described(case: str, qtbot: QtBot) -> None:
    """Each topology in use has its field for every part, a picture, and words for those who cannot see it."""
    job = CASES[case]()
    station = LevelStation()
    qtbot.addWidget(station)
    station.resize(790, 570)
    station.show_job(job, study_job(job))
    station.show()
    for k in range(station.feed.count()):
        station.feed.setCurrentIndex(k)
        link = job.link(station.feed_on_view)
        bought = sum(len(topology(s.topology).bought()) for s in link.sections)
        assert len(station.network._fields) >= bought
        fields = [f for f in station.network.findChildren(QLineEdit) if f.isVisible()]
        assert all(a.geometry().right() <= b.geometry().left() + 4 for a, b in itertools.pairwise(fields))
        assert link.name in station.network.accessibleName()
        assert not station.grab().isNull()


@pytest.mark.one_of(3)
@pytest.mark.parametrize(
    "key", ["transformer", "receiver", "driver", "amp_single", "buffer", "gain_single", "unrecord"]
)
def test_every_stage_has_something_to_take_hold_of(key: str, qtbot: QtBot) -> None:
    """A network without bought parts still stands in the row, by a figure of its own."""
    job = pad()
    job = edits.replace_link(job, rejoined(job, job.link("feed_left"), (topology(key).section(),)))
    station = LevelStation()
    qtbot.addWidget(station)
    station.resize(790, 570)
    station.show_job(job, study_job(job))
    station.feed.setCurrentIndex(station.feed.findData("feed_left"))
    station.show()
    assert station.network._fields
    assert not station.network.grab().isNull()
    buttons = station.network.findChildren(QToolButton)
    assert all(b.accessibleName() for b in buttons)


def test_what_an_edit_overtakes_is_left_aside(bench: Bench) -> None:
    """A search of a job that has been edited since shows nothing: its steps that still come, and what it had found."""
    bench.window.resize(1500, 980)  # high enough for the network and what was found
    station = at_level(bench, pad())
    show, late = station.found.show_search, []

    def first_then_edit(search: SearchFound, done: int, steps: int) -> None:
        late.append((search, done, steps))
        if len(late) == 1:
            show(search, done, steps)
            bench.type(bench.find(ValueField, "part_0_r2"), "2k2")

    station.found.show_search = first_then_edit
    bench.click(station.found.seek)
    bench.qtbot.waitUntil(lambda: bool(late), timeout=60_000)
    bench.settle()
    assert len(late) == 1
    show(*late[0])
    assert station.found._found is None
    assert bench.find(QPushButton, "find_networks").isEnabled()


def test_a_small_window_holds_it_all(bench: Bench) -> None:
    """At 1024 × 700 nothing lies over anything else, whether alternatives are open or not, and no button's words are cut."""
    bench.window.resize(1024, 700)
    station = at_level(bench, pad())
    found = station.found

    def whole() -> None:
        QApplication.processEvents()
        parts = [w for w in (station.ladder, station.network, found) if w.isVisible()]
        for upper, lower in itertools.pairwise(parts):
            assert upper.geometry().bottom() < lower.geometry().top()
        assert found.geometry().bottom() <= station.height()
        for button in found.findChildren(QPushButton):
            if button.isVisible():
                assert button.width() >= button.sizeHint().width(), button.text()
        assert station.feed.width() >= station.feed.minimumSizeHint().width()

    whole()
    assert station.network.isVisible()
    bench.click(found.seek)
    bench.qtbot.waitUntil(lambda: not found.searching, timeout=60_000)
    whole()
    assert not station.network.isVisible()
    assert found.table.isColumnHidden(5)
    bench.click(found.take)
    whole()
    assert station.network.isVisible()
    bench.window.resize(1500, 980)
    bench.click(found.seek)
    bench.qtbot.waitUntil(lambda: not found.searching, timeout=60_000)
    whole()
    assert station.network.isVisible()
    assert not found.table.isColumnHidden(5)
