"""The smallest window: no word on a button is cut, and no control lies over another, at any station on any page."""

from __future__ import annotations

import os
import subprocess
import sys
from itertools import combinations

import pytest
from PyQt6.QtCore import QRect
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QWidget,
)
from tests.desktop.conftest import Bench

STATIONS = ("survey", "taps", "level", "power", "returns", "control", "build", "prove")
SEEN = (QAbstractButton, QComboBox, QLineEdit, QAbstractItemView, QLabel)


def on_screen(root: QWidget, widget: QWidget) -> QRect:
    """Where a widget is seen in another, in pixels of that one: what scrolls away or is cut by what holds it is left out."""
    seen, around = widget.rect(), widget
    while around is not root:
        seen.translate(around.pos())
        holder = around.parentWidget()
        assert holder is not None
        around = holder
        seen = seen.intersected(around.rect())
    return seen


def crooked(root: QWidget) -> list[str]:
    """What is cut or lies over something else below a widget."""
    shown = [
        w
        for w in root.findChildren(QWidget)
        if isinstance(w, SEEN)
        and w.isVisibleTo(root)
        and not isinstance(w.parentWidget(), (QComboBox, QLineEdit))
        and not w.visibleRegion().isEmpty()
    ]
    found = [
        f"cut: {w.objectName()} “{w.text()}” {w.width()} of {w.sizeHint().width()} px"
        for w in shown
        if isinstance(w, QPushButton) and w.width() < w.sizeHint().width()
    ]
    for one, other in combinations(shown, 2):
        if one.isAncestorOf(other) or other.isAncestorOf(one):
            continue
        both = on_screen(root, one).intersected(on_screen(root, other))
        if both.width() > 2 and both.height() > 2:
            found.append(f"{both.width()} × {both.height()} px: {told(one)} over {told(other)}")
    return found


def told(widget: QWidget) -> str:
    """A widget for a message of this test."""
    return f"{type(widget).__name__} {widget.objectName()} {getattr(widget, 'text', str)()[:30]!r}"


@pytest.mark.parametrize("name", ["larkmoor", "tidewell"])
def test_nothing_is_cut_and_nothing_lies_over_another(bench: Bench, name: str) -> None:
    """At the least size that the window takes."""
    bench.open_demo(name)
    bench.window.resize(bench.window.minimumSize())
    wrong: list[str] = []
    for key in STATIONS:
        bench.run(f"go_{key}")
        bench.settle()
        wrong += [f"{key}: {what}" for what in crooked(bench.window)]
        for button in bench.window.findChildren(QAbstractButton):
            if button.isVisible() and button.objectName().startswith("page_"):
                bench.click(button)
                wrong += [f"{key} {button.text()}: {what}" for what in crooked(bench.window)]
    assert not wrong, "\n".join(dict.fromkeys(wrong))


@pytest.mark.parametrize("name", ["larkmoor", "tidewell"])
def test_no_page_of_the_survey_is_crooked(bench: Bench, name: str) -> None:
    """Its lists are chosen in a box, not by buttons."""
    bench.open_demo(name)
    bench.window.resize(bench.window.minimumSize())
    bench.run("go_survey")
    box = bench.find(QComboBox, "survey_view")
    wrong: list[str] = []
    for k in range(box.count()):
        box.setCurrentIndex(k)
        box.activated.emit(k)
        bench.settle()
        wrong += [f"{box.itemText(k)}: {what}" for what in crooked(bench.window)]
    assert not wrong, "\n".join(dict.fromkeys(wrong))


@pytest.mark.skipif(os.environ.get("PIGTAIL_LANGUAGE") == "de", reason="is what this one starts")
def test_nothing_is_crooked_in_german() -> None:
    """Its words are longer; a program speaks one language, so another is started."""
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:xdist", __file__],
        env=os.environ | {"PIGTAIL_LANGUAGE": "de"},
        capture_output=True,
        text=True,
        timeout=200,
        check=False,
    )
    assert done.returncode == 0, done.stdout
