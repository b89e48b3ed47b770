"""What the parts of the window that do one errand need of it: the open job, a lane, a place to speak."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

    from pigtail.desktop.benching import Benching
    from pigtail.desktop.session import Session
    from pigtail.desktop.work import Lane


class Desk(Protocol):
    """The window as an errand sees it."""

    session: Session
    side: Lane
    bench: Benching
    window: QWidget

    def tell(self, sentence: str) -> None:
        """Say one sentence in the message line."""
