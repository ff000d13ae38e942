"""The Watch view: watches, the picked one's sentence and backtest, the journal."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TypeVar

from msgspec.structs import replace
from PySide6.QtCore import QModelIndex, Qt, QTimer
from PySide6.QtGui import QKeySequence, QResizeEvent, QShortcut, QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import HOUR_US
from rook_tally.desk.data.alarm_commands import RequestOfAlarm
from rook_tally.desk.data.drafts import DraftBook, DraftFile
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import Command, StoreClient
from rook_tally.desk.data.undo import SavedResult, StepSink, UndoableResult
from rook_tally.desk.parts.copying import let_copy
from rook_tally.desk.parts.file_dialog import file_to_save
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import scrolling, tint
from rook_tally.desk.watch.actions import WatchAction
from rook_tally.desk.watch.backtest_chart import BacktestChart
from rook_tally.desk.watch.backtest_figures import Figures
from rook_tally.desk.watch.channel_dialog import ChannelDialog
from rook_tally.desk.watch.commands import RemoveWatch, SaveWatch
from rook_tally.desk.watch.draft_backtest import DAYS
from rook_tally.desk.watch.foot import foot_of
from rook_tally.desk.watch.journal_file import write_journal_file
from rook_tally.desk.watch.lists import (
    JOURNAL_WIDTH,
    LIST_WIDTH,
    JournalList,
    JournalModel,
    WatchList,
    WatchListModel,
)
from rook_tally.desk.watch.model import WatchModel
from rook_tally.desk.watch.sentence_edit import SentenceEdit
from rook_tally.desk.watch.texts import tr, tr_count
from rook_tally.store.site import RequestKind

_LIST_EVERY_MS = 1_000
_AT_REST_MS = 80
_WIDE = 1180

R = TypeVar("R")


class WatchView(QWidget):
    """The list on the left, the watch in the middle, the journal on the right."""

    def __init__(
        self,
        theme: Theme,
        state: SiteState,
        client: StoreClient,
        drafts: DraftFile,
        steps: StepSink,
    ) -> None:
        super().__init__()
        self._theme, self._state, self._client = theme, state, client
        self.model = WatchModel(state, DraftBook(drafts, "watches", Watch), steps)
        self.items, self.journal_items = WatchListModel(self.model), JournalModel(self.model)
        self.list = WatchList(self.items, theme, self)
        self.journal = JournalList(self.journal_items, theme, self)
        let_copy(self.list, with_menu=False)
        let_copy(self.journal)
        self.name = QLineEdit()
        self.sentence = SentenceEdit(theme, self.model)
        self.chart = BacktestChart(theme, self.model)
        self.figures = Figures(theme, self.model)
        self.trouble, self.stands = Label(), Label()
        self.hint = Label(tr("drag the line; the count follows"))
        self.new = QPushButton(tr("New…"))
        self.which = QPushButton()
        self.filter = QLineEdit()
        self.filter.setPlaceholderText(tr("Only lines with…"))
        self.filter.setAccessibleName(tr("only lines of the journal with"))
        self.place = QComboBox()
        self.place.setAccessibleName(tr("place looked back on"))
        self.spans = QButtonGroup(self)
        self.keep = QPushButton(tr("Save"))
        self.leave = QPushButton(tr("Discard changes"))
        self.trial = QPushButton(tr("Test this alarm"))
        self.switch, self.shelve = QPushButton(), QPushButton()
        self.acknowledge = QPushButton(tr("Acknowledge"))
        self.remove = QPushButton(tr("Delete"))
        self._under_way = 0
        self._shown = ("", "")
        self._is_typing = False
        self._again = QTimer(self, interval=_LIST_EVERY_MS)
        self._again.timeout.connect(self._ask_list)
        self._rest = QTimer(self, singleShot=True, interval=_AT_REST_MS)
        self._rest.timeout.connect(self._on_rest)
        self._lay_out()
        self._connect()
        self._refresh()

    def _lay_out(self) -> None:
        theme = self._theme
        link = (
            f"QPushButton#link {{ border: none; background: transparent; color: {theme.sheen};"
            f" padding: 3px 6px; }} QPushButton#link:focus {{ text-decoration: underline; }}"
            f"QPushButton#link:checked {{ color: {theme.ink}; font-weight: bold; }}"
        )
        for button in (self.new, self.which):
            button.setObjectName("link")
            button.setStyleSheet(link)
        self.keep.setObjectName("main")
        for button in (self.leave, self.remove, self.switch):
            button.setObjectName("words")
        self.name.setFrame(False)
        self.name.setAccessibleName(tr("the watch's name"))
        self.name.setStyleSheet(
            "QLineEdit { background: transparent; border: none; padding: 0; font-size: 20px; }"
        )
        self.trouble.setWordWrap(True)
        self.stands.setWordWrap(True)
        tint(self.stands, theme.dim)
        title = Label(tr("What would have rung"))
        title.setFont(face(13, BOLD))
        spans = QHBoxLayout()
        spans.setSpacing(2)
        spans.addWidget(title)
        spans.addSpacing(8)
        for days in DAYS:
            button = QPushButton(tr_count(days, "1 day", "{0} days"))
            button.setCheckable(True)
            button.setObjectName("link")
            button.setStyleSheet(link)
            self.spans.addButton(button, days)
            spans.addWidget(button)
        spans.addWidget(self.place)
        spans.addStretch(1)
        self.hint.setFont(face(12))
        tint(self.hint, theme.dim)
        spans.addWidget(self.hint)
        foot = QHBoxLayout()
        foot.setSpacing(8)
        for button in (self.keep, self.trial, self.leave):
            foot.addWidget(button)
        foot.addStretch(1)
        for button in (self.switch, self.remove):
            foot.addWidget(button)
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self.name, 1)
        head.addWidget(self.acknowledge)
        head.addWidget(self.shelve)
        middle = QWidget()
        middle.setObjectName("sheet")
        middle.setStyleSheet(f"QWidget#sheet {{ background: {theme.sheet}; }}")
        column = QVBoxLayout(middle)
        column.setContentsMargins(24, 14, 24, 16)
        column.setSpacing(6)
        column.addLayout(head)
        column.addWidget(self.stands)
        # In a small window the sentence alone may take its height: name and buttons stay in sight.
        body = QWidget()
        inner = QVBoxLayout(body)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(6)
        inner.addWidget(self.sentence)
        inner.addWidget(self.trouble)
        inner.addLayout(spans)
        inner.addWidget(self.chart, 1)
        inner.addWidget(self.figures)
        column.addWidget(scrolling(body), 1)
        column.addSpacing(8)
        column.addLayout(foot)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._side(tr("Watches"), self.new, self.list, LIST_WIDTH))
        row.addWidget(self._rule())
        row.addWidget(middle, 1)
        row.addWidget(self._rule())
        lines = QWidget()
        under = QVBoxLayout(lines)
        under.setContentsMargins(0, 0, 0, 0)
        under.setSpacing(4)
        under.addWidget(self.journal, 1)
        beside = QHBoxLayout()
        beside.setContentsMargins(14, 0, 14, 10)
        beside.addWidget(self.filter)
        under.addLayout(beside)
        row.addWidget(self._side(tr("Journal"), self.which, lines, JOURNAL_WIDTH))

    def _side(self, title: str, button: QPushButton, inner: QWidget, width: int) -> QWidget:
        side = QWidget()
        side.setObjectName("paper")
        side.setStyleSheet(f"QWidget#paper {{ background: {self._theme.paper}; }}")
        side.setFixedWidth(width)
        name = Label(title)
        name.setFont(face(15, BOLD))
        head = QHBoxLayout()
        head.setContentsMargins(16, 10, 10, 6)
        head.addWidget(name, 1)
        head.addWidget(button)
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(inner, 1)
        return side

    def _rule(self) -> QWidget:
        rule = QWidget()
        rule.setFixedWidth(1)
        rule.setStyleSheet(f"background: {self._theme.strong_rule};")
        return rule

    def _connect(self) -> None:
        for button, action in (
            (self.new, WatchAction.NEW),
            (self.keep, WatchAction.KEEP),
            (self.leave, WatchAction.REVERT),
            (self.trial, WatchAction.TRIAL),
            (self.acknowledge, WatchAction.ACKNOWLEDGE),
            (self.shelve, WatchAction.SHELVE),
            (self.switch, WatchAction.SWITCH),
            (self.remove, WatchAction.TAKE_AWAY),
            (self.which, WatchAction.JOURNAL),
        ):
            button.clicked.connect(partial(self.do, action))
            button.setToolTip(", ".join(action.keys))
        self.spans.idClicked.connect(self.model.backtest.show_days)
        self.name.textEdited.connect(self._on_name_typed)
        self.chart.rested.connect(self._rest.start)
        self.filter.textChanged.connect(self.model.filter_lines)
        self.place.textActivated.connect(self.model.backtest.show_place)
        self.sentence.ways_wanted.connect(self.show_ways)
        self.list.selectionModel().currentChanged.connect(self._on_picked)
        self.model.changed.append(self._refresh)
        self._state.subscribe(self._on_state_changed)
        everywhere = (WatchAction.KEEP, WatchAction.REVERT, WatchAction.SAVE_JOURNAL)
        for action in WatchAction:
            widget: QWidget = self if action in everywhere else self.list
            for keys in action.keys:
                shortcut = QShortcut(QKeySequence(keys), widget)
                shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
                shortcut.activated.connect(partial(self.do, action))

    @property
    def is_up_to_date(self) -> bool:
        """True if everything asked for is shown."""
        return (
            self.model.listing is not None
            and self.model.backtest.is_answered
            and not self._under_way
        )

    def do(self, action: WatchAction, _checked: bool = False) -> None:
        """Do what a key, a button or the list of commands asks for."""
        model = self.model
        doing: dict[WatchAction, Callable[[], None]] = {
            WatchAction.NEW: self._begin,
            WatchAction.KEEP: self._keep,
            WatchAction.REVERT: model.discard,
            WatchAction.TAKE_AWAY: self._take_away,
            WatchAction.RENAME: self._rename,
            WatchAction.ACKNOWLEDGE: lambda: self._ask_for(RequestKind.ACKNOWLEDGE),
            WatchAction.SHELVE: self._shelve,
            WatchAction.TRIAL: lambda: self._ask_for(RequestKind.TRIAL),
            WatchAction.SWITCH: self._switch,
            WatchAction.NEXT_SPAN: self._show_next_span,
            WatchAction.WAYS: self.show_ways,
            WatchAction.JOURNAL: self._show_other_journal,
            WatchAction.SAVE_JOURNAL: self._save_journal,
        }
        doing[action]()

    def _rename(self) -> None:
        """Have the name of the watch in hand typed over."""
        if self.model.draft is not None:
            self.name.setFocus()
            self.name.selectAll()

    def pick(self, slug: str) -> None:
        """Pick a watch of the list."""
        slugs = [one.slug for one in self.items.rows]
        if slug in slugs and self.list.currentIndex().row() != slugs.index(slug):
            self.list.setCurrentIndex(self.items.index(slugs.index(slug)))

    def _begin(self) -> None:
        self.list.setCurrentIndex(QModelIndex())
        self.model.begin_new()
        self.name.setFocus()
        self.name.selectAll()

    def _keep(self) -> None:
        if not self.model.is_altered:
            return
        watch = self.model.tidied()
        if watch is not None:
            self._save(watch, since=watch)

    def _take_away(self) -> None:
        if self.model.kept is not None:
            kept = self.model.kept
            self._write(RemoveWatch(kept.slug, kept), lambda _done: self.model.pick(""))

    def _switch(self) -> None:
        kept = self.model.kept
        if kept is not None:
            # What is typed and not saved stays as it is.
            self._save(replace(kept, is_on=not kept.is_on), since=kept)

    def _shelve(self) -> None:
        is_shelved = any(one.state is AlarmState.SHELVED for one in self.model.standing())
        self._ask_for(RequestKind.UNSHELVE if is_shelved else RequestKind.SHELVE)

    def _ask_for(self, sort: RequestKind) -> None:
        kept = self.model.kept
        if kept is None:
            return
        now_us = self._state.clock()
        until_us = now_us + HOUR_US if sort is RequestKind.SHELVE else None
        self._write(RequestOfAlarm(sort, kept.slug, kept.name, now_us, until_us=until_us))

    def _show_next_span(self) -> None:
        at = (DAYS.index(self.model.backtest.days) + 1) % len(DAYS)
        self.model.backtest.show_days(DAYS[at])

    def show_ways(self) -> None:
        """Let ways of telling be set up."""
        known = () if self.model.listing is None else self.model.listing.ways
        dialog = ChannelDialog(self._theme, known, self._client.scope(), self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.changed.connect(self._ask_list)
        dialog.finished.connect(self._ask_list)
        dialog.open()

    def _show_other_journal(self) -> None:
        self.model.shows_all_lines = not self.model.shows_all_lines
        self._ask_list()

    def _save_journal(self) -> None:
        dialog = file_to_save(
            self,
            FilePurpose.JOURNAL,
            tr("Save the journal"),
            "journal.csv",
            tr("CSV files (*.csv)"),
        )
        dialog.fileSelected.connect(lambda path: self.save_journal(Path(path)))
        dialog.open()

    def save_journal(self, path: Path) -> None:
        """Write the lines shown as CSV."""
        try:
            write_journal_file(path, self.model.lines)
        except OSError as error:
            self.model.refused(tr("{0} could not be written: {1}", path, error.strerror or error))

    def _save(self, watch: Watch, *, since: Watch) -> None:
        kept, key = self.model.kept, self.model.key
        command = SaveWatch(watch, "" if kept is None else kept.slug, kept)
        self._write(command, lambda done: self.model.took(key, since, done.saved))

    def _write(
        self,
        command: Command[R],
        on_done: Callable[[R], None] | None = None,
        on_error: Callable[[str], None] | None = None,
    ) -> None:
        """Have the store changed, and look at what there is then."""
        self._under_way += 1

        def done(result: R) -> None:
            self._under_way -= 1
            if on_done is not None:
                on_done(result)
            self._ask_list()

        def failed(why: str) -> None:
            self._under_way -= 1
            (on_error or self.model.refused)(why)
            # Who else changed it, and to what.
            self._ask_list()

        self._client.write(command, done, failed)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The hint goes first where there is little room."""
        super().resizeEvent(event)
        self.hint.setVisible(self.width() >= _WIDE)

    def showEvent(self, event: QShowEvent) -> None:
        """Ask for everything, and again while it is looked at."""
        super().showEvent(event)
        self._ask_list()
        self._again.start()

    def _ask_list(self) -> None:
        if not self.isVisible():
            self._again.stop()
            return
        self._client.read(self.model.listing_question(), self.model.take_listing)

    def _ask_draft(self) -> None:
        if self.isVisible():
            question = self.model.backtest.question()
            if question is not None:
                self._client.read(question, self.model.take_backtest)

    def _on_rest(self) -> None:
        """The hand has let go: what other limits would have done is worth working out."""
        self.model.backtest.run_other_limits()
        self.figures.refresh()

    def take_step(self, done: UndoableResult) -> None:
        """A step was undone, or done again, in the store."""
        if isinstance(done, SavedResult) and isinstance(done.saved, Watch):
            self.model.take_own(done.saved)

    def _on_name_typed(self, text: str) -> None:
        self._is_typing = True
        self.model.rename(text)
        self._is_typing = False

    def _on_picked(self, current: QModelIndex, _previous: QModelIndex) -> None:
        if current.isValid():
            slug = self.items.rows[current.row()].slug
            if slug != self.model.key:
                self.model.pick(slug)

    def _on_state_changed(self, changed: set[int] | None) -> None:
        if self.isVisible() and changed is None:
            self._ask_list()

    def _refresh(self) -> None:
        model, draft = self.model, self.model.draft
        self.items.refresh()
        self.journal_items.refresh()
        if model.key:
            self.pick(model.key)
        has_draft = draft is not None
        for widget in (self.name, self.sentence, self.chart, self.figures, self.trial):
            widget.setVisible(has_draft)
        shown = (model.key, "" if draft is None else draft.name)
        # Who has the field empty for a moment, or writes a blank at its end, goes on; any other
        # name came from elsewhere.
        is_free = not self.name.hasFocus() or (shown != self._shown and not self._is_typing)
        if draft is not None and is_free and self.name.text().strip() != draft.name:
            self.name.setText(draft.name)
        self._shown = shown
        self.sentence.refresh()
        self.chart.update()
        self.figures.refresh()
        self.spans.button(model.backtest.days).setChecked(True)
        self._show_places()
        self._show_foot()
        self._ask_draft()

    def _show_places(self) -> None:
        """Where it can look back, when there is more than one place."""
        places = self.model.backtest.places
        if [self.place.itemText(at) for at in range(self.place.count())] != list(places):
            self.place.clear()
            self.place.addItems(list(places))
        self.place.setVisible(len(places) > 1)
        target = self.model.backtest.target
        if target is not None:
            self.place.setCurrentText(target.series.place)

    def _show_foot(self) -> None:
        foot = foot_of(self.model)
        for label, words in ((self.trouble, foot.trouble), (self.stands, foot.stands)):
            label.setText(words)
            label.setVisible(bool(words))
        self.which.setText(foot.journal)
        self.switch.setText(foot.switch)
        self.shelve.setText(foot.shelve)
        for button in (self.remove, self.switch, self.shelve):
            button.setVisible(foot.is_saved)
        self.keep.setEnabled(foot.can_save)
        self.leave.setVisible(foot.can_discard)
        self.trial.setEnabled(foot.can_test)
        self.shelve.setEnabled(foot.is_offered)
        self.acknowledge.setVisible(foot.can_acknowledge)
