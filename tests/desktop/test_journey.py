"""From a demo to a printed sheet, and from an empty job to the same place, on the real window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from pypdf import PdfReader
from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrinter
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton
from pytestqt.qtbot import QtBot
from tests.desktop.conftest import Bench

from asking import OPEN_OHM, by_its_papers
from pigtail.desktop import paper
from pigtail.desktop.fields import ValueField
from pigtail.desktop.newjob import NewJob
from pigtail.job.document import Function, SupplyClass
from pigtail.job.file import load

GOOD = {
    "survey": "good",
    "taps": "good",
    "level": "good",
    "power": "good",
    "returns": "good",
    "control": "good",
    "build": "good",
    "prove": "watch",
}


def take_remedies(bench: Bench) -> list[str]:
    """Click the first remedy of the first bad station until none is left; returns what was clicked."""
    taken: list[str] = []
    while len(taken) < 8:
        bad = next((k for k, v in bench.verdicts().items() if v in ("stop", "fix", "watch", "unknown")), None)
        if bad is None:
            break
        bench.assembly.views.go(bad)
        bench.settle()
        buttons = [b for b in bench.window.findChildren(QPushButton, "remedy") if b.isVisible()]
        if not buttons:
            break
        taken.append(buttons[0].text())
        bench.click(buttons[0])
    return taken


def test_the_demo_is_mended_changed_read_undone_saved_reopened_and_printed(
    bench: Bench, answers: Callable[..., None], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    """The whole journey of someone who starts with the demo."""
    bench.open_demo()
    assert bench.verdicts() == {
        **GOOD,
        "power": "fix",
        "returns": "fix",
        "build": "unknown",
        "prove": "unknown",
    }
    assert bench.assembly.views.here == "power"

    assert take_remedies(bench) == ["Use a buck converter", "Use an isolated 9–36 V converter"]
    assert bench.verdicts() == GOOD

    bench.assembly.views.go("level")
    bench.settle()
    field = bench.find(ValueField, "part_2_r2")
    bench.type(field, "47")
    assert bench.verdicts()["level"] == "fix"
    assert "loud" not in bench.window.why.list.item(0).text()

    bench.run("undo")
    assert bench.verdicts() == GOOD
    bench.run("redo")
    assert bench.verdicts()["level"] == "fix"
    bench.run("undo")

    strip = bench.assembly.strip
    bench.choose(strip.point, "host.record_in").choose(strip.function, Function.DC_VOLTS)
    assert strip.against.currentData() == "host.input_return"
    bench.type(strip.reading, "4.9")
    assert bench.verdicts()["survey"] == "stop"
    bench.run("undo")
    assert bench.verdicts() == GOOD

    path = tmp_path / "hall.pigtail"
    answers(save_path=path, open_path=path, folder=tmp_path / "sheet")
    assert bench.window.isWindowModified()
    bench.run("save")
    assert not bench.window.isWindowModified()
    saved = bench.session.job
    bench.run("open")
    assert bench.session.job == saved == load(path).job
    assert bench.verdicts() == GOOD

    bench.run("sheet")
    assert (tmp_path / "sheet" / "sheet.pdf").exists()
    printer = QPrinter(QPrinter.PrinterMode.ScreenResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "printed.pdf"))
    monkeypatch.setattr(paper, "ask_printer", lambda _parent: printer)
    bench.run("print")
    assert "printed" in bench.message()
    pages = PdfReader(tmp_path / "printed.pdf").pages
    sizes = {tuple(round(float(x) / 72 * 25.4) for x in (p.mediabox.width, p.mediabox.height)) for p in pages}
    assert sizes <= {(210, 297), (297, 210)}
    assert (297, 210) in sizes
    assert any(
        50.0 <= run <= 50.4 for run in printed_runs(tmp_path / "printed.pdf")
    )  # the square and its line


def printed_runs(path: Path) -> set[float]:
    """The lengths [mm, to a fifth] of all long level lines of a printed PDF, as its picture shows them at 254 dots an inch."""
    document = QPdfDocument(None)
    document.load(str(path))
    found: set[float] = set()
    for page in range(document.pageCount()):
        points = document.pagePointSize(page)
        image = document.render(
            page, QSize(round(points.width() / 72 * 254), round(points.height() / 72 * 254))
        )
        grey = paper.on_white(image).convertToFormat(QImage.Format.Format_Grayscale8)
        bits = grey.constBits()
        assert bits is not None
        rows = np.frombuffer(bits.asstring(grey.sizeInBytes()), np.uint8).reshape(
            grey.height(), grey.bytesPerLine()
        )
        for row in rows[:, : grey.width()] < 190:
            edges = np.flatnonzero(np.diff(np.concatenate(([0], row.astype(np.int8), [0]))))
            found |= {round(5 * n / 10) / 5 for n in edges[1::2] - edges[::2] if n > 300}
    document.close()
    return found


def fill(dialog: NewJob, qtbot: QtBot, values: dict[str, str]) -> None:
    """Say how the host is fed, and type values into the fields of the dialog."""
    if dialog.supply.currentData() is None:
        dialog.supply.setCurrentIndex(dialog.supply.findData(SupplyClass.MAINS_ISOLATED))
    for name, text in values.items():
        entry = dialog.findChild(QLineEdit, name)
        assert entry is not None, name
        entry.clear()
        qtbot.keyClicks(entry, text)


def test_an_empty_job_comes_to_the_same_place(
    bench: Bench, qtbot: QtBot, answers: Callable[..., None], tmp_path: Path
) -> None:
    """New job, what is known, the proposed plan, the readings asked for, a plan that is good, a saved file."""
    bench.assembly.show_empty()
    assert bench.find(QPushButton, "main").text() == "&New job…"

    def drive() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, NewJob)
        fill(dialog, qtbot, {
            "job_name": "Hall, wireless in", "host_name": "The hall's forty", "value_record_in.wanted": "250m ±10 %",
            "value_record_in.overload": "1.6 V ±5%", "value_rail_low.voltage": "24 V ±3 %",
            "value_rail_low.limit": "120 mA", "value_rail_low.used": "30mA ±5%", "input_to_star.": "60 m ±20 %",
        })  # fmt: skip
        qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)

    QTimer.singleShot(0, drive)
    bench.run("new")
    assert bench.session.job is not None
    assert bench.session.job.name == "Hall, wireless in"
    assert [x.sections[0].topology for x in bench.session.job.links] == ["wire", "sum", "isolated_wide"]
    assert bench.verdicts()["survey"] == "unknown"

    strip = bench.assembly.strip
    host = by_its_papers(bench.session.job)
    for _ in range(30):
        if not strip.take.isVisible():
            break
        bench.click(strip.take)
        ask = strip.setup()
        assert ask is not None
        value = host.take(ask)
        bench.type(strip.reading, "open" if value >= OPEN_OHM else f"{value:.6f}")
    assert bench.verdicts()["survey"] == "good"

    take_remedies(bench)
    assert set(bench.verdicts().values()) <= {"good", "watch"}
    path = tmp_path / "new.pigtail"
    answers(save_path=path)
    bench.run("save_as")
    assert load(path).job == bench.session.job


def test_a_live_chassis_gets_no_plan_and_says_stop(bench: Bench, qtbot: QtBot) -> None:
    """New job on an old mains radio with a live chassis: no link, a stop, no way to propose one."""

    def drive() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, NewJob)
        for name, data in (("host_kind", "mains_radio"), ("new_supply", SupplyClass.LIVE_CHASSIS)):
            combo = dialog.findChild(QComboBox, name)
            assert combo is not None
            combo.setCurrentIndex(combo.findData(data))
        qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)

    QTimer.singleShot(0, drive)
    bench.run("new")
    assert bench.session.job.links == ()
    assert bench.verdicts()["survey"] == "stop"
    assert not bench.assembly.actions["propose"].isEnabled()


def test_the_dialog_keeps_what_was_typed_when_a_value_cannot_be_read(bench: Bench, qtbot: QtBot) -> None:
    """One sentence in the dialog; nothing is lost; mended, it goes on."""

    def drive() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, NewJob)
        fill(dialog, qtbot, {"value_rail_low.voltage": "24 bananas"})
        qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)
        assert dialog.isVisible()
        assert "24 bananas" in dialog.trouble.text()
        fill(dialog, qtbot, {"value_rail_low.voltage": "24 V"})
        qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)

    QTimer.singleShot(0, drive)
    bench.run("new")
    assert bench.session.job.terminal("host.rail_low").voltage.nominal == 24.0
