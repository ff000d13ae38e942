"""Ways of telling: set up, changed, deleted."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.clock import now_us
from rook_tally.core.alarms.channels import Channel, ChannelKind, Security
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.parts.asking_dialog import AskingDialog
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.widgets import list_style, tint
from rook_tally.desk.watch.channel_form import (
    EVERY,
    FIELDS,
    SECRET,
    leaving_words,
    place_words,
    texts_of,
    way_from,
)
from rook_tally.desk.watch.commands import (
    ChannelTrialQuery,
    RemoveChannel,
    SaveChannel,
    TestChannel,
)
from rook_tally.desk.watch.queries import ChannelsQuery
from rook_tally.desk.watch.texts import tr
from rook_tally.store.alarms import OutboxItem, OutState

_TOLD = {
    "to": "Mail goes to",
    "sender": "and comes from",
    "host": "Mail server",
    "security": "Encryption",
    "port": "Port",
    "user": "User",
    "password": "Password",
    "url": "Address",
    "secret": "Secret to sign with",
    "topic": "Topic",
    "quiet": "Quiet hours",
    "digest": "Once a day at",
}
_CHOICES = {
    "port": "the usual one",
    "quiet": "22:00–06:00",
    "digest": "at once",
    "password": "left empty, it stays",
    "secret": "left empty, it stays",
    "url": "https://…",
    "to": "wren@fennel.example",
}
_LOOK_EVERY_MS = 300
_ENCRYPTION = {Security.TLS: "TLS", Security.STARTTLS: "STARTTLS", Security.NONE: "none"}
_KINDS = {
    ChannelKind.MAIL: "Mail",
    ChannelKind.WEBHOOK: "Webhook",
    ChannelKind.MQTT: "MQTT topic",
    ChannelKind.DESKTOP: "This desktop",
    ChannelKind.SOUND: "A sound",
    ChannelKind.VOICE: "A voice",
}
_SORTS = (ChannelKind.MAIL, ChannelKind.WEBHOOK, ChannelKind.MQTT)


class ChannelDialog(AskingDialog):
    """Channels on the left, the picked one on the right. `changed` says that the store has others
    by now."""

    changed = Signal()

    def __init__(
        self, theme: Theme, ways: tuple[Channel, ...], client: ClientScope, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._client = client
        self.finished.connect(client.close)
        self.setWindowTitle(tr("Ways of telling"))
        self.resize(640, 440)
        self._ways: list[Channel] = list(ways)
        self._picked: Channel | None = None
        self.list = QListWidget()
        self.list.setAccessibleName(tr("ways of telling"))
        self.list.setFixedWidth(190)
        self.list.setStyleSheet(list_style(theme))
        self.list.setFont(face(13))
        self.name = QLineEdit()
        self.sort = QComboBox()
        for sort in _SORTS:
            self.sort.addItem(tr(_KINDS[sort]), sort)
        self.form = QFormLayout()
        self.form.addRow(tr("Name"), self.name)
        self.form.addRow(tr("Kind"), self.sort)
        self.fields: dict[str, QLineEdit | QComboBox] = {}
        self.kept = Label()
        self.kept.setWordWrap(True)
        self.kept.setFont(face(12))
        tint(self.kept, theme.dim)
        for name in (*dict.fromkeys(one for sort in _SORTS for one in FIELDS[sort]), *EVERY):
            self.fields[name] = self._field(name)
            self.form.addRow(tr(_TOLD[name]), self.fields[name])
            if name == SECRET[-1]:
                self.form.addRow("", self.kept)
        self.leaving = Label()
        self.leaving.setWordWrap(True)
        self.why = Label()
        self.why.setWordWrap(True)
        tint(self.why, theme.level(Level.HIGH))
        self.new = QPushButton(tr("New"))
        self.keep = QPushButton(tr("Save"))
        self.keep.setObjectName("main")
        self.remove = QPushButton(tr("Delete"))
        self.test = QPushButton(tr("Send a test"))
        self.tested = Label()
        self.tested.setWordWrap(True)
        tint(self.tested, theme.dim)
        self._trial = ""
        self._look_again = QTimer(self, interval=_LOOK_EVERY_MS)
        self._look_again.timeout.connect(self._look)
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        left.addWidget(self.new)
        buttons = QHBoxLayout()
        buttons.addWidget(self.remove)
        buttons.addWidget(self.test)
        buttons.addStretch(1)
        buttons.addWidget(self.keep)
        right = QVBoxLayout()
        right.addLayout(self.form)
        right.addWidget(self.leaving)
        right.addWidget(self.why)
        right.addWidget(self.tested)
        right.addStretch(1)
        right.addLayout(buttons)
        row = QHBoxLayout(self)
        row.addLayout(left)
        row.addLayout(right, 1)
        offer_buttons(self.list, self.new, self.test, remove=self.remove)
        self.new.clicked.connect(lambda: self.leave(self.begin))
        self.keep.clicked.connect(self._keep)
        self.remove.clicked.connect(self._remove)
        self.test.clicked.connect(self._send_test)
        self.sort.currentIndexChanged.connect(lambda _at: self._show_fields())
        for name in ("host", "url"):
            field = self.fields[name]
            assert isinstance(field, QLineEdit)
            field.textChanged.connect(self._say_what_leaves)
        self.list.currentRowChanged.connect(self._pick)
        self._fill()
        self.begin()

    @staticmethod
    def _field(name: str) -> QLineEdit | QComboBox:
        if name == "security":
            choice = QComboBox()
            for one in Security:
                choice.addItem(_ENCRYPTION[one], one.value)
            return choice
        line = QLineEdit()
        line.setPlaceholderText(tr(_CHOICES.get(name, "")))
        line.setAccessibleName(tr(_TOLD[name]))
        if name in SECRET:
            line.setEchoMode(QLineEdit.EchoMode.Password)
        return line

    def _fill(self) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems([one.name for one in self._ways])
        self.list.blockSignals(False)

    def begin(self) -> None:
        """Begin a new way."""
        self.list.setCurrentRow(-1)
        self._show(None)
        self.name.setFocus()

    def _pick(self, row: int) -> None:
        if not 0 <= row < len(self._ways):
            return
        if self.is_touched:
            # The list stays where the form is until that is settled.
            self._show_row(self._picked)
        self.leave(lambda: self._turn_to(self._ways[row]))

    def _turn_to(self, way: Channel) -> None:
        self._show_row(way)
        self._show(way)

    def _show_row(self, way: Channel | None) -> None:
        names = [one.name for one in self._ways]
        self.list.blockSignals(True)
        self.list.setCurrentRow(-1 if way is None else names.index(way.name))
        self.list.blockSignals(False)

    def _show(self, way: Channel | None) -> None:
        self._picked = way
        self.why.setText("")
        self.name.setText("" if way is None else way.name)
        # What watches tell by is its name: another name is another way.
        self.name.setReadOnly(way is not None)
        self.sort.setEnabled(way is None)
        if way is not None and self.sort.findData(way.sort) < 0:
            self.sort.addItem(tr(_KINDS[way.sort]), way.sort)
        self.sort.setCurrentIndex(0 if way is None else self.sort.findData(way.sort))
        texts = texts_of(way or Channel(name="", sort=ChannelKind.MAIL))
        for name, field in self.fields.items():
            if isinstance(field, QComboBox):
                field.setCurrentIndex(field.findData(texts[name]))
            else:
                field.setText(texts[name])
        self.kept.setText(tr(place_words(way)))
        self.form.setRowVisible(self.kept, bool(self.kept.text()))
        self.remove.setEnabled(way is not None and way.sort in _SORTS)
        self.test.setEnabled(way is not None)
        self.tested.setText("")
        self._trial = ""
        self._show_fields()
        self.ask_about(self.keep)

    def _show_fields(self) -> None:
        wanted = {*FIELDS[self.sort.currentData()], *EVERY}
        for name, field in self.fields.items():
            self.form.setRowVisible(field, name in wanted)
        self._say_what_leaves()

    def _say_what_leaves(self) -> None:
        """A host that is new hears of this site from then on: said before it is saved."""
        self.leaving.setText(leaving_words(self.sort.currentData(), self._texts(), self._ways))

    def _texts(self) -> dict[str, str]:
        return {
            name: field.currentData() if isinstance(field, QComboBox) else field.text()
            for name, field in self.fields.items()
        }

    def _keep(self) -> None:
        try:
            way = way_from(self.name.text(), self.sort.currentData(), self._texts(), self._picked)
            if self._picked is None and way.name in [one.name for one in self._ways]:
                raise UsageError(f"there is a way {way.name} already", remedy="pick it in the list")
        except UsageError as error:
            self.why.setText(str(error))
            return
        self.why.setText("")
        self.keep.setEnabled(False)
        self._client.write(
            SaveChannel(way, self._picked), partial(self._on_saved, way), self._on_not_saved
        )

    def _on_saved(self, way: Channel, _done: UndoableResult) -> None:
        """It is in the store: only now does the list hold it."""
        self.keep.setEnabled(True)
        self._ways = [*(one for one in self._ways if one.name != way.name), way]
        self._fill()
        found = self.list.findItems(way.name, Qt.MatchFlag.MatchExactly)
        self.list.setCurrentItem(found[0])
        self._show(way)
        self.changed.emit()

    def _on_not_saved(self, why: str) -> None:
        self.keep.setEnabled(True)
        self.why.setText(why)
        # Who has read what somebody else did meanwhile may save over it.
        self._client.read(ChannelsQuery(), self._take)

    def _take(self, ways: tuple[Channel, ...]) -> None:
        self._ways = list(ways)
        self._fill()
        if self._picked is not None:
            name = self._picked.name
            self._picked = next((one for one in ways if one.name == name), None)
        self._show_row(self._picked)

    def _on_removed(self, _done: UndoableResult) -> None:
        self.changed.emit()
        self.accept()

    def _send_test(self) -> None:
        """Send a test by the picked channel as it is saved."""
        if self._picked is not None:
            self.why.setText("")
            self.test.setEnabled(False)
            self.tested.setText(tr("Sending a test …"))
            command = TestChannel(self._picked.name, now_us())
            self._client.write(command, self._on_sent, self._on_not_sent)

    def _on_sent(self, key: str) -> None:
        self._trial = key
        self._look_again.start()

    def _on_not_sent(self, why: str) -> None:
        self.test.setEnabled(True)
        self.tested.setText("")
        self.why.setText(why)

    def _look(self) -> None:
        if not self._trial:
            self._look_again.stop()
            return
        self._client.read(ChannelTrialQuery(self._trial), self._on_looked)

    def _on_looked(self, item: OutboxItem | None) -> None:
        if item is None or item.notice.key != self._trial:
            return
        if item.state is OutState.WAITING and not item.answer:
            return
        self._look_again.stop()
        self._trial = ""
        self.test.setEnabled(self._picked is not None)
        if item.state is OutState.DONE:
            self.tested.setText(tr("The test was told. {0}", item.answer).strip())
        else:
            self._on_not_sent(tr("The test was not told: {0}", item.answer))

    def _remove(self) -> None:
        if self._picked is not None:
            self._client.write(
                RemoveChannel(self._picked.name, self._picked), self._on_removed, self._on_not_saved
            )
