"""Every control of every view and dialog: Tab reaches it, a screen reader can name it, a pointer that rests on it is told something."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QSpinBox,
    QWidget,
)
from tests.desktop.conftest import Bench

from pigtail.catalogue.demo import demo
from pigtail.desktop.figuresdialog import FiguresDialog
from pigtail.desktop.helping import Help
from pigtail.desktop.matchdialog import MatchDialog
from pigtail.desktop.meterdialog import MeterDialog
from pigtail.desktop.newjob import NewJob
from pigtail.desktop.owndevices import OwnDevices
from pigtail.desktop.paper import Preview
from pigtail.desktop.pickmodule import PickDevice
from pigtail.desktop.stations.control.dialogs import PinDialog, SwitchDialog
from pigtail.desktop.stockdialog import StockDialog
from pigtail.sheet.content import make_sheet
from pigtail.sheet.pdf import pdf_bytes
from pigtail.studies.all import study_job

STATIONS = ("survey", "taps", "level", "power", "returns", "control", "build", "prove")
CONTROLS = (QAbstractButton, QComboBox, QLineEdit, QPlainTextEdit, QSpinBox, QAbstractScrollArea)
#: Parts that Qt makes inside a control; the control around them has the name.
INNER = (
    "qt_spinbox_lineedit",
    "qt_scrollarea_viewport",
    "qt_scrollarea_vcontainer",
    "qt_scrollarea_hcontainer",
)


def tabbed(root: QWidget) -> list[QWidget]:
    """The controls below a widget that Tab is to reach."""
    return [
        w
        for w in root.findChildren(QWidget)
        if w.isVisible()
        and w.isEnabled()
        and w.focusPolicy() & Qt.FocusPolicy.TabFocus
        and w.focusProxy() is None
        and w.objectName() not in INNER
        and not isinstance(w.parentWidget(), QComboBox)
        and (isinstance(w, CONTROLS) or w.accessibleName())
    ]


def named(widget: QWidget) -> str:
    """What a screen reader calls a control."""
    text = widget.text() if isinstance(widget, QAbstractButton) else ""
    return widget.accessibleName() or text.replace("&", "")


def told(widget: QWidget) -> str:
    """A control for a message of this test."""
    return f"{type(widget).__name__} {widget.objectName()} “{named(widget)}”"


def alike(widget: QWidget) -> list[QWidget]:
    """A button and those that it shares one choice with: Tab leads to the chosen one, arrow keys to the others."""
    if not isinstance(widget, QAbstractButton):
        return [widget]
    group = widget.group()
    if group is not None and group.exclusive():
        return list(group.buttons())
    if widget.autoExclusive() and (parent := widget.parentWidget()) is not None:
        return [b for b in parent.findChildren(QAbstractButton) if b.autoExclusive()]
    return [widget]


def walk(bench: Bench, root: QWidget, most: int = 400) -> list[str]:
    """What Tab does not reach from where the focus is, going round once; and what has no name or no tip."""
    wanted = tabbed(root)
    root.activateWindow()
    for first in wanted:  # what lies in a corner that is not drawn yet takes no focus
        first.setFocus(Qt.FocusReason.TabFocusReason)
        if root.focusWidget() is not None:
            break
    reached: set[int] = set()
    for _ in range(most):
        here = root.focusWidget()
        if here is None:
            break
        around = here
        while around is not None and around is not root:
            reached.add(id(around))
            around = around.parentWidget()
        if all(any(id(x) in reached for x in alike(w)) for w in wanted):
            break
        bench.qtbot.keyClick(here, Qt.Key.Key_Tab)
    missing = [f"not reached: {told(w)}" for w in wanted if not any(id(x) in reached for x in alike(w))]
    missing += [f"no name: {told(w)}" for w in wanted if not named(w).strip()]
    return missing + [f"no tip: {told(w)}" for w in wanted if not w.toolTip().strip()]


@pytest.mark.parametrize("name", ["larkmoor", "tidewell"])
def test_every_control_of_every_station_is_reached_named_and_tipped(bench: Bench, name: str) -> None:
    """All stations with all of their pages, and the window around them."""
    bench.open_demo(name)
    found: dict[str, list[str]] = {}
    for key in STATIONS:
        bench.run(f"go_{key}")
        bench.settle()
        found[key] = walk(bench, bench.window)
        for button in bench.window.findChildren(QAbstractButton):
            if button.isVisible() and button.objectName().startswith("page_"):
                bench.click(button)
                found[f"{key} {button.text()}"] = walk(bench, bench.window)
    assert {k: v for k, v in found.items() if v} == {}


def test_every_page_of_the_survey_is_walked(bench: Bench) -> None:
    """Its lists are chosen in a box, not by buttons."""
    bench.open_demo("tidewell")
    bench.run("go_survey")
    box = bench.find(QComboBox, "survey_view")
    found = {}
    for k in range(box.count()):
        box.setCurrentIndex(k)
        box.activated.emit(k)
        bench.settle()
        found[box.itemText(k)] = walk(bench, bench.window)
    assert {k: v for k, v in found.items() if v} == {}


def test_the_empty_window_is_walked(bench: Bench) -> None:
    """What can be begun, and the recent jobs."""
    bench.assembly.show_empty()
    assert walk(bench, bench.window) == []


def test_every_dialog_is_walked(bench: Bench) -> None:
    """Each as it opens; the ones of a station with the demo behind them."""
    bench.open_demo("larkmoor")
    job = demo("larkmoor").job
    sheet = pdf_bytes(make_sheet(job, study_job(job)))
    section = next(s for x in job.links for s in x.sections if s.parts)
    for dialog in (
        NewJob(bench.window),
        PickDevice("Add a module", "Add it", parent=bench.window),
        MeterDialog("handheld", bench.window),
        OwnDevices(bench.window),
        Help(bench.window),
        StockDialog(bench.window),
        MatchDialog("record input", job.readings, bench.window),
        FiguresDialog(section, bench.window),
        Preview(sheet, bench.window),
        PinDialog(job, bench.window),
        SwitchDialog(job, bench.window),
    ):
        bench.qtbot.addWidget(dialog)
        dialog.show()
        bench.qtbot.waitExposed(dialog)
        assert walk(bench, dialog) == [], type(dialog).__name__
        dialog.close()


def test_bench_mode_and_the_runbook_are_walked(bench: Bench) -> None:
    """Their keys do most, Tab the rest."""
    bench.open_demo("larkmoor")
    bench.run("mode")
    assert bench.assembly.bench.mode is not None
    assert walk(bench, bench.assembly.bench.mode) == []
    bench.assembly.bench.mode.close()
    bench.run("run")
    assert bench.assembly.bench.run is not None
    assert walk(bench, bench.assembly.bench.run) == []
    bench.assembly.bench.run.close()
