"""How the window looks, and what it says of itself: light or dark, its keys, what it is."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QApplication

from pigtail import __version__
from pigtail.desktop import ask, theme

if TYPE_CHECKING:
    from collections.abc import Iterable

    from PyQt6.QtCore import QSettings

    from pigtail.desktop.desk import Desk


def set_theme(settings: QSettings, name: str) -> None:
    """Dress the application light or dark, and remember it."""
    application = QApplication.instance()
    assert isinstance(application, QApplication)
    theme.apply(application, theme.DARK if name == "dark" else theme.LIGHT)
    settings.setValue("theme", name)


def show_keys(desk: Desk, keys: Iterable[tuple[str, str]]) -> None:
    """Show keys with what they do."""
    lines = [f"{key:<14} {words}" for key, words in keys]
    lines.append("Up, Down       in a part's field: along the preferred series")
    ask.tell(desk.window, "Keys", "<pre>" + "\n".join(lines) + "</pre>")


def show_about(desk: Desk) -> None:
    """Say what the program is."""
    ask.about(desk.window, __version__)
