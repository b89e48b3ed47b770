"""The sheet on paper: the same PDF that `pigtail sheet` writes, sent to a printer page by page."""

from __future__ import annotations

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import QWidget

DPI = 200


def print_pdf(data: bytes, printer: QPrinter) -> int:
    """Print a PDF file's bytes; returns the number of pages."""
    buffer = QBuffer()
    buffer.setData(QByteArray(data))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    document = QPdfDocument(None)
    document.load(buffer)
    painter = QPainter(printer)
    try:
        for page in range(document.pageCount()):
            if page:
                printer.newPage()
            points = document.pagePointSize(page)
            size = QSize(round(points.width() * DPI / 72), round(points.height() * DPI / 72))
            target = QRectF(painter.viewport())
            scale = min(target.width() / size.width(), target.height() / size.height())
            rect = QRectF(0, 0, size.width() * scale, size.height() * scale)
            painter.drawImage(rect, document.render(page, size))
        return document.pageCount()
    finally:
        painter.end()
        document.close()


def ask_printer(parent: QWidget) -> QPrinter | None:
    """Which printer to use, or None."""
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    dialog = QPrintDialog(printer, parent)
    dialog.setWindowTitle("Print the build sheet")
    return printer if dialog.exec() == QPrintDialog.DialogCode.Accepted else None
