"""Someone who has never seen the program: from the empty window to a job that says what to do next, with every kind of host."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton
from tests.desktop.conftest import Bench

from pigtail.catalogue.kinds import host_kinds, make_module
from pigtail.catalogue.library import OWN, kept
from pigtail.desktop import ask
from pigtail.desktop.newjob import NewJob
from pigtail.desktop.owndevices import OwnDevices
from pigtail.desktop.pickmodule import PickDevice
from pigtail.desktop.stations.survey.devices import Devices
from pigtail.desktop.stations.survey.station import SurveyStation
from pigtail.desktop.tables import RowsView
from pigtail.job.document import SupplyClass

#: A module that fits each host kind: one that puts something in where there is an input, else one that takes something out.
FITTING = {
    "disc_player": "wireless_transmitter_5v", "home_computer": "wireless_transmitter_5v", "portable_player": "wireless_transmitter_5v",
    "two_way_speaker": "wireless_transmitter_5v", "toy": "sound_board_4",
}  # fmt: skip


def modal(kind: type, drive: Callable[..., None]) -> None:
    """Drive the next dialog once it is on view."""

    def go() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, kind)
        drive(dialog)

    QTimer.singleShot(0, go)


def choose(combo: QComboBox, data: object) -> None:
    """Choose in a combo by what it stands for."""
    index = combo.findData(data)
    assert index >= 0, data
    combo.setCurrentIndex(index)


def begin(bench: Bench, host: str, module: str, supply: SupplyClass) -> None:
    """From the empty window: the large button, the form, Ctrl+Enter."""
    bench.assembly.show_empty()

    def fill(dialog: NewJob) -> None:
        choose(dialog.host_kind, host)
        choose(dialog.module_kind, module)
        choose(dialog.supply, supply)
        bench.qtbot.keyClick(dialog, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
        if dialog.isVisible():
            dialog.done(0)

    modal(NewJob, fill)
    bench.click(bench.find(QPushButton, "main"))


@pytest.mark.one_of(4)
@pytest.mark.parametrize("host", [k.key for k in host_kinds()])
def test_every_kind_of_host_leads_somewhere(bench: Bench, host: str) -> None:
    """A plan, no “build” while anything is unknown, and the strip says what is next; each station has a finding that says what it lacks."""
    begin(bench, host, FITTING.get(host, "wireless_receiver_5v"), SupplyClass.MAINS_ISOLATED)
    job, studies = bench.session.job, bench.session.studies
    assert job is not None
    assert studies is not None
    assert job.links
    verdicts = bench.verdicts()
    bad = [k for k, v in verdicts.items() if v in ("unknown", "fix", "stop")]
    assert bad, "nothing was read yet"
    assert verdicts["build"] != "good"
    words = bench.assembly.strip.next_words.text()
    assert "build, step by step" not in words
    assert studies.asked or "right" in words
    for study in studies.each():
        for finding in study.findings:
            if finding.severity.value in ("unknown", "fix", "stop"):
                assert finding.settle or finding.remedies or finding.why or finding.sentence, finding.code


def test_how_the_host_is_fed_is_asked_and_not_assumed(bench: Bench) -> None:
    """Without it there is no job, one sentence says what to do, and what was typed stays."""
    bench.assembly.show_empty()

    def fill(dialog: NewJob) -> None:
        entry = dialog.findChild(QLineEdit, "job_name")
        assert entry is not None
        bench.qtbot.keyClick(entry, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        bench.qtbot.keyClicks(entry, "Mine")
        bench.qtbot.keyClick(dialog, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
        assert dialog.isVisible()
        assert "rating plate" in dialog.trouble.text()
        assert entry.text() == "Mine"
        choose(dialog.supply, SupplyClass.ADAPTER_DC)
        bench.qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)

    modal(NewJob, fill)
    bench.click(bench.find(QPushButton, "main"))
    assert bench.session.job is not None
    assert (bench.session.job.name, bench.session.job.host.supply) == ("Mine", SupplyClass.ADAPTER_DC)


def test_the_form_is_walked_by_enter_keeps_values_and_asks_before_it_is_lost(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Enter goes on; a value survives another kind with the same line; Esc asks once something was typed."""
    asked: list[str] = []
    monkeypatch.setattr(ask, "throw_away", lambda _p, what, _l: asked.append(what) or len(asked) > 1)
    dialog = NewJob(bench.window)
    bench.qtbot.addWidget(dialog)
    dialog.show()
    bench.qtbot.waitExposed(dialog)
    assert not dialog.touched
    choose(dialog.host_kind, "receiver_amplifier")
    line = next(x for x in dialog._lines if x.words == "12 V rail: current it can give")
    assert "How to find it" in line.entry.toolTip()
    line.entry.setFocus()
    bench.qtbot.keyClicks(line.entry, "1 A")
    bench.qtbot.keyClick(line.entry, Qt.Key.Key_Return)
    assert dialog.isVisible()
    choose(dialog.host_kind, "toy")
    assert not any(x.words == line.words for x in dialog._lines)
    choose(dialog.host_kind, "record_amplifier")
    assert next(x for x in dialog._lines if x.words == line.words).entry.text() == "1 A"
    bench.qtbot.keyClick(dialog, Qt.Key.Key_Escape)
    assert (asked, dialog.isVisible()) == (["The new job"], True)
    bench.qtbot.keyClick(dialog, Qt.Key.Key_Escape)
    assert not dialog.isVisible()


def test_the_empty_window_is_there_again_after_a_job_was_closed(bench: Bench, tmp_path: Path) -> None:
    """Ctrl+W leads back to it; what was opened last is offered; nothing of the job is left."""
    bench.open_demo("tidewell")
    path = tmp_path / "mine.pigtail"
    assert bench.session.save(path)
    bench.settle().run("close")
    assert bench.session.job is None
    assert bench.window.windowTitle() == "Pigtail"
    assert not bench.assembly.strip.isVisible()
    assert not bench.assembly.actions["save"].isEnabled()
    bench.click(bench.find(QPushButton, "recent_job"))
    assert bench.session.path == path
    assert bench.assembly.strip.isVisible()
    assert not list((bench.folder / "recovery").glob("*.json"))


def devices(bench: Bench) -> Devices:
    """The page of host and modules."""
    bench.assembly.views.go("survey")
    view = bench.assembly.views.of("survey")
    assert isinstance(view, SurveyStation)
    page = view.show_devices()
    bench.settle()
    return page


def test_modules_are_added_changed_doubled_and_taken_out(bench: Bench) -> None:
    """By search and buttons; each is one step back."""
    bench.open_demo("tidewell")
    page = devices(bench)

    def pick(word: str, kind: str) -> Callable[[PickDevice], None]:
        def drive(dialog: PickDevice) -> None:
            bench.qtbot.keyClicks(dialog.search, word)
            assert dialog.key == kind
            bench.qtbot.mouseClick(dialog.take, Qt.MouseButton.LeftButton)

        return drive

    modal(PickDevice, pick("triggers", "sound_board_4"))
    bench.click(bench.find(QPushButton, "add_module"))
    job = bench.session.job
    assert job is not None
    assert [m.kind for m in job.modules][1:] == ["sound_board_4"]
    assert page.chosen() == job.modules[1].id
    modal(PickDevice, pick("card", "card_player_5v"))
    bench.click(bench.find(QPushButton, "change_module"))
    assert [m.kind for m in bench.session.job.modules][1:] == ["card_player_5v"]
    bench.click(bench.find(QPushButton, "double_module"))
    assert len(bench.session.job.modules) == 3
    table = bench.find(RowsView, "devices_table")
    table.selectRow(3)
    bench.click(bench.find(QPushButton, "remove_module"))
    table.selectRow(2)
    bench.click(bench.find(QPushButton, "remove_module"))
    assert len(bench.session.job.modules) == 1
    for _ in range(5):
        bench.run("undo")
    assert bench.session.job.modules == job.modules[:1]
    table.selectRow(0)
    bench.click(bench.find(QPushButton, "remove_module"))
    assert "choose a module" in bench.message()


def test_a_module_is_kept_offered_written_and_read(
    bench: Bench, answers: Callable[..., None], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The person's own comes first in every list; a file brings it to another job."""
    from pigtail.catalogue import library

    monkeypatch.setattr(library, "library_path", lambda: tmp_path / "devices.sqlite")
    bench.open_demo("tidewell")
    page = devices(bench)
    bench.find(RowsView, "devices_table").selectRow(1)
    bench.click(bench.find(QPushButton, "keep_device"))
    assert "among your own" in bench.message()
    (own,) = kept("module")
    dialog = PickDevice("Add", "Add it", parent=bench.window)
    bench.qtbot.addWidget(dialog)
    assert dialog.key == f"{OWN}{own.id}"
    path = tmp_path / "one.pigtail-device"
    answers(device_target=path)
    bench.click(bench.find(QPushButton, "write_device"))
    assert path.is_file()
    page.read(path)
    bench.settle()
    assert len(bench.session.job.modules) == 2
    path.write_text("nonsense")
    page.read(path)
    assert "is no file of a module" in bench.message()
    assert len(bench.session.job.modules) == 2


def test_own_devices_are_taken_out_put_back_and_passed_on_without_a_job(
    bench: Bench, answers: Callable[..., None], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """From the menu; what is taken out comes back whole, a file brings it to another person, nonsense is told."""
    from pigtail.catalogue import library
    from pigtail.catalogue.kinds import make_host, make_module

    monkeypatch.setattr(library, "library_path", lambda: tmp_path / "devices.sqlite")
    amplifier = make_module("wireless_receiver_5v", "m")
    library.keep(amplifier, "from papers")
    library.keep(make_host("mains_radio", "Old Thornby"), "from a job")
    path = tmp_path / "one.pigtail-device"
    seen: list[str] = []

    def drive(dialog: OwnDevices) -> None:
        def click(name: str) -> None:
            button = dialog.findChild(QPushButton, name)
            assert button is not None
            bench.qtbot.mouseClick(button, Qt.MouseButton.LeftButton)

        assert dialog.list.count() == 2
        own = dialog.chosen()
        assert own is not None
        before = library.device_of(own.id)
        click("own_out")
        assert [k.name for k in kept()] != [own.name]
        assert len(kept()) == 1
        click("own_back")
        assert dialog.list.count() == 2
        back = dialog.chosen()
        assert back is not None
        assert library.device_of(back.id) == before
        assert back.source == own.source
        answers(device_target=path, device_source=path)
        click("own_pass")
        click("own_in")
        assert dialog.list.count() == 3
        path.write_text("nonsense")
        click("own_in")
        seen.append(dialog.told.text())
        for _ in range(3):
            click("own_out")
        seen.append(dialog.told.text())
        assert not dialog.pass_on.isEnabled()
        dialog.reject()

    modal(OwnDevices, drive)
    bench.run("own")
    assert "no file of a module" in seen[0]
    assert "Put it back" in seen[1]
    assert kept() == ()


def test_the_kind_that_nobody_listed_is_described_point_by_point(bench: Bench) -> None:
    """Something else, with something else: a plan of unknowns, whose points can be named and taken out."""
    begin(bench, "something_else", "something_that_plays", SupplyClass.BATTERY)
    job = bench.session.job
    assert job is not None
    assert {x.purpose.value for x in job.links} >= {"feed", "supply", "return"}
    view = bench.assembly.views.of("survey")
    assert isinstance(view, SurveyStation)
    bench.run("go_survey")
    view.view.setCurrentIndex(3)
    combo = bench.find(QComboBox, "points_of")
    bench.choose(combo, job.modules[0].id)
    model = view.points.rows
    assert [row[0].text for row in model.rows] == [t.name for t in job.modules[0].terminals]
    model.setData(model.index(0, 0), "line out")
    bench.settle()
    assert bench.session.job.modules[0].terminals[0].name == "line out"
    assert make_module("something_that_plays").terminals[0].name == "left out"
