"""Files dropped on the window go where they belong; what a job has beside it comes along when it is saved elsewhere."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import QMimeData, QPointF, Qt, QTimer, QUrl
from PyQt6.QtGui import QDropEvent, QImage
from PyQt6.QtWidgets import QApplication
from tests.desktop.conftest import Bench

from pigtail.catalogue.kinds import make_module
from pigtail.catalogue.library import write_device
from pigtail.desktop.matchdialog import MatchDialog
from pigtail.studies.loudness import loudness_of, unlike


def drop(bench: Bench, *paths: Path) -> None:
    """Drop files on the window."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    event = QDropEvent(
        QPointF(5, 5),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    bench.window.dropEvent(event)
    bench.settle()


def recording(path: Path, *, channels: int, level: float = 0.1) -> Path:
    """Two seconds of a tone."""
    tone = level * np.sin(2 * np.pi * 997 * np.arange(96_000) / 48_000)
    soundfile.write(path, np.column_stack([tone] * channels), 48_000)
    return path


def test_readings_modules_and_pictures_are_dropped(bench: Bench, tmp_path: Path) -> None:
    """A table is logged, a module added, a picture kept with the job before and after its first save; without a job it is told."""
    table, device, photo = tmp_path / "meter.csv", tmp_path / "box.pigtail-device", tmp_path / "board.png"
    table.write_text("point;value\nline_left;1,5 mV\n")
    write_device(make_module("card_player_5v"), device)
    QImage(64, 48, QImage.Format.Format_RGB32).save(str(photo))
    bench.assembly.show_empty()
    drop(bench, table)
    assert "open one or begin one first" in bench.message()
    bench.open_demo("tidewell")
    before = len(bench.session.job.readings)
    drop(bench, table, device)
    assert len(bench.session.job.readings) == before + 1
    assert bench.session.job.readings[-1].value.nominal == pytest.approx(1.5e-3)
    assert len(bench.session.job.modules) == 2
    drop(bench, photo)
    bench.qtbot.waitUntil(lambda: bool(bench.session.job.pictures), timeout=30_000)
    (picture,) = bench.session.job.pictures
    assert list((bench.folder / "recovery").glob(f"*.files/{picture.file}"))
    (tmp_path / "here").mkdir()
    assert bench.session.save(tmp_path / "here" / "mine.pigtail")
    bench.settle()
    assert (tmp_path / "here" / picture.file).read_bytes() == photo.read_bytes()
    assert not list((bench.folder / "recovery").glob("*.files"))
    (tmp_path / "there").mkdir()
    assert bench.session.save(tmp_path / "there" / "mine.pigtail")
    bench.settle()
    assert (tmp_path / "there" / picture.file).read_bytes() == photo.read_bytes()


def test_a_recording_is_dropped_on_the_feed_and_mono_against_stereo_is_told(
    bench: Bench, tmp_path: Path
) -> None:
    """It is the other source; ITU-R BS.1770 sums channels, so that one and the same tone reads 3 LU apart."""
    mono, stereo = recording(tmp_path / "now.wav", channels=1), recording(tmp_path / "other.wav", channels=2)
    first, second = loudness_of(mono), loudness_of(stereo)
    assert second.lufs - first.lufs == pytest.approx(10 * np.log10(2), abs=0.05)
    assert "record both alike" in unlike(first, second)
    assert unlike(first, first) == ""
    bench.open_demo("tidewell")

    def drive() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, MatchDialog)
        assert dialog.names[1].text() == "other.wav"
        dialog.show_louder((second.lufs - first.lufs, unlike(first, second)))
        assert "3.0 LU louder" in dialog.outcome.text()
        assert "record both alike" in dialog.trouble.text()
        dialog.reject()

    QTimer.singleShot(0, drive)
    drop(bench, stereo)
    assert bench.assembly.views.here == "level"


@pytest.mark.parametrize(
    ("text", "names"), [("2", ["page 2"]), ("all", ["page 1", "page 2"]), ("", []), ("7", [])]
)
def test_pages_of_a_paper_are_chosen(
    bench: Bench, answers: Callable[..., None], tmp_path: Path, text: str, names: list[str]
) -> None:
    """All, some, none; what is not there is told."""
    from PyQt6.QtGui import QPainter, QPdfWriter

    paper = tmp_path / "sheet.pdf"
    writer = QPdfWriter(str(paper))
    painter = QPainter(writer)
    painter.drawText(500, 500, "one")
    writer.newPage()
    painter.end()
    bench.open_demo("tidewell")
    assert bench.session.save(tmp_path / "mine.pigtail")
    answers(pages=text)
    drop(bench, paper)
    if names:
        bench.qtbot.waitUntil(lambda: bool(bench.session.job.pictures), timeout=30_000)
    bench.settle()
    assert [p.name.partition(", ")[2] for p in bench.session.job.pictures] == names
    assert ("has 2 pages" in bench.message()) is (text == "7")


def test_a_meters_own_log_becomes_one_reading_and_its_columns_are_remembered(
    bench: Bench, tmp_path: Path
) -> None:
    """Where the probes of the strip are; the number of values and their ends stand in the note."""
    from pigtail.desktop.logdialog import LogDialog

    path = tmp_path / "log.csv"
    path.write_text("when;reserve;shown\n10:00:01;7;1,65\n10:00:02;8;1,66\n10:00:03;9;1,64\n")
    bench.open_demo("tidewell")
    before = len(bench.session.job.readings)
    seen: list[int] = []

    def drive() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, LogDialog)
        seen.append(dialog.value.currentData())
        dialog.value.setCurrentIndex(dialog.value.findData(2))
        assert "1.65 V" in dialog.outcome.text()
        dialog.accept()

    for _ in range(2):
        QTimer.singleShot(0, drive)
        drop(bench, path)
    assert len(bench.session.job.readings) == before + 2
    reading = bench.session.job.readings[-1]
    assert reading.value.nominal == pytest.approx(1.65)
    assert reading.note.startswith("middle of 3 values in log.csv")
    assert seen[1] == 2
