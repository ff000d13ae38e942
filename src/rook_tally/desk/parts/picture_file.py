"""Pictures of files, brought to what is kept: decoded within bounds, made smaller, written anew."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt
from PySide6.QtGui import QImage, QImageReader, QImageWriter, QPainter

from rook_tally.core.errors import UsageError
from rook_tally.core.plans import MOST_BYTES, MOST_SIDE
from rook_tally.desk.parts.texts import tr

_MOST_FILE = 60_000_000
_MOST_PIXELS = 120_000_000
_QUALITIES = (88, 75, 60, 45)
_SVG_SIDE = 1600


def picture_of_file(path: Path) -> bytes:
    """A picture as a PNG, or as a JPEG where that is too large; within the bounds of `core.plans`.

    Needs a QGuiApplication where the file is an SVG with text.

    Raises
    ------
    UsageError
        When it cannot be read, is no picture, or would unpack to more than is sensible.
    """
    try:
        size = path.stat().st_size
    except OSError as error:
        raise UsageError(tr("{0} cannot be read: {1}", path, error.strerror)) from error
    if size > _MOST_FILE:
        raise UsageError(
            tr("{0} is too large: {1} MB", path, round(size / 1e6)),
            kept=tr("nothing was changed"),
            remedy=tr("give a picture of at most {0} MB", _MOST_FILE // 1_000_000),
        )
    reader = QImageReader(str(path))
    reader.setAutoTransform(True)
    told = reader.size()
    if told.isValid() and told.width() * told.height() > _MOST_PIXELS:
        # Before anything is unpacked: a small file may hold a huge picture.
        raise UsageError(
            tr("{0} is {1} × {2} pixels", path, told.width(), told.height()),
            kept=tr("nothing was changed"),
            remedy=tr("give a smaller picture"),
        )
    if told.isValid():
        reader.setScaledSize(_fitted(told, is_drawn=bytes(reader.format().data()) == b"svg"))
    image = reader.read()
    if image.isNull():
        raise UsageError(
            tr("{0} is no picture that can be read: {1}", path, reader.errorString()),
            kept=tr("nothing was changed"),
            remedy=tr("give a PNG, a JPEG or an SVG"),
        )
    return _written(image)


def _fitted(size: QSize, *, is_drawn: bool) -> QSize:
    longest = max(size.width(), size.height())
    most = _SVG_SIDE if is_drawn else min(longest, MOST_SIDE)
    return QSize(size).scaled(most, most, Qt.AspectRatioMode.KeepAspectRatio)


def _written(image: QImage) -> bytes:
    body = _encoded(image, "PNG", -1)
    if len(body) <= MOST_BYTES:
        return body
    # A JPEG knows nothing of what shines through.
    ground = QImage(image.size(), QImage.Format.Format_RGB32)
    ground.fill(Qt.GlobalColor.white)
    painter = QPainter(ground)
    painter.drawImage(0, 0, image)
    painter.end()
    for quality in _QUALITIES:
        body = _encoded(ground, "JPG", quality)
        if len(body) <= MOST_BYTES:
            return body
    half = ground.scaled(ground.size() / 2, mode=Qt.TransformationMode.SmoothTransformation)
    return _encoded(half, "JPG", _QUALITIES[-1])


def _encoded(image: QImage, form: str, quality: int) -> bytes:
    body = QByteArray()
    buffer = QBuffer(body)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QImageWriter(buffer, QByteArray(form.encode()))
    if quality >= 0:
        writer.setQuality(quality)
    writer.write(image)
    return bytes(body.data())
