"""Tables: a refused text stays to be mended, rows are copied, a column is pasted."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLineEdit
from tests.desktop.conftest import Bench

from pigtail.desktop.tables import RowsModel, RowsView

PAPER = 2


def known_table(bench: Bench) -> tuple[RowsView, RowsModel]:
    """The table of what is known, and its model."""
    table = bench.find(RowsView, "known_table")
    model = table.model()
    assert isinstance(model, RowsModel)
    return table, model


def row_of(model: RowsModel, terminal: str, words: str) -> int:
    """The row of a value."""
    return next(k for k, row in enumerate(model.rows) if row[0].text == terminal and row[1].text == words)


def type_into(bench: Bench, table: RowsView, row: int, text: str) -> None:
    """Type into the cell on paper with the keyboard, and Enter."""
    model = table.model()
    assert model is not None
    table.setFocus()
    table.setCurrentIndex(model.index(row, PAPER))
    bench.qtbot.keyClick(table, Qt.Key.Key_F2)
    editor = table.findChild(QLineEdit)
    assert editor is not None
    editor.setText(text)
    bench.qtbot.keyClick(editor, Qt.Key.Key_Return)
    bench.settle()


def test_a_refused_text_stays_with_its_reason_until_it_is_mended(bench: Bench) -> None:
    """The cell keeps what was typed, in another colour, its tip says why; the next value clears it."""
    bench.open_demo("tidewell").run("go_survey")
    table, model = known_table(bench)
    row = next(k for k, r in enumerate(model.rows) if r[1].text == "input impedance")
    before, job = model.rows[row][PAPER].text, bench.session.job
    type_into(bench, table, row, "1,000.5")
    index = model.index(row, PAPER)
    assert model.data(index) == "1,000.5"
    assert "write 1000.5" in model.data(index, Qt.ItemDataRole.ToolTipRole)
    assert "write 1000.5" in bench.message()
    assert bench.session.job is job
    assert model.rows[row][PAPER].text == before
    type_into(bench, table, row, "4,7 kOhm 10%")
    assert model.data(index) == "4.7 kΩ ±10 %"
    assert model.data(index, Qt.ItemDataRole.ToolTipRole) == "4.7 kΩ ±10 %"


def test_a_column_of_values_is_pasted_from_the_cell_on(bench: Bench) -> None:
    """Each line goes into the next row, an empty one leaves its row; it stops at what is refused."""
    bench.open_demo("tidewell").run("go_survey")
    table, model = known_table(bench)
    rows = [
        k for k in range(model.rowCount() - 1)
        if model.rows[k][1].text == "level for full output" and model.rows[k + 1][1].text == "overload level"
    ]  # fmt: skip
    row = rows[0]
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    clipboard.setText("321 mV\tx\r\n1,23 V\ty\r\n")
    table.setFocus()
    table.setCurrentIndex(model.index(row, PAPER))
    bench.qtbot.keyClick(table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    bench.settle()
    assert [model.data(model.index(row + k, PAPER)) for k in (0, 1)] == ["321 mV", "1.23 V"]
    clipboard.setText("3 A\n2 V\n")
    table.setCurrentIndex(model.index(row, PAPER))
    bench.qtbot.keyClick(table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    bench.settle()
    assert [model.data(model.index(row + k, PAPER)) for k in (0, 1)] == ["3 A", "1.23 V"]


@pytest.mark.parametrize("action", ["go_survey", "go_taps"])
def test_the_chosen_row_is_copied_with_its_headings(bench: Bench, action: str) -> None:
    """Ctrl+C puts whole rows on the clipboard, the cells parted by tabs."""
    bench.open_demo("tidewell").run(action)
    table = next(t for t in bench.window.findChildren(RowsView) if t.isVisible())
    model = table.model()
    assert isinstance(model, RowsModel)
    table.setFocus()
    table.selectRow(0)
    bench.qtbot.keyClick(table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    head, row = clipboard.text().split("\n")
    assert head.split("\t") == [c for k, c in enumerate(model.columns) if not table.isColumnHidden(k)]
    assert row.split("\t")[0] == model.rows[0][0].text
