"""The window while no job is open: what can be begun, each with a sentence."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from pigtail.desktop import theme
from pigtail.language import tr

#: How many of the jobs opened last are shown.
MOST_RECENT = 5
WIDTH = 640
#: The ways to begin: name, words, sentence.
WAYS = (
    ("begin_new", tr("&New job…"), tr("Name the host and the module; what to measure and what to build is told.")),
    ("begin_open", tr("&Open…"), tr("A job or a pack from this machine; dropping one on the window does too.")),
    ("begin_demo", tr("Try the &demo"), tr("A hall amplifier whose retrofit has three faults, to be found and mended.")),
    (
        "begin_practise", tr("&Practise on a stand-in…"),
        tr("A pretend host with a pretend meter, read like a real one; some have a hidden fault."),
    ),
)  # fmt: skip


class Beginning(QWidget):
    """What can be begun; each way is called when its button is pressed."""

    def __init__(self, runs: Sequence[Callable[[], object]], opened: Callable[[Path], None]) -> None:
        super().__init__()
        self.setObjectName("beginning")
        self.setAccessibleName(tr("What can be begun"))
        self._opened = opened
        heading = QLabel(tr("What is on the bench?"))
        heading.setFont(theme.font(22, bold=True))
        line = QLabel(
            tr(
                "You describe the host and the module, and read what is asked for; levels, supply, "
                "wiring and every step follow."
            )
        )
        line.setObjectName("dim")
        line.setWordWrap(True)
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(12)
        grid.setColumnStretch(1, 1)
        for row, ((name, words, sentence), run) in enumerate(zip(WAYS, runs, strict=True)):
            button = QPushButton(words)
            button.setObjectName("main" if row == 0 else name)
            button.setAccessibleName(words.replace("&", ""))
            button.setAccessibleDescription(sentence)
            button.setToolTip(sentence)
            button.setMinimumWidth(170)
            button.clicked.connect(lambda _c, run=run: run())
            told = QLabel(sentence)
            told.setWordWrap(True)
            grid.addWidget(button, row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(told, row, 1, Qt.AlignmentFlag.AlignVCenter)
        self.recent_words = QLabel(tr("Opened last"))
        self.recent_words.setFont(theme.font(14, bold=True))
        self._recent = QVBoxLayout()
        self._recent.setSpacing(4)
        card = QFrame()
        card.setObjectName("panel")
        card.setMaximumWidth(WIDTH)
        inside = QVBoxLayout(card)
        inside.setContentsMargins(28, 24, 28, 24)
        inside.setSpacing(12)
        inside.addWidget(heading)
        inside.addWidget(line)
        inside.addSpacing(8)
        inside.addLayout(grid)
        inside.addSpacing(8)
        inside.addWidget(self.recent_words)
        inside.addLayout(self._recent)
        across = QHBoxLayout(self)
        across.addStretch(1)
        middle = QVBoxLayout()
        middle.addStretch(1)
        middle.addWidget(card)
        middle.addStretch(2)
        across.addLayout(middle, 8)
        across.addStretch(1)

    def show_recent(self, paths: Sequence[str]) -> None:
        """Offer the jobs that were opened last and are still there."""
        while (item := self._recent.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        there = [Path(p) for p in paths if Path(p).is_file()][:MOST_RECENT]
        self.recent_words.setVisible(bool(there))
        for path in there:
            button = QPushButton(f"{path.stem}    {_short(path.parent)}")
            button.setObjectName("recent_job")
            button.setAccessibleName(tr("Open {path}", path=path))
            button.setToolTip(str(path))
            button.setStyleSheet("text-align: left")
            button.clicked.connect(lambda _c, path=path: self._opened(path))
            self._recent.addWidget(button)


def _short(folder: Path) -> str:
    """A folder as people write it, its beginning left out where it is long."""
    home = str(Path.home())
    words = str(folder).replace(home, "~", 1) if str(folder).startswith(home) else str(folder)
    return words if len(words) <= 44 else f"…{words[-43:]}"
