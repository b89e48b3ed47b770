"""The sheet on paper: the same PDF that `pigtail sheet` writes, sent to a printer page by page at its true size, each page the way round it
is."""

from __future__ import annotations

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QPointF, QRectF, QSize
from PyQt6.QtGui import QImage, QPageLayout, QPageSize, QPainter
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import QWidget

DPI = 300


def on_letter(printer: QPrinter) -> bool:
    """Whether a printer has Letter in it, which wants the sheet made for that."""
    return printer.pageLayout().pageSize().id() == QPageSize.PageSizeId.Letter


def print_pdf(data: bytes, printer: QPrinter) -> int:
    """Print a PDF file's bytes, a millimetre of it a millimetre on paper; returns the number of pages."""
    buffer = QBuffer()
    buffer.setData(QByteArray(data))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    document = QPdfDocument(None)
    document.load(buffer)
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
    dialog.setWindowTitle("Print the build sheet")
    return printer if dialog.exec() == QPrintDialog.DialogCode.Accepted else None
