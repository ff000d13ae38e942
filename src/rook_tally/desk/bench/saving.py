"""A page of the Bench in a file, as it is shown: figures as CSV, its picture as PNG or SVG."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
from PySide6.QtCore import QRect, QRectF, QSize, Qt
from PySide6.QtGui import QImage, QPainter
from PySide6.QtSvg import QSvgGenerator

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_format import plain
from rook_tally.core.theme import Theme
from rook_tally.desk.bench.plot_painter import draw_picture
from rook_tally.desk.bench.plots import columns_of
from rook_tally.desk.bench.sheet import Sheet
from rook_tally.desk.bench.texts import tr
from rook_tally.desk.parts.fonts_and_colours import colour, face

_MARGIN, _HEAD = 16, 56


def save_sheet(path: Path, sheet: Sheet, theme: Theme, size: QSize) -> None:
    """Write a page, in the form that the file's name asks for.

    Raises
    ------
    UsageError
        When the file cannot be written, or its name asks for another form.
    """
    suffix = path.suffix.lower()
    try:
        if suffix == ".csv":
            _write_csv(path, sheet)
            return
        if suffix in (".png", ".svg"):
            path.touch()
    except OSError as error:
        raise UsageError(
            tr("{0} cannot be written: {1}", str(path), error.strerror or ""),
            kept=tr("nothing was saved"),
            remedy=tr("choose another folder"),
        ) from None
    if suffix == ".png":
        _paint_png(path, sheet, theme, size)
    elif suffix == ".svg":
        _paint_svg(path, sheet, theme, size)
    else:
        raise UsageError(
            tr("{0} is no form it can be saved in", suffix or str(path)),
            kept=tr("nothing was saved"),
            remedy=tr("end the name in .csv, .png or .svg"),
        )


def figures_of(sheet: Sheet) -> str:
    """The sentence, the figures and the list as lines of text, columns parted by tabs."""
    lines = [sheet.sentence.text, ""]
    lines += [f"{name}\t{told}" for name, told in sheet.side.facts]
    if sheet.lines:
        lines += ["", "\t".join(sheet.heads)]
        lines += ["\t".join(one.cells) for one in sheet.lines]
    lines += ["", *sheet.side.notes] if sheet.side.notes else []
    return "\n".join(lines) + "\n"


def _write_csv(path: Path, sheet: Sheet) -> None:
    """Sentence and figures, the list, then the data of the picture, a column each."""
    with path.open("w", encoding="utf-8", newline="") as target:
        writer = csv.writer(target)
        writer.writerow([sheet.sentence.text])
        for name, told in sheet.side.facts:
            writer.writerow([name, plain(told)])
        if sheet.lines:
            writer.writerow([])
            writer.writerow(sheet.heads)
            writer.writerows([plain(cell) for cell in line.cells] for line in sheet.lines)
        columns = columns_of(sheet.picture)
        if columns:
            writer.writerow([])
            writer.writerow([name for name, _ in columns])
            longest = max(len(values) for _, values in columns)
            for row in range(longest):
                writer.writerow(
                    [
                        f"{values[row]:.12g}"
                        if row < len(values) and np.isfinite(values[row])
                        else ""
                        for _, values in columns
                    ]
                )


def _paint(painter: QPainter, sheet: Sheet, theme: Theme, size: QSize) -> None:
    whole = QRectF(0, 0, size.width() + 2 * _MARGIN, size.height() + 2 * _MARGIN + _HEAD)
    painter.fillRect(whole, colour(theme.sheet))
    painter.setPen(colour(theme.ink))
    painter.setFont(face(16))
    head = QRectF(_MARGIN, _MARGIN, size.width(), _HEAD - 8)
    painter.drawText(head, Qt.TextFlag.TextWordWrap, sheet.sentence.text)
    area = QRectF(_MARGIN, _MARGIN + _HEAD, size.width(), size.height())
    draw_picture(painter, theme, sheet.picture, area)


def _whole(size: QSize) -> QSize:
    return QSize(size.width() + 2 * _MARGIN, size.height() + 2 * _MARGIN + _HEAD)


def _paint_png(path: Path, sheet: Sheet, theme: Theme, size: QSize) -> None:
    image = QImage(_whole(size) * 2, QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(2.0)
    painter = QPainter(image)
    _paint(painter, sheet, theme, size)
    painter.end()
    image.save(str(path))


def _paint_svg(path: Path, sheet: Sheet, theme: Theme, size: QSize) -> None:
    made = QSvgGenerator()
    made.setFileName(str(path))
    made.setSize(_whole(size))
    made.setViewBox(QRect(0, 0, _whole(size).width(), _whole(size).height()))
    made.setTitle(sheet.sentence.text)
    painter = QPainter(made)
    _paint(painter, sheet, theme, size)
    painter.end()
