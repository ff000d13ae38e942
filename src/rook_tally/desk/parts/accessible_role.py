"""What drawn widgets are to those who hear the window: Qt calls each of them a mere client."""

from __future__ import annotations

from PySide6.QtCore import QObject
from PySide6.QtGui import QAccessible, QAccessibleAnnouncementEvent, QAccessibleInterface
from PySide6.QtWidgets import QAccessibleWidget, QWidget

_PROPERTY = "accessible_role"
# Qt keeps an interface for as long as its widget lives, and does not own what Python made.
_kept: dict[int, QAccessibleInterface] = {}
_is_installed = False


def give_role(widget: QWidget, role: QAccessible.Role) -> None:
    """Let a drawn widget be heard as a chart, a slider, a button."""
    global _is_installed
    if not _is_installed:
        _is_installed = True
        QAccessible.installFactory(_interface_of)
    widget.setProperty(_PROPERTY, role.value)
    number = id(widget)
    widget.destroyed.connect(lambda: _kept.pop(number, None))


def announce(widget: QWidget, words: str) -> None:
    """Have something said that nobody asked for, as a passing line is."""
    if words and QAccessible.isActive():
        QAccessible.updateAccessibility(QAccessibleAnnouncementEvent(widget, words))


def _interface_of(_class: str, thing: QObject) -> QAccessibleInterface | None:
    if not isinstance(thing, QWidget):
        return None
    role = thing.property(_PROPERTY)
    if role is None:
        return None
    made = QAccessibleWidget(thing, QAccessible.Role(role))
    _kept[id(thing)] = made
    return made
