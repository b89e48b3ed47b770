"""Help in the program: the manual by stations, the words, the keys, the limits with their reasons; searched, without any network."""

from __future__ import annotations

import os
import re
from collections.abc import Callable
from functools import cache

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QTextBlockFormat, QTextCursor, QTextDocument
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from pigtail.catalogue.glossary import words
from pigtail.desktop.tips import Dialog
from pigtail.language import language, tr
from pigtail.studies.findings import Severity
from pigtail.units import format_quantity

MANUAL = os.path.join(
    os.path.dirname(__file__), "data", "manual.md" if language() == "en" else f"manual.{language()}.md"
)
#: Air round a page and under a paragraph [px], and between lines [%].
MARGIN, PARAGRAPH, LINES = 22, 9, 118
WORDS, KEYS, LIMITS = tr("Words"), tr("Keys"), tr("Limits and reasons")


@cache
def pages() -> dict[str, str]:
    """The pages of the help as Markdown, by their title, in order."""
    with open(MANUAL, encoding="utf-8") as file:
        parts = re.split(r"^# (.+)$", file.read(), flags=re.MULTILINE)[1:]
    made = {
        title.strip(): f"# {title.strip()}\n{body}"
        for title, body in zip(parts[::2], parts[1::2], strict=True)
    }
    return made | {WORDS: _glossary(), KEYS: _keys(), LIMITS: _limits()}


def _glossary() -> str:
    lines = [f"**{word}**: {means}\n" for word, means in words().items()]
    return "\n".join([f"# {WORDS}", "", *lines])


def _keys() -> str:
    from pigtail.desktop.actions import TABLE

    rows = [f"| {e.keys} | {e.menu}: {e.plain} |" for e in TABLE if e.keys]
    own = (
        tr("| Up, Down | in a part's field: along the preferred series |"),
        tr("| Ctrl+C, Ctrl+V | in a table: copy its rows, paste a column |"),
    )
    return "\n".join([f"# {KEYS}", "", tr("| keys | what they do |"), "| --- | --- |", *rows, *own])


def _limits() -> str:
    """Every judgement: its limits, and the relation with its source."""
    from pigtail.studies.judging import judgements
    from pigtail.studies.register import REGISTER

    lines = [f"# {LIMITS}", ""]
    for entry in REGISTER:
        own = [(code, j) for code, j in judgements().items() if code.startswith(f"{entry.key}.")]
        if not own:
            continue
        lines += [f"## {entry.words}", ""]
        for code, judged in own:
            good = judged.says.get(Severity.GOOD.value, "")
            name = code.partition(".")[2].replace("_", " ")
            limit = " to ".join(format_quantity(float(x), "") for x in judged.ends)
            lines.append(
                tr(
                    "**{name}** (limit {limit}): {without_fields}.\n",
                    name=name,
                    limit=limit,
                    without_fields=_without_fields(judged.why),
                )
                + (f"\n*{_without_fields(good)}*\n" if good else "")
            )
    return "\n".join(lines)


def _without_fields(text: str) -> str:
    return re.sub(r"\{(\w+)\}", r"…", text).replace("*", "\\*").rstrip(".")


class Help(Dialog):
    """The help in a window of its own, which may stay open beside the work."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("help")
        self.setWindowTitle(tr("Help"))
        self.resize(860, 620)
        self.search = QLineEdit()
        self.search.setObjectName("help_search")
        self.search.setAccessibleName(tr("Search the help"))
        self.search.setToolTip(tr("Pages with all these words are listed; Enter goes to the next place"))
        self.search.setPlaceholderText(tr("search"))
        self.list = QListWidget()
        self.list.setObjectName("help_pages")
        self.list.setAccessibleName(tr("Pages of the help"))
        self.list.setToolTip(tr("Pages of the help"))
        self.list.setFixedWidth(180)
        self.text = QTextBrowser()
        self.text.setObjectName("help_text")
        self.text.setAccessibleName(tr("The page"))
        self.text.setToolTip("")
        self.text.setOpenLinks(False)
        self.none = QLabel(tr("No page has all these words."))
        self.none.setObjectName("dim")
        self.none.setWordWrap(True)
        close = QPushButton(tr("Close"))
        close.setToolTip(tr("Back to the work"))
        close.setAutoDefault(False)
        close.clicked.connect(self.reject)
        for title in pages():
            self.list.addItem(QListWidgetItem(title))
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.list, 1)
        left.addWidget(self.none)
        left.addWidget(close)
        row = QHBoxLayout(self)
        row.addLayout(left)
        row.addWidget(self.text, 1)
        self.search.textChanged.connect(self._narrow)
        self.search.returnPressed.connect(self._next)
        self.list.currentItemChanged.connect(lambda _n, _o: self._show())
        self._narrow("")
        self.list.setCurrentRow(0)

    def open_page(self, title: str) -> None:
        """Show a page by its title."""
        for item in self.list.findItems(title, Qt.MatchFlag.MatchExactly):
            self.list.setCurrentItem(item)

    def _narrow(self, text: str) -> None:
        wanted, first = text.lower().split(), None
        for k, (title, body) in enumerate(pages().items()):
            item = self.list.item(k)
            assert item is not None
            whole = f"{title} {body}".lower()
            item.setHidden(not all(w in whole for w in wanted))
            first = first or (None if item.isHidden() else item)
        self.none.setVisible(first is None)
        now = self.list.currentItem()
        if first is not None and (now is None or now.isHidden()):
            self.list.setCurrentItem(first)
        else:
            self._show()

    def _show(self) -> None:
        item = self.list.currentItem()
        if item is None:
            return
        self.text.setMarkdown(pages()[item.text()])
        self._space()
        self._next()

    def _space(self) -> None:
        """Air round the page and between its paragraphs."""
        document = self.text.document()
        if document is None:
            return
        document.setDocumentMargin(MARGIN)
        block = document.begin()
        while block.isValid():
            cursor = QTextCursor(block)
            if cursor.currentTable() is None:
                form = block.blockFormat()
                form.setBottomMargin(PARAGRAPH)
                form.setLineHeight(LINES, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)  # type: ignore[arg-type]
                cursor.setBlockFormat(form)
            block = block.next()
        self.text.moveCursor(QTextCursor.MoveOperation.Start)

    def _next(self) -> None:
        """Go to the next place of what is searched for, from the top again after the last."""
        wanted = self.search.text().strip()
        if wanted and not self.text.find(wanted):
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
            if not self.text.find(wanted):
                self.text.find(wanted.split()[0], QTextDocument.FindFlag(0))


def show_help(window: QWidget, station: str, opened: Callable[[Help], None] = lambda _h: None) -> None:
    """Open the help beside the work, at the page of the station on view."""
    from pigtail.studies.register import REGISTER

    found = window.findChild(Help)
    help_window = found if found is not None else Help(window)
    title = next((e.words for e in REGISTER if e.key == station), "")
    if title:
        help_window.open_page(title)
    help_window.show()
    help_window.raise_()
    help_window.search.setFocus()
    opened(help_window)
