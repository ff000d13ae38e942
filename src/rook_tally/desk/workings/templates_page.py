"""Something new: what is ready-made for this site, or a formula, score or group of one's own."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from rook_tally.core.theme import Theme
from rook_tally.core.workings.definitions import Working
from rook_tally.core.workings.templates import Offer
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.workings.model import WorkingsModel
from rook_tally.desk.workings.rows import WorkingKind
from rook_tally.desk.workings.texts import tr

_BUDGET_S = 0.004


class TemplatesPage(QWidget):
    """Buttons for what is one's own, and a list of what is ready-made."""

    def __init__(self, theme: Theme, model: WorkingsModel, make: Callable[[Working], None]) -> None:
        super().__init__()
        self._theme = theme
        self._model = model
        self._make = make
        self._offers: tuple[Offer, ...] | None = None
        self.buttons: dict[str, QPushButton] = {}
        self._column: QVBoxLayout | None = None
        self._to_add: list[Offer] = []
        self._adding = QTimer(self, interval=0)
        self._adding.timeout.connect(self._add_some)
        title = Label(tr("Something new"))
        title.setFont(face(19, BOLD))
        row = QHBoxLayout()
        row.setSpacing(10)
        self.own: dict[WorkingKind, QPushButton] = {}
        for sort, words in (
            (WorkingKind.FORMULA, tr("Write a formula")),
            (WorkingKind.SCORE, tr("Make a score")),
            (WorkingKind.GROUP, tr("Name a group of places")),
        ):
            button = QPushButton(words)
            button.clicked.connect(partial(model.begin, sort))
            row.addWidget(button)
            self.own[sort] = button
        row.addStretch(1)
        self._told = Label()
        self._told.setFont(face(12, BOLD))
        tint(self._told, theme.dim)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 12, 24, 14)
        column.setSpacing(12)
        column.addWidget(title)
        column.addLayout(row)
        column.addWidget(self._told)
        column.addWidget(self._scroll, 1)

    def refresh(self) -> None:
        """Show what is offered now."""
        listing = self._model.listing
        if listing is None or listing.offers == self._offers:
            return
        self._offers = listing.offers
        self._told.setText(
            tr("Ready-made for what this site has")
            if listing.offers
            else tr("All that fit are added.")
        )
        place = QWidget()
        place.setStyleSheet(f"background: {self._theme.sheet};")
        column = QVBoxLayout(place)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.buttons = {}
        column.addStretch(1)
        self._scroll.setWidget(place)
        # Some at a time: a large site has dozens, and no frame is to wait for all of them.
        self._column, self._to_add = column, list(listing.offers)
        self._adding.start()

    @property
    def is_adding(self) -> bool:
        """True while some of what is offered is not listed yet."""
        return bool(self._to_add)

    def _add_some(self) -> None:
        until = time.perf_counter() + _BUDGET_S
        while self._to_add and self._column is not None and time.perf_counter() < until:
            line = self._line(self._to_add.pop(0))
            self._column.insertWidget(self._column.count() - 1, line)
        if not self._to_add:
            self._adding.stop()

    def _line(self, offer: Offer) -> QWidget:
        line = QWidget()
        name, what = Label(offer.working.name), Label(offer.what)
        name.setFont(face(14, BOLD))
        tint(what, self._theme.dim)
        where = Label(", ".join(offer.places[:4]) + (" …" if len(offer.places) > 4 else ""))
        tint(where, self._theme.dim)
        button = QPushButton(tr("Create"))
        button.setObjectName("small")
        button.setAccessibleName(tr("make {0}", offer.working.name))
        button.clicked.connect(partial(self._make, offer.working))
        self.buttons[offer.working.slug] = button
        words = QVBoxLayout()
        words.setSpacing(1)
        words.addWidget(name)
        words.addWidget(what)
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 7, 8, 7)
        row.addLayout(words, 1)
        row.addWidget(where, 0, Qt.AlignmentFlag.AlignRight)
        row.addWidget(button)
        return line
