"""Fonts and colours as Qt wants them."""

from __future__ import annotations

from functools import cache

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPen


@cache
def colour(name: str, opacity: float = 1.0) -> QColor:
    """A colour by its `#RRGGBB`. Shared: do not alter it."""
    made = QColor(name)
    made.setAlphaF(opacity)
    return made


@cache
def pen(
    name: str,
    width: float,
    opacity: float = 1.0,
    style: Qt.PenStyle = Qt.PenStyle.SolidLine,
    cap: Qt.PenCapStyle = Qt.PenCapStyle.SquareCap,
) -> QPen:
    """A pen of a colour. Shared: do not alter it."""
    return QPen(colour(name, opacity), width, style, cap)


@cache
def face(size_px: int, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """Inter, or the desktop's font where it is missing, with figures of equal width. Shared."""
    made = QFont(_family(), -1, weight)
    made.setPixelSize(size_px)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


@cache
def _family() -> str:
    return "Inter" if "Inter" in QFontDatabase.families() else QFont().family()


REGULAR = QFont.Weight.Normal
MEDIUM = QFont.Weight.Medium
BOLD = QFont.Weight.DemiBold
