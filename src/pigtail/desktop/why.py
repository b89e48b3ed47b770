"""Why: the findings of the station on view, and for the picked one its relation, its ingredients and remedies."""

from __future__ import annotations

import textwrap
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QResizeEvent
from PyQt6.QtWidgets import (
    QFrame,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from pigtail.desktop import glyphs, theme
from pigtail.language import tr
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.studies.findings import Finding, Remedy, Study

WIDTH = 292
SHOWN_INGREDIENTS = 6
LIST_PART = 0.42

#: Letters of a remedy that its button has room for in one line.
WRAP = 34


class Why(QFrame):
    """The panel at the right. Tells the remedy that was asked for."""

    remedy_chosen = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setFixedWidth(WIDTH)
        self._findings: tuple[Finding, ...] = ()
        self._picked: tuple[str, str] | None = None
        self._figures: Callable[[Finding], tuple[str, ...]] = lambda _f: ()
        self._unfolded = False
        self.heading = QLabel(tr("Why"))
        self.heading.setFont(theme.font(14, bold=True))
        self.list = QListWidget()
        self.list.setObjectName("findings")
        self.list.setAccessibleName(tr("Findings of this station, the worst first"))
        self.list.setWordWrap(True)
        self.list.setFrameShape(QFrame.Shape.NoFrame)
        self.list.setIconSize(QSize(15, 15))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._row_picked)
        self.detail = QWidget()
        self._detail_layout = QVBoxLayout(self.detail)
        self._detail_layout.setContentsMargins(0, 4, 4, 4)
        self._detail_layout.setSpacing(6)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.detail)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.detail.setObjectName("clear")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 6, 6)
        layout.addWidget(self.heading)
        layout.addWidget(self.list)
        layout.addWidget(scroll, 1)

    def show_study(
        self, words: str, study: Study, figures: Callable[[Finding], tuple[str, ...]] = lambda _f: ()
    ) -> None:
        """Show the findings of a study; the one picked before stays picked if it is still there. `figures` tells how the number of a
        finding comes about in the job in hand."""
        self._figures = figures
        self.heading.setText(f"{words}: {tr(study.verdict.value)}")
        self._findings = study.findings
        before = self._picked
        self.list.blockSignals(True)
        self.list.clear()
        for finding in study.findings:
            item = QListWidgetItem(QIcon(glyphs.pixmap(finding.severity.value, 15)), finding.sentence)
            item.setData(
                Qt.ItemDataRole.AccessibleTextRole, f"{tr(finding.severity.value)}: {finding.sentence}"
            )
            self.list.addItem(item)
        self._fit_list()
        keys = [f.key for f in study.findings]
        row = keys.index(before) if before in keys else 0
        self.list.blockSignals(False)
        if keys:
            self.list.setCurrentRow(row)
            self._row_picked(row)

    @property
    def picked_finding(self) -> Finding | None:
        """The finding that is picked, None where there is none."""
        return next((f for f in self._findings if f.key == self._picked), None)

    def _fit_list(self) -> None:
        """As high as its findings need, up to a part of the panel."""
        room = self.list.viewport()
        width = (room.width() if room else WIDTH) - 40
        metrics = self.list.fontMetrics()
        needed = 0
        for row, finding in enumerate(self._findings):
            item = self.list.item(row)
            flags = int(Qt.TextFlag.TextWordWrap)
            height = metrics.boundingRect(0, 0, width, 1000, flags, finding.sentence).height() + 13
            needed += height
            if item is not None:
                item.setSizeHint(QSize(width, height))
        self.list.setFixedHeight(min(needed + 6, max(int(self.height() * LIST_PART), 90)))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit_list()

    def pick(self, code: str, subject: str = "") -> None:
        """Pick the finding of a code (and subject, if one is named)."""
        for row, finding in enumerate(self._findings):
            if finding.code == code and subject in ("", finding.subject):
                self.list.setCurrentRow(row)
                return

    def _row_picked(self, row: int) -> None:
        if not 0 <= row < len(self._findings):
            return
        finding = self._findings[row]
        self._picked = finding.key
        self._clear()
        if finding.value is not None and finding.limit is not None:
            limit = tr(
                "{finding} against {limit}",
                finding=format_quantity(finding.value, finding.unit),
                limit=format_quantity(finding.limit, finding.unit),
            )
            self._say(limit, bold=True)
        if finding.settle:
            self._say(
                tr(
                    "To settle it: {lower}{settle}",
                    lower=finding.settle[0].lower(),
                    settle=finding.settle[1:],
                )
            )
        for remedy in finding.remedies:
            self._remedy(remedy)
        figures = self._figures(finding)
        for step in figures:
            self._say(step)
        shown = [f"{i.words}: {i.text} · {i.basis}" for i in finding.ingredients[:SHOWN_INGREDIENTS]]
        more = len(finding.ingredients) - SHOWN_INGREDIENTS
        if more > 0:
            shown.append(tr("and {more} that move it less", more=more))
        if shown:
            self._say(tr("It rests on, the widest first:"), bold=True)
            self._say("\n".join(f"– {line}" for line in shown), small=True)
        if finding.why:
            self._relation(finding.why, folded=bool(figures))
        self._detail_layout.addStretch(1)

    def _relation(self, why: str, *, folded: bool) -> None:
        """The general relation and where it comes from; a fold away where the job's own figures were told."""
        if not folded:
            self._say(why)
            return
        fold = QToolButton()
        fold.setObjectName("relation")
        fold.setText(tr("The relation and its source"))
        fold.setToolTip(tr("Show or hide the general formula and its source"))
        fold.setAccessibleName(tr("The relation, and where it comes from"))
        fold.setCheckable(True)
        fold.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        fold.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self._detail_layout.addWidget(fold)
        label = self._say(why, small=True)

        def turn(on: bool) -> None:
            self._unfolded = on
            label.setVisible(on)
            fold.setArrowType(Qt.ArrowType.DownArrow if on else Qt.ArrowType.RightArrow)

        fold.toggled.connect(turn)
        fold.setChecked(self._unfolded)
        turn(self._unfolded)

    def _clear(self) -> None:
        while (item := self._detail_layout.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.setParent(None)
                widget.deleteLater()

    def _say(self, text: str, *, bold: bool = False, small: bool = False) -> QLabel:
        label = QLabel(text)
        label.setWordWrap(True)
        label.setTextFormat(Qt.TextFormat.PlainText)
        label.setFont(theme.font(theme.NOTE_PX if small else theme.BODY_PX, bold=bold))
        if small:
            label.setObjectName("dim")
        self._detail_layout.addWidget(label)
        return label

    def _remedy(self, remedy: Remedy) -> None:
        words = remedy.label[0].upper() + remedy.label[1:]
        button = QPushButton(textwrap.fill(words, WRAP))
        button.setObjectName("remedy")
        button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        button.setAccessibleName(tr("Remedy: {label}. {brings}", label=remedy.label, brings=remedy.brings))
        button.setToolTip(remedy.brings)
        button.clicked.connect(lambda: self.remedy_chosen.emit(remedy))
        self._detail_layout.addWidget(button)
        if remedy.brings:
            self._say(remedy.brings, small=True)
