"""Over the sheet: the names of all of them, what can be done with one, what went wrong."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QWidget

from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.wall.actions import WallAction
from rook_tally.desk.wall.model import WallModel
from rook_tally.desk.wall.texts import tr

_STYLED = Qt.WidgetAttribute.WA_StyledBackground
_IN_MENU = (
    WallAction.MATTERS,
    WallAction.EMPTY,
    WallAction.COPY,
    WallAction.RENAME,
    WallAction.REMOVE,
    None,
    WallAction.EARLIER,
    WallAction.LATER,
    WallAction.TURNS,
    None,
    WallAction.SAVE,
    WallAction.READ,
    None,
    WallAction.SHOWING,
    WallAction.POCKET,
)


class SheetBar(QWidget):
    """Turns to a sheet by its name; everything else is done by `do`."""

    def __init__(self, theme: Theme, model: WallModel, do: Callable[[WallAction], None]) -> None:
        super().__init__()
        self._model, self._do = model, do
        self.names: dict[str, QPushButton] = {}
        self._told: list[tuple[str, str, bool]] = []
        self.show_all = QPushButton(tr("Full screen"))
        self.arranged = QPushButton(tr("Arrange"))
        self.arranged.setCheckable(True)
        self.add, self.more = QPushButton(tr("Add a pane")), QPushButton(tr("Sheet"))
        self.add.hide()
        self.trouble = Label()
        self.trouble.setFont(face(12))
        tint(self.trouble, theme.dim)
        self._row = QHBoxLayout()
        self._row.setSpacing(16)
        line = QHBoxLayout(self)
        line.setContentsMargins(16, 6, 16, 6)
        line.setSpacing(8)
        line.addLayout(self._row)
        line.addStretch(1)
        line.addWidget(self.trouble)
        for button, action in (
            (self.add, WallAction.ADD),
            (self.arranged, WallAction.ARRANGE),
            (self.more, None),
            (self.show_all, WallAction.SHOW),
        ):
            button.setObjectName("small")
            line.addWidget(button)
            if action is not None:
                button.clicked.connect(partial(self._press, action))
        self._make_menu()
        self.setObjectName("paper")
        self.setAttribute(_STYLED)
        self.setStyleSheet(
            f"QWidget#paper {{ background: {theme.paper};"
            f" border-bottom: 1px solid {theme.strong_rule}; }}"
        )
        model.laid_out.append(self.refresh)

    def _make_menu(self) -> None:
        menu = QMenu(self)
        for action in _IN_MENU:
            if action is None:
                menu.addSeparator()
            else:
                menu.addAction(f"{action.words}\t{action.keys[0]}", partial(self._do, action))
        self.more.setMenu(menu)

    def _press(self, action: WallAction, _checked: bool = False) -> None:
        self._do(action)

    def arrange(self, is_arranged: bool) -> None:
        """Offer what belongs to arranging, or no longer."""
        self.add.setVisible(is_arranged)
        self.arranged.setChecked(is_arranged)

    def refresh(self) -> None:
        """Show the sheets there are and which is in hand."""
        model = self._model
        for button in (self.show_all, self.arranged):
            button.setEnabled(model.sheet is not None)
        self.trouble.setText(model.trouble)
        told = [(one.slug, one.name, one.turns) for one in model.sheets]
        if told != self._told:
            self._told = told
            self._name_sheets()
        for slug, button in self.names.items():
            button.setChecked(model.sheet is not None and slug == model.sheet.slug)

    def _name_sheets(self) -> None:
        for button in self.names.values():
            button.deleteLater()
        self.names.clear()
        for slug, name, turns in self._told:
            button = QPushButton(name if turns else tr("{0} (takes no turn)", name))
            button.setObjectName("page")
            button.setCheckable(True)
            button.clicked.connect(partial(self._show, slug))
            self._row.addWidget(button)
            self.names[slug] = button

    def _show(self, slug: str, _checked: bool = False) -> None:
        self._model.show(slug)
        self.refresh()
