"""The stand-in on the loopback address: many clients, one host, lines of SCPI. Nothing a client sends brings it down."""

from __future__ import annotations

import contextlib
import selectors
import socket
import time
from collections.abc import Callable

from pigtail.bench.host import StandInHost
from pigtail.bench.scpi import Instrument

LOOPBACK = "127.0.0.1"
MOST_CLIENTS = 32
MOST_LINE = 4096
MOST_UNSENT = 1 << 20
CHUNK = 4096
#: Lines of one client that are answered before the others have their turn.
LINES_A_TURN = 1
#: Who has been silent for so long makes room for another where all places are taken [s].
SILENT_S = 10.0


class _Client:
    """One connection: its instrument, what it sent that is no whole line yet, what it has not taken yet."""

    def __init__(self, connection: socket.socket, host: StandInHost) -> None:
        self.socket, self.instrument = connection, Instrument(host)
        self.received, self.unsent = b"", b""
        self.skipping = self.ended = False
        self.heard = time.monotonic()

    def take(self, data: bytes) -> None:
        """Add what was received; a line that is longer than a line may be is thrown away up to its end."""
        self.received += data
        while len(self.received) > MOST_LINE and b"\n" not in self.received[: MOST_LINE + 1]:
            if not self.skipping:
                self.instrument.fail(-363)
                self.skipping = True
            at = self.received.find(b"\n")
            if at < 0:
                self.received = b""
                return
            self.received, self.skipping = self.received[at + 1 :], False

    def lines(self) -> list[bytes]:
        """Whole lines that were received, a few at a time."""
        found: list[bytes] = []
        while len(found) < LINES_A_TURN and b"\n" in self.received:
            line, _, self.received = self.received.partition(b"\n")
            if self.skipping:
                self.skipping = False
                continue
            found.append(line)
        return found


class Server:
    """Serves one stand-in on the loopback address; port 0 lets the system choose."""

    def __init__(self, host: StandInHost, port: int = 0) -> None:
        self.host = host
        self._listener = socket.create_server((LOOPBACK, port), backlog=MOST_CLIENTS)
        self._listener.setblocking(False)
        self._selector = selectors.DefaultSelector()
        self._selector.register(self._listener, selectors.EVENT_READ, None)
        self._clients: set[_Client] = set()
        self._wake_in, self._wake_out = socket.socketpair()
        self._wake_in.setblocking(False)
        self._selector.register(self._wake_in, selectors.EVENT_READ, None)
        self._going = True
        self.port: int = self._listener.getsockname()[1]

    def run(self, until: Callable[[], bool] = lambda: False) -> None:
        """Serve until `stop` is called or `until` says so."""
        while self._going and not until():
            waiting = any(b"\n" in c.received for c in self._clients)
            for key, events in self._selector.select(0.0 if waiting else 0.5):
                if key.fileobj is self._listener:
                    self._accept()
                elif key.data is not None:
                    self._exchange(key.data, events)
            for client in list(self._clients):
                self._answer(client)
        self._close()

    def stop(self) -> None:
        """End `run`, from any thread."""
        self._going = False
        self._wake_out.send(b"x")

    def _accept(self) -> None:
        try:
            connection, _ = self._listener.accept()
        except OSError:
            return
        if len(self._clients) >= MOST_CLIENTS:
            silent = min(self._clients, key=lambda c: c.heard)
            if time.monotonic() - silent.heard < SILENT_S:
                connection.close()
                return
            self._drop(silent)
        connection.setblocking(False)
        client = _Client(connection, self.host)
        self._clients.add(client)
        self._selector.register(connection, selectors.EVENT_READ, client)

    def _exchange(self, client: _Client, events: int) -> None:
        try:
            if events & selectors.EVENT_READ:
                data = client.socket.recv(CHUNK)
                if data:
                    client.heard = time.monotonic()
                    client.take(data)
                else:
                    client.ended = True
            if events & selectors.EVENT_WRITE and client.unsent:
                client.unsent = client.unsent[client.socket.send(client.unsent) :]
        except BlockingIOError:
            return
        except OSError:
            self._drop(client)

    def _answer(self, client: _Client) -> None:
        for line in client.lines():
            answer = client.instrument.handle(line.decode("latin-1").strip("\r"))
            if answer:
                client.unsent += answer.encode("ascii", "replace") + b"\n"
        if client.unsent:
            try:
                client.unsent = client.unsent[client.socket.send(client.unsent) :]
            except BlockingIOError:
                pass
            except OSError:
                self._drop(client)
                return
        if len(client.unsent) > MOST_UNSENT or (
            client.ended and not client.unsent and b"\n" not in client.received
        ):
            self._drop(client)
            return
        wanted = selectors.EVENT_WRITE if client.unsent else 0
        wanted |= 0 if client.ended or len(client.received) > MOST_LINE else selectors.EVENT_READ
        if client in self._clients:
            self._watch(client, wanted)

    def _watch(self, client: _Client, events: int) -> None:
        try:
            if events:
                self._selector.modify(client.socket, events, client)
            else:
                self._selector.unregister(client.socket)
        except KeyError:
            if events:
                self._selector.register(client.socket, events, client)

    def _drop(self, client: _Client) -> None:
        self._clients.discard(client)
        with contextlib.suppress(KeyError):
            self._selector.unregister(client.socket)
        client.socket.close()

    def _close(self) -> None:
        for client in list(self._clients):
            self._drop(client)
        self._selector.close()
        for end in (self._listener, self._wake_in, self._wake_out):
            end.close()
