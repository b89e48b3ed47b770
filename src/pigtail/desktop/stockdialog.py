"""The list of the parts that the person has, edited as text."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialogButtonBox, QLabel, QPlainTextEdit, QVBoxLayout, QWidget

from pigtail.catalogue.stock import load_stock, parse_stock, save_stock, stock_text
from pigtail.desktop.tips import Dialog
from pigtail.job.errors import JobError
from pigtail.language import tr


class StockDialog(Dialog):
    """Shows the parts in the library and puts what was typed there when it is accepted; what cannot be read stays on view."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("stock_dialog")
        self.setWindowTitle(tr("My parts"))
        self.resize(420, 460)
        say = QLabel(
            tr(
                "One part a line: a value, and how many if you like. Resistors as 4k7 or 220, capacitors "
                "as 100n or 10u; “x20” behind it counts them. “Parts I have” in Level then takes nothing "
                "else."
            )
        )
        say.setWordWrap(True)
        self.text = QPlainTextEdit()
        self.text.setObjectName("stock_text")
        self.text.setAccessibleName(tr("The parts that you have, one a line"))
        self.text.setTabChangesFocus(True)
        self.text.setToolTip(tr("One part a line: its value, and how many"))
        self.text.setPlaceholderText("4k7 x20\n10k\n100n x5\n10u")
        self.trouble = QLabel()
        self.trouble.setObjectName("wrong")
        self.trouble.setWordWrap(True)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        for widget in (say, self.text, self.trouble, buttons):
            layout.addWidget(widget)
        try:
            self.text.setPlainText(stock_text(load_stock()))
        except JobError as error:
            self.trouble.setText(str(error))

    def accept(self) -> None:
        try:
            save_stock(parse_stock(self.text.toPlainText()))
        except JobError as error:
            self.trouble.setText(str(error))
            return
        super().accept()
