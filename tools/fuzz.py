"""Strange input by the thousand, by the seed: `fuzz.py jobs|decks|inputs|sheets COUNT [SEED]`.

Each case may only end as it should: read and studied, or refused in one sentence that names place and mend. Told at the end: how many were
read, the longest time and the most memory of a case, and each that fell, with its seed.
"""

from __future__ import annotations

import gc
import math
import os
import random
import re
import resource
import signal
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING, Any

import msgspec

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
sys.path.insert(0, str(Path(__file__).parents[1]))

from tools.strange import TEXTS, Strange, base_jobs

if TYPE_CHECKING:
    from pigtail.job.document import Job
    from pigtail.studies.found import Studies

#: A case may take so long [s].
LONGEST_S = 60.0
#: What a sentence is at most [letters].
MOST_WORDS = 1200


class TooLongError(BaseException):
    """A case that does not come to an end."""


class Fall(Exception):  # noqa: N818  a case that fell, not an error of ours
    """What a case did that none may do."""


def _alarm(_number: int, _frame: FrameType | None) -> None:
    raise TooLongError


def sentence(error: BaseException) -> None:
    """Raise Fall unless an error is one sentence for a person."""
    text = str(error)
    if not text or len(text) > MOST_WORDS or "Traceback" in text:
        raise Fall(f"said badly: {text[:200]!r}")


# -- jobs ---------------------------------------------------------------------------------------------------------


def accepted(data: bytes) -> Job | None:
    """The job in some bytes, None where they are refused as they should be."""
    from pigtail.catalogue.opening import check_networks
    from pigtail.job.errors import JobError
    from pigtail.job.file import Document, decode, encode

    try:
        document = decode(data)
        check_networks(document.job)
    except JobError as error:
        sentence(error)
        return None
    again = decode(encode(document))
    if (again.job, again.extras) != (document.job, document.extras):
        raise Fall("it is not read back as it was written")
    return Document(document.job).job


def one_job(strange: Strange, bases: list[dict[str, Any]], *, deep: float = 0.02) -> str:
    """Read, study and advise a strange job; how far it went."""
    job = accepted(strange.job(bases))
    if job is None:
        return "refused"
    studied(job, strange.chance, deep)
    return "studied"


def studied(job: Job, chance: random.Random, deep: float) -> Studies:
    """Everything that can be asked of a job: the studies always, what takes long now and then. Raises Fall for what none may do."""
    from pigtail.service import services

    studies = services.study(job)
    said_by_the_job = set(re.findall(r"\{[a-z_]+\}", msgspec.json.encode(job).decode()))
    for finding in studies.findings:
        if finding.value is not None and not math.isfinite(finding.value):
            raise Fall(f"{finding.code} is told of {finding.value}")
        left = set(re.findall(r"\{[a-z_]+\}", finding.sentence)) - said_by_the_job
        if left or not finding.sentence:
            raise Fall(f"{finding.code} is said badly: {finding.sentence[:100]!r}")
    if chance.random() < deep:
        studies = services.advise(job, studies)
        for finding in studies.findings:
            for remedy in finding.remedies[:1]:
                _may_refuse(lambda remedy=remedy: remedy.edit(job))
    for ask in _askable(job, studies):
        if chance.random() < deep:
            _may_refuse(ask)
    return studies


def _may_refuse(ask: Callable[[], object]) -> None:
    """Do something that may be refused in one sentence."""
    from pigtail.job.errors import JobError
    from pigtail.model.errors import CompileError

    try:
        ask()
    except (JobError, CompileError) as error:
        sentence(error)


def _askable(job: Job, studies: Studies) -> list[Callable[[], object]]:
    """What can be asked of a job besides its studies."""
    from pigtail.advice.proposing import propose_plan
    from pigtail.cli.asking import next_as_json
    from pigtail.cli.controlling import controls
    from pigtail.cli.report import as_json, as_text
    from pigtail.cli.suggesting import searches
    from pigtail.cli.supplying import supplies
    from pigtail.edits.again import again
    from pigtail.job.document import Purpose, SupplyIn
    from pigtail.job.wiring import addresses_of
    from pigtail.service import services

    found: list[Callable[[], object]] = [
        lambda: as_json(job, studies), lambda: as_text(job, studies), lambda: next_as_json(job), lambda: services.schools(job),
        lambda: services.transitions(job), lambda: services.glance_control(job), lambda: services.story(job, studies, True),
        lambda: services.story(job, studies, False), lambda: services.record_tables(job), lambda: services.panel_drawing(job),
        lambda: again(job, 2), lambda: searches(job, plausible=True),
    ]  # fmt: skip
    for link in job.links[:3]:
        if link.purpose is Purpose.FEED:
            found += [lambda x=link.id: services.contests(job, x), lambda x=link.id: services.glance(job, x)]
            found.append(lambda x=link.id: services.matched(job, x, 3.0, "a test"))
        if link.purpose is Purpose.SUPPLY:
            found.append(lambda x=link.id: services.glance_supply(job, x))
    for pin in addresses_of(job, SupplyIn)[:1]:
        found += [lambda p=pin: supplies(job, p), lambda p=pin: services.supply_contests(job, p)]
    for module in job.modules[:1]:
        found += [
            lambda m=module.id: propose_plan(job, module_id=m),
            lambda m=module.id: services.control_contests(job, m),
        ]
    found.append(lambda: controls(job, "control"))
    return found


# -- sheets -------------------------------------------------------------------------------------------------------


def one_sheet(strange: Strange, bases: list[dict[str, Any]]) -> str:
    """Write the whole sheet, runbook, record and pack of a job whose texts are strange."""
    from pigtail.service import services
    from pigtail.sheet.write import pack_files

    job = _lettered(strange, bases)
    if job is None:
        return "refused"
    studies = services.study(job)
    for name, data in pack_files(job, studies).items():
        _check_file(name, data)
    return "written"


def _lettered(strange: Strange, bases: list[dict[str, Any]]) -> Job | None:
    import copy
    import json

    chance = strange.chance
    raw = copy.deepcopy(chance.choice(bases))

    def walk(value: Any, key: str = "") -> Any:
        if isinstance(value, dict):
            return {k: walk(v, k) for k, v in value.items()}
        if isinstance(value, list):
            return [walk(v, key) for v in value]
        most = {
            "name": 300,
            "notes": 4000,
            "wanted": 4000,
            "source": 4000,
            "route": 300,
            "colour": 300,
            "papers": 4000,
            "words": 4000,
        }
        if isinstance(value, str) and key in most and chance.random() < 0.4:
            text = chance.choice(
                (*TEXTS, "W" * 4000, "word " * 800, "\n" * 900, "a\n" * 700, "&" * 4000, "<b>" * 900)
            )
            return text.replace("\ud800", "?")[: most[key]] or "x"
        return value

    return accepted(json.dumps(walk(raw)).encode())


def _check_file(name: str, data: bytes) -> None:
    """Raise Fall for a file that is not what its name says."""
    import csv
    import io
    from xml.parsers import expat

    if name.endswith(".svg"):
        parser = expat.ParserCreate()
        parser.Parse(data, True)
    elif name.endswith(".csv"):
        for row in csv.reader(io.StringIO(data.decode("utf-8-sig"))):
            for cell in row:
                if cell[:1] in ("=", "+", "-", "@", "＝", "\t", "\r"):
                    raise Fall(f"{name} has the cell {cell[:40]!r}")
    elif name.endswith(".html"):
        text = data.decode()
        if "<script" in text.lower() or "\x00" in text:
            raise Fall(f"{name} holds a script")
    elif name.endswith(".pdf") and not data.startswith(b"%PDF"):
        raise Fall(f"{name} is no PDF")


# -- decks --------------------------------------------------------------------------------------------------------


def one_deck(strange: Strange) -> str:
    """Solve a strange deck, and write it as JSON and as text."""
    import json

    from pigtail.cli.solve import as_json, as_text, solve_file
    from pigtail.job.errors import FileError

    with tempfile.NamedTemporaryFile(suffix=".cir") as file:
        file.write(strange.deck().encode("utf-8", "replace"))
        file.flush()
        try:
            circuit, answers = solve_file(Path(file.name))
        except FileError as error:
            sentence(error)
            return "refused"
        json.dumps(as_json(circuit, answers), allow_nan=False)
        as_text(circuit, answers)
    return "solved"


# -- inputs -------------------------------------------------------------------------------------------------------


def one_input(strange: Strange) -> str:
    """A value, a list of parts, a table of readings, a stand-in, a library, an address or identity of a meter, each as strange as it comes."""
    which = strange.chance.choice((_value, _list, _table, _stand_in, _library, _address, _recording))
    return which(strange)


def _scrap(strange: Strange) -> str:
    chance = strange.chance
    pieces = (
        "4k7",
        "100n",
        " x20",
        "1",
        ",",
        ";",
        "\t",
        "\n",
        "\r",
        '"',
        "V",
        "Ω",
        "±",
        "%",
        "..",
        "-",
        "e9",
        "µ",
        "x",
        "inf",
        "nan",
        "0",
        *TEXTS,
    )
    return "".join(chance.choice(pieces) for _ in range(chance.choice((1, 2, 4, 8, 30, 200))))


def _value(strange: Strange) -> str:
    from pigtail.units import Basis, UnreadableError, parse_known, parse_quantity

    text, unit = _scrap(strange), strange.chance.choice(("V", "Ω", "F", "A", "dB", "", "m", "°C"))
    for read in (
        lambda: parse_quantity(text, unit),
        lambda: parse_known(text, unit, Basis.TYPICAL, "a test"),
    ):
        try:
            found = read()
        except UnreadableError as error:
            sentence(error)
        else:
            numbers = (found,) if isinstance(found, float) else (found.nominal, found.low, found.high)
            if not all(map(math.isfinite, numbers)):
                raise Fall(f"{text[:40]!r} is read as {numbers}")
    return "a value"


def _list(strange: Strange) -> str:
    from pigtail.catalogue.stock import parse_stock

    _may_refuse(lambda: parse_stock(_scrap(strange)))
    return "a list"


def _table(strange: Strange) -> str:
    from datetime import datetime

    from pigtail.catalogue.demo import demo
    from pigtail.job.reading_import import read_rows

    chance = strange.chance
    head = chance.choice(
        ("", "point,against,state,function,value\n", "value;point\n", "point\tvalue\twhen\n")
    )
    rows = "".join(
        f"{chance.choice(('record_in', 'rail_low', 'host.rail_low', _scrap(strange)[:60]))}{chance.choice(',;')}{_scrap(strange)[:60]}\r"
        for _ in range(chance.choice((0, 1, 5, 50)))
    )
    from pigtail.units import UnreadableError

    try:
        read_rows(demo("larkmoor").job, head + rows, datetime(2026, 11, 28))
    except (UnreadableError, Exception) as error:
        from pigtail.job.errors import JobError

        if not isinstance(error, JobError | UnreadableError):
            raise
        sentence(error)
    return "a table"


_STAND_INS: list[dict[str, Any]] = []


def _stand_in(strange: Strange) -> str:
    import json

    from pigtail.bench.host import StandInHost
    from pigtail.bench.scpi import Instrument
    from pigtail.bench.truth import decode, shipped
    from pigtail.job.errors import JobError

    if not _STAND_INS:
        _STAND_INS.extend(json.loads(p.read_text()) for p in shipped().values())
    data = strange.job(_STAND_INS)
    try:
        found = decode(data)
    except JobError as error:
        sentence(error)
        return "a stand-in refused"
    instrument = Instrument(StandInHost(found))
    for _ in range(3):
        channels = list(instrument.host.channels)
        red, black = strange.chance.choice(channels), strange.chance.choice(channels)
        answer = instrument.handle(
            f"ROUT:CLOS (@{red},{black});:MEAS:VOLT:DC?;:MEAS:RES?;{_scrap(strange)[:80]};SYST:ERR?"
        )
        if not answer.isascii():
            raise Fall("an instrument answers in letters that are none of its own")
    return "a stand-in"


def _library(strange: Strange) -> str:
    import sqlite3
    from contextlib import closing

    from pigtail.catalogue.stock import load_stock

    chance = strange.chance
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "library.sqlite"
        if chance.random() < 0.3:
            path.write_bytes(chance.randbytes(chance.randrange(300)))
        else:
            with closing(sqlite3.connect(path)) as library, library:
                library.execute("CREATE TABLE stock (kind, value, count)")
                for _ in range(chance.randrange(6)):
                    kind = chance.choice(("resistor", "capacitor", "x", None, 1))
                    value = chance.choice((None, "x", b"\x00", 1e999, -1.0, 4700.0, 1e-7, "4700"))
                    library.execute(
                        "INSERT INTO stock VALUES (?, ?, ?)",
                        (kind, value, chance.choice((0, -1, None, "x", 20, 10**9))),
                    )
        _may_refuse(lambda: load_stock(path))
    return "a library"


def _address(strange: Strange) -> str:
    from pigtail.bench.address import MeterError, parse_address
    from pigtail.bench.meters import shown_identity

    try:
        parse_address(_scrap(strange))
    except MeterError as error:
        sentence(error)
    if len(shown_identity(_scrap(strange))) > 80:
        raise Fall("an identity is shown at any length")
    return "an address"


def _recording(strange: Strange) -> str:
    import struct

    from pigtail.studies.loudness import loudness_of

    chance = strange.chance
    rate, channels, bits = (
        chance.choice((1, 0, 8000, 44100, 2**31)),
        chance.choice((0, 1, 2, 5, 6, 65535)),
        chance.choice((8, 16, 24, 32, 0)),
    )
    form = chance.choice((1, 3, 65534))
    data = (
        chance.randbytes(chance.choice((0, 10, 40_000)))
        if chance.random() < 0.8
        else struct.pack("<f", math.nan) * 5000
    )
    head = struct.pack("<HHIIHH", form, channels, rate, rate * 2 % 2**32, 2, bits)
    told = chance.choice((len(data), 2**31, 0))
    body = b"WAVEfmt " + struct.pack("<I", len(head)) + head + b"data" + struct.pack("<I", told) + data
    with tempfile.NamedTemporaryFile(suffix=".wav") as file:
        file.write(b"RIFF" + struct.pack("<I", len(body)) + body)
        file.flush()
        _may_refuse(lambda: loudness_of(Path(file.name)))
    return "a recording"


# -- running ------------------------------------------------------------------------------------------------------


def run(
    what: str, count: int, first: int = 0, *, longest: float = LONGEST_S, quiet: bool = False
) -> list[str]:
    """Run so many cases from a seed on; returns those that fell, in words."""
    bases = base_jobs() if what in ("jobs", "sheets") else []
    case: Callable[[Strange], str] = {
        "jobs": lambda s: one_job(s, bases), "sheets": lambda s: one_sheet(s, bases), "decks": one_deck, "inputs": one_input,
    }[what]  # fmt: skip
    ends: Counter[str] = Counter()
    fell: list[str] = []
    slowest = (0.0, 0)
    signal.signal(signal.SIGALRM, _alarm)
    began = time.monotonic()
    for seed in range(first, first + count):
        start = time.monotonic()
        signal.setitimer(signal.ITIMER_REAL, longest)
        try:
            ends[case(Strange(seed))] += 1
        except TooLongError:
            fell.append(f"{what} {seed}: it takes longer than {longest:g} s")
        except Exception as error:  # noqa: BLE001  whatever falls is told with its seed
            where = traceback.extract_tb(error.__traceback__)[-1]
            fell.append(
                f"{what} {seed}: {type(error).__name__}: {str(error)[:160]} ({Path(where.filename).name}:{where.lineno})"
            )
        finally:
            signal.setitimer(signal.ITIMER_REAL, 0)
        slowest = max(slowest, (time.monotonic() - start, seed))
        if seed % 200 == 0:
            gc.collect()
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
    if not quiet:
        told = ", ".join(f"{n:,} {word}" for word, n in ends.most_common())
        print(
            f"{count:,} {what} from seed {first}: {told}; {len(fell)} fell; the longest {slowest[0]:.1f} s (seed {slowest[1]}), "
            f"at most {most:,.0f} MB, {time.monotonic() - began:,.0f} s in all"
        )
    return fell


if __name__ == "__main__":
    found = run(sys.argv[1], int(sys.argv[2]), int(sys.argv[3]) if len(sys.argv) > 3 else 0)
    print("\n".join(found))
    sys.exit(bool(found))
