"""Lines that are cut where there is no room."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from pigtail.desktop.labels import OneLine


def test_a_line_without_room_ends_in_an_ellipsis_and_stands_whole_in_its_tip(qtbot: QtBot) -> None:
    """What is painted in too little room is what the words with an ellipsis look like, not the words cut in a letter."""
    words = "expected: its own DC: 0 V (−10 mV … 10 mV)"
    narrow, short = OneLine(), OneLine()
    for label in (narrow, short):
        qtbot.addWidget(label)
        label.resize(120, 20)
    narrow.setText(words)
    short.setText(narrow.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, 120))
    assert short.text().endswith("…")
    assert narrow.grab().toImage() == short.grab().toImage()
    assert narrow.toolTip() == narrow.text() == words
    assert narrow.minimumSizeHint().width() < 60
