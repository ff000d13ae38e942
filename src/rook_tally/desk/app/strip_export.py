"""The Strip as a picture in a file: pixels as PNG, or lines as SVG."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QRect, QSize
from PySide6.QtGui import QPainter
from PySide6.QtSvg import QSvgGenerator

from rook_tally.desk.app.texts import tr

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow


def save_picture(window: DeskWindow, path: str) -> None:
    """Write the Strip as it is shown, and say so."""
    suffix = Path(path).suffix.lower()
    if suffix not in (".png", ".svg"):
        path, suffix = f"{path}.png", ".png"
    written = _write_svg(window, path) if suffix == ".svg" else window.strip.grab().save(path)
    if written:
        window.tell(tr("The picture is in {0}.", path))
    else:
        window.tell(tr("{0} cannot be written; nothing was saved. Choose another folder.", path))


def _write_svg(window: DeskWindow, path: str) -> bool:
    try:
        Path(path).touch()
    except OSError:
        return False
    strip = window.strip
    size: QSize = strip.size()
    made = QSvgGenerator()
    made.setFileName(path)
    made.setSize(size)
    made.setViewBox(QRect(QPoint(0, 0), size))
    made.setTitle(f"{window.state.site.name}: {window.rail.model.span_words()}")
    painter = QPainter(made)
    # Heads, axis and panel as they are; lanes as lines, not as the pixels they are inked in.
    for widget in (strip.remarks_head, strip.remarks_lane, strip.axis, strip.panel, *strip.heads):
        widget.render(painter, widget.mapTo(strip, QPoint(0, 0)))
    for plot in strip.plots:
        painter.save()
        painter.translate(plot.mapTo(strip, QPoint(0, 0)))
        painter.setClipRect(plot.rect())
        plot.draw(painter, as_lines=True)
        painter.restore()
    return painter.end()
