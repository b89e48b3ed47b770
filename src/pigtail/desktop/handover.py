"""Two windows of one program on one file are one document: the second asks the first to show itself."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

if TYPE_CHECKING:
    from PyQt6.QtNetwork import QLocalServer

    from pigtail.job.held import OpenFile

MOST_MESSAGE = 64


class Handover(QObject):
    """Listens where the lock of the open file says; `asked` when another program wants this window to be shown."""

    asked = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._server: QLocalServer | None = None
        self._of: OpenFile | None = None

    def listen_for(self, held: OpenFile | None) -> None:
        """Listen for a file that is held open, for none any more where it is None. Where it cannot, the other is told of the lock alone."""
        if held is self._of:
            return
        self.close()
        self._of = held
        if held is None or not held.mine:
            return
        from PyQt6.QtNetwork import QLocalServer

        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        QLocalServer.removeServer(str(held.socket))
        if self._server.listen(str(held.socket)):
            self._server.newConnection.connect(self._called)
        else:
            self.close()
            self._of = held

    def _called(self) -> None:
        line = self._server.nextPendingConnection() if self._server is not None else None
        if line is None:
            return

        def answer() -> None:
            if bytes(line.read(MOST_MESSAGE)).startswith(b"show"):
                line.write(b"shown\n")
                line.flush()
                self.asked.emit()
            line.disconnectFromServer()

        line.readyRead.connect(answer)
        line.disconnected.connect(line.deleteLater)

    def close(self) -> None:
        """Listen no longer."""
        if self._server is not None:
            self._server.close()
            self._server.deleteLater()
            self._server = None
        self._of = None
