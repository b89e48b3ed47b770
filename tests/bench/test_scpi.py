"""The stand-in's instrument: headers, functions, probes, errors."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import threading
import time
import tty
from collections.abc import Callable

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pigtail.bench.address import Address, MeterError, parse_address
from pigtail.bench.host import OVERLOAD, StandInHost
from pigtail.bench.meters import ScpiMeter
from pigtail.bench.scpi import TABLE, Instrument, matches
from pigtail.bench.server import MOST_CLIENTS, Server
from pigtail.bench.truth import StandIn, decode, load, shipped
from pigtail.job.ask import Ask
from pigtail.job.document import Function
from pigtail.job.errors import JobError

Serve = Callable[[StandIn], Server]
SHARED = Instrument(StandInHost(load(shipped()["brindle"])))


@pytest.fixture
def instrument(brindle: StandIn) -> Instrument:
    """A fresh instrument on the receiver-amplifier."""
    return Instrument(StandInHost(brindle))


def channel(instrument: Instrument, point: str) -> int:
    """The channel of a point."""
    return next(n for n, a in instrument.host.channels.items() if a == f"host.{point}")


def put(instrument: Instrument, red: str, black: str, state: str = "aux") -> None:
    """Probes on two points, the host in a state."""
    instrument.handle(
        f'ROUT:CLOS (@{channel(instrument, red)},{channel(instrument, black)});:HOST:STAT "{state}"'
    )
    instrument.handle("READ?;READ?")


@pytest.mark.parametrize(
    ("pattern", "header", "same"),
    [
        ("MEASure:VOLTage:DC?", "MEAS:VOLT:DC?", True), ("MEASure:VOLTage:DC?", "measure:voltage:dc?", True), ("MEASure:VOLTage:DC?", "MEASU:VOLT:DC?", False),
        ("SYSTem:ERRor?", "SYST:ERR", False), ("*IDN?", "*idn?", True), ("ROUTe:CLOSe", "rout:clos", True), ("READ?", "READ", False), ("INITiate", "INIT:IMM", False),
    ],
)  # fmt: skip
def test_headers_match_in_short_and_long_form(pattern: str, header: str, same: bool) -> None:
    """Whatever the case, and in no form between."""
    assert matches(pattern, header) is same


def test_it_tells_who_it_is_and_starts_without_errors(instrument: Instrument) -> None:
    """Identity in four fields; an empty queue."""
    assert instrument.handle("*IDN?").count(",") == 3
    assert instrument.handle("SYST:ERR?") == '+0,"No error"'
    assert instrument.handle("*OPC?;*TST?") == "1;0"


def test_volts_are_read_between_the_probes(instrument: Instrument) -> None:
    """A rail of 12.1 V while on, nothing in standby, the other sign with the probes swapped."""
    put(instrument, "rail_12v", "star")
    assert float(instrument.handle("MEAS:VOLT:DC?")) == pytest.approx(12.1, rel=0.01)
    put(instrument, "star", "rail_12v")
    assert float(instrument.handle("MEAS:VOLT:DC?")) == pytest.approx(-12.1, rel=0.01)
    put(instrument, "rail_12v", "star", "standby")
    assert float(instrument.handle("MEAS:VOLT:DC?")) == pytest.approx(0.0, abs=0.01)


def test_a_meter_needs_a_reading_to_settle(instrument: Instrument) -> None:
    """The first reading after the probes moved is a little short of the later ones."""
    put(instrument, "star", "rail_12v", "off")
    instrument.handle("READ?")
    instrument.handle(
        f'ROUT:CLOS (@{channel(instrument, "rail_12v")},{channel(instrument, "star")});:HOST:STAT "aux"'
    )
    first, second, third = (float(instrument.handle("READ?")) for _ in range(3))
    assert first < 0.99 * second
    assert second == pytest.approx(third, rel=2e-3)


def test_resistance_with_the_power_off(instrument: Instrument) -> None:
    """A ring-out below an ohm, a source impedance, no connection beyond the range."""
    put(instrument, "aux_left", "u7_43", "off")
    instrument.handle("CONF:RES")
    assert float(instrument.handle("READ?;READ?").split(";")[1]) < 1.0
    put(instrument, "rec_left", "input_return", "off")
    assert float(instrument.handle("MEAS:RES?;READ?").split(";")[1]) == pytest.approx(820, rel=0.05)


def test_a_tone_is_played_and_loaded(instrument: Instrument) -> None:
    """Full scale behind 820 Ω: a load of the same size halves it, one channel leaves the other silent."""
    put(instrument, "rec_left", "input_return")
    instrument.handle("HOST:TONE 1000,1,LEFT;:MEAS:VOLT:AC?")
    opened = float(instrument.handle("READ?"))
    instrument.handle("HOST:LOAD 820;:READ?")
    loaded = float(instrument.handle("READ?"))
    assert opened == pytest.approx(0.35, rel=0.03)
    assert loaded / opened == pytest.approx(0.5, abs=0.01)
    instrument.handle("HOST:LOAD 0;:HOST:TONE 1000,1,RIGHT;:READ?")
    assert float(instrument.handle("READ?")) < 5e-3


def test_a_meter_flat_to_a_kilohertz_reads_treble_low(instrument: Instrument) -> None:
    """20 kHz through a handheld is far below what is there."""
    put(instrument, "rec_left", "input_return")
    instrument.handle("HOST:TONE 20000,1;:MEAS:VOLT:AC?")
    assert float(instrument.handle("READ?")) < 0.1


@pytest.mark.parametrize(
    ("command", "error"),
    [
        ("BOGUS", -113), ("MEAS:VOLT", -113), ("ROUT:CLOS", -109), ("ROUT:CLOS 101", -224), ("ROUT:CLOS (@9999)", -222), ("HOST:STAT \"nowhere\"", -224), ("HOST:STAT", -109),
        ("HOST:TONE 5", -109), ("HOST:TONE x,1", -224), ("HOST:TONE 1e9,1", -222), ("HOST:LOAD -5", -222), ("HOST:LOAD nan", -222), ("*CLS 5", -108), ("FETC?", -230), ("MEAS:VOLT:DC? banana", -224), ("\x01\x02", -102),
    ],
)  # fmt: skip
def test_what_it_cannot_do_goes_into_the_error_queue(
    command: str, error: int, instrument: Instrument
) -> None:
    """Nothing is answered but the error, by its standard number."""
    instrument.handle(command)
    assert instrument.handle("SYST:ERR?").startswith(f"{error:+d},")
    assert instrument.handle("SYST:ERR?").startswith("+0")


def test_the_error_queue_overflows_as_the_standard_says(instrument: Instrument) -> None:
    """Its last place says so, and *CLS empties it."""
    for _ in range(30):
        instrument.handle("BOGUS")
    found = [instrument.handle("SYST:ERR?") for _ in range(21)]
    assert found[19].startswith("-350")
    assert found[20].startswith("+0")
    instrument.handle("BOGUS;*CLS")
    assert instrument.handle("SYST:ERR?").startswith("+0")


@settings(max_examples=300, deadline=None)
@given(
    st.one_of(
        st.text(max_size=60),
        st.sampled_from([p for p, _ in TABLE]).flatmap(
            lambda p: st.text(max_size=12).map(lambda t: f"{p} {t}")
        ),
    )
)
def test_nothing_that_is_sent_brings_it_down(line: str) -> None:
    """Any text is answered with a line or with nothing."""
    answer = SHARED.handle(line)
    assert "\n" not in answer
    SHARED.handle("*CLS")


def test_an_open_circuit_is_an_overload() -> None:
    """Beyond 100 MΩ an ohmmeter shows nothing."""
    host = StandInHost(load(shipped()["pellow"]))
    host.move(state="off", red="host.j2_8", black="host.star")
    assert host.read(Function.RESISTANCE) == OVERLOAD


def ask(port: int, *lines: bytes) -> list[bytes]:
    """Send lines on a connection of its own and read as many answers as there are queries."""
    with socket.create_connection(("127.0.0.1", port), timeout=5) as line:
        line.sendall(b"".join(lines))
        stream = line.makefile("rb")
        return [stream.readline() for _ in range(sum(b"?" in x for x in lines))]


def test_the_server_answers_many_at_once(serve: Serve, brindle: StandIn) -> None:
    """Every client has its own error queue; the host is one."""
    server = serve(brindle)
    lines = [socket.create_connection(("127.0.0.1", server.port), timeout=5) for _ in range(10)]
    for k, line in enumerate(lines):
        line.sendall(b"BOGUS\n" if k % 2 else b"*IDN?\n")
    for k, line in enumerate(lines):
        line.sendall(b"SYST:ERR?\n")
        stream = line.makefile("rb")
        if k % 2 == 0:
            assert stream.readline().startswith(b"PIGTAIL,STAND-IN")
        assert stream.readline().startswith(b"-113" if k % 2 else b"+0")
        stream.close()
        line.close()


def test_an_endless_command_is_thrown_away(serve: Serve, brindle: StandIn) -> None:
    """Megabytes without an end: an overrun in the queue, and the next line is answered."""
    server = serve(brindle)
    found = ask(server.port, b"A" * 3_000_000 + b"\n", b"SYST:ERR?\n", b"*IDN?\n")
    assert found[0].startswith(b"-363")
    assert found[1].startswith(b"PIGTAIL")


def test_silent_half_open_and_lost_clients_do_not_matter(serve: Serve, brindle: StandIn) -> None:
    """Connections that say nothing, say half a line, hang up in the middle or never read: others are served."""
    server = serve(brindle)
    silent = [socket.create_connection(("127.0.0.1", server.port), timeout=5) for _ in range(5)]
    silent[1].sendall(b"*IDN")
    silent[2].sendall(b"*IDN?\n" * 50)
    silent[2].close()
    silent[3].shutdown(socket.SHUT_WR)
    silent[4].sendall(b"HOST:CAT?\n" * 2000)
    assert ask(server.port, b"*IDN?\n")[0].startswith(b"PIGTAIL")
    for line in silent:
        line.close()


def test_more_clients_than_it_takes_are_turned_away(serve: Serve, brindle: StandIn) -> None:
    """The last are closed at once; when one leaves another may come."""
    server = serve(brindle)
    lines = [socket.create_connection(("127.0.0.1", server.port), timeout=5) for _ in range(MOST_CLIENTS)]
    for line in lines:
        line.sendall(b"*OPC?\n")
        assert line.recv(10) == b"1\n"
    extra = socket.create_connection(("127.0.0.1", server.port), timeout=5)
    assert extra.recv(10) == b""
    extra.close()
    for line in lines:
        line.close()
    for _ in range(50):
        try:
            if ask(server.port, b"*IDN?\n")[0]:
                break
        except OSError:
            pass
        time.sleep(0.05)
    assert ask(server.port, b"*IDN?\n")[0].startswith(b"PIGTAIL")


def test_a_line_ended_by_the_client_is_answered_before_it_is_let_go(serve: Serve, brindle: StandIn) -> None:
    """A client that sends and closes its sending side still gets its answers."""
    server = serve(brindle)
    with socket.create_connection(("127.0.0.1", server.port), timeout=5) as line:
        line.sendall(b"*IDN?\r\n*OPC?\r\n")
        line.shutdown(socket.SHUT_WR)
        assert line.makefile("rb").read().endswith(b"\n1\n")


def test_a_meter_on_a_serial_line_is_read_like_any_other(brindle: StandIn) -> None:
    """The other end of a pseudo terminal answers as the instrument does; an unplugged line is one sentence."""
    ours, theirs = os.openpty()
    tty.setraw(theirs)
    instrument = Instrument(StandInHost(brindle))

    def answer() -> None:
        received = b""
        while True:
            try:
                received += os.read(ours, 4096)
            except OSError:
                return
            while b"\n" in received:
                line, _, received = received.partition(b"\n")
                found = instrument.handle(line.decode("latin-1").strip())
                if found:
                    os.write(ours, found.encode() + b"\n")

    thread = threading.Thread(target=answer, daemon=True)
    thread.start()
    meter = ScpiMeter(Address(device=os.ttyname(theirs), baud=115200))
    request = Ask("host.rail_5v", "host.star", "aux", Function.DC_VOLTS)
    assert meter.stand_in
    assert meter.read_stable(request) == pytest.approx(5.02, rel=0.01)
    meter.close()
    os.close(theirs)
    os.close(ours)
    with pytest.raises(MeterError, match="no meter answers"):
        ScpiMeter(Address(device="/dev/nothing-there"))


@pytest.mark.parametrize(
    ("text", "resource"),
    [
        ("127.0.0.1:5025", "TCPIP0::127.0.0.1::5025::SOCKET"),
        ("/dev/ttyUSB0", "ASRL/dev/ttyUSB0::INSTR"),
        (" bench.local:99 ", "TCPIP0::bench.local::99::SOCKET"),
    ],
)
def test_addresses_are_read_as_they_are_written(text: str, resource: str) -> None:
    """A host with a port, a device with or without a speed."""
    assert parse_address(text).resource == resource


@pytest.mark.parametrize("text", ["", "somewhere", "host:", "host:0", "host:99999", "/dev/ttyUSB0@fast"])
def test_what_is_no_address_is_refused(text: str) -> None:
    """In one sentence with an example."""
    with pytest.raises(MeterError, match="write"):
        parse_address(text)


@pytest.mark.parametrize(("text", "words"), [(b"", "no stand-in"), (b"{}", "format"), (b'{"format": "pigtail stand-in", "version": 9}', "version"), (b'{"format": "pigtail stand-in", "version": 1}', "no stand-in"), (b"[" * 100_000, "no stand-in")])  # fmt: skip
def test_truth_files_that_make_no_sense_are_refused(text: bytes, words: str) -> None:
    """One sentence; `pigtail bench` exits 2 with it."""
    with pytest.raises(JobError, match=words):
        decode(text)


def test_the_bench_command_serves_and_refuses(brindle: StandIn) -> None:
    """It says where it answers; a file that is not there is exit 2 in one sentence."""
    command = [sys.executable, "-m", "pigtail", "bench"]
    server = subprocess.Popen([*command, "brindle", "--port", "0"], stdout=subprocess.PIPE, text=True)
    assert server.stdout is not None
    port = int(server.stdout.readline().partition("127.0.0.1:")[2].partition(";")[0])
    assert ask(port, b"*IDN?\n")[0].startswith(b"PIGTAIL")
    taken = subprocess.run(
        [*command, "brindle", "--port", str(port)], capture_output=True, text=True, timeout=120, check=False
    )
    assert taken.returncode == 2
    assert "cannot be used" in taken.stderr
    server.terminate()
    server.wait(10)
    server.stdout.close()
    missing = subprocess.run(
        [*command, "nowhere.standin"], capture_output=True, text=True, timeout=120, check=False
    )
    assert (missing.returncode, missing.stderr.count("\n")) == (2, 1)
