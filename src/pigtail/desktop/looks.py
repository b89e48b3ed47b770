"""How the window looks, and what it says of itself: light or dark, its keys, what it is."""

from __future__ import annotations

import html
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QApplication

from pigtail import __version__
from pigtail.desktop import ask, theme
from pigtail.language import KEY, LANGUAGES, of_desk, tr

if TYPE_CHECKING:
    from collections.abc import Iterable

    from PyQt6.QtCore import QSettings

    from pigtail.desktop.desk import Desk


def set_theme(settings: QSettings, name: str) -> None:
    """Dress the application light, dark or as the system is, and remember it."""
    application = QApplication.instance()
    assert isinstance(application, QApplication)
    theme.apply(application, theme.named(name, application))
    settings.setValue("theme", name)


def set_text_size(desk: Desk, by: int) -> None:
    """Make everything a step larger or smaller, or as usual (0), from the next start on."""
    at = theme.SIZES.index(theme.text_size(desk.settings))
    size = theme.SIZES[min(max(at + by, 0), len(theme.SIZES) - 1)] if by else 100
    desk.settings.setValue("text_size", size)
    desk.tell(tr("Everything is shown at {size} % from the next start on.", size=size))


def set_language(desk: Desk, code: str) -> None:
    """Speak a language, or that of the system, from the next start on."""
    desk.settings.setValue(KEY, code)
    name = LANGUAGES.get(code) or LANGUAGES[of_desk()]
    desk.tell(tr("Everything is said in {name} from the next start on.", name=name))


def show_keys(desk: Desk, keys: Iterable[tuple[str, str]]) -> None:
    """Show keys with what they do."""
    lines = [f"{key:<14} {words}" for key, words in keys]
    lines.append(tr("Up, Down       in a part's field: along the preferred series"))
    ask.tell(desk.window, tr("Keys"), "<pre>" + html.escape("\n".join(lines)) + "</pre>")


def show_about(desk: Desk) -> None:
    """Say what the program is."""
    ask.about(desk.window, __version__)
