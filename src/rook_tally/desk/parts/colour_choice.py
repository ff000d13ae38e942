"""The choice of a trace's colour."""

from __future__ import annotations

from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QComboBox

from rook_tally.core.quantities.series_settings import COLOURS
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import colour
from rook_tally.desk.parts.texts import tr


class ColourChoice(QComboBox):
    """Any colour, or one of the theme's by its number, from 1."""

    def __init__(self, theme: Theme, picked: int | None) -> None:
        super().__init__()
        self.addItem(tr("any"))
        for at in range(COLOURS):
            swatch = QPixmap(28, 12)
            swatch.fill(colour(theme.traces[at]))
            self.addItem(QIcon(swatch), str(at + 1))
        self.setCurrentIndex(picked or 0)

    @property
    def picked(self) -> int | None:
        """The colour that is picked; None for any."""
        return self.currentIndex() or None
