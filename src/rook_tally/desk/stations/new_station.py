"""A station added before it has said anything: its key, its place, what sort it is."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.i18n import tr
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.commands import AddStation, Choices


class NewStationDialog(QDialog):
    """Asks for what a station needs. After `accept`, `wanted` is the change to make."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Connect a station"))
        self.setMinimumWidth(460)
        told = Label(
            tr(
                "Give it a name to send by. What it measures is known from what it sends; "
                "you get the address, its key and programs that send, ready to run."
            )
        )
        told.setWordWrap(True)
        tint(told, theme.dim)
        self.key = QLineEdit()
        self.key.setPlaceholderText(tr("such as kiln-1"))
        self.place, self.kind = QComboBox(), QComboBox()
        self.place.setEditable(True)
        self.indoors = QCheckBox(tr("indoors, if the place is new"))
        self.indoors.setChecked(True)
        self.problem = Label()
        self.problem.setWordWrap(True)
        tint(self.problem, theme.level(Level.HIGH))
        form = QFormLayout()
        form.addRow(tr("Its name on the wire"), self.key)
        form.addRow(tr("It stands in"), self.place)
        form.addRow("", self.indoors)
        form.addRow(tr("What sort it is"), self.kind)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.add = self.buttons.addButton(tr("Add it"), QDialogButtonBox.ButtonRole.AcceptRole)
        self.add.setObjectName("main")
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addWidget(told)
        column.addLayout(form)
        column.addWidget(self.problem)
        column.addWidget(self.buttons)

    def offer(self, choices: Choices) -> None:
        """Offer the places and kinds there are."""
        self.place.addItems(choices.places)
        for slug, name in choices.kinds.items():
            self.kind.addItem(name, slug)
        self.kind.setCurrentIndex(max(0, self.kind.findData("plain")))

    @property
    def wanted(self) -> AddStation:
        """The command that adds the station."""
        return AddStation(
            self.key.text().strip(),
            self.place.currentText().strip(),
            self.kind.currentData() or "plain",
            self.indoors.isChecked(),
        )
