"""The form of a forward: to whom, what, how; what is going to leave stands over its Save."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QLineEdit, QWidget

from rook_tally.core.errors import UsageError
from rook_tally.core.forwards.definitions import Forward, ForwardForm, ForwardKind, checked_forward
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import DAY_US
from rook_tally.desk.data.leaving_commands import SaveForward
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import SavingDialog, grow
from rook_tally.desk.parts.tick_list import TickList
from rook_tally.store.site import Site

_KINDS = {
    ForwardKind.ROOK_TALLY: (
        "Another Rook Tally",
        "https://its-address:4711",
        "Key of the gateway",
    ),
    ForwardKind.HTTP: ("An HTTP address", "https://example.org/readings", "Token, if it wants one"),
    ForwardKind.MQTT: ("An MQTT broker", "mqtts://example.org/prefix", "Password"),
}
_EVERY_S = {
    None: "every reading",
    60.0: "means of a minute",
    300.0: "means of 5 minutes",
    900.0: "means of 15 minutes",
    3600.0: "means of an hour",
    86_400.0: "means of a day",
}
_FROM_DAYS = {
    0: "what comes from now on",
    30: "also the last 30 days",
    365: "also the last year",
    -1: "also everything there is",
}


class ForwardDialog(SavingDialog):
    """Describes a forward, or alters one; an altered one goes on where it is."""

    def __init__(
        self,
        theme: Theme,
        site: Site,
        begun: Forward | None,
        clock: Callable[[], int],
        client: ClientScope,
        parent: QWidget,
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Save"))
        self._begun, self._clock, self._client = begun, clock, client
        self.finished.connect(client.close)
        self.setWindowTitle(tr("New forward") if begun is None else begun.slug)
        self.setMinimumWidth(560)
        told = begun or Forward(slug="", kind=ForwardKind.ROOK_TALLY, address="")
        self.name = QLineEdit(told.slug)
        self.name.setReadOnly(begun is not None)
        self.kind = QComboBox()
        for kind, (words, _, _) in _KINDS.items():
            self.kind.addItem(tr(words), kind)
        self.kind.setCurrentIndex(list(_KINDS).index(told.kind))
        self.address, self.user, self.secret = (
            QLineEdit(told.address),
            QLineEdit(told.user),
            QLineEdit(),
        )
        self.secret.setEchoMode(QLineEdit.EchoMode.Password)
        if told.secret:
            self.secret.setPlaceholderText(tr("left empty, it stays"))
        self.places = TickList({one.name: one.name for one in site.places}, told.places)
        # Scores are quantities of the site's own.
        self._names = {one.quantity.slug: one.quantity.name for one in site.series_shown}
        self.quantities = TickList(self._names, told.quantities)
        self.form = QComboBox()
        for form, words in ((ForwardForm.SENML, "SenML"), (ForwardForm.JSON, "JSON")):
            self.form.addItem(words, form)
        self.form.setCurrentIndex(self.form.findData(told.form))
        self.every = QComboBox()
        for every_s, words in _EVERY_S.items():
            self.every.addItem(tr(words), every_s)
        if told.every_s not in _EVERY_S:
            self.every.addItem(tr("means of {0} s", f"{told.every_s:g}"), told.every_s)
        self.every.setCurrentIndex(self.every.findData(told.every_s))
        self.raw = QCheckBox(tr("without corrections"))
        self.raw.setChecked(told.raw)
        self.from_when = QComboBox()
        for days, words in _FROM_DAYS.items():
            self.from_when.addItem(tr(words), days)
        self.said = Label()
        self.said.setWordWrap(True)
        self.said.setFont(face(13))
        self._lay_out()
        for changed in (
            self.kind.currentIndexChanged,
            self.address.textChanged,
            self.places.itemChanged,
            self.quantities.itemChanged,
        ):
            changed.connect(self._refresh)
        self.buttons.accepted.connect(self._on_save)
        self._refresh()

    def _lay_out(self) -> None:
        self._rows = QFormLayout(self)
        self._rows.setContentsMargins(24, 16, 24, 16)
        rows: list[tuple[str, QWidget]] = [
            (tr("Name"), self.name),
            (tr("To"), self.kind),
            (tr("Address"), self.address),
            (tr("User"), self.user),
            (tr("Key"), self.secret),
            (tr("Only places"), self.places),
            (tr("Only quantities"), self.quantities),
            (tr("Written as"), self.form),
            (tr("Readings"), self.every),
            ("", self.raw),
            (tr("From when"), self.from_when),
        ]
        for words, widget in rows:
            widget.setAccessibleName(words or self.raw.text())
            self._rows.addRow(words, widget)
        for names in (self.places, self.quantities):
            names.setToolTip(tr("None ticked means all of them"))
            self._rows.setRowVisible(names, names.count() > 0)
        self._rows.setRowVisible(self.from_when, self._begun is None)
        self._rows.addRow("", self.said)
        self._rows.addRow("", self.problem)
        self._rows.addRow(self.buttons)

    @property
    def _kind(self) -> ForwardKind:
        # Qt keeps the text alone.
        return ForwardKind(self.kind.currentData())

    def _refresh(self) -> None:
        kind = self._kind
        _, example, secret = _KINDS[kind]
        self.address.setPlaceholderText(example)
        if self._begun is None or not self._begun.secret:
            self.secret.setPlaceholderText(tr(secret))
        self._rows.setRowVisible(self.user, kind is ForwardKind.MQTT)
        self._rows.setRowVisible(self.form, kind is not ForwardKind.ROOK_TALLY)
        told = self._told()
        what = ", ".join((*told.places, *(self._names.get(one, one) for one in told.quantities)))
        words = tr(
            "From now on {0} leaves this machine for {1}.",
            what or tr("everything that is measured"),
            told.host or tr("that address"),
        )
        self.said.setText(words)
        grow(self)

    def _told(self) -> Forward:
        begun, kind = self._begun, self._kind
        secret = self.secret.text().strip()
        is_rook = kind is ForwardKind.ROOK_TALLY
        return Forward(
            slug=slug_of(self.name.text().strip()) if begun is None else begun.slug,
            kind=kind,
            address=self.address.text().strip(),
            places=self.places.ticked,
            quantities=self.quantities.ticked,
            form=ForwardForm.SENML if is_rook else ForwardForm(self.form.currentData()),
            raw=self.raw.isChecked(),
            every_s=self.every.currentData(),
            user=self.user.text().strip() if kind is ForwardKind.MQTT else "",
            secret=secret or ("" if begun is None else begun.secret),
            is_on=True if begun is None else begun.is_on,
        )

    def _on_save(self) -> None:
        try:
            told = checked_forward(self._told())
        except UsageError as error:
            self.say(error.what)
            return
        now_us = self._clock()
        days = int(self.from_when.currentData())
        from_us = None if not days or self._begun else 0 if days < 0 else now_us - days * DAY_US
        self.begin_saving()
        self._client.write(SaveForward(told, now_us, from_us), self.saved, self.not_saved)
