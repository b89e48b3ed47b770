"""What the next rooms are promised: a network, a module, a judgement or a study is added by its own entry, and nothing else."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot
from tests.conftest import Extend
from tests.feeds import known, pad, through

from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.advice.remedies import advised
from pigtail.advice.search import search
from pigtail.catalogue.kinds import make_module
from pigtail.edits.plan import reconverted, set_rail
from pigtail.edits.usual import rails
from pigtail.job.document import Job, Plus, Purpose, SupplyIn
from pigtail.job.wiring import addresses_of
from pigtail.studies.all import study_job
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.level.found import LevelFound
from pigtail.studies.power.found import PowerFound

#: A pad whose source side is held back by a capacitor, as a stranger would add it.
BLOCKED_PAD = """
[blocked_pad]
short = "blocked pad"
title = "Pad behind a capacitor"
purposes = ["feed"]
inputs = ["in"]
sides = ["com"]
does = ["pads", "blocks", "bleeds"]
menu = "Add a part"
remedy = "add a pad behind a capacitor"
good_for = "A source with a bias that is too loud as well."
catch = "One capacitor and two resistors."
netlist = \"\"\"
.subckt blocked_pad in out com c1=10u r1=2.2k r2=2.2k
C1 in m {c1}
Rk in m 100meg
R1 m out {r1}
R2 out com {r2}
.ends\"\"\"
parts = [
  { name = "c1", role = "blocks", words = "series", unit = "F", kind = "capacitor", default = "10 µF", tolerance = 0.2, series = "E6", rule = "corner at 5 Hz or less" },
  { name = "r1", role = "series", words = "series", unit = "Ω", kind = "resistor", default = "2.2 kΩ", tolerance = 0.05, series = "E24", rule = "1 kΩ or more" },
  { name = "r2", role = "level", shunt = true, words = "shunt", unit = "Ω", kind = "resistor", default = "2.2 kΩ", tolerance = 0.05, series = "E24", rule = "from the ratio wanted" },
]
tried = { when = ["line", "plain", "not own dc"], vary = { r1 = ["E12", 1e3, 100e3], r2 = ["E24", 47.0, 470e3] }, then = { c1 = ["E3", 0.47e-6, 100e-6] } }
"""

#: A timer board that switches 12 V through to a rail of its own.
SLEEP_TIMER = """
[sleep_timer]
name = "Sleep timer, 5 V"
summary = "Switches its supply through to a rail of its own for half an hour."
terminals = [
  { role = "supply in", id = "supply", name = "supply", place = "pad +", return_to = "supply_return", minimum = "4.5 V", maximum = "5.5 V", average = "8 mA ±20 %", burst = "12 mA ±20 %" },
  { role = "return", id = "supply_return", name = "supply negative", place = "pad −", star = true },
  { role = "rail", id = "switched", name = "switched 5 V", place = "pad OUT", return_to = "supply_return", voltage = "5 V ±3 %", resistance = "0.1 Ω ±50 %", limit = "1 A ±20 %", used = "0 A" },
]
"""


def _about(job: Job, code: str) -> list[Finding]:
    studies = study_job(job)
    return [f for s in advised(job, studies).each() for f in s.findings if f.code == code]


def _biased(job: Job) -> Job:
    """The loud player's outputs stand on 2.5 V."""
    for point in ("out_left", "out_right"):
        job = edits.set_value(job, f"m.{point}", "bias", known(2.5, "V"))
    return job


def test_a_network_solves_from_its_entry_alone(extend: Extend) -> None:
    """The level behind it is that of its divider against source and load, by hand; its corner that of its capacitor."""
    extend(topology=BLOCKED_PAD)
    job = through(pad(), "feed_left", "blocked_pad", r1=4.7e3, r2=2.2e3)
    numbers = study_job(job).of(LevelFound).numbers
    source, sink = job.terminal("m.out_left"), job.terminal("host.line_left")
    rs, rl = source.impedance.nominal, sink.impedance.nominal  # type: ignore[union-attr]
    shunt = 2.2e3 * rl / (2.2e3 + rl)
    by_hand = 20 * math.log10(source.emf.nominal * shunt / (rs + 4.7e3 + shunt) / sink.wanted.nominal)  # type: ignore[union-attr]
    assert numbers["level.feed_left.target_db"].value == pytest.approx(by_hand, abs=0.02)
    corner = 1 / (2 * math.pi * 10e-6 * (rs + 4.7e3 + shunt))
    assert numbers["level.feed_left.low_cut_hz"].value == pytest.approx(corner, rel=0.03)


@pytest.mark.long
def test_its_capacitor_is_judged_and_each_remedy_mends(extend: Extend) -> None:
    """Rated below the bias, and the wrong way round: both are told, and gone when their first remedy is taken."""
    extend(topology=BLOCKED_PAD)
    job = through(_biased(pad()), "feed_left", "blocked_pad")
    wrong = edits.set_capacitor(job, "feed_left", 0, "c1", rating=known(1.0, "V", 0.0), plus=Plus.SOURCE)
    (small,) = _about(wrong, "level.capacitor_rating")
    assert small.severity is Severity.FIX
    mended = small.remedies[0].edit(wrong)
    assert not _about(mended, "level.capacitor_rating")
    reversed_ = edits.set_capacitor(
        mended, "feed_left", 0, "c1", rating=known(16.0, "V", 0.0), plus=Plus.INPUT
    )
    (told,) = _about(reversed_, "level.capacitor_reversed")
    assert not _about(told.remedies[0].edit(reversed_), "level.capacitor_reversed")


@pytest.mark.long
def test_it_is_offered_for_a_bias_and_its_level_is_mended(extend: Extend) -> None:
    """A bias that reaches the input is answered with it, among others; one of its own that is too loud by its shunt."""
    extend(topology=BLOCKED_PAD)
    straight = _biased(pad())
    for side in ("feed_left", "feed_right"):
        straight = through(straight, side, "wire")
    offers = {r.label for f in _about(straight, "level.dc_reaches_input") for r in f.remedies}
    assert any("add a pad behind a capacitor" in label for label in offers), offers
    loud = _biased(pad())
    for point in ("out_left", "out_right"):
        loud = edits.set_value(loud, f"m.{point}", "emf", known(6.0, "V"))
    for side in ("feed_left", "feed_right"):
        loud = through(loud, side, "blocked_pad", r1=1e3, r2=100e3)
    finding = next(f for f in _about(loud, "level.clips"))
    assert finding.remedies
    assert "R2 to" in finding.remedies[0].label
    after = study_job(finding.remedies[0].edit(loud)).of(LevelFound)
    mended = [f.severity for f in after.findings if f.judgement == "level.fits"]
    assert len(mended) == 2
    assert Severity.FIX not in mended


def test_a_search_tries_it_and_keeps_what_is_said_of_its_parts(extend: Extend) -> None:
    """Among what a search offers; a rating and a polarity that were set stay when another value is taken."""
    extend(topology=BLOCKED_PAD)
    job = through(_biased(pad()), "feed_left", "blocked_pad")
    job = edits.set_capacitor(job, "feed_left", 0, "c1", rating=known(25.0, "V", 0.0), plus=Plus.SOURCE)
    found = search(job, "feed_left")
    taken = [o for o in found.options if [s.topology for s in o.link.sections] == ["blocked_pad"]]
    assert taken
    for option in taken:
        (part,) = (p for p in option.link.sections[0].parts if p.name == "c1")
        assert part.plus is Plus.SOURCE
        assert part.rating is not None
        assert part.rating.nominal == 25.0


def test_a_module_is_proposed_and_its_own_rail_offered(extend: Extend, mended: Job) -> None:
    """A sleep timer gets a supply and a return; the receiver beside it can then be fed from the timer's switched rail."""
    extend(module=SLEEP_TIMER)
    (pin,) = addresses_of(mended, SupplyIn, mended.modules[0].id)
    job = propose(edits.add_module(mended, make_module("sleep_timer", "timer")), "timer")
    (own,) = (x for x in job.links if x.purpose is Purpose.SUPPLY and x.at("out") == ("timer.supply",))
    assert own.starts[0].startswith("host.")
    assert any(x.purpose is Purpose.RETURN and "timer.supply_return" in x.starts for x in job.links)
    assert "timer.switched" in rails(job, pin)
    assert "timer.switched" not in rails(job, "timer.supply")
    (link,) = (x for x in job.links if x.purpose is Purpose.SUPPLY and x.at("out") == (pin,))
    straight = edits.replace_link(job, reconverted(job, link, "direct"))
    moved = set_rail(straight, link.id, "timer.switched")
    found = study_job(moved).of(PowerFound)
    assert found.numbers[f"power.{link.id}.module_v"].value == pytest.approx(5.0, abs=0.1)
    drawn = found.numbers[f"power.{link.id}.module_current_a"].value
    timer = found.numbers[f"power.{own.id}.module_current_a"].value
    whole = found.numbers[f"power.{own.id}.rail_current_a"].value
    assert drawn is not None
    assert timer is not None
    used = moved.terminal(own.starts[0]).used.nominal  # type: ignore[union-attr]
    assert whole == pytest.approx(used + drawn + timer + 0.004, abs=0.002), (
        "what its rail gives comes in at its own pin"
    )


def test_a_judgement_is_one_entry(extend: Extend) -> None:
    """A limit on a number that a study has already: it is told, with its why, and its remedies are sought by its way."""
    extend(
        judgement="""
["level.gentle"]
number = "headroom_db"
grade = "at_least"
good = 30.0
watch = 20.0
worst = "watch"
why = "a taste of the test's own"
says.good = "{name} is gentle: {nominal} of room."
says.watch = "{name} is not gentle: {nominal} of room."
says.fix = "{name} is not gentle at all: {nominal} of room."
"""
    )
    found = [f for f in study_job(pad()).of(LevelFound).findings if f.code == "level.gentle"]
    assert len(found) == 2
    for finding in found:
        assert finding.severity is Severity.WATCH
        assert "gentle" in finding.sentence
        assert finding.why == "a taste of the test's own"


STUDY = """
from pigtail.studies.echo.found import EchoFound
from pigtail.studies.wording import tell

def study_echo(model):
    findings = [tell("echo.heard", link.id, {"name": link.name}) for link in model.job.links]
    return EchoFound("echo", {}, tuple(findings))
"""
FOUND = '''
from pigtail.studies.findings import Study

class EchoFound(Study, frozen=True, tag="echo"):
    """What the echo study finds."""

FOUND = EchoFound
'''
STATION = """
from PyQt6.QtWidgets import QLabel, QVBoxLayout
from pigtail.desktop.stations.base import Station
from pigtail.studies.echo.found import EchoFound

class EchoStation(Station):
    key = "echo"

    def __init__(self):
        super().__init__()
        self.words = QLabel(objectName="echo_words")
        QVBoxLayout(self).addWidget(self.words)

    def show_job(self, job, studies):
        self.words.setText(f"{len(studies.of(EchoFound).findings)} links echo in {job.name}")

STATION = EchoStation
"""
WORDING = '["echo.heard"]\nseverity = "watch"\nsays = "{name} echoes."\n'


@pytest.fixture
def echo(extend: Extend, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A study with its station, in files of its own, and its line in the register."""
    import pigtail.desktop.stations as stations
    from pigtail import studies
    from pigtail.studies import register

    for package, files in (
        (studies, {"study.py": STUDY, "found.py": FOUND, "data/findings.toml": WORDING}),
        (stations, {"station.py": STATION}),
    ):
        folder = tmp_path / package.__name__
        for name, text in {"__init__.py": "", **files}.items():
            path = folder / "echo" / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
        monkeypatch.setattr(package, "__path__", [*package.__path__, str(folder)])
    extend()
    register.REGISTER.append(register.Entry("echo", "Echo", "what comes back"))


@pytest.mark.usefixtures("echo")
def test_a_study_is_its_own_files_and_a_line() -> None:
    """It is run with the others, its verdict stands among theirs, and the sheet and the command line tell it."""
    from pigtail.cli.report import as_json
    from pigtail.sheet.content import make_sheet

    job = pad()
    studies = study_job(job)
    assert [s.name for s in studies.each()][-1] == "echo"
    assert studies.verdicts["echo"] is Severity.WATCH
    assert len([f for f in studies.findings if f.code == "echo.heard"]) == len(job.links)
    told = as_json(job, studies)
    assert told["verdicts"]["echo"] == "watch"
    assert ("Echo", "watch") in make_sheet(job, advised(job, studies)).verdicts


@pytest.mark.usefixtures("echo")
def test_its_station_is_shown_in_the_window(qtbot: QtBot, tmp_path: Path) -> None:
    """A splice on the lead leads to it, and it paints what its study found."""
    from tests.desktop.conftest import Bench

    window = Bench(qtbot, tmp_path).open_demo()
    try:
        window.assembly.views.go("echo")
        words = window.find(QLabel, "echo_words")
        assert isinstance(words, QLabel)
        assert words.text() == "4 links echo in Larkmoor Forty, wireless in"
        assert window.window.lead.splices["echo"].words == "Echo"
    finally:
        window.close()
