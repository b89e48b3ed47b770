"""Colours, type and style of the window, light and dark. Nothing here knows what is shown."""

from __future__ import annotations

import os
from functools import cache

from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication, QWidget

FAMILY = "B612"
FONTS = os.path.join(os.path.dirname(os.path.dirname(__file__)), "sheet", "data", "fonts")
BODY_PX, NOTE_PX, SMALL_PX, LARGE_PX = 13, 12, 11, 17


class Theme:
    """Colours by their use. A plain class: what the first paint needs imports as little as can be."""

    ground: str
    panel: str
    field: str
    ink: str
    dim: str
    line: str
    accent: str
    on_accent: str
    picked: str
    copper: str
    ivory: str
    stop: str
    fix: str
    watch: str
    unknown: str
    good: str

    def __init__(self, name: str, **colours: str) -> None:
        self.name = name
        for use in self.__annotations__:
            setattr(self, use, colours[use])

    def severity(self, word: str) -> QColor:
        """Colour of a severity by its word; dim while there is none yet."""
        return QColor.fromString(getattr(self, word, self.dim))

    def color(self, use: str) -> QColor:
        """Colour of a use such as "ink"."""
        return QColor.fromString(getattr(self, use))


LIGHT = Theme(
    name="light", ground="#e9e4d8", panel="#f7f4ec", field="#fffdf8", ink="#23211d", dim="#665f54",
    line="#c9c0af", accent="#1d5a60", on_accent="#ffffff", picked="#d9e4df", copper="#a8591f", ivory="#8d8676",
    stop="#9c1f2e", fix="#b0440c", watch="#7d6200", unknown="#5646a0", good="#256b49",
)  # fmt: skip
DARK = Theme(
    name="dark", ground="#17191a", panel="#212526", field="#2b3031", ink="#eee8dc", dim="#aaa294",
    line="#434a4b", accent="#6fc0bf", on_accent="#10201f", picked="#2c4243", copper="#e39355", ivory="#d8d0be",
    stop="#ff7d7d", fix="#ff9f5e", watch="#e2c350", unknown="#b9adff", good="#72cf9f",
)  # fmt: skip
_current = LIGHT


def current() -> Theme:
    """The theme in use."""
    return _current


@cache
def font(px: int = BODY_PX, *, bold: bool = False) -> QFont:
    """The program's font at a size in pixels."""
    made = QFont(FAMILY)
    made.setPixelSize(px)
    made.setBold(bold)
    return made


def load_fonts() -> None:
    """Make the bundled fonts known to Qt; done once at the start."""
    for file in ("B612-Regular.ttf", "B612-Bold.ttf"):
        QFontDatabase.addApplicationFont(os.path.join(FONTS, file))


#: Steps of the size of everything [%].
SIZES = (80, 90, 100, 110, 125, 150, 175, 200)


def named(name: str, application: QApplication) -> Theme:
    """The theme of a name: light, dark, or what the system's is (any other)."""
    hints = application.styleHints()
    system_is_dark = hints is not None and hints.colorScheme() is Qt.ColorScheme.Dark
    return DARK if name == "dark" or (name != "light" and system_is_dark) else LIGHT


def text_size(settings: QSettings) -> int:
    """How large everything is shown [%]; what cannot be is 100."""
    size = str(settings.value("text_size", "100"))
    return next((s for s in SIZES if str(s) == size), 100)


def apply(application: QApplication, theme: Theme) -> None:
    """Dress the application in a theme."""
    global _current  # noqa: PLW0603  the one place that holds the theme in use
    _current = theme
    application.setFont(font())
    application.setPalette(_palette(theme))
    application.setStyleSheet(_style(theme))


#: What the words of a label may be worn in, whatever the theme.
WORN = ("good", "watch", "fix", "stop", "unknown", "accent", "dim")


def wear(label: QWidget, use: str, *, bold: bool = False) -> None:
    """Put a label's words in the colour of a use, or in that of all others (empty); it follows the theme."""
    label.setProperty("worn", use)
    label.setProperty("bold", bold)
    if (style := label.style()) is not None:
        style.unpolish(label)
        style.polish(label)


def _palette(theme: Theme) -> QPalette:
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, use in (
        (roles.Window, "ground"), (roles.WindowText, "ink"), (roles.Base, "field"), (roles.Text, "ink"),
        (roles.AlternateBase, "panel"), (roles.Button, "panel"), (roles.ButtonText, "ink"),
        (roles.Highlight, "accent"), (roles.HighlightedText, "on_accent"), (roles.ToolTipBase, "panel"),
        (roles.ToolTipText, "ink"), (roles.PlaceholderText, "dim"), (roles.Link, "accent"),
    ):  # fmt: skip
        palette.setColor(role, theme.color(use))
    for role in (roles.WindowText, roles.Text, roles.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, theme.color("dim"))
    return palette


def _style(t: Theme) -> str:
    worn = "\n".join(f'    QLabel[worn="{use}"] {{ color: {getattr(t, use)}; }}' for use in WORN)
    return f"""
{worn}
    QDialogButtonBox, QMessageBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
    QLabel[bold="true"] {{ font-weight: bold; }}
    QMainWindow, QDialog {{ background: {t.ground}; }}
    QFrame#panel {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: 6px; }}
    QLabel#dim {{ color: {t.dim}; }}
    QLabel#wrong {{ color: {t.fix}; }}
    QPushButton, QToolButton {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.line};
        border-radius: 5px; padding: 4px 10px; }}
    QToolButton {{ padding-right: 24px; }}
    QToolButton:focus {{ padding-right: 23px; }}
    QToolButton::menu-indicator {{ subcontrol-origin: padding; subcontrol-position: right center; right: 8px; }}
    QToolButton#relation {{ background: transparent; border-color: transparent; color: {t.dim}; padding: 2px 0; }}
    QToolButton#settled {{ font-size: 10px; padding: 0 2px; color: {t.dim}; background: transparent;
        border-color: transparent; }}
    QToolButton#settled::menu-indicator {{ image: none; width: 0; }}
    QPushButton:hover, QToolButton:hover {{ border-color: {t.accent}; }}
    QPushButton:focus, QToolButton:focus {{ border: 2px solid {t.accent}; padding: 3px 9px; }}
    QPushButton:checked {{ background: {t.picked}; border-color: {t.accent}; font-weight: bold; }}
    QPushButton:disabled {{ color: {t.dim}; background: {t.panel}; }}
    QPushButton#main {{ background: {t.accent}; color: {t.on_accent}; border-color: {t.accent}; font-weight: bold; }}
    QPushButton#main:disabled {{ background: {t.line}; color: {t.dim}; border-color: {t.line}; }}
    QPushButton#main:focus {{ border: 2px solid {t.ink}; }}
    QLineEdit, QComboBox, QPlainTextEdit {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.line};
        border-radius: 4px; padding: 3px 6px; selection-background-color: {t.accent};
        selection-color: {t.on_accent}; }}
    QLineEdit:focus, QComboBox:focus, QPlainTextEdit:focus {{ border: 2px solid {t.accent}; padding: 2px 5px; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {t.fix}; padding: 2px 5px; }}
    QComboBox QAbstractItemView {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.line};
        selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
    QTableView {{ background: {t.field}; alternate-background-color: {t.panel}; gridline-color: {t.line};
        border: 1px solid {t.line}; border-radius: 4px; color: {t.ink}; }}
    QTableView::item:selected {{ background: {t.picked}; color: {t.ink}; }}
    QTableView:focus {{ border: 2px solid {t.accent}; }}
    QHeaderView::section {{ background: {t.panel}; color: {t.dim}; border: none; border-bottom: 1px solid {t.line};
        padding: 3px 6px; }}
    QMenuBar {{ background: {t.ground}; color: {t.ink}; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
    QMenu {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.line}; }}
    QMenu::item:disabled {{ color: {t.dim}; }}
    QListWidget {{ background: transparent; color: {t.ink}; border: none; outline: none; }}
    QListWidget::item {{ padding: 4px 2px; border-radius: 4px; }}
    QListWidget::item:selected {{ background: {t.picked}; color: {t.ink}; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QComboBox::down-arrow {{ image: none; width: 0; height: 0; border-left: 4px solid {t.field};
        border-right: 4px solid {t.field}; border-top: 6px solid {t.dim}; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {t.line}; border-radius: 4px; min-height: 24px; min-width: 24px; margin: 1px; }}
    QScrollBar::handle:hover {{ background: {t.dim}; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QWidget#clear {{ background: transparent; }}
    QScrollArea {{ border: none; background: transparent; }}
    QToolTip {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.line}; padding: 3px; }}
    """
