"""The person's own modules and hosts: looked through, taken out and put back, passed on and taken in as files; with a job or without."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialogButtonBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from pigtail.catalogue import library
from pigtail.desktop import ask
from pigtail.desktop.tips import Dialog
from pigtail.job.errors import JobError
from pigtail.language import tr

if TYPE_CHECKING:
    from pigtail.catalogue.library import OwnDevice
    from pigtail.job.document import Host, Module

NOTHING = tr(
    "Nothing of your own yet. In the Survey of a job, its host and modules can be kept here; "
    "files come in below."
)
HELD = tr(
    "They are offered wherever a module or host is chosen. What is taken out of here stays "
    "in the jobs that have it."
)


class OwnDevices(Dialog):
    """What is in the person's library; nothing here touches a job."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("own_devices")
        self.setWindowTitle(tr("Your own modules and hosts"))
        self.resize(620, 420)
        self._out: list[tuple[Module | Host, str]] = []
        self.list = QListWidget()
        self.list.setObjectName("own_list")
        self.list.setAccessibleName(tr("Your own modules and hosts"))
        self.told = QLabel()
        self.told.setObjectName("dim")
        self.told.setWordWrap(True)
        self.told.setMinimumHeight(48)
        self.told.setAlignment(Qt.AlignmentFlag.AlignTop)
        row = QHBoxLayout()
        self.take_out, self.put_back = QPushButton(tr("&Take it out")), QPushButton(tr("Put it &back"))
        self.pass_on, self.take_in = QPushButton(tr("&Pass it on…")), QPushButton(tr("Take one &in…"))
        for button, name, tip, run in (
            (self.take_out, "own_out", tr("Out of the library; jobs keep what they have"), self._take_out),
            (
                self.put_back,
                "own_back",
                tr("What was taken out last, as long as this is open"),
                self._put_back,
            ),
            (self.pass_on, "own_pass", tr("As a small file for another person"), self._pass_on),
            (self.take_in, "own_in", tr("A module or host from such a file"), self._take_in),
        ):
            button.setObjectName(name)
            button.setToolTip(tip)
            button.setAutoDefault(False)
            button.clicked.connect(run)
            row.addWidget(button)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        row.addStretch(1)
        row.addWidget(buttons)
        layout = QVBoxLayout(self)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.told)
        layout.addLayout(row)
        self.list.currentItemChanged.connect(lambda _n, _o: self._show())
        self._fill()

    def _fill(self, number: int = 0) -> None:
        """List what there is, with one chosen by its number."""
        self.list.clear()
        try:
            found = library.kept()
        except JobError as error:
            self._show()
            self.told.setText(str(error))
            return
        for own in found:
            item = QListWidgetItem(f"{own.name}  ·  {own.what}")
            item.setData(Qt.ItemDataRole.UserRole, own)
            self.list.addItem(item)
            if own.id == number:
                self.list.setCurrentItem(item)
        if self.list.currentItem() is None:
            self.list.setCurrentRow(0)
        self._show()

    def chosen(self) -> OwnDevice | None:
        """The one that is on."""
        item = self.list.currentItem()
        return None if item is None else item.data(Qt.ItemDataRole.UserRole)

    def _show(self) -> None:
        own = self.chosen()
        self.take_out.setEnabled(own is not None)
        self.pass_on.setEnabled(own is not None)
        self.put_back.setEnabled(bool(self._out))
        self.told.setText(
            NOTHING
            if own is None
            else tr("Kept {added}: {source}. {held}", added=own.added, source=own.source, held=HELD)
        )

    def _take_out(self) -> None:
        own = self.chosen()
        if own is None:
            return
        try:
            self._out.append((library.device_of(own.id), own.source))
            library.forget(own.id)
        except JobError as error:
            self.told.setText(str(error))
            return
        self._fill()
        self.told.setText(tr("{own} is out. “Put it back” undoes that while this is open.", own=own.name))

    def _put_back(self) -> None:
        try:
            number = library.keep(*self._out[-1])
        except JobError as error:
            self.told.setText(str(error))
            return
        self._out.pop()
        self._fill(number)

    def _pass_on(self) -> None:
        own = self.chosen()
        path = ask.device_target(self, own.name) if own is not None else None
        if own is None or path is None:
            return
        try:
            library.write_device(library.device_of(own.id), path)
        except JobError as error:
            self.told.setText(str(error))
            return
        self.told.setText(tr("{own} is written to {path}.", own=own.name, path=path))

    def _take_in(self) -> None:
        path = ask.device_source(self)
        if path is None:
            return
        try:
            number = library.keep(library.read_device(path), tr("from the file {path}", path=path.name))
        except JobError as error:
            self.told.setText(str(error))
            return
        self._fill(number)
