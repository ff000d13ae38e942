"""One page with every key: `?`."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import (
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.theme import Theme
from rook_tally.desk.data.actions import Action, Section, key_words
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint

_COLUMNS = (
    (Section.EVERYWHERE, Section.TIME),
    (Section.LEDGER, Section.STATIONS, Section.WATCH),
    (Section.STRIP, Section.BENCH),
    (Section.WALL, Section.WORKINGS, Section.REPORTS),
)
_WORDS_WIDTH = 212


class KeyListDialog(QDialog):
    """Keys and what they do, by where they work. Escape closes it."""

    def __init__(self, theme: Theme, commands: Sequence[Action], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Keys"))
        sheet = QWidget()
        sheet.setObjectName("sheet")
        sheet.setStyleSheet(f"QWidget#sheet {{ background: {theme.sheet}; }}")
        row = QHBoxLayout(sheet)
        row.setContentsMargins(20, 14, 20, 14)
        row.setSpacing(20)
        for sections in _COLUMNS:
            column = QVBoxLayout()
            column.setSpacing(4)
            for section in sections:
                told = [one for one in commands if one.section is section and one.keys]
                if told:
                    column.addWidget(_label(tr(section.value), face(14, BOLD), theme.ink))
                    column.addLayout(_lines(theme, told))
                    column.addSpacing(12)
            column.addStretch(1)
            row.addLayout(column)
        # A small window scrolls what a large one shows at once.
        scroll = QScrollArea()
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setWidget(sheet)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scroll)
        wanted, room = sheet.sizeHint(), parent.size()
        self.resize(
            min(wanted.width() + 16, room.width() - 24), min(wanted.height(), room.height() - 24)
        )


def _lines(theme: Theme, commands: Sequence[Action]) -> QGridLayout:
    grid = QGridLayout()
    grid.setHorizontalSpacing(14)
    grid.setVerticalSpacing(2)
    for at, one in enumerate(commands):
        grid.addWidget(_label(key_words(one.keys), face(12, MEDIUM), theme.sheen), at, 0)
        words = _label(one.words, face(12), theme.ink)
        # Long ones go on in a second line rather than over the window's edge.
        words.setWordWrap(True)
        words.setMinimumWidth(_WORDS_WIDTH)
        grid.addWidget(words, at, 1)
    grid.setColumnStretch(1, 1)
    return grid


def _label(text: str, font: object, name: str) -> QLabel:
    label = Label(text)
    label.setFont(font)  # type: ignore[arg-type]
    tint(label, name)
    return label
