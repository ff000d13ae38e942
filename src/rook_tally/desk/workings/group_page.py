"""A group's page: which places and series it holds."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.named_series import Group, slug_of
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.workings.model import WorkingsModel
from rook_tally.desk.workings.page_head import PageFoot
from rook_tally.desk.workings.texts import tr


class GroupPage(QWidget):
    """Its name, its places, its series."""

    def __init__(self, theme: Theme, model: WorkingsModel) -> None:
        super().__init__()
        self._theme = theme
        self._model = model
        self.name = QLineEdit()
        self.name.setFont(face(19, BOLD))
        self.name.setStyleSheet(
            f"QLineEdit {{ border: none; background: transparent; font-size: 19px;"
            f" font-weight: 600; color: {theme.ink}; padding: 2px 0; }}"
            f"QLineEdit:focus {{ border-bottom: 2px solid {theme.sheen}; }}"
        )
        self.told = Label()
        self.told.setWordWrap(True)
        self.places, self.series = QListWidget(), QListWidget()
        lists = QHBoxLayout()
        lists.setSpacing(20)
        for title, box in ((tr("Places"), self.places), (tr("Single series"), self.series)):
            side = QVBoxLayout()
            label = Label(title)
            label.setFont(face(12, BOLD))
            tint(label, theme.dim)
            side.addWidget(label)
            side.addWidget(box)
            lists.addLayout(side)
            box.setAccessibleName(title)
            box.itemChanged.connect(self._on_ticked)
        self.foot = PageFoot(theme, model)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 12, 24, 14)
        column.setSpacing(10)
        column.addWidget(self.name)
        column.addWidget(self.told)
        column.addLayout(lists, 1)
        column.addWidget(self.foot)
        self.name.textEdited.connect(self._on_named)

    def refresh(self) -> None:
        """Show the group in hand."""
        group = self._model.group
        if group is None:
            return
        if self.name.text() != group.name:
            self.name.setText(group.name)
        told = self._model.trouble or tr(
            "Formulas call it {0}, as in mean(temperature@{0}/*). "
            "The Ledger's group line and watches can use it as well.",
            slug_of(group.name),
        )
        self.told.setText(told)
        wrong = bool(self._model.trouble)
        tint(self.told, self._theme.level(Level.HIGH) if wrong else self._theme.dim)
        site = self._model.state.site
        self._fill(
            self.places, [(one.name, one.name, one.name in group.places) for one in site.places]
        )
        self._fill(
            self.series,
            [
                (
                    f"{one.quantity.name} · {one.station.place.name} · {one.station.key}",
                    one.id,
                    one.id in group.series,
                )
                for one in site.series
            ],
        )
        self.foot.refresh(is_wrong=not group.name.strip())

    def _fill(self, box: QListWidget, rows: list[tuple[str, object, bool]]) -> None:
        box.blockSignals(True)
        if [box.item(at).text() for at in range(box.count())] != [row[0] for row in rows]:
            box.clear()
            for text, key, _ in rows:
                item = QListWidgetItem(text, box)
                item.setData(Qt.ItemDataRole.UserRole, key)
        for at, (_, _, is_in) in enumerate(rows):
            box.item(at).setCheckState(Qt.CheckState.Checked if is_in else Qt.CheckState.Unchecked)
        box.blockSignals(False)

    def _ticked(self, box: QListWidget) -> list[object]:
        items = [box.item(at) for at in range(box.count())]
        return [
            one.data(Qt.ItemDataRole.UserRole)
            for one in items
            if one.checkState() is Qt.CheckState.Checked
        ]

    def _on_ticked(self, _item: QListWidgetItem) -> None:
        self._alter(self.name.text())

    def _on_named(self, text: str) -> None:
        self._alter(text)

    def _alter(self, name: str) -> None:
        places = tuple(str(one) for one in self._ticked(self.places))
        series = tuple(one for one in self._ticked(self.series) if isinstance(one, int))
        self._model.alter_group(Group(name, places, series))
