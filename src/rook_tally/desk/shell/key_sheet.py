"""One page with every key: `?`."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from rook_tally.core.theme import Theme
from rook_tally.core.wording import said
from rook_tally.desk.parts.ink import BOLD, MEDIUM, face
from rook_tally.desk.parts.panel import tint
from rook_tally.desk.shell.commands import Command, Section, key_words

_COLUMNS = (
    (Section.EVERYWHERE, Section.TIME),
    (Section.LEDGER, Section.STATIONS),
    (Section.STRIP,),
    (Section.WORKINGS, Section.WATCH),
)


class KeySheet(QDialog):
    """Keys and what they do, by where they work. Escape closes it."""

    def __init__(self, theme: Theme, commands: Sequence[Command], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(said("Keys"))
        row = QHBoxLayout(self)
        row.setContentsMargins(24, 20, 24, 20)
        row.setSpacing(36)
        for sections in _COLUMNS:
            column = QVBoxLayout()
            column.setSpacing(4)
            for section in sections:
                told = [one for one in commands if one.section is section and one.keys]
                if told:
                    column.addWidget(_label(said(section.value), face(14, BOLD), theme.ink))
                    column.addLayout(_lines(theme, told))
                    column.addSpacing(12)
            column.addStretch(1)
            row.addLayout(column)


def _lines(theme: Theme, commands: Sequence[Command]) -> QGridLayout:
    grid = QGridLayout()
    grid.setHorizontalSpacing(14)
    grid.setVerticalSpacing(2)
    for at, one in enumerate(commands):
        grid.addWidget(_label(key_words(one.keys), face(12, MEDIUM), theme.sheen), at, 0)
        grid.addWidget(_label(one.words, face(12), theme.ink), at, 1)
    grid.setColumnStretch(1, 1)
    return grid


def _label(text: str, font: object, name: str) -> QLabel:
    label = QLabel(text)
    label.setFont(font)  # type: ignore[arg-type]
    tint(label, name)
    return label
