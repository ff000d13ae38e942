"""Another theme in the window that stands: dialogs, drafts and the whole screen stay as they are.

What is painted reads its colours from the window's theme at every paint. Palettes, style sheets and
the items of lists hold colours that were put in when they were made; each is exchanged for the one
that has its role in the other theme.
"""

from __future__ import annotations

import re

from PySide6.QtCore import Qt
from PySide6.QtGui import QBrush, QColor, QPalette
from PySide6.QtWidgets import (
    QApplication,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from rook_tally.core.theme import Theme
from rook_tally.desk.app.stylesheet import palette_of

_HEX = re.compile(r"#[0-9A-Fa-f]{6}\b")
_RGB = re.compile(r"rgba\((\d+), (\d+), (\d+),")
_GROUPS = (QPalette.ColorGroup.Active, QPalette.ColorGroup.Inactive, QPalette.ColorGroup.Disabled)
_ROLES = [one for one in QPalette.ColorRole if one is not QPalette.ColorRole.NColorRoles]


def recolour(theme: Theme, other: Theme) -> None:
    """Let a window's theme become another, everywhere it is shown."""
    exchanged = theme.exchanged(other)
    if not exchanged:
        return
    theme.become(other)
    widgets = QApplication.allWidgets()
    # Looked at first: a new style sheet puts palettes back as they were before the old one.
    palettes = [(one, _recoloured(one.palette(), exchanged)) for one in widgets]
    QApplication.setPalette(palette_of(theme))
    for widget in widgets:
        _recolour_style(widget, exchanged)
    for widget, palette in palettes:
        if palette is not None:
            widget.setPalette(palette)
        _recolour_words(widget, exchanged)
        _recolour_items(widget, exchanged)
        widget.update()


def _recoloured(palette: QPalette, exchanged: dict[str, str]) -> QPalette | None:
    """A palette in the other colours; None where it sets none of them itself."""
    is_other = False
    for group in _GROUPS:
        for role in _ROLES:
            if palette.isBrushSet(group, role):
                made = _exchanged(palette.color(group, role), exchanged)
                if made is not None:
                    palette.setColor(group, role, made)
                    is_other = True
    return palette if is_other else None


def _recolour_words(widget: QWidget, exchanged: dict[str, str]) -> None:
    """Colours that stand in a label's own words."""
    if isinstance(widget, QLabel) and widget.textFormat() is Qt.TextFormat.RichText:
        after = _of_hex(widget.text(), exchanged)
        if after != widget.text():
            widget.setText(after)


def _of_hex(text: str, exchanged: dict[str, str]) -> str:
    return _HEX.sub(lambda found: exchanged.get(found[0].upper(), found[0]), text)


def _recolour_style(widget: QWidget, exchanged: dict[str, str]) -> None:
    before = widget.styleSheet()
    if not before:
        return

    def of_rgb(found: re.Match[str]) -> str:
        name = "#{:02X}{:02X}{:02X}".format(*(int(found[at]) for at in (1, 2, 3)))
        made = exchanged.get(name)
        if made is None:
            return found[0]
        red, green, blue = (int(made[at : at + 2], 16) for at in (1, 3, 5))
        return f"rgba({red}, {green}, {blue},"

    after = _RGB.sub(of_rgb, _of_hex(before, exchanged))
    if after != before:
        widget.setStyleSheet(after)


def _recolour_items(widget: QWidget, exchanged: dict[str, str]) -> None:
    if isinstance(widget, QTableWidget):
        cells = (
            widget.item(row, column)
            for row in range(widget.rowCount())
            for column in range(widget.columnCount())
        )
        items: list[QTableWidgetItem | QListWidgetItem] = [one for one in cells if one is not None]
    elif isinstance(widget, QListWidget):
        items = [widget.item(row) for row in range(widget.count())]
    else:
        return
    for item in items:
        for brush, put in (
            (item.foreground(), item.setForeground),
            (item.background(), item.setBackground),
        ):
            made = _exchanged(brush.color(), exchanged)
            if made is not None and brush.style() is not QBrush().style():
                put(QBrush(made, brush.style()))


def _exchanged(colour: QColor, exchanged: dict[str, str]) -> QColor | None:
    name = exchanged.get(colour.name().upper())
    if name is None:
        return None
    made = QColor(name)
    made.setAlpha(colour.alpha())
    return made
