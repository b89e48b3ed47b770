"""The jobs that were open last, as a menu."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QMenu

MOST = 8


class Recent:
    """Remembers paths in the settings and offers them in a menu; `opened` is called with the one chosen."""

    def __init__(self, settings: QSettings, opened: Callable[[Path], None]) -> None:
        self.settings, self.opened = settings, opened
        self.menu: QMenu | None = None

    def fill(self, menu: QMenu | None) -> None:
        """Offer the paths in a menu from now on."""
        self.menu = menu
        self._show()

    def remember(self, path: Path) -> None:
        """Put a path first."""
        kept = [p for p in self.paths() if p != str(path.resolve())]
        self.settings.setValue("recent", [str(path.resolve()), *kept][:MOST])
        self._show()

    def paths(self) -> list[str]:
        """The paths, the last one first."""
        found = self.settings.value("recent", [])
        return [found] if isinstance(found, str) else list(found or [])

    def _show(self) -> None:
        if self.menu is None:
            return
        self.menu.clear()
        paths = self.paths()
        self.menu.setEnabled(bool(paths))
        for path in paths:
            action = self.menu.addAction(path)
            assert action is not None
            action.triggered.connect(lambda _c, path=path: self.opened(Path(path)))
