"""Kinds of stations: what their fields measure and what they can be told, edited in two tables."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.in_reach import Reachable
from rook_tally.core.quantities.bluetooth_map import BluetoothMap
from rook_tally.core.quantities.byte_layout import ByteLayout
from rook_tally.core.quantities.kinds import Kind
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.modbus_map import ModbusRegister
from rook_tally.core.theme import Theme
from rook_tally.desk.data.door_trial import RegistersReader, SampleReader
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.parts.asking_dialog import AskingDialog
from rook_tally.desk.parts.file_dialog import file_to_read, file_to_save
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.saving_dialog import dialog_buttons
from rook_tally.desk.parts.widgets import list_style, tint
from rook_tally.desk.stations.bluetooth_dialog import BluetoothDialog
from rook_tally.desk.stations.bluetooth_model import TypedBluetooth, begun_with, typed_bluetooth
from rook_tally.desk.stations.kind_files import kind_from_file, save_kind_file
from rook_tally.desk.stations.kind_model import (
    KindForm,
    KindsListing,
    KindsQuery,
    RemoveKind,
    SaveKind,
    TypedControl,
    TypedField,
    form_of,
    kind_of,
    missing_fields,
)
from rook_tally.desk.stations.kind_tables import ControlsTable, FieldsTable
from rook_tally.desk.stations.layout_dialog import LayoutDialog
from rook_tally.desk.stations.registers_dialog import RegistersDialog
from rook_tally.desk.stations.texts import tr

_ADD_DOOR = "rook-tally door add "
_SLUG = Qt.ItemDataRole.UserRole
_LIST_WIDTH = 230


class KindsDialog(AskingDialog):
    """The kinds on the left, the picked one on the right."""

    def __init__(
        self,
        theme: Theme,
        client: StoreClient,
        slug: str,
        parent: QWidget,
        reader: RegistersReader | None = None,
        sample_reader: SampleReader | None = None,
    ) -> None:
        super().__init__(parent)
        self._theme, self._client, self._reader = theme, client.scope(), reader
        self._sample_reader = sample_reader
        self.finished.connect(self._client.close)
        self._listing = KindsListing()
        self._before: Kind | None = None
        self._begun = self._shown = KindForm()
        self._wanted = slug
        self._sensor: Reachable | None = None
        self.setWindowTitle(tr("Kinds of stations"))
        self.resize(1000, 600)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("kinds"))
        self.list.setFixedWidth(_LIST_WIDTH)
        self.list.setStyleSheet(list_style(theme))
        self.list.setFont(face(13))
        self.new, self.copy = QPushButton(tr("New")), QPushButton(tr("Copy"))
        self.remove = QPushButton(tr("Delete"))
        self.read_file, self.save_file = QPushButton(tr("Read…")), QPushButton(tr("Save as…"))
        self.read_file.setToolTip(tr("A kind out of a file: TOML, or a W3C Thing Description"))
        self.save_file.setToolTip(tr("The picked kind as a file: TOML, or a W3C Thing Model"))
        self.name, self.cadence = QLineEdit(), QLineEdit()
        self.name.setAccessibleName(tr("name of the kind"))
        self.cadence.setAccessibleName(tr("how often it reports"))
        self.called = Label()
        self.called.setWordWrap(True)
        self.fields, self.controls = FieldsTable(theme), ControlsTable(theme)
        self.add_field, self.drop_field = QPushButton(tr("Add")), QPushButton(tr("Remove"))
        self.add_control, self.drop_control = QPushButton(tr("Add")), QPushButton(tr("Remove"))
        self.problem = Label()
        self.problem.setWordWrap(True)
        tint(self.problem, theme.level(Level.HIGH))
        tint(self.called, theme.dim)
        self.bytes = QPushButton(tr("Bytes…"))
        self.bytes.setToolTip(tr("Which bytes of its messages are which field, by example"))
        self.modbus = QPushButton(tr("Registers…"))
        self.modbus.setToolTip(tr("What is read of such a device by Modbus, by example"))
        self.radio = QPushButton(tr("Bluetooth…"))
        self.radio.setToolTip(tr("What is read of such a sensor by Bluetooth"))
        self.sample = QPushButton(tr("Sample…"))
        self.sample.setToolTip(tr("A message as the kind reads it, while it is edited"))
        self.sample.setVisible(sample_reader is not None)
        self.save, self.shut = QPushButton(tr("Save")), QPushButton(tr("Close"))
        self._lay_out()
        self._connect()
        offer_buttons(self.list, self.new, remove=self.remove)
        self.read_again()

    @property
    def is_touched(self) -> bool:
        """True if something of the kind is not as it was shown: cells and its layout too."""
        return self.save.isEnabled() and self.form != self._shown

    def _lay_out(self) -> None:
        for button in (
            *(self.new, self.copy, self.remove, self.add_field, self.drop_field),
            *(self.add_control, self.drop_control, self.bytes, self.modbus, self.radio),
            self.sample,
            *(self.read_file, self.save_file),
        ):
            button.setObjectName("small")
            button.setAutoDefault(False)
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        under = QHBoxLayout()
        for button in (self.new, self.copy, self.remove):
            under.addWidget(button)
        left.addLayout(under)
        files = QHBoxLayout()
        for button in (self.read_file, self.save_file):
            files.addWidget(button)
        left.addLayout(files)
        form = QFormLayout()
        form.addRow(tr("Name"), self.name)
        form.addRow("", self.called)
        form.addRow(tr("Reports every"), self.cadence)
        right = QVBoxLayout()
        right.addLayout(form)
        for title, table, add, drop, share in (
            (tr("Fields"), self.fields, self.add_field, self.drop_field, 3),
            (tr("Controls"), self.controls, self.add_control, self.drop_control, 2),
        ):
            head = QHBoxLayout()
            label = Label(title)
            label.setFont(face(13, BOLD))
            head.addWidget(label)
            head.addStretch(1)
            if table is self.fields:
                head.addWidget(self.sample)
                head.addWidget(self.bytes)
                head.addWidget(self.modbus)
                head.addWidget(self.radio)
            add.setAccessibleName(tr("add to {0}", title))
            drop.setAccessibleName(tr("remove from {0}", title))
            head.addWidget(add)
            head.addWidget(drop)
            right.addLayout(head)
            right.addWidget(table, share)
        right.addWidget(self.problem)
        right.addWidget(dialog_buttons(self.save, self.shut))
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 16, 20, 16)
        row.setSpacing(18)
        row.addLayout(left)
        row.addLayout(right, 1)

    def _connect(self) -> None:
        self.list.currentItemChanged.connect(lambda *_: self._show_picked())
        self.new.clicked.connect(lambda: self._fill(KindForm(fields=(TypedField(),)), None))
        self.copy.clicked.connect(self._on_copy)
        self.remove.clicked.connect(self._on_remove)
        self.add_field.clicked.connect(lambda: self.fields.put(TypedField(), picked=True))
        self.add_control.clicked.connect(lambda: self.controls.put(TypedControl(), picked=True))
        self.drop_field.clicked.connect(self.fields.drop)
        self.drop_control.clicked.connect(self.controls.drop)
        self.sample.clicked.connect(self._on_sample)
        self.bytes.clicked.connect(self._on_bytes)
        self.modbus.clicked.connect(self._on_registers)
        self.radio.clicked.connect(lambda: self._on_radio(typed_bluetooth(self.form.bluetooth)))
        self.read_file.clicked.connect(lambda: self.leave(self._choose_to_read))
        self.save_file.clicked.connect(self._choose_to_save)
        self.save.clicked.connect(self._on_save)
        self.shut.clicked.connect(self.close)

    def read_again(self) -> None:
        """Read what kinds there are by now."""
        self._client.read(KindsQuery(), self._show, self._say)

    def _show(self, listing: KindsListing) -> None:
        self._listing = listing
        self.list.blockSignals(True)
        self.list.clear()
        for slug in listing.known:
            item = QListWidgetItem(listing.words(slug), self.list)
            item.setData(_SLUG, slug)
            if slug == self._wanted:
                self.list.setCurrentItem(item)
        if self.list.currentRow() < 0:
            self.list.setCurrentRow(0)
        self.list.blockSignals(False)
        self._show_picked()
        self._begin_sensor()

    @property
    def picked(self) -> str:
        """The slug of the picked kind; empty for none."""
        item = self.list.currentItem()
        return "" if item is None else str(item.data(_SLUG))

    def _show_picked(self) -> None:
        kind = self._listing.known.get(self.picked)
        if kind is not None:
            self._wanted = kind.slug
            self._fill(form_of(kind), kind)

    def _on_copy(self) -> None:
        kind = self._listing.known.get(self.picked)
        if kind is not None:
            # What is made of a part is no longer what its data sheet is about.
            form = replace(form_of(kind), slug="", name=tr("{0}, copy", kind.name), source="")
            self._fill(form, None)

    def _fill(self, form: KindForm, before: Kind | None) -> None:
        self._before, self._begun = before, form
        self.name.setText(form.name)
        self.cadence.setText(form.cadence)
        self._show_called()
        self.fields.setRowCount(0)
        self.controls.setRowCount(0)
        for one in form.fields:
            self.fields.put(one)
        for control in form.controls:
            self.controls.put(control)
        self.remove.setEnabled(before is not None and before.slug in self._listing.own)
        self._say("")
        self._shown = self.form
        self.ask_about(self.save)
        if before is None:
            self.name.setFocus()
            self.name.selectAll()

    def _show_called(self) -> None:
        called = self._begun.slug if self._before is not None else ""
        words = [tr("in files {0}", called) if called else tr("new"), *_beside(self._begun)]
        self.called.setText(" · ".join(words))

    @property
    def form(self) -> KindForm:
        """What is typed."""
        slug = "" if self._before is None else self._before.slug
        return replace(
            self._begun,
            slug=slug,
            name=self.name.text(),
            cadence=self.cadence.text(),
            fields=self.fields.rows,
            controls=self.controls.rows,
        )

    def _choose_to_read(self) -> None:
        dialog = file_to_read(
            self, FilePurpose.KIND, tr("Read a kind"), "TOML, JSON (*.toml *.json *.jsonld)"
        )
        dialog.fileSelected.connect(self._on_file)
        dialog.open()

    def _on_file(self, path: str) -> None:
        """Show a kind out of a file, to be saved: in place of one of its name, or as a new one."""
        try:
            told = kind_from_file(Path(path))
        except UsageError as error:
            self._say(str(error))
            return
        self._fill(form_of(told.kind), self._listing.known.get(told.kind.slug))
        # It is not saved yet, whatever it is.
        self._shown = KindForm()
        notes = []
        if told.left_out:
            notes.append(tr("Left out: {0}.", "; ".join(told.left_out)))
        if told.doors:
            ways = (one.removeprefix(_ADD_DOOR).partition(" --")[0] for one in told.doors)
            notes.append(tr("Doors for it, in In reach: {0}.", ", ".join(ways)))
        self._say("\n".join(notes))

    def _choose_to_save(self) -> None:
        kind = self._listing.known.get(self.picked)
        if kind is None:
            return
        dialog = file_to_save(
            self,
            FilePurpose.KIND,
            tr("Save the kind as a file"),
            f"{kind.slug}.toml",
            f"TOML (*.toml);;{tr('W3C Thing Model')} (*.json)",
            is_new=True,
        )
        dialog.fileSelected.connect(partial(self._on_saved_as, kind))
        dialog.open()

    def _on_saved_as(self, kind: Kind, path: str) -> None:
        try:
            left_out = save_kind_file(kind, Path(path))
        except UsageError as error:
            self._say(str(error))
            return
        told = [tr("a Thing Model cannot say {0}", one) for one in left_out]
        self._say("; ".join([tr("The kind is in {0}", path), *told]))

    def _on_sample(self) -> None:
        reader = self._sample_reader
        if reader is None:
            return
        # Loaded late; beside the editor, which goes on.
        from rook_tally.desk.stations.sample_dialog import SampleDialog

        SampleDialog(
            self._theme,
            lambda: kind_of(self.form, self._before),
            self.form.slug,
            reader,
            self._client.scope(),
            self,
        ).show()

    def _on_bytes(self) -> None:
        form = self.form
        dialog = LayoutDialog(
            self._theme,
            form.layout,
            [one.name for one in form.fields if one.name],
            form.slug,
            self._client.scope(),
            self,
        )
        dialog.chosen.connect(self._take_layout)
        dialog.open()

    def _take_layout(self, layout: ByteLayout | None) -> None:
        """A layout was written; it is saved with the kind."""
        self._begun = replace(self._begun, layout=layout)
        self._add_fields([] if layout is None else [layout])
        self._show_called()

    def _on_registers(self) -> None:
        dialog = RegistersDialog(self._theme, self.form.registers, self._reader, self)
        dialog.chosen.connect(self._take_registers)
        dialog.open()

    def _take_registers(self, registers: tuple[ModbusRegister, ...]) -> None:
        """Registers were picked; they are saved with the kind."""
        self._begun = replace(self._begun, registers=registers)
        self._propose([one.name for one in registers])
        self._show_called()

    def _on_radio(self, typed: TypedBluetooth) -> None:
        form = self.form
        names = [one.name for one in form.fields if one.name]
        dialog = BluetoothDialog(self._theme, typed, names, form.slug, self._client.scope(), self)
        dialog.chosen.connect(self._take_bluetooth)
        dialog.open()

    def _take_bluetooth(self, told: BluetoothMap | None) -> None:
        """What is read by Bluetooth was written; it is saved with the kind."""
        self._begun = replace(self._begun, bluetooth=told)
        self._add_fields([] if told is None else list(told.layouts.values()))
        self._show_called()

    def _add_fields(self, layouts: Sequence[ByteLayout]) -> None:
        """What layouts read is a field of the kind too."""
        names = [one.name for layout in layouts for one in layout.field]
        names += [one.name for layout in layouts for one in layout.formula]
        self._propose(names)

    def _propose(self, names: Sequence[str]) -> None:
        for one in missing_fields(names, self.form.fields):
            self.fields.put(one)

    def describe(self, sensor: Reachable) -> None:
        """Begin a kind for a sensor that is heard by Bluetooth."""
        self._sensor = sensor
        if self._listing.known:
            self._begin_sensor()

    def _begin_sensor(self) -> None:
        sensor, self._sensor = self._sensor, None
        if sensor is not None:
            self._fill(KindForm(name=sensor.title or sensor.name), None)
            self._on_radio(begun_with(sensor.title, sensor.data))

    def _on_save(self) -> None:
        try:
            kind = kind_of(self.form, self._before)
        except UsageError as error:
            self._say(str(error))
            return
        if self._before is None and kind.slug in self._listing.known:
            self._say(tr("There is a kind of that name already; give it another."))
            return
        self._wanted = kind.slug
        self._write(lambda: self._client.write(SaveKind(kind, self._before), self._done, self._not))

    def _on_remove(self) -> None:
        before = self._before
        if before is not None:
            self._write(lambda: self._client.write(RemoveKind(before), self._done, self._not))

    def _write(self, call: Callable[[], object]) -> None:
        self.save.setEnabled(False)
        self._say("")
        call()

    def _done(self, _result: UndoableResult) -> None:
        self.save.setEnabled(True)
        self.read_again()

    def _not(self, why: str) -> None:
        self.save.setEnabled(True)
        self._say(why)

    def _say(self, problem: str) -> None:
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))


def _beside(form: KindForm) -> list[str]:
    """What a kind has that only its file shows, and where its accuracies are from."""
    told = [
        (form.layout, tr("reads bytes by a layout")),
        (form.shape, tr("reads JSON of another shape")),
        (form.registers, tr("reads registers of a Modbus device")),
        (form.bluetooth, tr("is read by Bluetooth")),
        (form.source, form.source),
    ]
    return [words for one, words in told if one]
