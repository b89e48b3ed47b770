"""Small parts of the window on their own: value fields, lanes, the session's history, marks."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from functools import partial
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from pigtail.desktop import glyphs
from pigtail.desktop.fields import ValueField
from pigtail.desktop.lead import Lead
from pigtail.desktop.session import Session
from pigtail.desktop.telltales import TellTale
from pigtail.desktop.work import Lane
from pigtail.edits.change import Change
from pigtail.edits.values import rename
from pigtail.job.document import Job
from pigtail.job.file import Document
from pigtail.job.recovery import Keeper
from pigtail.studies.register import REGISTER
from pigtail.studies.survey.found import SurveyFound


@pytest.fixture
def field(qtbot: QtBot) -> ValueField:
    """A field for ohms with 4.7 kΩ in it."""
    made = ValueField("Ω", "E24")
    qtbot.addWidget(made)
    made.set_value(4700.0)
    made.show()
    made.setFocus()
    return made


@pytest.mark.parametrize(("text", "value"), [("3k3", 3300.0), ("220", 220.0), ("1M", 1e6)])
def test_typed_text_is_committed_on_enter(field: ValueField, qtbot: QtBot, text: str, value: float) -> None:
    """Engineering text becomes a value once."""
    field.selectAll()
    with qtbot.waitSignal(field.committed) as told:
        qtbot.keyClicks(field, text)
        qtbot.keyClick(field, Qt.Key.Key_Return)
    assert told.args == [value]


def test_text_that_is_no_value_is_marked_and_told(field: ValueField, qtbot: QtBot) -> None:
    """The field keeps the text, wears its mark, and loses it with the next letter."""
    field.selectAll()
    with qtbot.waitSignal(field.refused) as told:
        qtbot.keyClicks(field, "lots")
        qtbot.keyClick(field, Qt.Key.Key_Return)
    assert "lots" in told.args[0]
    assert field.property("wrong") is True
    assert field.text() == "lots"
    qtbot.keyClicks(field, "x")
    assert field.property("wrong") is False


def test_the_wheel_steps_only_where_the_keyboard_is(field: ValueField, qtbot: QtBot) -> None:
    """Scrolling past a field changes nothing; with the focus in it, it steps along the series."""

    def turn(notches: int) -> None:
        none, phase = Qt.MouseButton.NoButton, Qt.ScrollPhase.NoScrollPhase
        event = QWheelEvent(
            QPointF(3, 3),
            QPointF(3, 3),
            QPoint(),
            QPoint(0, 120 * notches),
            none,
            Qt.KeyboardModifier.NoModifier,
            phase,
            False,
        )
        field.wheelEvent(event)

    qtbot.waitUntil(field.hasFocus)
    turn(1)
    assert field.text() == "5.1 kΩ"
    turn(-1)
    assert field.text() == "4.7 kΩ"
    field.clearFocus()
    turn(1)
    assert field.text() == "4.7 kΩ"


def test_a_value_from_outside_leaves_text_being_typed_alone(field: ValueField, qtbot: QtBot) -> None:
    """A study that comes back while one types does not take the text away."""
    qtbot.waitUntil(field.hasFocus)
    field.selectAll()
    qtbot.keyClicks(field, "12")
    field.set_value(9000.0)
    assert field.text() == "12"


def test_a_lane_runs_the_latest_of_a_kind_and_tells_failures(qtbot: QtBot, qapp: QApplication) -> None:
    """Tasks that were overtaken before they began are not run; results come on the main thread."""
    lane = Lane("test")
    gate, ran, failures, threads = threading.Event(), [], [], []
    lane.submit("hold", gate.wait, lambda _: None, failures.append)
    qtbot.waitUntil(lambda: lane._busy == 1)
    for number in range(5):
        lane.submit(
            "count",
            partial(ran.append, number),
            lambda _: threads.append(threading.current_thread()),
            failures.append,
        )
    lane.submit("fail", lambda: 1 / 0, ran.append, failures.append)
    assert not lane.idle
    gate.set()
    qtbot.waitUntil(lambda: lane.idle)
    assert ran == [4]
    assert threads == [threading.main_thread()]
    assert [type(f) for f in failures] == [ZeroDivisionError]
    lane.close()


@pytest.fixture
def session(tmp_path: Path, qtbot: QtBot, larkmoor: Job) -> Iterator[Session]:
    """A session with the demo open."""
    made = Session(Keeper(tmp_path))
    made.start(Document(larkmoor), None)
    yield made
    qtbot.waitUntil(lambda: made.quiet, timeout=60_000)
    made.close()


def test_undo_and_redo_walk_the_history_by_its_words(session: Session) -> None:
    """Undo is a list of jobs; a new edit forgets what was undone."""
    first = session.job
    for name in ("a", "b"):
        assert session.edit(Change(f"call it {name}", partial(rename, name=name)))
    assert session.undo_words == "call it b"
    session.undo()
    session.undo()
    assert session.job is first
    assert not session.unsaved
    assert (session.undo_words, session.redo_words) == ("", "call it a")
    session.undo()
    session.redo()
    assert session.job is not None
    assert session.job.name == "a"
    session.edit(Change("call it c", partial(rename, name="c")))
    assert session.redo_words == ""


def test_an_edit_that_changes_nothing_makes_no_step(session: Session) -> None:
    """Enter in a field that holds what it held is no edit."""
    assert session.job is not None
    assert session.edit(Change("the same", partial(rename, name=session.job.name)))
    assert session.undo_words == ""


def test_a_refused_edit_is_told_and_changes_nothing(session: Session, qtbot: QtBot) -> None:
    """One sentence, the same job."""
    before = session.job
    with qtbot.waitSignal(session.failed) as told:
        assert not session.edit(Change("no name", partial(rename, name=" ")))
    assert told.args == ["a job needs a name"]
    assert session.job is before


def test_only_studies_of_the_current_job_are_shown(session: Session, qtbot: QtBot) -> None:
    """While one edits on, studies of jobs that are past are dropped."""
    shown = []
    session.studied.connect(lambda s: shown.append(s.of(SurveyFound).job.name))
    for name in "abcdef":
        session.edit(Change(name, partial(rename, name=name)))
    qtbot.waitUntil(lambda: session.quiet, timeout=60_000)
    assert set(shown) == {"f"}


def test_marks_differ_in_shape_not_only_in_colour(qapp: QApplication) -> None:
    """Painted in one colour, no two severities look alike."""
    pictures = set()
    for word in glyphs.WORDS:
        image = glyphs.pixmap(word, 24).toImage()
        pictures.add(bytes(image.pixelColor(x, y).alpha() > 100 for x in range(48) for y in range(48)))
    assert len(pictures) == len(glyphs.WORDS)


def test_the_lead_says_each_verdict_in_words(qtbot: QtBot) -> None:
    """Number, station and verdict, for those who hear the screen."""
    lead = Lead()
    qtbot.addWidget(lead)
    lead.show_verdicts({"level": "fix"})
    names = [s.accessibleName() for s in lead.splices.values()]
    assert len(names) == len(REGISTER)
    assert "Station 3, Level: fix" in names
    assert "Station 1, Survey: not studied yet" in names


def test_a_telltale_paints_any_value(qtbot: QtBot) -> None:
    """Far beyond its scale, at its ends, or nothing at all."""
    for station, dial in [(e.key, d) for e in REGISTER for d in e.dials]:
        tale = TellTale(station, dial)
        qtbot.addWidget(tale)
        for span in (None, (-1e9, 0.0, 1e9), (dial.scale[0],) * 3):
            tale.show_value("x", span, "fix", "a note")
            assert not tale.grab().isNull()
        assert tale.accessibleName() == f"{dial.words}: x, fix"
