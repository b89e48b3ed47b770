"""Meters and clients that mean no good: answers without an end, none at all, or of nonsense; connections that are only held."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Callable, Iterator

import pytest

from pigtail.bench import meters, server
from pigtail.bench.address import Address, MeterError
from pigtail.bench.meters import ScpiMeter, shown_identity
from pigtail.bench.server import MOST_CLIENTS, Server
from pigtail.bench.truth import StandIn
from pigtail.job.ask import Ask
from pigtail.job.document import Function

ASK = Ask("host.rail_low", "host.input_return", "on", Function.DC_VOLTS)


@pytest.fixture
def hostile() -> Iterator[Callable[[Callable[[socket.socket, bytes], None]], Address]]:
    """Makes a meter that answers each command as it is told to."""
    ends: list[socket.socket] = []

    def make(answer: Callable[[socket.socket, bytes], None]) -> Address:
        listener = socket.create_server(("127.0.0.1", 0))
        ends.append(listener)

        def serve() -> None:
            try:
                connection, _ = listener.accept()
                ends.append(connection)
                while command := connection.recv(4096):
                    answer(connection, command)
            except OSError:
                return

        threading.Thread(target=serve, daemon=True).start()
        return Address(host="127.0.0.1", port=listener.getsockname()[1])

    yield make
    for end in ends:
        end.close()


def says(identity: bytes, reading: Callable[[socket.socket], None]) -> Callable[[socket.socket, bytes], None]:
    """An answer to the identity, and what a reading gets."""

    def answer(connection: socket.socket, command: bytes) -> None:
        if b"*IDN" in command:
            connection.sendall(identity)
        else:
            reading(connection)

    return answer


def flood(connection: socket.socket) -> None:
    """Bytes without an end, and never a new line."""
    try:
        for _ in range(3000):
            connection.sendall(b"1" * 65536)
    except OSError:
        return


READINGS: dict[str, tuple[Callable[[socket.socket], None], str]] = {
    "no new line ever": (flood, "longer than 4,096 bytes"),
    "an empty line": (lambda c: c.sendall(b"\n"), "empty"),
    "no number": (lambda c: c.sendall(b"volts\n"), "volts"),
    "not a number": (lambda c: c.sendall(b"nan\n"), "no number"),
    "bytes of no text": (lambda c: c.sendall(b"\xff\xfe\x00\n"), "does not answer"),
    "it hangs up": (lambda c: c.close(), "does not answer"),
}


@pytest.mark.parametrize("name", READINGS)
def test_an_answer_that_is_none_is_told_in_one_sentence(
    name: str,
    hostile: Callable[[Callable[[socket.socket, bytes], None]], Address],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """In a few seconds and little memory."""
    monkeypatch.setattr(meters, "TIMEOUT_MS", 600)
    monkeypatch.setattr(meters, "ANSWER_S", 1.5)
    reading, words = READINGS[name]
    meter = ScpiMeter(hostile(says(b"SOME,METER,1,2\n", reading)))
    began = time.monotonic()
    with pytest.raises(MeterError, match=words) as trouble:
        meter.read(ASK)
    assert str(trouble.value)
    assert time.monotonic() - began < 5.0
    meter.close()


def test_an_answer_that_drips_is_given_up(
    hostile: Callable[[Callable[[socket.socket, bytes], None]], Address], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A byte now and then keeps every single wait short; the whole is bounded all the same."""
    monkeypatch.setattr(meters, "TIMEOUT_MS", 1000)
    monkeypatch.setattr(meters, "ANSWER_S", 1.0)

    def drip(connection: socket.socket) -> None:
        for _ in range(100):
            connection.sendall(b"1")
            time.sleep(0.1)

    meter = ScpiMeter(hostile(says(b"SOME,METER,1,2\n", drip)))
    began = time.monotonic()
    with pytest.raises(MeterError):
        meter.read(ASK)
    assert time.monotonic() - began < 4.0
    meter.close()


def test_a_reading_that_never_rests_ends_and_can_be_left(
    hostile: Callable[[Callable[[socket.socket, bytes], None]], Address],
) -> None:
    """Each answer another number: told after a few; once it is left, after the next."""
    count = iter(range(10_000))

    def other(connection: socket.socket) -> None:
        time.sleep(0.05)
        connection.sendall(f"{next(count)}\n".encode())

    meter = ScpiMeter(hostile(says(b"SOME,METER,1,2\n", other)))
    with pytest.raises(MeterError, match="does not settle"):
        meter.read_stable(ASK)
    before = next(count)
    threading.Timer(0.12, meter.stop).start()
    with pytest.raises(MeterError):
        meter.read_stable(ASK)
    assert next(count) - before < 8
    meter.close()


@pytest.mark.parametrize("identity", [b"<b>X</b>,\x1b[31m,\n", b"x" * 4000 + b"\n", "µ🎛,y\n".encode()])
def test_an_identity_is_shown_as_plain_text_of_a_line(
    identity: bytes, hostile: Callable[[Callable[[socket.socket, bytes], None]], Address]
) -> None:
    """Whatever it says: no control characters, and not many."""
    meter = ScpiMeter(hostile(says(identity, flood)))
    assert meter.identity.isprintable()
    assert len(meter.identity) <= 61
    meter.close()
    assert shown_identity("A,B\x00") == "A,B?"


def test_silent_connections_shut_nobody_out(
    serve: Callable[[StandIn], Server], brindle: StandIn, monkeypatch: pytest.MonkeyPatch
) -> None:
    """All places held and nothing said: the one that was silent longest makes room."""
    monkeypatch.setattr(server, "SILENT_S", 0.3)
    served = serve(brindle)
    held = [socket.create_connection(("127.0.0.1", served.port)) for _ in range(MOST_CLIENTS)]
    time.sleep(0.6)
    with socket.create_connection(("127.0.0.1", served.port), timeout=5) as mine:
        mine.sendall(b"*IDN?\n")
        assert mine.recv(200).startswith(b"PIGTAIL")
    for connection in held:
        connection.close()


def test_one_that_asks_a_thousand_things_leaves_the_others_their_turn(
    serve: Callable[[StandIn], Server], brindle: StandIn
) -> None:
    """Lines are answered in turn, one of each."""
    served = serve(brindle)
    with (
        socket.create_connection(("127.0.0.1", served.port)) as greedy,
        socket.create_connection(("127.0.0.1", served.port)) as other,
    ):
        greedy.sendall(b"MEAS:VOLT:DC?\n" * 1000)
        time.sleep(0.1)
        began = time.monotonic()
        other.settimeout(20)
        other.sendall(b"*IDN?\n")
        assert other.recv(200).startswith(b"PIGTAIL")
        assert time.monotonic() - began < 1.5
