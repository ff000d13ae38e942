"""The Wall view: the sheet in hand, the names of all of them, the picked pane's page."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeySequence, QShortcut, QShowEvent
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.theme import Theme
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.core.wall.files import sheets_from_toml, sheets_to_toml
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.settings import WallSettings
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import Command, StoreClient
from rook_tally.desk.data.undo import SavedResult, UndoableResult
from rook_tally.desk.parts.file_dialog import file_to_read, file_to_save
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.pictures import Pictures
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.wall.actions import WallAction
from rook_tally.desk.wall.arranging import SheetEditor
from rook_tally.desk.wall.canvas import WallCanvas
from rook_tally.desk.wall.commands import NewLink, SaveSheets
from rook_tally.desk.wall.full_screen import FullScreenWall
from rook_tally.desk.wall.model import WallModel
from rook_tally.desk.wall.pane_panel import PanePanel
from rook_tally.desk.wall.series_picker import SeriesPicker
from rook_tally.desk.wall.sheet_bar import SheetBar
from rook_tally.desk.wall.sheet_follower import SheetFollower
from rook_tally.desk.wall.show_dialog import ShowDialog
from rook_tally.desk.wall.texts import tr
from rook_tally.store.site import Series, Station
from rook_tally.wall.pane_resolver import pane_reference

_TICK_MS = 1000
_WITHIN = Qt.ShortcutContext.WidgetWithChildrenShortcut
_CLOSES = Qt.WidgetAttribute.WA_DeleteOnClose
_FILES = "TOML (*.toml)"


class WallView(QWidget):
    """Sheets made, arranged and shown. `series_opened` carries series to be looked at closer."""

    series_opened = Signal(list)
    shown_full = Signal()

    def __init__(
        self, theme: Theme, state: SiteState, client: StoreClient, settings: WallSettings
    ) -> None:
        super().__init__()
        self._theme, self._state, self._client = theme, state, client
        self.settings = settings
        self.model = WallModel(state)
        self.arranging = SheetEditor(self.model)
        self.canvas = WallCanvas(theme, self.model, self.arranging)
        self.pictures = Pictures(client, self)
        self.canvas.pictures = self.pictures.image
        self.pictures.arrived.connect(self.canvas.update)
        self.panel = PanePanel(theme, self.model, self.arranging)
        self.panel.hide()
        self.bar = SheetBar(theme, self.model, self.do)
        self.empty = QWidget()
        self.middle = QStackedWidget()
        self.dialog: QDialog | None = None
        self.showing: FullScreenWall | None = None
        self._under_way = 0
        self._first: str | None = None
        self._follower = SheetFollower(
            self.model, state, client, is_wanted=lambda: self.isVisible() or self._first is not None
        )
        self._follower.on_listing = self._begin_as_wanted
        self._first_is_full = False
        self._lay_out()
        self._tick = QTimer(self, interval=_TICK_MS)
        self._tick.timeout.connect(self.tick)
        self._connect()

    def _lay_out(self) -> None:
        self._lay_out_empty()
        self.middle.addWidget(self.canvas)
        self.middle.addWidget(self.empty)
        row = QHBoxLayout()
        row.setSpacing(0)
        row.addWidget(self.middle, 1)
        row.addWidget(self.panel)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addLayout(row, 1)

    def _lay_out_empty(self) -> None:
        """Lay out what is shown while there is no sheet."""
        title = Label(tr("No sheets yet"))
        title.setFont(face(21, BOLD))
        text = Label(
            tr(
                "A sheet is what stands on a spare screen: the few things that matter to you,\n"
                "large enough to be read from the other end of the room."
            )
        )
        tint(text, self._theme.dim)
        self.matters = QPushButton(tr("Make one of what matters now"))
        self.matters.setObjectName("main")
        self.blank = QPushButton(tr("Begin with an empty sheet"))
        buttons = QHBoxLayout()
        buttons.addWidget(self.matters)
        buttons.addWidget(self.blank)
        buttons.addStretch(1)
        column = QVBoxLayout(self.empty)
        column.setContentsMargins(64, 64, 64, 64)
        column.setSpacing(14)
        column.addWidget(title)
        column.addWidget(text)
        column.addLayout(buttons)
        column.addStretch(1)

    def _connect(self) -> None:
        model = self.model
        model.wished.append(self._write)
        model.laid_out.append(self._refresh)
        self.matters.clicked.connect(partial(self.do, WallAction.MATTERS))
        self.blank.clicked.connect(partial(self.do, WallAction.EMPTY))
        self.panel.series_wanted.connect(self._pick_series)
        self.canvas.opened.connect(self._open)
        for action in WallAction:
            # Letters belong to the sheet; where somebody writes they are letters.
            widget: QWidget = self.canvas if len(action.keys[0]) == 1 else self
            for keys in action.keys:
                shortcut = QShortcut(QKeySequence(keys), widget)
                shortcut.setContext(_WITHIN)
                shortcut.activated.connect(partial(self.do, action))

    @property
    def is_up_to_date(self) -> bool:
        """True if the sheet in hand is shown as it is."""
        return self.model.is_up_to_date and not self._under_way

    def do(self, action: WallAction, _checked: bool = False) -> None:
        """Do what a key, a button or the list of commands asks for."""
        model, arranging = self.model, self.arranging
        doing: dict[WallAction, Callable[[], object]] = {
            WallAction.SHOW: self.show_full,
            WallAction.NEXT_SHEET: lambda: model.show_beside(1),
            WallAction.SHEET_BEFORE: lambda: model.show_beside(-1),
            WallAction.ARRANGE: lambda: self.arrange(not self.canvas.is_arranged),
            WallAction.ADD: self._pick_pane,
            WallAction.TAKE_AWAY: arranging.remove_pane,
            WallAction.TRY_NEXT_LEVEL: self._try_next_level,
            WallAction.END_TRIAL: model.end_trial,
            WallAction.MATTERS: lambda: arranging.add_sheet(
                tr("What matters now"), is_of_what_matters=True
            ),
            WallAction.EMPTY: self._begin_empty,
            WallAction.COPY: arranging.copy_sheet,
            WallAction.RENAME: self._rename,
            WallAction.REMOVE: arranging.remove_sheet,
            WallAction.EARLIER: lambda: arranging.move_sheet(-1),
            WallAction.LATER: lambda: arranging.move_sheet(1),
            WallAction.TURNS: arranging.turn_or_not,
            WallAction.SAVE: self._save,
            WallAction.READ: self._read,
            WallAction.SHOWING: self._ask_how,
            WallAction.POCKET: self._open_pocket,
        }
        doing[action]()

    def arrange(self, is_arranged: bool) -> None:
        """Let panes be picked and moved, with the picked one's page beside; or no longer."""
        self.canvas.arrange(is_arranged)
        self.panel.setVisible(is_arranged)
        self.bar.arrange(is_arranged)
        self.canvas.setFocus()

    def begin_with(self, slug: str, *, is_full: bool = False) -> None:
        """Turn to a sheet as soon as it is known, and fill the screen."""
        self._first, self._first_is_full = slug, is_full
        self._follower.ask_listing()

    def show_full(self) -> None:
        """Show the sheets on the whole of the chosen screen."""
        if self.model.sheet is None or self.showing is not None:
            return
        self.showing = FullScreenWall(
            self._theme, self._state, self._client, self.settings, self.model.sheet.slug
        )
        self.showing.closed.connect(self._on_shown)
        self.showing.begin()

    def _begin_as_wanted(self) -> None:
        if self._first is None:
            return
        self.model.show(self._first)
        self._first = None
        if self._first_is_full:
            self.show_full()
            if self.showing is None:
                # The last sheet went meanwhile; nothing at all would be on the screen.
                self.window().show()

    def _on_shown(self) -> None:
        if self.showing is not None:
            self.showing.deleteLater()
            self.showing = None
            self.shown_full.emit()

    def _begin_empty(self) -> None:
        self.arranging.add_sheet(tr("Sheet"), is_of_what_matters=False)
        self.arrange(True)
        self._pick_pane()

    def _rename(self) -> None:
        if self.model.sheet is None:
            return
        dialog = ValueDialog(
            self._theme,
            self,
            title=tr("Rename the sheet"),
            label=tr("Name"),
            value=self.model.sheet.name,
            take=partial(self._take_name, self.model.sheet.slug),
        )
        self._open_dialog(dialog)

    def _take_name(self, slug: str, name: str) -> None:
        """Another name for the sheet that was picked when the person asked."""
        if not name.strip():
            raise UsageError(tr("A sheet has a name."))
        if self.model.sheet is None or self.model.sheet.slug != slug:
            raise UsageError(tr("The sheet was deleted meanwhile; Cancel leaves."))
        self.arranging.rename_sheet(name)

    def _open_dialog(self, dialog: QDialog) -> None:
        dialog.setAttribute(_CLOSES)
        dialog.destroyed.connect(partial(self._forget, dialog))
        self.dialog = dialog
        dialog.open()

    def _forget(self, dialog: QDialog) -> None:
        if self.dialog is dialog:
            self.dialog = None

    def _pick_pane(self) -> None:
        if self.model.sheet is None:
            return
        self.arrange(True)
        dialog = SeriesPicker(self._theme, self.model, self)
        dialog.picked.connect(self._add_pane)
        self._open_dialog(dialog)

    def _add_pane(self, kind: PaneKind, shown: Series | Station | None) -> None:
        self.arranging.add_pane(self.arranging.pane_of(kind, shown))

    def _pick_series(self) -> None:
        pane = self.model.pane
        if pane is None:
            return
        dialog = SeriesPicker(self._theme, self.model, self, kind=pane.kind)
        dialog.picked.connect(self._add_series)
        self._open_dialog(dialog)

    def _add_series(self, kind: PaneKind, shown: Series | Station) -> None:
        pane = self.model.pane
        if pane is None:
            return
        reference = pane_reference(shown, self._state.site)
        if kind is PaneKind.WORDS:
            self.panel.put_value(reference)
        elif kind.takes_several or kind is PaneKind.STANDING:
            if reference not in pane.shows:
                self.arranging.alter_pane(shows=(*pane.shows, reference))
        else:
            self.arranging.alter_pane(shows=(reference,))

    def _open(self, at: int) -> None:
        self.model.pick(at)
        series = list(self.model.picked_series)
        if series:
            self.series_opened.emit(series)

    def _try_next_level(self) -> None:
        """Settled, then every level the pane's series can have, then the real value again."""
        self.arrange(True)
        if not self.model.try_next_level():
            self.model.end_trial()

    def _save(self) -> None:
        dialog = file_to_save(
            self, FilePurpose.SHEETS, tr("Save the sheets as a file"), "sheets.toml", _FILES
        )
        dialog.setDefaultSuffix("toml")
        dialog.fileSelected.connect(lambda path: self.save(Path(path)))
        self._open_dialog(dialog)

    def save(self, path: Path) -> None:
        """Write all sheets into a file."""
        try:
            path.write_text(sheets_to_toml(self.model.sheets), encoding="utf-8")
        except OSError as error:
            self.model.refuse(tr("{0} could not be written: {1}", path, error.strerror or error))

    def _read(self) -> None:
        dialog = file_to_read(self, FilePurpose.SHEETS, tr("Read sheets from a file"), _FILES)
        dialog.fileSelected.connect(lambda path: self.read(Path(path)))
        self._open_dialog(dialog)

    def read(self, path: Path) -> None:
        """Keep the sheets of a file."""
        try:
            told = sheets_from_toml(path.read_text(encoding="utf-8"))
        except (OSError, UnicodeDecodeError, UsageError) as error:
            self.model.refuse(f"{path.name}: {error}")
            return
        self.model.wish(SaveSheets(told))

    def _ask_how(self) -> None:
        dialog = ShowDialog(self.settings, self)
        dialog.decided.connect(self._take_settings)
        self._open_dialog(dialog)

    def _take_settings(self, settings: WallSettings) -> None:
        self.settings = settings
        if self.showing is not None:
            self.showing.settings = settings

    def _open_pocket(self) -> None:
        # Loaded late: most people never open it.
        from rook_tally.desk.wall.share_dialog import ShareDialog

        dialog = ShareDialog(self._theme, self.model, self)
        self._open_dialog(dialog)

    def _write(self, command: Command[UndoableResult]) -> None:
        self._under_way += 1
        self._client.write(command, self._on_written, self._on_not_written)

    def _on_written(self, done: UndoableResult) -> None:
        self._under_way -= 1
        link = done.saved if isinstance(done, SavedResult) else None
        self.model.on_kept("", link if isinstance(link, NewLink) else None)
        self._follower.ask_listing()

    def _on_not_written(self, why: str) -> None:
        self._under_way -= 1
        self.model.on_kept(why, None)
        self._follower.ask_listing()

    def showEvent(self, event: QShowEvent) -> None:
        """Ask for everything, and go on while it is looked at."""
        super().showEvent(event)
        self._follower.ask_listing()
        self._tick.start()

    def tick(self) -> None:
        """A second went by."""
        if not self.isVisible():
            self._tick.stop()
            return
        self._follower.tick()

    def _refresh(self) -> None:
        self._follower.ask()
        is_empty = self.model.sheet is None
        self.middle.setCurrentWidget(self.empty if is_empty else self.canvas)
