"""No word on the screen that nobody explains: it is plain English, or the glossary has it.

`plain_words.txt` lists what counts as plain; a word that is new on a screen fails here until it is either put there by somebody who vouches for
it, or explained.
"""

from __future__ import annotations

import os
import re
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QAbstractButton, QWidget
from tests.desktop import reading
from tests.desktop.conftest import Bench
from tests.desktop.test_first_road import FITTING, begin

from pigtail.catalogue.glossary import words as glossary
from pigtail.catalogue.kinds import host_kinds
from pigtail.desktop.meterdialog import MeterDialog
from pigtail.desktop.newjob import NewJob
from pigtail.desktop.owndevices import OwnDevices
from pigtail.desktop.pickmodule import PickDevice
from pigtail.job.document import SupplyClass

PLAIN = Path(__file__).with_name("plain_words.txt")
STATIONS = ("survey", "taps", "level", "power", "returns", "control", "build", "prove")


@pytest.fixture(scope="module")
def known() -> set[str]:
    """Plain words, and those of the glossary."""
    explained = {part.lower() for word in glossary() for part in re.findall(r"[A-Za-z][A-Za-z'-]+", word)}
    return explained | set(PLAIN.read_text(encoding="utf-8").split())


def strange(root: QWidget, known: set[str]) -> list[str]:
    """The words of a window that are neither plain nor explained; a plural is as its word, a compound as its parts."""

    def told(word: str) -> bool:
        forms = {word, word.removesuffix("s"), word.removesuffix("es")}
        return bool(forms & known) or ("-" in word and all(told(w) for w in word.split("-") if len(w) > 1))

    found = sorted(w for w in reading.words(root) if not told(w))
    if found and (file := os.environ.get("PIGTAIL_STRANGE_WORDS")):
        with open(file, "a", encoding="utf-8") as out:
            out.write("\n".join(found) + "\n")
        return []
    return found


def visit(bench: Bench, known: set[str]) -> dict[str, list[str]]:
    """Every station with all of its pages: what is strange on each."""
    found = {}
    for key in STATIONS:
        bench.run(f"go_{key}")
        bench.settle()
        found[key] = strange(bench.window, known)
        for button in bench.window.findChildren(QAbstractButton):
            if button.isVisible() and button.objectName().startswith("page_"):
                bench.click(button)
                found[f"{key} {button.text()}"] = strange(bench.window, known)
    return {k: v for k, v in found.items() if v}


@pytest.mark.parametrize("name", ["larkmoor", "tidewell"])
def test_every_word_of_the_stations_is_plain_or_explained(bench: Bench, known: set[str], name: str) -> None:
    """A flawed job and a good one, all stations and pages, bench mode and the runbook."""
    bench.open_demo(name)
    assert visit(bench, known) == {}
    bench.run("mode")
    assert bench.assembly.bench.mode is not None
    assert strange(bench.assembly.bench.mode, known) == []
    bench.assembly.bench.mode.close()
    bench.run("run")
    assert bench.assembly.bench.run is not None
    assert strange(bench.assembly.bench.run, known) == []
    bench.assembly.bench.run.close()


def test_every_word_of_the_beginning_is_plain_or_explained(bench: Bench, known: set[str]) -> None:
    """The empty window, a new job of every kind, the choice of a module, the meter, the own devices."""
    bench.assembly.show_empty()
    assert strange(bench.window, known) == []
    form = NewJob(bench.window)
    for dialog in (
        form,
        PickDevice("Add a module", "Add it", parent=bench.window),
        MeterDialog("handheld", bench.window),
        OwnDevices(bench.window),
    ):
        bench.qtbot.addWidget(dialog)
        dialog.show()
        bench.qtbot.waitExposed(dialog)
        assert strange(dialog, known) == []
    for k in range(form.host_kind.count()):
        form.host_kind.setCurrentIndex(k)
        assert strange(form, known) == [], form.host_kind.currentText()


@pytest.mark.one_of(6)
@pytest.mark.parametrize("host", [k.key for k in host_kinds()])
def test_every_word_of_a_first_job_is_plain_or_explained(bench: Bench, known: set[str], host: str) -> None:
    """A job as a first-timer begins it, of each kind of host with a module that fits."""
    begin(bench, host, FITTING.get(host, "wireless_receiver_5v"), SupplyClass.MAINS_ISOLATED)
    assert visit(bench, known) == {}
