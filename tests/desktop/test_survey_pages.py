"""The Survey's pages and the Taps station, driven in the real window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QPageSize, QPainter, QPdfWriter, QWheelEvent
from PyQt6.QtWidgets import QApplication, QLineEdit, QPushButton
from pytestqt.qtbot import QtBot
from tests.desktop.conftest import Bench

from pigtail.bench.address import Ending
from pigtail.bench.truth import load, shipped
from pigtail.desktop import ask
from pigtail.desktop.imaging import Decoding
from pigtail.desktop.meterdialog import NETWORK, SERIAL, VISA, MeterDialog
from pigtail.desktop.stations.survey.station import SurveyStation
from pigtail.desktop.tables import RowsModel
from pigtail.job.document import Act, Channel, Trait, Use, Way
from pigtail.job.errors import FileError
from pigtail.job.file import Document
from pigtail.job.places import Pad
from pigtail.job.roles import role_of

KNOWN, LOG, CHAIN, POINTS, SWEEP, PICTURES, HAZARD = range(7)


@pytest.fixture
def survey(bench: Bench) -> SurveyStation:
    """The Survey of a receiver-amplifier's papers."""
    bench.assembly.files.start(Document(load(shipped()["brindle"]).papers), None, unsaved=True)
    bench.settle()
    bench.run("go_survey")
    view = bench.assembly.views.of("survey")
    assert isinstance(view, SurveyStation)
    return view


def page(bench: Bench, survey: SurveyStation, number: int) -> SurveyStation:
    """Turn to a page."""
    survey.view.setCurrentIndex(number)
    QApplication.processEvents()
    return survey


def put(bench: Bench, model: RowsModel, row: int, column: int, text: str) -> None:
    """Type over a cell and settle."""
    model.setData(model.index(row, column), text)
    bench.settle()


def test_points_are_edited_in_their_table(bench: Bench, survey: SurveyStation) -> None:
    """Name, role with channel, stage, place, pad, ring-out, states and traits; what makes no sense is refused."""
    page(bench, survey, POINTS)
    model = survey.points.rows
    typed = [
        (0, "aux L"), (2, "volume and tone"), (3, "front board"), (4, "R9 pin 2"), (5, "J7-3"), (6, "0402"), (7, "U7 pin 42, selector right"),
        (8, "standby; on, tuner"), (9, "not shared; feedback"), (10, "47k, page 12"), (11, "block diagram → U7 → J7"),
    ]  # fmt: skip
    for column, text in typed:
        put(bench, model, 0, column, text)
        assert not bench.message(), text
    point = bench.session.job.terminal("host.aux_left")
    assert (point.name, point.place.text(), point.place.pad) == (
        "aux L",
        "front board, R9 pin 2, J7-3",
        Pad.SMD_0402,
    )
    assert (point.rings_to, point.states, point.papers) == ("u7_42", ("standby", "tuner"), "47k, page 12")
    assert point.path == ("block diagram", "U7", "J7")
    assert (point.traits, point.lacks) == ((Trait.IN_FEEDBACK,), (Trait.SHARED,))
    put(bench, model, 4, 1, "audio in, right")
    other = bench.session.job.terminal("host.speaker_left")
    assert (role_of(other), other.channel) == ("audio in", Channel.RIGHT)
    put(bench, model, 4, 1, "audio in, right, headphones")
    assert bench.session.job.terminal("host.speaker_left").use is Use.HEADPHONES
    put(bench, model, 4, 1, "audio out, left, low way, turned round")
    other = bench.session.job.terminal("host.speaker_left")
    assert (other.channel, other.way, other.inverted) == (Channel.LEFT, Way.LOW, True)
    assert model.rows[4][1].text == "audio out, left, low way, turned round"
    for column, text in (
        (1, "antenna"),
        (1, "audio out, sideways"),
        (1, "audio out, headphones"),
        (2, "nowhere"),
        (6, "glue"),
        (7, "nothing"),
        (8, "asleep"),
        (9, "haunted"),
    ):
        before = bench.session.job
        put(bench, model, 1, column, text)
        assert bench.message(), text
        assert bench.session.job is before


def test_points_are_added_given_places_and_removed(
    bench: Bench, survey: SurveyStation, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Another place on the net takes the place of the first; a point that is used stays."""
    page(bench, survey, POINTS)
    monkeypatch.setattr(ask, "line", lambda *_a, **_k: "TP9")
    bench.click(bench.find(QPushButton, "add_point"))
    count = len(survey.points.rows.rows)
    assert bench.session.job.terminal("host.tp9").name == "TP9"
    survey.points.table.selectRow(count - 1)
    monkeypatch.setattr(ask, "line", lambda *_a, **_k: "main board; C4 +; electrolytic")
    bench.click(bench.find(QPushButton, "add_place"))
    survey.points.table.selectRow(count - 1)
    bench.click(bench.find(QPushButton, "next_place"))
    assert bench.session.job.terminal("host.tp9").place.text() == "main board, C4 +"
    survey.points.table.selectRow(count - 1)
    bench.click(bench.find(QPushButton, "remove_point"))
    assert bench.session.job.terminal("host.tp9") is None
    row = next(k for k, r in enumerate(survey.points.rows.rows) if r[0].text == "input ground")
    survey.points.table.selectRow(row)
    bench.click(bench.find(QPushButton, "remove_point"))
    assert "is used by" in bench.message()


def test_chain_and_states_are_edited(
    bench: Bench, survey: SurveyStation, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What a stage does decides what its points are; states are added and one plays."""
    page(bench, survey, CHAIN)
    stages = survey.stages
    put(bench, stages.stages, 2, 2, "volume control, mute")
    assert bench.session.job.host.stages[2].acts == (Act.VOLUME, Act.MUTE)
    put(bench, stages.stages, 2, 2, "magic")
    assert "nothing a stage does" in bench.message()
    stages.stage_table.selectRow(2)
    bench.click(bench.find(QPushButton, "stage_earlier"))
    assert bench.session.job.host.stages[1].name == "Record output"
    monkeypatch.setattr(ask, "line", lambda *_a, **_k: "muted")
    bench.click(bench.find(QPushButton, "add_state"))
    assert bench.session.job.host.states[-1].name == "muted"
    stages.state_table.selectRow(4)
    bench.click(bench.find(QPushButton, "working_state"))
    assert bench.session.job.working_state() == "muted"
    put(bench, stages.states, 4, 0, "output muted")
    assert bench.session.job.host.states[-1].name == "output muted"
    stages.state_table.selectRow(4)
    bench.click(bench.find(QPushButton, "remove_state"))
    assert len(bench.session.job.host.states) == 4


def test_a_connector_is_added_and_typed_in(
    bench: Bench, survey: SurveyStation, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A row a pin, a column a live state; the class follows as the last state is typed."""
    page(bench, survey, SWEEP)
    monkeypatch.setattr(ask, "line", lambda *_a, **_k: "CN1")
    monkeypatch.setattr(ask, "number", lambda *_a, **_k: 3)
    bench.click(bench.find(QPushButton, "add_connector"))
    survey.sweep.connector.setCurrentIndex(survey.sweep.connector.findData("CN1"))
    model = survey.sweep.rows
    for column, text in ((1, "0"), (2, "5.02"), (3, "5 V")):
        put(bench, model, 0, column, text)
    assert model.rows[0][4].text == "switched supply"
    put(bench, model, 1, 1, "five")
    assert "five" in bench.message()
    survey.sweep.table.selectRow(1)
    bench.click(bench.find(QPushButton, "accept_class"))
    assert "no role" in bench.message()
    bench.click(bench.find(QPushButton, "sweep_probes"))
    assert bench.assembly.strip.point.currentData() == "host.cn1_2"


def test_before_touching_tells_how_long_to_wait(bench: Bench, survey: SurveyStation) -> None:
    """Reservoir and voltage give a bleeder; a resistor across gives a time; the reading is asked for all the same."""
    page(bench, survey, HAZARD)
    bench.type(bench.find(QLineEdit, "host_reservoir"), "4700u")
    bench.type(bench.find(QLineEdit, "host_reservoir_volts"), "38 V")
    assert "Clip" in survey.hazard.answer.text()
    bench.type(bench.find(QLineEdit, "host_bleeder"), "4k7")
    assert "then measure it" in survey.hazard.answer.text()
    assert bench.session.job.host.bleeder.nominal == 4700.0
    bench.type(bench.find(QLineEdit, "host_bleeder"), "soon")
    assert "soon" in bench.message()


@pytest.fixture
def photo(tmp_path: Path) -> Path:
    """A made-up photo of a board."""
    image = QImage(400, 200, QImage.Format.Format_RGB32)
    image.fill(QColor("#205040"))
    path = tmp_path / "photos" / "top.png"
    path.parent.mkdir()
    image.save(str(path))
    return path


@pytest.fixture
def papers(tmp_path: Path, qapp: QApplication) -> Path:
    """Made-up papers of two pages."""
    path = tmp_path / "papers.pdf"
    writer = QPdfWriter(str(path))
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A5))
    painter = QPainter(writer)
    painter.drawText(500, 500, "page one")
    writer.newPage()
    painter.drawText(500, 500, "page two")
    painter.end()
    return path


def test_points_are_pinned_on_a_photo(
    bench: Bench, survey: SurveyStation, photo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Added beside the job, pinned by a click, scaled by two, zoomed by the wheel; a pin brings its point to the probes."""
    page(bench, survey, PICTURES)
    bench.session.save(tmp_path / "job.pigtail")
    bench.settle()
    bench.assembly.views.go("survey")
    monkeypatch.setattr(ask, "picture_paths", lambda *_a: [photo])
    bench.click(bench.find(QPushButton, "add_picture"))
    panel, board = survey.pictures, survey.pictures.board
    picture = bench.session.job.pictures[0]
    assert (tmp_path / picture.file).read_bytes() == photo.read_bytes()
    panel.point.setCurrentIndex(panel.point.findData("host.aux_left"))
    at = board.place(0.25, 0.5).toPoint()
    bench.qtbot.mouseClick(board.viewport(), Qt.MouseButton.LeftButton, pos=at)
    bench.settle()
    pin = bench.session.job.pictures[0].pins[0]
    assert (pin.point, pin.x, pin.y) == (
        "host.aux_left",
        pytest.approx(0.25, abs=0.01),
        pytest.approx(0.5, abs=0.01),
    )
    bench.qtbot.mouseClick(
        board.viewport(), Qt.MouseButton.LeftButton, pos=board.place(pin.x, pin.y).toPoint()
    )
    bench.settle()
    assert bench.assembly.strip.point.currentData() == "host.aux_left"
    monkeypatch.setattr(ask, "number", lambda *_a, **_k: 20)
    panel.does.setCurrentIndex(panel.does.findData("scale"))
    for x in (0.1, 0.6):
        bench.qtbot.mouseClick(board.viewport(), Qt.MouseButton.LeftButton, pos=board.place(x, 0.8).toPoint())
    bench.settle()
    assert bench.session.job.pictures[0].mm_per_width == pytest.approx(40.0, rel=0.03)
    before = board.frame().width()
    turn = QWheelEvent(QPointF(at), board.mapToGlobal(QPointF(at)), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    board.wheelEvent(turn)
    assert board.frame().width() == pytest.approx(1.25 * before, rel=0.01)
    panel.does.setCurrentIndex(panel.does.findData("unpin"))
    bench.qtbot.mouseClick(
        board.viewport(), Qt.MouseButton.LeftButton, pos=board.place(pin.x, pin.y).toPoint()
    )
    bench.settle()
    assert bench.session.job.pictures[0].pins == ()
    bench.click(bench.find(QPushButton, "remove_picture"))
    assert bench.session.job.pictures == ()


def test_points_are_pinned_without_a_mouse(
    bench: Bench, survey: SurveyStation, photo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The arrow keys move a cross, Enter pins there; N goes from pin to pin and Enter picks; + and 0 zoom; dragging moves and clicks nothing."""
    page(bench, survey, PICTURES)
    monkeypatch.setattr(ask, "picture_paths", lambda *_a: [photo])
    bench.click(bench.find(QPushButton, "add_picture"))
    panel, board = survey.pictures, survey.pictures.board
    board.setFocus()

    def keys(*pressed: Qt.Key, shift: bool = False) -> None:
        for key in pressed:
            held = Qt.KeyboardModifier.ShiftModifier if shift else Qt.KeyboardModifier.NoModifier
            bench.qtbot.keyClick(board, key, held)
        bench.settle()

    places = {}
    for point, way in (("host.aux_left", Qt.Key.Key_Left), ("host.aux_right", Qt.Key.Key_Right)):
        panel.point.setCurrentIndex(panel.point.findData(point))
        keys(way, way, Qt.Key.Key_Up)
        keys(way, shift=True)
        keys(Qt.Key.Key_Return)
        pins = bench.session.job.pictures[0].pins
        places[point] = (pins[-1].x, pins[-1].y)
        assert pins[-1].point == point
    assert places["host.aux_left"] == (pytest.approx(0.5 - 0.084, abs=0.003), pytest.approx(0.46, abs=0.005))
    assert places["host.aux_right"] == (pytest.approx(0.5, abs=0.006), pytest.approx(0.42, abs=0.005))
    keys(Qt.Key.Key_N, Qt.Key.Key_Return)
    assert bench.assembly.strip.point.currentData() == "host.aux_left"
    keys(Qt.Key.Key_N, Qt.Key.Key_Return)
    assert bench.assembly.strip.point.currentData() == "host.aux_right"
    keys(Qt.Key.Key_P, Qt.Key.Key_Return)
    assert bench.assembly.strip.point.currentData() == "host.aux_left"
    whole = board.frame().width()
    keys(Qt.Key.Key_Plus, Qt.Key.Key_Plus)
    assert board.frame().width() == pytest.approx(whole * 1.25**2, rel=0.01)
    keys(*[Qt.Key.Key_Right] * 40)
    assert board.viewport().rect().contains(board.place(1.0, board.cross.y()).toPoint() - QPoint(2, 0))
    view, count = board.viewport(), len(bench.session.job.pictures[0].pins)
    bench.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(200, 70))
    bench.qtbot.mouseMove(view, QPoint(120, 70))
    bench.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(120, 70))
    assert len(bench.session.job.pictures[0].pins) == count
    keys(Qt.Key.Key_0)
    assert board.frame().width() == pytest.approx(whole, rel=0.01)


def test_pages_of_the_papers_are_pictures(
    bench: Bench, survey: SurveyStation, papers: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A PDF becomes a picture a page; a file that is none is refused."""
    bench.session.save(tmp_path / "job.pigtail")
    bench.settle()
    page(bench, survey, PICTURES)
    bench.assembly.views.go("survey")
    decoding = Decoding()
    assert decoding.pages(papers) == 2
    assert decoding.image(papers, 2).width() > 500
    with pytest.raises(FileError, match="no page 3"):
        decoding.image(papers, 3)
    monkeypatch.setattr(ask, "pages", lambda *_a: "all")
    survey.pictures.add_file(papers)
    bench.settle()
    assert [p.page for p in bench.session.job.pictures] == [1, 2]
    wrong = tmp_path / "wrong.pdf"
    wrong.write_bytes(b"no papers at all")
    survey.pictures.add_file(wrong)
    bench.settle()
    assert "no picture or PDF" in bench.message()


def test_taps_are_ranked_chosen_and_used(bench: Bench, answers: Callable[..., None]) -> None:
    """Arrow keys go through the candidates; the checks go to the probes; a better point takes the place of the used one."""
    bench.open_demo().run("go_taps")
    view = bench.assembly.views.of("taps")
    bench.choose(view.wanted, "supply_switched")
    ranking = view.ranking
    first = view.candidate().address
    ranking.setFocus()
    bench.qtbot.keyClick(ranking, Qt.Key.Key_Down)
    assert view.candidate().address != first
    bench.click(view.probes)
    assert bench.assembly.strip.point.currentData() == view.candidate().address
    assert view.candidate().address == "host.rail_high"
    bench.click(view.use)
    used = {j.terminal for x in bench.session.job.links for j in x.joins}
    assert "host.rail_high" in used
    assert "host.rail_low" not in used
    bench.run("undo")
    bench.choose(view.wanted, "digital")
    assert view.candidate() is None
    assert "no point of this kind" in ranking.accessibleName()


def test_the_meter_dialog_refuses_a_wrong_address(qtbot: QtBot) -> None:
    """In one sentence, and stays open; a right one is taken."""
    dialog = MeterDialog("bench")
    qtbot.addWidget(dialog)
    assert dialog.kind == "bench"
    dialog.roads.setCurrentIndex(dialog.roads.findData(NETWORK))
    dialog.network.setText("somewhere")
    dialog.accept()
    assert "no address of a meter" in dialog.trouble.text()
    assert dialog.address is None
    dialog.roads.setCurrentIndex(dialog.roads.findData(SERIAL))
    dialog.serial.setEditText("/dev/ttyUSB7@115200")
    dialog.accept()
    assert (dialog.address.device, dialog.address.baud) == ("/dev/ttyUSB7", 115200)


def test_the_meter_dialog_remembers_the_meter_of_the_last_time(qtbot: QtBot) -> None:
    """Any VISA address and what ends its lines; a cancelled dialog changes nothing."""
    dialog = MeterDialog("bench")
    qtbot.addWidget(dialog)
    dialog.roads.setCurrentIndex(dialog.roads.findData(VISA))
    dialog.visa.setText("TCPIP::bench.local::4000::SOCKET")
    dialog.ending.setCurrentIndex(dialog.ending.findData(Ending.CR.name))
    dialog.accept()
    assert dialog.address is not None
    assert dialog.address.resource == "TCPIP0::bench.local::4000::SOCKET"
    assert dialog.address.ending is Ending.CR
    following = MeterDialog("bench")
    qtbot.addWidget(following)
    assert (following.road, following.visa.text()) == (VISA, "TCPIP::bench.local::4000::SOCKET")
    assert following.ending.currentData() == Ending.CR.name
    following.visa.setText("USB::what")
    following.accept()
    assert "no VISA address" in following.trouble.text()
    following.reject()
    third = MeterDialog("bench")
    qtbot.addWidget(third)
    assert third.visa.text() == "TCPIP::bench.local::4000::SOCKET"
    third.roads.setCurrentIndex(0)
    third.accept()
