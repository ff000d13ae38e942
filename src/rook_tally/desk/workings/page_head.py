"""Head and foot of the pages of formulas and scores: name, places, buttons."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QWidget

from rook_tally.core.quantities.named_series import BUILT_IN_GROUPS, slug_of
from rook_tally.core.theme import Theme
from rook_tally.core.workings.definitions import Placement
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.workings.model import WorkingsModel
from rook_tally.desk.workings.texts import tr


class PageHead(QWidget):
    """Name, where it is made, which place is shown."""

    def __init__(self, theme: Theme, model: WorkingsModel) -> None:
        super().__init__()
        self._model = model
        self._choices: list[tuple[Placement, str]] = []
        self.name = QLineEdit()
        self.name.setFont(face(19, BOLD))
        self.name.setStyleSheet(
            f"QLineEdit {{ border: none; background: transparent; font-size: 19px;"
            f" font-weight: 600; color: {theme.ink}; padding: 2px 0; }}"
            f"QLineEdit:focus {{ border-bottom: 2px solid {theme.sheen}; }}"
        )
        self.name.setAccessibleName(tr("name"))
        self.called = Label()
        tint(self.called, theme.faint)
        self.made, self.place = QComboBox(), QComboBox()
        self.made.setAccessibleName(tr("where it is made"))
        self.place.setAccessibleName(tr("place shown"))
        self.decimals = QComboBox()
        self.decimals.setAccessibleName(tr("decimals"))
        self.decimals.setToolTip(tr("Decimals that it is shown with"))
        self.decimals.addItems([tr("usual decimals"), "0", "1", "2", "3", "4"])
        self.decimals.activated.connect(
            lambda at: model.alter(decimals=None if at == 0 else at - 1)
        )
        self.stands = QComboBox()
        self.stands.setAccessibleName(tr("place where it stands"))
        self.stands.setToolTip(tr("The row of the Ledger it stands in"))
        self.stands.activated.connect(
            lambda at: model.alter(place="" if at == 0 else self.stands.itemText(at))
        )
        self._shown = Label(tr("shown"))
        tint(self._shown, theme.dim)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(self.name, 1)
        row.addWidget(self.called)
        row.addWidget(self.made)
        row.addWidget(self.stands)
        row.addWidget(self.decimals)
        row.addWidget(self._shown)
        row.addWidget(self.place)
        self.name.textEdited.connect(lambda text: model.alter(name=text))
        self.made.activated.connect(self._on_made)
        self.place.textActivated.connect(model.show_place)

    def refresh(self, place: str, places: tuple[str, ...]) -> None:
        """Show the draft's head; `place` is the one drawn."""
        draft, listing = self._model.draft, self._model.listing
        if draft is None or listing is None:
            return
        if self.name.text() != draft.name:
            self.name.setText(draft.name)
        self.called.setText(tr("in formulas {0}", draft.slug))
        self.decimals.setCurrentIndex(0 if draft.decimals is None else min(draft.decimals, 4) + 1)
        self._choices = [(Placement.ONCE, "")]
        self._choices += [(Placement.EACH_PLACE, "")]
        groups = [*BUILT_IN_GROUPS[1:], *(slug_of(one.name) for one in listing.groups)]
        self._choices += [(Placement.EACH_PLACE, one) for one in groups]
        words = [tr("made once"), tr("each place"), *(tr("each place: {0}", one) for one in groups)]
        _offer(self.made, words)
        here = (draft.made, draft.group if draft.made is Placement.EACH_PLACE else "")
        self.made.setCurrentIndex(self._choices.index(here) if here in self._choices else 0)
        names = [one.name for one in self._model.state.site.places]
        _offer(self.stands, [tr("with what it is made of"), *names])
        self.stands.setCurrentIndex(1 + names.index(draft.place) if draft.place in names else 0)
        self.stands.setVisible(draft.made is Placement.ONCE)
        _offer(self.place, list(places))
        self.place.setCurrentText(place)
        several = len(places) > 1
        self.place.setVisible(several)
        self._shown.setVisible(several)

    def _on_made(self, at: int) -> None:
        made, group = self._choices[at]
        draft = self._model.draft
        place = draft.place if draft is not None and made is Placement.ONCE else ""
        self._model.alter(made=made, group=group, place=place)


def _offer(box: QComboBox, words: list[str]) -> None:
    """Fill a list, if it holds anything else."""
    if [box.itemText(at) for at in range(box.count())] != words:
        box.clear()
        box.addItems(words)


class PageFoot(QWidget):
    """Where it is used; keep it, leave it, take it away."""

    keep = Signal()
    take_away = Signal()
    limits_wanted = Signal()

    def __init__(self, theme: Theme, model: WorkingsModel, *more: QPushButton) -> None:
        super().__init__()
        self._model = model
        self.uses = Label()
        self.uses.setWordWrap(True)
        tint(self.uses, theme.dim)
        self.keep_button = QPushButton(tr("Save"))
        self.keep_button.setObjectName("main")
        self.revert_button = QPushButton(tr("Discard changes"))
        self.remove_button = QPushButton(tr("Delete"))
        self.limits_button = QPushButton(tr("Limits…"))
        self.limits_button.setToolTip(tr("From where on it is not fine (L)"))
        for button in (self.revert_button, self.remove_button, self.limits_button):
            button.setObjectName("words")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        row.addWidget(self.uses, 1)
        row.addWidget(self.limits_button)
        row.addWidget(self.remove_button)
        row.addWidget(self.revert_button)
        for button in more:
            row.addWidget(button)
        row.addWidget(self.keep_button, 0, Qt.AlignmentFlag.AlignRight)
        self.keep_button.clicked.connect(self.keep)
        self.remove_button.clicked.connect(self.take_away)
        self.limits_button.clicked.connect(self.limits_wanted)
        self.revert_button.clicked.connect(model.discard)

    def refresh(self, *, is_wrong: bool) -> None:
        """Show what can be done."""
        model = self._model
        self.uses.setText(model.uses if not model.is_new else "")
        is_new = model.kept is None and model.kept_group is None
        self.keep_button.setEnabled(model.is_altered and not is_wrong)
        self.revert_button.setVisible(model.is_altered)
        self.limits_button.setVisible(model.kept is not None)
        self.remove_button.setVisible(not is_new)
