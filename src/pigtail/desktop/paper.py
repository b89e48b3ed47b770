"""The sheet on paper: the same PDF that `pigtail sheet` writes, sent to a printer page by page at its true size, each page the way round it
is."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QObject, QPointF, QRectF, QSize
from PyQt6.QtGui import QImage, QPageLayout, QPageSize, QPainter
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from pigtail.desktop.tips import Dialog
from pigtail.language import tr, trn

DPI = 300
#: So long the spooler may take to accept a document [s].
SPOOLER_S = 20


def on_letter(printer: QPrinter) -> bool:
    """Whether a printer has Letter in it, which wants the sheet made for that."""
    return printer.pageLayout().pageSize().id() == QPageSize.PageSizeId.Letter


def _opened(data: bytes, parent: QObject | None = None) -> QPdfDocument:
    """The document of a PDF file's bytes, which it keeps."""
    document = QPdfDocument(parent)
    buffer = QBuffer(document)
    buffer.setData(QByteArray(data))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    document.load(buffer)
    return document


def pages_of(data: bytes) -> int:
    """How many pages a PDF file's bytes have."""
    return _opened(data).pageCount()


def print_pdf(data: bytes, printer: QPrinter) -> int:
    """Print a PDF file's bytes, a millimetre of it a millimetre on paper; returns the number of pages. Into a file it goes as it is; to a
    printer of the system as vectors through the spooler, else as pictures of its pages. Raises OSError where it cannot be written."""
    if printer.outputFormat() is QPrinter.OutputFormat.PdfFormat and printer.outputFileName():
        Path(printer.outputFileName()).write_bytes(data)
        return pages_of(data)
    if printer.printerName() and _spooled(data, printer.printerName(), printer.copyCount()):
        return pages_of(data)
    return _painted(data, printer)


def _spooled(data: bytes, name: str, copies: int) -> bool:
    """Hand a PDF to the system's spooler at its true size; whether it took it."""
    spooler = shutil.which("lp")
    if spooler is None:
        return False
    command = [spooler, "-d", name, "-n", str(copies), "-o", "print-scaling=none", "-t", "Pigtail"]
    try:
        done = subprocess.run(command, input=data, capture_output=True, check=False, timeout=SPOOLER_S)
    except (OSError, subprocess.TimeoutExpired):
        return False
    return done.returncode == 0


def _painted(data: bytes, printer: QPrinter) -> int:
    """Print a PDF's pages as pictures; returns how many."""
    document = _opened(data)
    printer.setFullPage(True)
    printer.setPageMargins(QMarginsF(0, 0, 0, 0), QPageLayout.Unit.Point)
    _turn(printer, document, 0)
    painter = QPainter(printer)
    try:
        for page in range(document.pageCount()):
            if page:
                _turn(printer, document, page)
                printer.newPage()
            points = document.pagePointSize(page)
            size = QSize(round(points.width() * DPI / 72), round(points.height() * DPI / 72))
            dots = printer.resolution() / 72.0
            painter.drawImage(QRectF(QPointF(0, 0), points * dots), on_white(document.render(page, size)))
        return document.pageCount()
    finally:
        painter.end()
        document.close()


def on_white(image: QImage) -> QImage:
    """A page as it lies on paper: what is rendered has no ground of its own."""
    page = QImage(image.size(), QImage.Format.Format_RGB32)
    page.fill(0xFFFFFFFF)
    painter = QPainter(page)
    painter.drawImage(0, 0, image)
    painter.end()
    return page


def _turn(printer: QPrinter, document: QPdfDocument, page: int) -> None:
    """Turn the paper the way a page lies."""
    points = document.pagePointSize(page)
    lies = points.width() > points.height()
    printer.setPageOrientation(
        QPageLayout.Orientation.Landscape if lies else QPageLayout.Orientation.Portrait
    )


def ask_printer(parent: QWidget) -> QPrinter | None:
    """Which printer to use, or None."""
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    dialog = QPrintDialog(printer, parent)
    dialog.setWindowTitle(tr("Print the build sheet"))
    return printer if dialog.exec() == QPrintDialog.DialogCode.Accepted else None


class Preview(Dialog):
    """The pages as they will be printed, to be looked at first."""

    def __init__(self, data: bytes, parent: QWidget | None = None) -> None:
        from PyQt6.QtPdfWidgets import QPdfView

        super().__init__(parent)
        self.setObjectName("preview")
        self.setWindowTitle(tr("The sheet, before it is printed"))
        self.resize(820, 720)
        self.document = _opened(data, self)
        self.view = QPdfView(self)
        self.view.setAccessibleName(tr("The pages of the sheet"))
        self.view.setToolTip(tr("Scroll to go through the pages"))
        self.view.setDocument(self.document)
        self.view.setPageMode(QPdfView.PageMode.MultiPage)
        self.view.setZoomMode(QPdfView.ZoomMode.FitToWidth)
        count = self.document.pageCount()
        say = QLabel(
            trn(
                "{count} page, printed at true size: measure the bar of 50 mm on paper.",
                "{count} pages, printed at true size: measure the bar of 50 mm on paper.",
                count,
            )
        )
        say.setObjectName("dim")
        buttons, _ = self.answers(tr("Print…"))
        layout = QVBoxLayout(self)
        for widget in (say, self.view, buttons):
            layout.addWidget(widget)
