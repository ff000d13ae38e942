"""A short list of names to tick; none ticked means all of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidget, QListWidgetItem

_HEIGHT = 96


class TickList(QListWidget):
    """Names by what they stand for. What is ticked and not there any more stays to be seen, and to
    be taken away."""

    def __init__(self, names: Mapping[str, str], ticked: Sequence[str]) -> None:
        super().__init__()
        self.setMaximumHeight(_HEIGHT)
        gone = {one: one for one in ticked if one not in names}
        for name, words in {**names, **gone}.items():
            item = QListWidgetItem(words, self)
            item.setData(Qt.ItemDataRole.UserRole, name)
            is_ticked = name in ticked
            item.setCheckState(Qt.CheckState.Checked if is_ticked else Qt.CheckState.Unchecked)

    @property
    def ticked(self) -> tuple[str, ...]:
        """Return the names that are ticked, in the order of the list."""
        items = [self.item(at) for at in range(self.count())]
        return tuple(
            str(one.data(Qt.ItemDataRole.UserRole))
            for one in items
            if one.checkState() is Qt.CheckState.Checked
        )
