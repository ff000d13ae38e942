"""Sheets in a pocket: the page switched on, links made and taken back."""

from __future__ import annotations

import segno
from msgspec.structs import replace
from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QGuiApplication, QImage, QPainter, QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.quantities.number_format import age
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.widgets import list_style, tint
from rook_tally.desk.wall.commands import MakeLink, RevokeLink, SetPage
from rook_tally.desk.wall.model import WallModel
from rook_tally.desk.wall.texts import tr
from rook_tally.store.site import PageSetting
from rook_tally.wall.links import link_to, own_address

_CODE_PX = 220
_ROLE = Qt.ItemDataRole.UserRole


class ShareDialog(QDialog):
    """The pages that the collector serves, and to whom; a new link is shown once, with its QR
    code."""

    def __init__(self, theme: Theme, model: WallModel, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme, self._model = theme, model
        self.setWindowTitle(tr("On a phone or a tablet"))
        self.resize(620, 430)
        self.is_on = QCheckBox(tr("Serve the sheets on this network, to look at only"))
        self.where, self.link, self.hint = Label(), QLineEdit(), Label()
        self.devices, self.name = QListWidget(), QLineEdit()
        self.make, self.revoke = QPushButton(tr("Make a link")), QPushButton(tr("Revoke"))
        self.copy, self.code = QPushButton(tr("Copy")), Label()
        self._lay_out()
        offer_buttons(self.devices, remove=self.revoke)
        self.is_on.clicked.connect(self._switch)
        self.make.clicked.connect(self._make)
        self.name.returnPressed.connect(self._make)
        self.revoke.clicked.connect(self._revoke)
        self.copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(self.link.text()))
        model.laid_out.append(self.refresh)
        self.finished.connect(self._leave)
        self.refresh()

    def _lay_out(self) -> None:
        self.devices.setStyleSheet(list_style(self._theme))
        self.devices.setAccessibleName(tr("devices with a link"))
        self.name.setPlaceholderText(tr("A device: Anna’s phone"))
        self.name.setAccessibleName(tr("name of a device"))
        self.link.setReadOnly(True)
        self.link.setAccessibleName(tr("the new link"))
        for label in (self.where, self.hint):
            label.setWordWrap(True)
            tint(label, self._theme.dim)
        self.code.setFixedSize(_CODE_PX, _CODE_PX)
        title = Label(tr("Devices with a link"))
        title.setFont(face(13, BOLD))
        new = QHBoxLayout()
        new.addWidget(self.name, 1)
        new.addWidget(self.make)
        left = QVBoxLayout()
        left.addWidget(title)
        left.addWidget(self.devices, 1)
        left.addWidget(self.revoke)
        left.addLayout(new)
        shown = QHBoxLayout()
        shown.addWidget(self.link, 1)
        shown.addWidget(self.copy)
        right = QVBoxLayout()
        right.addWidget(self.code)
        right.addLayout(shown)
        right.addWidget(self.hint)
        right.addStretch(1)
        both = QHBoxLayout()
        both.setSpacing(20)
        both.addLayout(left, 1)
        both.addLayout(right, 1)
        column = QVBoxLayout(self)
        column.addWidget(self.is_on)
        column.addWidget(self.where)
        column.addSpacing(8)
        column.addLayout(both, 1)

    def _leave(self) -> None:
        self._model.link = None
        self._model.laid_out.remove(self.refresh)

    def _setting(self) -> PageSetting:
        listing = self._model.listing
        return PageSetting() if listing is None else listing.page

    def _switch(self, is_on: bool) -> None:
        self._model.wish(SetPage(replace(self._setting(), is_on=is_on)))

    def _make(self) -> None:
        if self.name.text().strip():
            self._model.wish(MakeLink(self.name.text().strip()))
            self.name.clear()

    def _revoke(self) -> None:
        item = self.devices.currentItem()
        if item is not None:
            self._model.link = None
            self._model.wish(RevokeLink(item.data(_ROLE)))

    def refresh(self) -> None:
        """Show what there is."""
        setting, listing = self._setting(), self._model.listing
        self.is_on.setChecked(setting.is_on)
        address = own_address(setting.host)
        self.where.setText(self._where_words(setting, address))
        now_us = self._model.state.clock()
        row = self.devices.currentRow()
        self.devices.clear()
        for one in () if listing is None else listing.devices:
            seen = (
                tr("never looked")
                if one.seen_us is None
                else tr("looked {0} ago", age((now_us - one.seen_us) / 1e6))
            )
            item = QListWidgetItem(f"{one.name}   {seen}")
            item.setData(_ROLE, one.name)
            self.devices.addItem(item)
        self.devices.setCurrentRow(min(max(row, 0), self.devices.count() - 1))
        self.revoke.setEnabled(self.devices.count() > 0)
        self._show_link(setting, address)

    def _where_words(self, setting: PageSetting, address: str) -> str:
        if not setting.is_on:
            return tr("Nothing is served. Links stay good until they are revoked.")
        if not self._model.state.collectors:
            return tr(
                "Nothing is served now, as no collector runs. Once one does: at {0}, port {1}.",
                address,
                setting.port,
            )
        return tr(
            "Served at {0}, port {1}. Only who has a link sees anything; nothing can be "
            "changed from there.",
            address,
            setting.port,
        )

    def _show_link(self, setting: PageSetting, address: str) -> None:
        new = self._model.link
        for widget in (self.link, self.copy, self.code):
            widget.setVisible(new is not None)
        if new is None:
            self.hint.setText(self._model.trouble)
            return
        text = link_to(address, setting.port, new.key)
        self.link.setText(text)
        self.link.setCursorPosition(0)
        self.code.setPixmap(_code(text))
        self.code.setAccessibleName(tr("QR code of the link"))
        self.hint.setText(
            tr(
                "For {0}. It is shown this once: open it there, or read the code with its camera.",
                new.device,
            )
        )


def _code(text: str) -> QPixmap:
    """A QR code as a picture, dark on light in both themes: cameras expect it so."""
    rows = list(segno.make(text, error="m").matrix_iter(border=3))
    image = QImage(_CODE_PX, _CODE_PX, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    # Whole pixels: a camera counts squares.
    size = _CODE_PX // len(rows)
    free = (_CODE_PX - size * len(rows)) // 2
    for y, row in enumerate(rows):
        for x, is_dark in enumerate(row):
            if is_dark:
                square = QRect(free + x * size, free + y * size, size, size)
                painter.fillRect(square, Qt.GlobalColor.black)
    painter.end()
    return QPixmap.fromImage(image)
