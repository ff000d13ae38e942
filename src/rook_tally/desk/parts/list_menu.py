"""The menu of a list or a table in a dialog: what its buttons do with the picked row, and copying;
Delete deletes."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QKeySequence, QShortcut
from PySide6.QtWidgets import QAbstractItemView, QMenu, QPushButton

from rook_tally.desk.parts.copying import let_copy


def offer_buttons(
    view: QAbstractItemView, *buttons: QPushButton, remove: QPushButton | None = None
) -> None:
    """Have a right click offer what these buttons do, and Delete press `remove`."""
    every = buttons if remove is None else (*buttons, remove)
    copy = let_copy(view, with_menu=False)
    view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
    view.customContextMenuRequested.connect(partial(_offer, view, every, copy))
    if remove is not None:
        key = QShortcut(QKeySequence.StandardKey.Delete, view)
        key.setContext(Qt.ShortcutContext.WidgetShortcut)
        key.activated.connect(remove.click)


def _offer(
    view: QAbstractItemView, buttons: tuple[QPushButton, ...], copy: QAction, at: QPoint
) -> None:
    menu = QMenu(view)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    for button in buttons:
        # Which of them go depends on the row that is picked.
        if button.isHidden():
            continue
        action = menu.addAction(button.text(), button.click)
        action.setEnabled(button.isEnabled())
    menu.addSeparator()
    menu.addAction(copy)
    viewport = view.viewport()
    menu.popup(viewport.mapToGlobal(at))
