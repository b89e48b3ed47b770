"""Meters that answer SCPI, over a TCP socket or a serial line: one road for real ones and for the stand-in.

The road is PyVISA with its pure Python backend. A real meter is told what to measure, a person moves the probes; the
stand-in, told by its identity, is also told where the probes go and what the host does.
"""

from __future__ import annotations

import contextlib
import csv
import math
import re
import time
from collections.abc import Iterator
from typing import Any

from pigtail.bench.address import Address, MeterError, NotOfferedError, words_of
from pigtail.bench.scpi import FUSE, IDENTITY, NOT_A_NUMBER
from pigtail.job.ask import Ask
from pigtail.job.document import Function
from pigtail.language import tr
from pigtail.model.probed import touch_of

TIMEOUT_MS = 3000
OPEN_TIMEOUT_MS = 3000
#: A value that instruments give for beyond their range.
OVERLOAD = 9e37
COMMANDS = {
    Function.DC_VOLTS: "MEAS:VOLT:DC?",
    Function.AC_VOLTS: "MEAS:VOLT:AC?",
    Function.RESISTANCE: "MEAS:RES?",
    Function.CONTINUITY: "MEAS:CONT?",
    Function.DIODE: "MEAS:DIOD?",
    Function.CURRENT: "MEAS:CURR:DC?",
    Function.FREQUENCY: "MEAS:FREQ?",
    Function.TEMPERATURE: "MEAS:TEMP?",
    Function.HEARD: "HOST:HEAR?",
}
#: What tells the same where a meter lacks the command, in the same unit.
INSTEAD = {Function.CONTINUITY: Function.RESISTANCE}
#: The head of an answer from the error queue: a number and a comma.
_TROUBLE = re.compile(r"([+-]?\d+)\s*,")
#: Two readings agree within this part of them, or within this much [unit of the function].
AGREES = 0.002
NEAR = {
    Function.DC_VOLTS: 1e-3,
    Function.AC_VOLTS: 1e-3,
    Function.RESISTANCE: 0.1,
    Function.CONTINUITY: 0.3,
    Function.DIODE: 1e-2,
    Function.CURRENT: 1e-4,
    Function.FREQUENCY: 0.5,
    Function.TEMPERATURE: 0.5,
    Function.HEARD: 0.0,
}
MOST_TRIES = 12
#: So much of an answer is listened to [bytes], of an identity shown, and so long one answer and a reading at rest are waited for [s].
MOST_ANSWER, MOST_IDENTITY = 4096, 60
#: A stand-in lists all of its points in one answer.
MOST_CATALOG = 262_144
ANSWER_S, STABLE_S = 4.0, 30.0


def serial_devices() -> tuple[str, ...]:
    """Serial devices that are plugged in."""
    from serial.tools import list_ports

    return tuple(sorted(p.device for p in list_ports.comports()))


class ScpiMeter:
    """A meter at an address, connected. Use from one thread at a time; every trouble is a MeterError."""

    def __init__(self, address: Address) -> None:
        import pyvisa

        self.address = address
        self._stopped = False
        self._manager = pyvisa.ResourceManager("@py")
        self._end = address.ending.characters
        self._lacks: set[Function] = set()
        settings: dict[str, Any] = {
            "read_termination": self._end if address.in_lines else None,
            "write_termination": self._end,
            "timeout": TIMEOUT_MS,
        }
        if address.device:
            settings["baud_rate"] = address.baud
        try:
            self._line: Any = self._manager.open_resource(
                address.resource, open_timeout=OPEN_TIMEOUT_MS, **settings
            )
            self.identity = shown_identity(self._ask("*IDN?"))
            self.stand_in = self.identity.startswith(IDENTITY.rsplit(",", 1)[0])
            self._channels = {point: number for number, point, _ in self.catalog()} if self.stand_in else {}
        except (pyvisa.errors.Error, OSError, ValueError) as error:
            self.close()
            raise MeterError(
                tr(
                    "no meter answers at {text} ({reason}); check that it is on, its cable, its address and how its lines end",
                    text=address.text(),
                    reason=_reason(error),
                )
            ) from error

    def read(self, request: Ask) -> float:
        """One reading [unit of its function]; inf beyond the meter's range. Raises MeterError."""
        if request.in_series and request.against:
            raise MeterError(
                tr("an ammeter between two points is a dead short; read current in series with one")
            )
        if request.function is Function.LOOK:
            raise MeterError(tr("a meter does not look; see what feeds the host, and type it"))
        with self._trouble():
            if self.stand_in:
                self._prepare(request)
            elif request.function is Function.HEARD:
                raise MeterError(tr("a meter does not listen; choose what you heard"))
            value = self._value(request.function)
            if math.isnan(value):
                raise MeterError(
                    tr("the meter answers that what it read is no number; choose its range and read again")
                )
            if self.stand_in and value == NOT_A_NUMBER:
                self._no_reading()
        return math.copysign(math.inf, value) if abs(value) >= OVERLOAD else value

    def _value(self, function: Function) -> float:
        """What the meter shows of a function [its unit]; of one that it lacks, by another that does as well. Raises NotOfferedError."""
        if function in self._lacks:
            return self._by_another(function)
        try:
            return float(self._ask(COMMANDS[function]))
        except Exception:
            if self.stand_in or not self._refused():
                raise
        self._lacks.add(function)
        return self._by_another(function)

    def _by_another(self, function: Function) -> float:
        other = INSTEAD.get(function)
        if other is None or other in self._lacks:
            raise NotOfferedError(
                tr(
                    "this meter takes no command for {value}; read it with another and type it",
                    value=tr(function.value),
                )
            )
        return self._value(other)

    def _refused(self) -> bool:
        """Whether the meter says that it does not know or cannot carry out what it was told last."""
        import pyvisa

        try:
            found = _TROUBLE.match(self._ask("SYST:ERR?"))
        except (pyvisa.errors.Error, OSError, ValueError):
            return False
        return found is not None and -300 < int(found[1]) <= -100

    def read_stable(self, request: Ask) -> float:
        """Readings until two agree: a meter needs time to settle.

        In the [unit of its function]. Raises MeterError for a meter that does not come to rest.
        """
        last, until = self.read(request), time.monotonic() + STABLE_S
        for _ in range(MOST_TRIES):
            if self._stopped or time.monotonic() > until:
                break
            following = self.read(request)
            if following == last or abs(following - last) <= AGREES * abs(following) + NEAR[request.function]:
                return following
            last = following
        raise MeterError(tr("the reading does not settle; hold the probes still, or choose another function"))

    def catalog(self) -> tuple[tuple[int, str, str], ...]:
        """The points of a stand-in: channel, id, name."""
        parts = next(csv.reader([self._ask("HOST:CAT?", MOST_CATALOG)]))
        rows = zip(parts[::3], parts[1::3], parts[2::3], strict=False)
        return tuple((int(n), i, name) for n, i, name in rows)

    def _prepare(self, request: Ask) -> None:
        """Put the stand-in's probes on their points and its host into the state."""
        ends = (request.point, request.point if request.in_series else request.against)
        points = [a.partition(".")[2] for a in ends]
        if request.function is Function.HEARD and points[1] not in self._channels:
            points[1] = points[0]
        missing = [p for p in points if p not in self._channels]
        if missing:
            raise MeterError(
                tr("the stand-in has no point “{value}”; open the job that belongs to it", value=missing[0])
            )
        red, black = (self._channels[p] for p in points)
        spot = touch_of(request)
        commands = (
            f"ROUT:CLOS (@{red},{black})",
            f'HOST:STAT "{request.state}"',
            f"HOST:TONE {spot.tone_hz:g},{spot.tone_level:g},{spot.channel.upper()}",
            f"HOST:VOL {spot.volume:g}",
            f"HOST:LOAD {request.load or 0.0:g}",
            f"HOST:SER {request.series or 0.0:g}",
            f"HOST:CURR {request.current or 0.0:g}",
        )
        self._line.write(";:".join(commands))
        trouble = self._ask("SYST:ERR?")
        if not trouble.startswith(("+0", "0")):
            raise MeterError(
                tr("the stand-in refused ({trouble}); choose a point and state that it has", trouble=trouble)
            )

    def _no_reading(self) -> None:
        """Tell why the stand-in gave no number; a fuse that went is put in anew. Raises MeterError."""
        trouble = self._ask("SYST:ERR?")
        if not trouble.startswith(f"+{FUSE}"):
            raise MeterError(tr("the stand-in gives no reading ({trouble}); read again", trouble=trouble))
        self._line.write("HOST:FUSE")
        raise MeterError(
            tr("a fuse blew: take off what is clipped across, or put more ohms there; a new one is in")
        )

    def _ask(self, command: str, most: int = MOST_ANSWER) -> str:
        """The answer to a command: one line, no longer than `most` [bytes], within a time in all. Raises ValueError for another."""
        self._line.write(command)
        found = self._line_of(most) if self.address.in_lines else self._message(most)
        text = found.decode("ascii", "replace").strip()
        if not text:
            raise ValueError(tr("its answer is empty"))
        return text

    def _message(self, most: int) -> bytes:
        """An answer whose end the line itself tells."""
        found, _status = self._line.visalib.read(self._line.session, most)
        if len(found) >= most:
            raise ValueError(tr("its answer is longer than {most:,} bytes", most=most))
        return bytes(found)

    def _line_of(self, most: int) -> bytes:
        """An answer that ends with the characters of this meter."""
        found, until, end = b"", time.monotonic() + ANSWER_S, self._end.encode()
        while not found.endswith(end):
            if self._stopped:
                raise ValueError(tr("it was left"))
            if time.monotonic() > until:
                raise ValueError(tr("its answer does not end"))
            if len(found) >= most:
                raise ValueError(tr("its answer is longer than {most:,} bytes", most=most))
            # one by one: more would be waited for without an end
            found += bytes(self._line.read_bytes(1))
        return found

    @contextlib.contextmanager
    def _trouble(self) -> Iterator[None]:
        import pyvisa

        try:
            yield
        except MeterError:
            raise
        except (pyvisa.errors.Error, OSError, ValueError) as error:
            raise MeterError(
                tr(
                    "the meter at {text} does not answer ({reason}); it is tried again at the next reading",
                    text=self.address.text(),
                    reason=_reason(error),
                )
            ) from error

    def stop(self) -> None:
        """Let what is being read come to an end soon; from any thread."""
        self._stopped = True

    def close(self) -> None:
        """End the connection."""
        import pyvisa

        with contextlib.suppress(pyvisa.errors.Error, OSError, AttributeError):
            self._line.close()
        with contextlib.suppress(pyvisa.errors.Error, OSError):
            self._manager.close()


def shown_identity(text: str) -> str:
    """What an instrument says it is, fit to be shown: plain characters, and not many."""
    kept = "".join(c if c.isascii() and c.isprintable() else "?" for c in text)
    return kept if len(kept) <= MOST_IDENTITY else f"{kept[:MOST_IDENTITY]}…"


def _reason(error: BaseException) -> str:
    return words_of(error, TIMEOUT_MS / 1000)
