"""Meters under every kind of address, with every ending of a line, and such as lack a command."""

from __future__ import annotations

import gc
import socket
import threading
from collections.abc import Callable, Iterator

import pytest

from pigtail.bench import meters
from pigtail.bench.address import Address, Ending, MeterError, NotOfferedError, parse_address, words_of
from pigtail.bench.meters import ScpiMeter
from pigtail.job.ask import Ask
from pigtail.job.document import Function

Make = Callable[..., Address]


@pytest.fixture
def plain() -> Iterator[Make]:
    """Makes a plain meter that answers some commands, and keeps what it refuses in its error queue."""
    ends: list[socket.socket] = []

    def make(answers: dict[str, str], ending: Ending = Ending.LF, *, tells: bool = True) -> Address:
        listener = socket.create_server(("127.0.0.1", 0))
        ends.append(listener)

        def serve() -> None:
            trouble, received, end = "", b"", ending.characters.encode()
            try:
                connection, _ = listener.accept()
                ends.append(connection)
                while chunk := connection.recv(4096):
                    received += chunk
                    while end in received:
                        line, _, received = received.partition(end)
                        command = line.decode()
                        if command == "SYST:ERR?" and tells:
                            connection.sendall((trouble or '+0,"No error"').encode() + end)
                            trouble = ""
                        elif command in answers:
                            connection.sendall(answers[command].encode() + end)
                        else:
                            trouble = '-113,"Undefined header"'
            except OSError:
                return

        threading.Thread(target=serve, daemon=True).start()
        port = listener.getsockname()[1]
        return parse_address(f"TCPIP::127.0.0.1::{port}::SOCKET", ending)

    yield make
    for end in ends:
        end.close()


def ask(function: Function) -> Ask:
    """A question to a meter."""
    return Ask("host.rail_low", "host.input_return", "on", function)


NAME = {"*IDN?": "SOME,METER,1,2"}


@pytest.mark.parametrize("ending", list(Ending))
def test_a_line_ends_as_the_meter_has_it(ending: Ending, plain: Make) -> None:
    """Line feed, carriage return, or both; the meter listens and talks alike."""
    meter = ScpiMeter(plain(NAME | {"MEAS:VOLT:DC?": "+4.98E+00"}, ending))
    assert meter.identity == "SOME,METER,1,2"
    assert meter.read_stable(ask(Function.DC_VOLTS)) == pytest.approx(4.98)
    meter.close()


def test_another_ending_is_told_as_what_it_may_be(plain: Make, monkeypatch: pytest.MonkeyPatch) -> None:
    """A meter that waits for another ending is silent: the sentence names the ending among what to look at."""
    monkeypatch.setattr(meters, "TIMEOUT_MS", 300)
    there = plain(NAME, Ending.CR)
    with pytest.raises(MeterError, match=r"no answer within 0\.3 s.*how its lines end"):
        ScpiMeter(parse_address(there.visa, Ending.LF))


def test_a_meter_that_lacks_a_command_says_so_and_stays(plain: Make, monkeypatch: pytest.MonkeyPatch) -> None:
    """Told once after the wait, then at once; what it has is read on; a resistance does for a continuity."""
    monkeypatch.setattr(meters, "TIMEOUT_MS", 300)
    meter = ScpiMeter(plain(NAME | {"MEAS:VOLT:DC?": "5.0", "MEAS:RES?": "0.4"}))
    for _ in range(2):
        with pytest.raises(NotOfferedError, match="takes no command for temperature"):
            meter.read(ask(Function.TEMPERATURE))
    assert meter.read(ask(Function.DC_VOLTS)) == 5.0
    assert meter.read(ask(Function.CONTINUITY)) == 0.4
    meter.close()


def test_a_silent_meter_is_not_one_that_lacks_a_command(plain: Make, monkeypatch: pytest.MonkeyPatch) -> None:
    """Without a word from its error queue it is the line that is doubted."""
    monkeypatch.setattr(meters, "TIMEOUT_MS", 300)
    meter = ScpiMeter(plain(NAME, tells=False))
    with pytest.raises(MeterError, match=r"no answer within 0\.3 s") as trouble:
        meter.read(ask(Function.DIODE))
    assert not isinstance(trouble.value, NotOfferedError)
    meter.close()


@pytest.mark.parametrize(
    ("text", "resource"),
    [
        ("TCPIP::bench.local::INSTR", "TCPIP0::bench.local::inst0::INSTR"),
        ("TCPIP0::127.0.0.1::hislip0::INSTR", "TCPIP0::127.0.0.1::hislip0::INSTR"),
        ("tcpip::127.0.0.1::5025::socket", "TCPIP0::127.0.0.1::5025::SOCKET"),
        ("USB::0x1234::0x5678::A22::INSTR", "USB0::0x1234::0x5678::A22::0::INSTR"),
        ("GPIB::9::INSTR", "GPIB0::9::INSTR"),
        ("ASRL/dev/ttyUSB0::INSTR", "ASRL/dev/ttyUSB0::INSTR"),
    ],
)
def test_visa_addresses_of_every_kind_pass(text: str, resource: str) -> None:
    """In the names of the VISA library specification (VPP-4.3), from memory; whole and in upper case."""
    found = parse_address(text)
    assert found.resource == resource
    assert found.in_lines == (resource.startswith("ASRL") or resource.endswith("SOCKET"))


@pytest.mark.parametrize("text", ["USB::what", "::", "TCPIP::", "LAN::host::INSTR", "GPIB::INSTR"])
def test_what_is_no_visa_address_is_refused_with_examples(text: str) -> None:
    """One sentence that shows how each kind is written."""
    with pytest.raises(MeterError, match="GPIB::9::INSTR"):
        parse_address(text)


@pytest.mark.parametrize(
    ("address", "words"),
    [
        ("USB::0x1234::0x5678::A22::INSTR", "pip install pyusb|nothing is there"),
        ("GPIB::9::INSTR", "pip install gpib-ctypes|nothing is there"),
        ("ASRL/dev/nothing-there::INSTR", "is it plugged in"),
        ("TCPIP::127.0.0.1::1::SOCKET", "nothing is there|takes no connection|no answer"),
        ("TCPIP::127.0.0.1::INSTR", "takes no connection|nothing is there|no answer"),
    ],
)
@pytest.mark.filterwarnings("ignore::ResourceWarning", "ignore::pytest.PytestUnraisableExceptionWarning")
def test_what_does_not_open_is_told_in_words(address: str, words: str) -> None:
    """No code of the library, no trace: what is missing and the mend."""
    with pytest.raises(MeterError, match=words) as trouble:
        ScpiMeter(parse_address(address))
    told = str(trouble.value)
    del trouble
    gc.collect()  # the library leaves the socket that was refused to the collector
    assert "VI_ERROR" not in told
    assert "Errno" not in told


def test_the_codes_of_the_library_are_known_to_it() -> None:
    """Each code with words is one that the library gives."""
    from pyvisa.constants import StatusCode
    from pyvisa.errors import VisaIOError

    from pigtail.bench.address import VISA_WORDS

    for name in VISA_WORDS:
        assert words_of(VisaIOError(StatusCode[name]), 3.0) == VISA_WORDS[name].format(wait="3 s")
    assert "dialout" in words_of(PermissionError(13, "Permission denied"), 3.0)
