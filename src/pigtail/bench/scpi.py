"""The instrument side of SCPI: headers matched in short and long form, an error queue, a meter with its probes.

Follows the Standard Commands for Programmable Instruments (SCPI-1999) and IEEE 488.2 as far as a multimeter needs them;
error numbers are those of SCPI-1999, volume 2, section 21 (from memory). What a stand-in needs besides is under HOST.

Usual: `*IDN?` `*RST` `*CLS` `*OPC?` `*TST?` `SYSTem:ERRor?` `SYSTem:VERSion?`, `CONFigure:…`, `CONFigure?`, `READ?`,
`INITiate`, `FETCh?`, `MEASure:…?` for `VOLTage:DC` `VOLTage:AC` `RESistance` `CONTinuity` `DIODe` `CURRent` `FREQuency`
`TEMPerature`. `ROUTe:CLOSe (@red,black)` puts the two probes on points by their channel; `ROUTe:CLOSe?` `ROUTe:OPEN`.

Of the host: `HOST:CATalog?` its points (channel, id, name); `HOST:STATe "id"` switches it, `HOST:STATe?`,
`HOST:STATe:CATalog?`; `HOST:TONE hertz,level[,LEFT|RIGHT|BOTH]` plays a tone, level being a part of full scale, or volts
into an input; `HOST:VOLume part` turns the host's control;
`HOST:LOAD ohm` clips a resistor across, `HOST:SERies ohm` puts one behind the generator, `HOST:CURRent
ampere` drives a current, 0 takes each off; `HOST:HEARd?` gives 0 nothing, 1 left, 2 right, 3 both, of a tone injected at
the red probe. `CURRent` is read in series with one point, `ROUTe:CLOSe (@red,red)`; between two points the meter's fuse goes, with that
of a rail there, as does that of a rail that is loaded far beyond what it can give; `HOST:FUSE` puts new ones in.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Callable
from typing import Any

from pigtail import __version__
from pigtail.bench.host import BlownFuseError, StandInHost
from pigtail.circuit import CircuitError
from pigtail.job.document import Function

IDENTITY = "PIGTAIL,STAND-IN,0"
MOST_ERRORS = 20
#: What instruments answer when they have no reading.
NOT_A_NUMBER = 9.91e37
MOST_COMMANDS = 64
FUNCTIONS: tuple[tuple[str, Function, str], ...] = (
    ("VOLTage:DC", Function.DC_VOLTS, "VOLT"),
    ("VOLTage:AC", Function.AC_VOLTS, "VOLT:AC"),
    ("VOLTage", Function.DC_VOLTS, "VOLT"),
    ("RESistance", Function.RESISTANCE, "RES"),
    ("CONTinuity", Function.CONTINUITY, "CONT"),
    ("DIODe", Function.DIODE, "DIOD"),
    ("CURRent:DC", Function.CURRENT, "CURR"),
    ("CURRent", Function.CURRENT, "CURR"),
    ("FREQuency", Function.FREQUENCY, "FREQ"),
    ("TEMPerature", Function.TEMPERATURE, "TEMP"),
)
_CHANNELS = re.compile(r"\(@(\d{1,6})(?:[,:](\d{1,6}))?\)")
#: An error of our own: numbers above nought are the device's.
FUSE = 101
#: Text of the errors, by number.
ERRORS = {
    FUSE: "Fuse blown; an ammeter between two points is a short, read in series (HOST:FUSE puts new ones in)",
    -102: "Syntax error",
    -108: "Parameter not allowed",
    -109: "Missing parameter",
    -113: "Undefined header",
    -222: "Data out of range",
    -224: "Illegal parameter value",
    -230: "Data corrupt or stale",
    -350: "Queue overflow",
    -363: "Input buffer overrun",
}


class ScpiError(ValueError):
    """A command that cannot be carried out, by its SCPI error number."""

    def __init__(self, number: int) -> None:
        super().__init__(ERRORS[number])
        self.number = number


Handler = Callable[["Instrument", str], "str | None"]


def matches(pattern: str, header: str) -> bool:
    """Whether a header is a pattern such as `SYSTem:ERRor?` in short or long form.

    >>> matches("MEASure:VOLTage:DC?", "meas:volt:dc?"), matches("SYSTem:ERRor?", "SYST:ERRO?")
    (True, False)
    """
    wanted, given = pattern.split(":"), header.upper().split(":")
    if len(wanted) != len(given):
        return False
    for want, got in zip(wanted, given, strict=True):
        query = want.endswith("?")
        if query != got.endswith("?"):
            return False
        short = "".join(c for c in want if not c.islower())
        if got not in (short, want.upper()):
            return False
    return True


class Instrument:
    """One client's view of the stand-in: its error queue and the function it is set to. The host is shared."""

    def __init__(self, host: StandInHost) -> None:
        self.host = host
        self.errors: deque[int] = deque()
        self.function = Function.DC_VOLTS
        self.shown: float | None = None

    def fail(self, number: int) -> None:
        """Put an error into the queue; when it is full its last place says so."""
        if len(self.errors) >= MOST_ERRORS:
            self.errors[-1] = -350
        else:
            self.errors.append(number)

    def handle(self, line: str) -> str:
        """Carry out a line of commands; the answers, joined by semicolons, or nothing."""
        answers: list[str] = []
        commands = [c for c in line.split(";") if c.strip()]
        if len(commands) > MOST_COMMANDS:
            self.fail(-363)
            return ""
        for command in commands:
            try:
                answer = self._carry_out(command.strip())
            except ScpiError as error:
                self.fail(error.number)
            except Exception:  # noqa: BLE001  whatever a circuit does, the instrument stays up
                self.fail(-230)
            else:
                if answer is not None:
                    answers.append(answer)
        return ";".join(answers)

    def _carry_out(self, command: str) -> str | None:
        if not command.isascii() or not command.isprintable():
            raise ScpiError(-102)
        header, _, rest = command.lstrip(":").partition(" ")
        for pattern, handler in TABLE:
            if matches(pattern, header):
                return handler(self, rest.strip())
        raise ScpiError(-113)

    def read(self) -> str:
        """A reading in the form of numbers that instruments give."""
        try:
            self.shown = self.host.read(self.function)
        except BlownFuseError:
            self.fail(FUSE)
            self.shown = NOT_A_NUMBER
        except CircuitError:
            self.fail(-230)
            self.shown = NOT_A_NUMBER
        return f"{self.shown:+.8E}"


def _none(_instrument: Instrument, rest: str) -> None:
    if rest:
        raise ScpiError(-108)


def _number(text: str, low: float, high: float) -> float:
    if not text:
        raise ScpiError(-109)
    try:
        value = float(text)
    except ValueError as error:
        raise ScpiError(-224) from error
    if not low <= value <= high:
        raise ScpiError(-222)
    return value


def _reset(instrument: Instrument, rest: str) -> None:
    _none(instrument, rest)
    instrument.function, instrument.shown = Function.DC_VOLTS, None


def _clear(instrument: Instrument, rest: str) -> None:
    _none(instrument, rest)
    instrument.errors.clear()


def _error(instrument: Instrument, rest: str) -> str:
    number = instrument.errors.popleft() if instrument.errors else 0
    return f'{number:+d},"{ERRORS.get(number, "No error")}"'


def _initiate(instrument: Instrument, rest: str) -> None:
    instrument.read()


def _fetch(instrument: Instrument, rest: str) -> str:
    if instrument.shown is None:
        raise ScpiError(-230)
    return f"{instrument.shown:+.8E}"


def _close(instrument: Instrument, rest: str) -> None:
    if not rest:
        raise ScpiError(-109)
    found = _CHANNELS.fullmatch(rest.replace(" ", ""))
    if not found:
        raise ScpiError(-224)
    host = instrument.host
    red, black = int(found[1]), int(found[2] or 0)
    if red not in host.channels or (black and black not in host.channels):
        raise ScpiError(-222)
    black_at = host.channels[black] if black else host.setting.black
    host.move(red=host.channels[red], black=black_at)


def _closed(instrument: Instrument, rest: str) -> str:
    numbers = {a: n for n, a in instrument.host.channels.items()}
    s = instrument.host.setting
    found = [str(numbers[a]) for a in (s.red, s.black) if a in numbers]
    return f"(@{','.join(found)})"


def _open(instrument: Instrument, rest: str) -> None:
    instrument.host.move(red="", black="")


def _catalog(instrument: Instrument, rest: str) -> str:
    job = instrument.host.stand_in.papers
    rows = [(n, a.partition(".")[2], job.label(a)) for n, a in instrument.host.channels.items()]
    return ",".join(f'{n},"{i}","{_plain(name)}"' for n, i, name in rows)


def _plain(text: str) -> str:
    return text.encode("ascii", "replace").decode().replace('"', "'")


def _state(instrument: Instrument, rest: str) -> None:
    wanted = rest.strip("\"'")
    if not wanted:
        raise ScpiError(-109)
    if wanted not in {s.id for s in instrument.host.job.host.states}:
        raise ScpiError(-224)
    instrument.host.move(state=wanted)


def _mend(instrument: Instrument, rest: str) -> None:
    _none(instrument, rest)
    instrument.host.mend()


def _states(instrument: Instrument, rest: str) -> str:
    return ",".join(f'"{s.id}"' for s in instrument.host.job.host.states)


def _tone(instrument: Instrument, rest: str) -> None:
    parts = [p.strip() for p in rest.split(",")]
    if len(parts) < 2:
        raise ScpiError(-109)
    channel = parts[2].lower() if len(parts) > 2 else "both"
    if channel not in ("left", "right", "both") or len(parts) > 3:
        raise ScpiError(-224)
    hertz, level = _number(parts[0], 1.0, 1e6), _number(parts[1], 0.0, 100.0)
    instrument.host.move(tone_hz=hertz, tone_level=level, channel=channel)


def _setter(field: str, low: float, high: float) -> Handler:
    def handler(instrument: Instrument, rest: str) -> None:
        instrument.host.move(**{field: _number(rest, low, high)})

    return handler


def _configure(function: Function) -> Handler:
    def handler(instrument: Instrument, rest: str) -> None:
        _range(rest)
        instrument.function, instrument.shown = function, None

    return handler


def _measure(function: Function) -> Handler:
    def handler(instrument: Instrument, rest: str) -> str:
        _range(rest)
        instrument.function = function
        return instrument.read()

    return handler


def _range(rest: str) -> None:
    """Range and resolution are taken and not needed."""
    for word in filter(None, (w.strip().upper() for w in rest.split(","))):
        if word not in ("AUTO", "DEF", "DEFAULT", "MIN", "MAX", "MINIMUM", "MAXIMUM"):
            _number(word, -1e12, 1e12)


def _configured(instrument: Instrument, rest: str) -> str:
    short = next(s for _, f, s in FUNCTIONS if f is instrument.function)
    return f'"{short} AUTO,DEF"'


def _answer(text: Callable[[Instrument], Any]) -> Handler:
    return lambda instrument, rest: str(text(instrument))


TABLE: tuple[tuple[str, Handler], ...] = (
    ("*IDN?", _answer(lambda _i: f"{IDENTITY},{__version__}")),
    ("*RST", _reset),
    ("*CLS", _clear),
    ("*OPC?", _answer(lambda _i: 1)),
    ("*OPC", _none),
    ("*WAI", _none),
    ("*TST?", _answer(lambda _i: 0)),
    ("*ESR?", _answer(lambda i: 32 if i.errors else 0)),
    ("SYSTem:ERRor?", _error),
    ("SYSTem:ERRor:NEXT?", _error),
    ("SYSTem:VERSion?", _answer(lambda _i: "1999.0")),
    ("READ?", _answer(lambda i: i.read())),
    ("INITiate", _initiate),
    ("FETCh?", _fetch),
    ("CONFigure?", _configured),
    ("FUNCtion?", _configured),
    *((f"CONFigure:{name}", _configure(f)) for name, f, _ in FUNCTIONS),
    *((f"MEASure:{name}?", _measure(f)) for name, f, _ in FUNCTIONS),
    ("ROUTe:CLOSe", _close),
    ("ROUTe:CLOSe?", _closed),
    ("ROUTe:OPEN", _open),
    ("ROUTe:OPEN:ALL", _open),
    ("HOST:CATalog?", _catalog),
    ("HOST:STATe", _state),
    ("HOST:STATe?", _answer(lambda i: f'"{i.host.setting.state}"')),
    ("HOST:STATe:CATalog?", _states),
    ("HOST:TONE", _tone),
    ("HOST:VOLume", _setter("volume", 0.0, 1.0)),
    ("HOST:LOAD", _setter("load", 0.0, 1e9)),
    ("HOST:SERies", _setter("series", 0.0, 1e9)),
    ("HOST:CURRent", _setter("current", -10.0, 10.0)),
    ("HOST:FUSE", _mend),
    ("HOST:HEARd?", _answer(lambda i: i.host.heard())),
)
