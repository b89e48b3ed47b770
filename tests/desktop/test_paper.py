"""Printing: what leaves is the PDF itself, as vectors and at true size; it is looked at first."""

from __future__ import annotations

import io
import os
from pathlib import Path

import pytest
from pypdf import PdfReader
from PyQt6.QtCore import QTimer
from PyQt6.QtPrintSupport import QPrinter
from PyQt6.QtWidgets import QApplication
from tests.desktop.conftest import Bench

from pigtail.catalogue.demo import demo
from pigtail.desktop import paper
from pigtail.service import services
from pigtail.studies.all import study_job


@pytest.fixture(scope="module")
def sheet() -> bytes:
    """The sheet of a demo as PDF."""
    job = demo("tidewell").job
    return services.printed(job, study_job(job), "sheet", False)


def test_into_a_file_it_goes_as_it_is(sheet: bytes, tmp_path: Path, qapp: QApplication) -> None:
    """Vectors stay vectors: text can be read out of it, and no page is a picture."""
    printer = QPrinter(QPrinter.PrinterMode.ScreenResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "out.pdf"))
    assert paper.print_pdf(sheet, printer) == len(PdfReader(io.BytesIO(sheet)).pages)
    written = PdfReader(tmp_path / "out.pdf")
    assert "Tidewell Minor" in "".join(p.extract_text() for p in written.pages)
    assert not any(p.images for p in written.pages)


@pytest.mark.parametrize("code", [0, 1])
def test_the_spooler_gets_the_document_at_its_true_size(
    code: int, sheet: bytes, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Not scaled to the page; one that refuses is told by the answer, so that the pages are painted instead."""
    spooler = tmp_path / "lp"
    spooler.write_text(f'#!/bin/sh\necho "$@" > {tmp_path}/asked\ncat > {tmp_path}/got\nexit {code}\n')
    spooler.chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}{os.pathsep}{os.environ['PATH']}")
    assert paper._spooled(sheet, "bench", 2) is (code == 0)
    assert (tmp_path / "asked").read_text().split()[:6] == [
        "-d",
        "bench",
        "-n",
        "2",
        "-o",
        "print-scaling=none",
    ]
    assert (tmp_path / "got").read_bytes() == sheet


def test_a_place_that_cannot_be_written_is_told(
    bench: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One sentence; nothing is lost."""
    printer = QPrinter(QPrinter.PrinterMode.ScreenResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "nowhere" / "out.pdf"))
    monkeypatch.setattr(paper, "ask_printer", lambda _parent: printer)
    bench.open_demo("tidewell").run("print")
    assert "cannot be printed there" in bench.message()


def test_the_sheet_is_looked_at_before_it_is_printed(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    """Every page of it; from there it is printed."""
    asked: list[str] = []
    monkeypatch.setattr(bench.assembly.output, "ask_print", lambda: asked.append("print"))

    def look() -> None:
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, paper.Preview):
            QTimer.singleShot(50, look)
            return
        assert dialog.document.pageCount() > 3
        dialog.accept()

    bench.open_demo("tidewell")
    QTimer.singleShot(50, look)
    bench.run("preview")
    assert asked == ["print"]
