"""A sample message as a kind reads it: while it is typed, and while the kind is edited."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import RookTallyError
from rook_tally.core.quantities.kinds import Kind
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.data.door_trial import SampleReader
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.row_table import RowTable
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.layout_model import KindMessages
from rook_tally.desk.stations.texts import tr

_HEADS = ("field", "value", "")
_LONGEST = 64 * 1024
_AGAIN_MS = 300


class SampleDialog(QDialog):
    """Reads what is typed or pasted, or the last message of a station of the kind. `kind` is what
    the editor holds now; it raises what is wrong with that."""

    def __init__(
        self,
        theme: Theme,
        kind: Callable[[], Kind],
        slug: str,
        reader: SampleReader,
        client: ClientScope,
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self._kind, self._reader, self._client = kind, reader, client
        self._said: tuple[Kind | None, str] = (None, "")
        self.finished.connect(client.close)
        self.setWindowTitle(tr("A sample message"))
        self.resize(560, 460)
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(tr("message"))
        self.text.setPlaceholderText(
            tr("A message as it is sent: JSON, CSV, name=value; bytes as hexadecimal")
        )
        self.values = RowTable(theme, [tr(one) for one in _HEADS], tr("what is read of it"))
        self.problem = Label()
        self.problem.setWordWrap(True)
        tint(self.problem, theme.level(Level.HIGH))
        close = QPushButton(tr("Close"))
        close.clicked.connect(self.close)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(close)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.addWidget(self.text, 2)
        column.addWidget(self.values, 3)
        column.addWidget(self.problem)
        column.addLayout(foot)
        # The kind is edited beside: what is read follows.
        self._again = QTimer(self, interval=_AGAIN_MS)
        self._again.timeout.connect(self.read)
        self._again.start()
        self.text.textChanged.connect(self.read)
        if slug:
            client.read(KindMessages(slug), self._take_last, self.problem.setText)

    def _take_last(self, bodies: tuple[bytes, ...]) -> None:
        """Begin with the last message of a station of the kind."""
        if not bodies or self.text.toPlainText():
            return
        body = bodies[0]
        try:
            shown = body.decode()
        except UnicodeDecodeError:
            shown = body.hex(" ")
        self.text.setPlainText(shown if shown.isprintable() or shown.strip() else body.hex(" "))

    def read(self) -> None:
        """Show what the kind as it is now reads in the message."""
        text = self.text.toPlainText()
        try:
            kind = self._kind()
            if (kind, text) == self._said:
                return
            self._said = kind, text
            if len(text) > _LONGEST:
                self._show((), tr("It is longer than {0} KiB.", _LONGEST // 1024))
                return
            trial = self._reader(kind, text) if text.strip() else None
        except RookTallyError as error:
            self._said = None, text
            self._show((), str(error))
            return
        if trial is None:
            self._show((), "")
            return
        rows = [(one.name, one.value, tr("is read") if one.is_read else "") for one in trial.values]
        self._show(tuple(rows), trial.why)

    def _show(self, rows: tuple[tuple[str, str, str], ...], why: str) -> None:
        self.values.fill(list(rows), bold=[at for at, row in enumerate(rows) if row[2]])
        self.problem.setText(why)
