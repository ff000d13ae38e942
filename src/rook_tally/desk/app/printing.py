"""What a view shows, on paper."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtPrintSupport import QPrintDialog, QPrinter

from rook_tally.core.moment_words import moment_words
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.app.texts import tr
from rook_tally.desk.parts.fonts_and_colours import face

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow

_HEAD = 0.035
"""Share of a page's height that its heading takes."""


def print_view(window: DeskWindow) -> None:
    """Ask for a printer, or a file, and print the view that is shown, on one page."""
    picture, heading = window.shown_picture(), _heading(window)
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setDocName(heading)
    wide = picture.width() > picture.height()
    orientation = type(printer.pageLayout().orientation())
    printer.setPageOrientation(orientation.Landscape if wide else orientation.Portrait)
    dialog = QPrintDialog(printer, window)
    dialog.setWindowTitle(tr("Print what is shown"))
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.accepted.connect(lambda: paint_page(printer, picture, heading))
    dialog.setModal(True)
    dialog.show()


def paint_page(printer: QPrinter, picture: QPixmap, heading: str) -> None:
    """Paint a picture onto a page, under a heading."""
    painter = QPainter(printer)
    page = QRectF(painter.viewport())
    head = QRectF(0, 0, page.width(), page.height() * _HEAD)
    font = face(10)
    font.setPixelSize(max(8, round(head.height() * 0.6)))
    painter.setFont(font)
    painter.drawText(head, Qt.AlignmentFlag.AlignVCenter, heading)
    room = page.adjusted(0, head.height() * 1.3, 0, 0)
    scale = min(room.width() / picture.width(), room.height() / picture.height())
    target = QRectF(room.left(), room.top(), picture.width() * scale, picture.height() * scale)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawPixmap(target, picture, QRectF(picture.rect()))
    painter.end()


def _heading(window: DeskWindow) -> str:
    state = window.state
    at = datetime_from_time_us(state.now_us).astimezone(state.zone)
    name = state.site.name or tr("A site without a name")
    return f"{name} · {window.view_names[window.view]} · {moment_words(at, year=True)}"
