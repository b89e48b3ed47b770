"""Which module or host: a list that is searched, with what each is; the person's own first."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pigtail.catalogue.library import offered
from pigtail.desktop.tips import Dialog
from pigtail.language import tr


class PickDevice(Dialog):
    """Asks for a module (or host) of the catalogue or the person's own; `key` is the one chosen."""

    def __init__(self, title: str, go: str, what: str = "module", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("pick_device")
        self.setWindowTitle(title)
        self.resize(620, 460)
        self.key = ""
        self.search = QLineEdit()
        self.search.setObjectName("pick_search")
        self.search.setAccessibleName(tr("Search"))
        self.search.setPlaceholderText(tr("type a word: receiver, amplifier, 5 V …"))
        self.search.setToolTip(tr("Only what has these words is listed"))
        self.list = QListWidget()
        self.list.setObjectName("pick_list")
        self.list.setAccessibleName(tr("What there is to choose from"))
        self.list.setToolTip(tr("Enter takes the one that is on"))
        self.summary = QLabel()
        self.summary.setObjectName("dim")
        self.summary.setWordWrap(True)
        self.summary.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.summary.setMinimumHeight(64)
        self.buttons, self.take = self.answers(go)
        for kind in offered(what):
            item = QListWidgetItem(kind.name)
            item.setData(Qt.ItemDataRole.UserRole, (kind.key, kind.summary))
            item.setToolTip(kind.summary)
            self.list.addItem(item)
        layout = QVBoxLayout(self)
        row = QHBoxLayout()
        words = QLabel(tr("&Search"))
        words.setBuddy(self.search)
        row.addWidget(words)
        row.addWidget(self.search, 1)
        layout.addLayout(row)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.summary)
        layout.addWidget(self.buttons)
        self.search.textChanged.connect(self._narrow)
        self.list.currentItemChanged.connect(lambda _n, _o: self._show())
        self.list.itemDoubleClicked.connect(lambda _i: self.accept())
        self._narrow("")

    def _narrow(self, text: str) -> None:
        """List only what has all the words typed."""
        words = text.lower().split()
        first = None
        for k in range(self.list.count()):
            item = self.list.item(k)
            assert item is not None
            _, summary = item.data(Qt.ItemDataRole.UserRole)
            whole = f"{item.text()} {summary}".lower()
            item.setHidden(not all(w in whole for w in words))
            first = first or (None if item.isHidden() else item)
        current = self.list.currentItem()
        if current is None or current.isHidden():
            self.list.setCurrentItem(first)
        self._show()

    def _show(self) -> None:
        item = self.list.currentItem()
        there = item is not None and not item.isHidden()
        self.take.setEnabled(there)
        self.key, summary = (
            item.data(Qt.ItemDataRole.UserRole)
            if item is not None and there
            else ("", tr("nothing has these words"))
        )
        self.summary.setText(summary)
