"""What the parts of the window that do one errand need of it: the open job, a lane, a place to speak."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from PyQt6.QtCore import QSettings

    from pigtail.desktop.benching import Benching
    from pigtail.desktop.session import Session
    from pigtail.desktop.wants import Want
    from pigtail.desktop.why import Why
    from pigtail.desktop.window import MainWindow


class Desk(Protocol):
    """The window as an errand sees it."""

    session: Session
    bench: Benching
    why: Why
    window: MainWindow
    settings: QSettings

    def tell(self, sentence: str) -> None:
        """Say one sentence in the message line."""

    def answer(self, want: Want) -> None:
        """Do what is wanted."""
