"""Where a meter is, as a person writes it and as the instrument library does; what went wrong on the way there, in words."""

from __future__ import annotations

import enum
import errno

import msgspec

from pigtail.language import tr

#: The port on which instruments take SCPI as text (registered as scpi-raw).
SCPI_PORT = 5025


class MeterError(OSError):
    """A meter that cannot be reached or does not answer: one sentence with the mend."""


class NotOfferedError(MeterError):
    """A meter that is there and well, and cannot measure this."""


class Ending(enum.Enum):
    """What ends a line to and from a meter."""

    LF = "line feed"
    CR = "carriage return"
    CRLF = "carriage return and line feed"

    @property
    def characters(self) -> str:
        """The characters themselves."""
        return {"LF": "\n", "CR": "\r", "CRLF": "\r\n"}[self.name]


class Address(msgspec.Struct, frozen=True):
    """Where a meter is: a host name and port, a serial device with its speed [baud], or any VISA resource by its name."""

    host: str = ""
    port: int = 0
    device: str = ""
    baud: int = 9600
    visa: str = ""
    ending: Ending = Ending.LF

    @property
    def resource(self) -> str:
        """The address as the instrument library writes it."""
        if self.visa:
            return self.visa
        return f"ASRL{self.device}::INSTR" if self.device else f"TCPIP0::{self.host}::{self.port}::SOCKET"

    @property
    def in_lines(self) -> bool:
        """Whether only its characters end an answer: a socket or a serial line. The others tell where a message ends."""
        return self.resource.upper().startswith("ASRL") or self.resource.upper().endswith("::SOCKET")

    def text(self) -> str:
        """The address for people."""
        if self.visa:
            return self.visa
        return f"{self.device} at {self.baud} baud" if self.device else f"{self.host}:{self.port}"


def parse_address(text: str, ending: Ending = Ending.LF) -> Address:
    """`127.0.0.1:5025`, `/dev/ttyUSB0`, `/dev/ttyUSB0@115200`, or a VISA resource of any kind; raises MeterError."""
    text = text.strip()
    if "::" in text:
        return Address(visa=_resource(text), ending=ending)
    if text.startswith("/"):
        device, _, baud = text.partition("@")
        if baud and not baud.isdigit():
            raise MeterError(tr("“{baud}” is no speed; write /dev/ttyUSB0@9600", baud=baud))
        return Address(device=device, baud=int(baud or 9600), ending=ending)
    host, _, port = text.rpartition(":")
    if not host or not port.isdigit() or not 0 < int(port) < 65536:
        raise MeterError(
            tr(
                "“{value}” is no address of a meter; write 127.0.0.1:{SCPI_PORT}, /dev/ttyUSB0 or TCPIP::host::INSTR",
                value=text[:60],
                SCPI_PORT=SCPI_PORT,
            )
        )
    return Address(host=host, port=int(port), ending=ending)


def _resource(text: str) -> str:
    """A VISA resource's name as the library reads it; raises MeterError."""
    from pyvisa import rname

    head, _, tail = text.rpartition("::")
    if tail.upper() in CLASSES:
        text = f"{head}::{tail.upper()}"  # capitals or not, it is the same
    try:
        return str(rname.ResourceName.from_string(text))
    except rname.InvalidResourceName as error:
        raise MeterError(
            tr(
                "“{value}” is no VISA address; write TCPIP::host::INSTR, USB::0x1234::0x5678::serial::INSTR, GPIB::9::INSTR or "
                "ASRL/dev/ttyUSB0::INSTR",
                value=text[:60],
            )
        ) from error


#: The last words of VISA addresses.
CLASSES = ("INSTR", "SOCKET", "RAW", "INTFC")
#: The library's codes for troubles, in words.
VISA_WORDS = {
    "error_timeout": tr("no answer within {wait}"),
    "error_resource_not_found": tr("nothing is there under this address"),
    "error_connection_lost": tr("the connection was lost"),
    "error_resource_busy": tr("another program uses it"),
    "error_resource_locked": tr("another program uses it"),
    "error_line_in_use": tr("another program uses it"),
    "error_no_permission": tr("you may not open it"),
    "error_no_listeners": tr("no instrument listens at this address"),
    "error_io": tr("the line broke off"),
    "error_invalid_resource_name": tr("this is no address"),
    "error_library_not_found": tr("the library for this kind of line is missing"),
    "error_nonsupported_operation": tr("this kind of line cannot do that"),
    "error_system_error": tr("the system gives no connection"),
    "error_serial_overrun": tr("it sends faster than it is read; choose a lower speed"),
    "error_serial_framing": tr("its characters are garbled; choose its speed"),
}


def words_of(error: BaseException, wait_s: float) -> str:
    """What went wrong with a connection, without the library's codes.

    Args:
        error: what the instrument library or the system raised.
        wait_s: how long an answer was waited for [s].
    """
    code = getattr(getattr(error, "error_code", None), "name", "")
    if code in VISA_WORDS:
        return VISA_WORDS[code].format(wait=f"{wait_s:g} s")
    if isinstance(error, PermissionError) or "Permission denied" in str(error):
        return tr("you may not open it: join the group dialout, log out and in again")
    if isinstance(error, ConnectionRefusedError) or getattr(error, "errno", 0) == errno.ECONNREFUSED:
        return tr("something is there and takes no connection on this port")
    if "No such file" in str(error):
        return tr("there is no such device: is it plugged in?")
    if "Please install PyUSB" in str(error):
        return tr("reading over USB needs one more package: pip install pyusb")
    if "gpib-ctypes" in str(error):
        return tr("reading over GPIB needs one more package: pip install gpib-ctypes")
    if "No class registered" in str(error):
        return tr("this kind of line is not known here")
    return str(error).strip().split("\n")[0][:120] or type(error).__name__
