"""Build on the real window: two journeys from a plan to paper, and each page by mouse and keyboard."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import pytest
from pypdf import PdfReader
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton, QScrollArea, QWidget
from tests.desktop.conftest import Bench
from tests.desktop.test_journey import take_remedies

from pigtail.board.copper import troubles
from pigtail.board.layout import laid_out
from pigtail.board.parts import mounted
from pigtail.job.build import AreaKind, BoardKind, Fixing, Relief, ScreenAt
from pigtail.panel.found import EDGE
from pigtail.studies.loom.found import LoomFound


def build(bench: Bench, page: str = "page_wiring") -> Any:
    """The station with a page on view, settled."""
    bench.run("go_build")
    bench.click(bench.find(QPushButton, page))
    station = bench.assembly.views.made["build"]
    bench.qtbot.waitUntil(lambda: bench.assembly.quiet and not station.board.busy, timeout=60_000)
    return station


def at_mm(view: Any, x: float, y: float) -> QPoint:
    """A place of a drawing [mm] in its view."""
    return view.place(x, y).toPoint()


def click_mm(bench: Bench, view: Any, x: float, y: float) -> None:
    bench.qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at_mm(view, x, y))
    bench.settle()


def drag_mm(bench: Bench, view: Any, box: tuple[float, float, float, float]) -> None:
    """A rectangle of the panel dragged, from its upper left corner to its lower right one."""
    x, y, wide, high = box
    start, end = at_mm(view, EDGE + x, EDGE + y), at_mm(view, EDGE + x + wide, EDGE + y + high)
    bench.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    bench.qtbot.mouseMove(view, (start + end) / 2)
    bench.qtbot.mouseMove(view, end)
    bench.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=end)
    bench.settle()


def wire_place(view: Any, number: int) -> tuple[float, float]:
    """The middle of a long piece of a wire on the drawing [mm]."""
    pieces = [
        (abs(b[0] - a[0]) + abs(b[1] - a[1]), ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2))
        for s in view.drawings[0].shapes
        if getattr(s, "layer", "") == f"wire {number}"
        for a, b in zip(s.points, s.points[1:], strict=False)
    ]
    return max(pieces)[1]


def test_journey_of_a_mono_pad_board_in_a_mains_amplifier(
    bench: Bench, answers: Callable[..., None], tmp_path: Path
) -> None:
    """Mended, looked at wire by wire, put on a board, written and read back."""
    bench.open_demo("larkmoor")
    take_remedies(bench)
    assert bench.verdicts()["build"] == "good"
    station = build(bench)
    number = 1 + next(k for k, w in enumerate(station.wiring.wires) if w.function == "signal, mono")
    click_mm(bench, station.wiring.view, *wire_place(station.wiring.view, number))
    assert station.wiring.picked == number
    bench.choose(bench.find(QComboBox, "wire_relief"), Relief.TIE)
    bench.choose(bench.find(QComboBox, "wire_colour"), "black")
    assert bench.verdicts()["build"] == "watch"  # black is the returns'
    bench.choose(bench.find(QComboBox, "wire_colour"), "yellow")
    assert bench.verdicts()["build"] == "good"
    station = build(bench, "page_board")
    assert [d.title for d in station.board.view.drawings] == ["Part side", "Solder side, mirrored"]
    bench.choose(bench.find(QComboBox, "board_kind"), BoardKind.PERFORATED)
    station = build(bench, "page_board")
    job = bench.session.job
    assert troubles(laid_out(mounted(job), BoardKind.PERFORATED), mounted(job)) == ()
    assert "Bare wire on the solder side" in station.board.work.text()
    answers(folder=tmp_path / "sheet")
    bench.click(bench.find(QPushButton, "main"))
    pages = PdfReader(io.BytesIO((tmp_path / "sheet" / "sheet.pdf").read_bytes())).pages
    text = "\n".join(p.extract_text() for p in pages)
    for words in ("Cautions first", "Wiring", "perforated board", "To buy", "Readings to take"):
        assert words in text
    assert "record input" in (tmp_path / "sheet" / "wiring.svg").read_text()


@pytest.mark.long
def test_journey_of_a_jack_and_an_indicator_on_a_crowded_panel(
    bench: Bench, answers: Callable[..., None], tmp_path: Path
) -> None:
    """Sizes typed, what is there dragged, a jack put where it may not be and moved where it may, a light beside it; cut by a machine."""
    bench.open_demo("tidewell")
    station = build(bench, "page_panel")
    view = station.panel.view
    for name, text in (
        ("panel_width", "180"),
        ("panel_height", "6 cm"),
        ("panel_thickness", "1.5 mm"),
        ("panel_depth", "45"),
    ):
        bench.type(bench.find(QLineEdit, name), text)
    bench.choose(bench.find(QComboBox, "panel_off"), True)
    for kind, box in (
        (AreaKind.PLATE, (8, 8, 60, 25)),
        (AreaKind.FITTED, (80, 10, 40, 20)),
        (AreaKind.TRAVEL, (8, 40, 150, 12)),
    ):
        bench.choose(bench.find(QComboBox, "area_kind"), kind)
        drag_mm(bench, view, box)
    areas = bench.session.job.build.panel.areas
    assert [a.kind for a in areas] == [AreaKind.PLATE, AreaKind.FITTED, AreaKind.TRAVEL]
    assert areas[0].width == pytest.approx(60, abs=1.0)
    bench.choose(bench.find(QComboBox, "fitting_kind"), "jack_3_5")
    bench.click(bench.find(QPushButton, "add_fitting"))
    assert bench.verdicts()["build"] == "unknown"
    click_mm(bench, view, EDGE + 40, EDGE + 20)  # on the rating plate
    assert bench.verdicts()["build"] == "fix"
    codes = {f.code for f in bench.session.studies.of(LoomFound).findings}
    assert "build.hole_label" in codes
    bench.click(bench.find(QPushButton, "use_place"))
    assert bench.verdicts()["build"] == "good"
    bench.choose(bench.find(QComboBox, "fitting_kind"), "led")
    bench.click(bench.find(QPushButton, "add_fitting"))
    station.panel.tables.fittings_table.selectRow(1)
    bench.settle()
    bench.click(bench.find(QPushButton, "use_place"))
    assert bench.verdicts()["build"] == "good"
    jack, led = bench.session.job.build.panel.fittings
    assert led.y == pytest.approx(jack.y)
    answers(folder=tmp_path / "sheet")
    bench.click(bench.find(QPushButton, "main"))
    read = ezdxf.read(io.StringIO((tmp_path / "sheet" / "template.dxf").read_text()))  # type: ignore[attr-defined]
    holes = {round(2 * c.dxf.radius, 1) for c in read.modelspace().query('CIRCLE[layer=="holes"]')}
    assert holes == {6.0, 3.0}
    bench.run("undo")
    assert bench.session.job.build.panel.fittings[1].x is None


def test_a_wire_is_picked_and_its_screen_and_twist_are_set(bench: Bench) -> None:
    """By the list as well as by the mouse; a screen at both ends is told."""
    bench.open_demo("tidewell")
    station = build(bench)
    which = (
        bench.find(QComboBox, "wire_picked") if station.wiring.editor.isVisible() else station.wiring.which
    )
    which.activated.emit(1)
    assert station.wiring.picked == 2
    bench.choose(bench.find(QComboBox, "wire_screen"), ScreenAt.BOTH)
    assert bench.verdicts()["build"] == "fix"
    bench.choose(bench.find(QComboBox, "wire_screen"), ScreenAt.BOARD)
    assert bench.verdicts()["build"] == "good"
    bench.type(bench.find(QLineEdit, "wire_twist"), "left")
    conductor = next(j.conductor for j in bench.session.job.link("feed_left").joins if j.port == "out")
    assert (conductor.screen, conductor.twist) == (ScreenAt.BOARD, "left")


def test_the_drawing_is_zoomed_about_the_mouse_and_made_whole_again(bench: Bench) -> None:
    """What lies under the mouse stays there."""
    bench.open_demo("tidewell")
    view = build(bench).wiring.view
    whole, at = view.scale(), QPointF(300, 200)
    place = view.millimetres(at)
    from PyQt6.QtCore import QPoint as Point
    from PyQt6.QtGui import QWheelEvent

    event = QWheelEvent(
        at, view.mapToGlobal(at), Point(0, 0), Point(0, 120), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    view.wheelEvent(event)
    assert view.scale() > whole
    assert view.millimetres(at) == pytest.approx(place)
    bench.qtbot.mouseDClick(view, Qt.MouseButton.LeftButton, pos=at.toPoint())
    assert view.scale() == whole


def test_things_are_mounted_and_colours_made_the_persons_own(bench: Bench) -> None:
    """Sizes and choices go into the job; a height above its room is told; a colour of one's own counts for all such wires."""
    bench.open_demo("tidewell")
    station = build(bench, "page_hold")
    bench.type(bench.find(QLineEdit, "mount_height"), "19")
    assert bench.verdicts()["build"] == "fix"
    bench.type(bench.find(QLineEdit, "mount_room"), "2.5 cm")
    assert bench.verdicts()["build"] == "good"
    bench.choose(bench.find(QComboBox, "mount_fixing"), Fixing.LOOSE)
    assert bench.verdicts()["build"] == "fix"
    bench.choose(bench.find(QComboBox, "mount_fixing"), Fixing.POSTS)
    model = station.hold.colours
    row = next(k for k, r in enumerate(model.rows) if r[0].text == "signal, left")
    model.setData(model.index(row, 1), "Violet")
    bench.settle()
    assert {w.colour for w in bench.session.studies.of(LoomFound).wires if w.function == "signal, left"} == {
        "violet"
    }


def test_what_makes_no_sense_is_refused_in_a_sentence(bench: Bench) -> None:
    """Lengths that are none, copies that are none; the job stays as it was."""
    bench.open_demo("tidewell")
    build(bench, "page_hold")
    before = bench.session.job
    bench.type(bench.find(QLineEdit, "mount_height"), "tall")
    assert "tall" in bench.message()
    bench.type(bench.find(QLineEdit, "mount_height"), "-3 mm")
    assert bench.message()
    build(bench, "page_loom")
    bench.type(bench.find(QLineEdit, "copies"), "many")
    assert "copies" in bench.message()
    assert bench.session.job is before


def test_a_board_is_laid_out_only_while_it_is_looked_at(bench: Bench) -> None:
    """And again when a part changes, not when a colour does."""
    bench.open_demo("larkmoor")
    station = build(bench)
    assert station.board.view.drawings == ()
    station = build(bench, "page_board")
    assert station.board.view.drawings
    assert {row[0].text for row in station.board.seats.rows} >= {"R1", "C1", "U1"}


def test_the_panel_is_taken_from_a_scaled_photo(bench: Bench, tmp_path: Path) -> None:
    """Its size from the scale, and the photo behind it."""
    from functools import partial

    from PyQt6.QtGui import QColor, QImage

    from pigtail.edits.change import Change
    from pigtail.edits.host import set_scale

    bench.open_demo("tidewell")
    bench.session.save(tmp_path / "job.pigtail")
    image = QImage(400, 100, QImage.Format.Format_RGB32)
    image.fill(QColor("#88aa88"))
    image.save(str(tmp_path / "back.png"))
    bench.run("go_survey")
    survey = bench.assembly.views.made["survey"]
    survey.view.setCurrentIndex(5)
    survey.pictures.add_file(tmp_path / "back.png")
    bench.settle()
    picture = bench.session.job.pictures[0].id
    bench.session.edit(
        Change("scale", partial(set_scale, picture_id=picture, part_of_width=0.5, millimetres=100.0))
    )
    bench.settle()
    station = build(bench, "page_panel")
    bench.choose(bench.find(QComboBox, "panel_photo"), picture)
    panel = bench.session.job.build.panel
    assert (panel.width, panel.height) == (200.0, 50.0)
    assert not station.panel.view.backdrop.isNull()
    bench.choose(bench.find(QComboBox, "area_kind"), None)
    drag_mm(bench, station.panel.view, (20, 10, 150, 30))
    panel = bench.session.job.build.panel
    assert (panel.width, panel.height, panel.photo_x, panel.photo_y) == pytest.approx(
        (150, 30, 20, 10), abs=1.0
    )


@pytest.mark.long
def test_areas_are_typed_and_a_round_one_by_its_diameter(bench: Bench) -> None:
    """Names and sizes in the table; ø makes it round, a height makes it square again; nonsense is refused."""
    bench.open_demo("larkmoor")
    model = build(bench, "page_panel").panel.tables.areas
    row = next(k for k, r in enumerate(model.rows) if r[0].text == "tone board")
    for column, text in ((0, "treble board"), (3, "ø 8,5"), (5, "16"), (6, "yes")):
        model.setData(model.index(row, column), text)
        bench.settle()
    area = bench.session.job.build.panel.areas[row]
    assert (area.name, area.width, area.height, area.round, area.depth, area.covered) == (
        "treble board",
        8.5,
        8.5,
        True,
        16.0,
        True,
    )
    model.setData(model.index(row, 4), "12")
    bench.settle()
    assert not bench.session.job.build.panel.areas[row].round
    before = bench.session.job
    model.setData(model.index(row, 3), "wide")
    assert "wide" in bench.message()
    assert bench.session.job is before


@pytest.mark.long
def test_a_large_board_shows_its_progress_and_can_be_stopped(bench: Bench) -> None:
    """Above sixteen parts it goes step by step; stopped, the best so far stays."""
    from msgspec.structs import replace

    from pigtail.board.layout import steps_of
    from pigtail.edits.change import Change
    from pigtail.job.document import Job

    def larger(job: Job) -> Job:
        feed = job.link("feed")
        assert feed is not None
        sections = (feed.sections[0], *feed.sections[1:] * 3)
        return replace(job, links=tuple(replace(x, sections=sections) if x is feed else x for x in job.links))

    bench.open_demo("larkmoor")
    bench.session.edit(Change("a longer feed", larger))
    bench.settle()
    assert steps_of(mounted(bench.session.job)) > 1
    bench.run("go_build")
    bench.qtbot.mouseClick(bench.find(QPushButton, "page_board"), Qt.MouseButton.LeftButton)
    board = bench.assembly.views.made["build"].board
    bench.qtbot.waitUntil(lambda: bool(board.view.drawings) and board.busy, timeout=60_000)
    assert board.progress.isVisible()
    assert 0 < board.progress.value() < board.progress.maximum()
    bench.click(bench.find(QPushButton, "board_stop"))
    assert not board.busy
    assert board.view.drawings


PAGES = ("page_wiring", "page_board", "page_panel", "page_loom", "page_hold")


def scrolled_to(widget: QWidget) -> None:
    """Scroll the page of a widget to it, where it has one that scrolls."""
    around = widget.parentWidget()
    while around is not None:
        if isinstance(around, QScrollArea):
            around.ensureWidgetVisible(widget)
        around = around.parentWidget()


def test_tab_scrolls_a_low_page_to_what_it_reaches(bench: Bench) -> None:
    """The Panel page of a low window is longer than it: the keyboard never works on what is not seen."""
    bench.open_demo("larkmoor")
    bench.window.resize(1024, 640)
    station = build(bench, "page_panel")
    bench.window.activateWindow()
    off, photo = bench.find(QComboBox, "panel_off"), bench.find(QComboBox, "panel_photo")
    off.setFocus()
    before = photo.mapTo(station, photo.rect().center()).y()
    bench.qtbot.keyClick(off, Qt.Key.Key_Tab)
    bench.settle()
    assert bench.window.focusWidget() is photo
    assert before > station.height()  # it was not seen
    assert station.rect().contains(photo.mapTo(station, photo.rect().center()))


@pytest.mark.one_of(2)
@pytest.mark.parametrize("page", PAGES)
def test_every_page_can_be_worked_by_keys_and_nothing_is_cut_off(bench: Bench, page: str) -> None:
    """At 1024 × 700 too: each control is named, takes the keyboard, and lies in the station with its words whole."""
    from PyQt6.QtWidgets import QAbstractButton, QTableView

    bench.open_demo("larkmoor")
    bench.window.resize(1024, 700)
    station = build(bench, page)
    kinds = (QAbstractButton, QComboBox, QLineEdit, QTableView)
    shown = [
        w
        for w in station.findChildren(QWidget)
        if isinstance(w, kinds) and w.isVisible() and not isinstance(w.parent(), (QComboBox, QTableView))
    ]
    assert len(shown) > 7
    for widget in shown:
        assert widget.accessibleName(), widget.objectName()
        assert widget.focusPolicy() & Qt.FocusPolicy.TabFocus, widget.accessibleName()
        scrolled_to(widget)
        centre = widget.mapTo(station, widget.rect().center())
        assert station.rect().contains(centre), widget.accessibleName()
        if isinstance(widget, QPushButton):
            assert widget.width() >= widget.minimumSizeHint().width(), widget.text()
    assert (bench.window.width(), bench.window.height()) == (1024, 700)
