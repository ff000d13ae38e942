"""The Bench view: the list, the answer in one sentence with its picture, what stands beside it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from PySide6.QtCore import QModelIndex, Qt, QTimer, Signal
from PySide6.QtGui import QGuiApplication, QKeySequence, QShortcut, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from rook_tally.bench.find import FoundAnswer
from rook_tally.bench.usual import UsualAnswer
from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.bench_items import EventItem, PairItem
from rook_tally.core.comparing.event_effects import EventEffect
from rook_tally.core.errors import RookTallyError
from rook_tally.core.remarks import Remark, next_shade
from rook_tally.core.theme import Theme
from rook_tally.desk.bench.actions import BenchAction
from rook_tally.desk.bench.model import BenchModel
from rook_tally.desk.bench.parts import (
    LIST_WIDTH,
    BenchList,
    BenchListModel,
    BenchSide,
    PictureView,
    SentenceLabel,
    SheetLines,
)
from rook_tally.desk.bench.queries import (
    AnswerQuery,
    BenchAnswer,
    BenchListing,
    FoundQuery,
    HourlyMeansQuery,
    ListingQuery,
    MoreEffectsQuery,
)
from rook_tally.desk.bench.saving import figures_of, save_sheet
from rook_tally.desk.bench.tasks import Around, BenchTasks
from rook_tally.desk.bench.texts import tr
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.data.time_window import TimeWindow
from rook_tally.desk.parts.copying import let_copy
from rook_tally.desk.parts.file_dialog import file_to_save
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import scrolling, tint
from rook_tally.login import login_name

_WINDOW_PAUSE_MS = 250
_LIVE_EVERY_MS = 60_000
_LINES_HEIGHT = 190
_MOST = 16_777_215

R = TypeVar("R")


class _Asks:
    """Has the Bench read anew, for its tasks."""

    def __init__(self, view: BenchView) -> None:
        self._view = view

    def listing(self, then: Callable[[], None] | None = None) -> None:
        self._view.ask_listing(then)

    def page(self) -> None:
        self._view.ask_again()


class BenchView(QWidget):
    """List, page and side. `told` bears a line to be said, `series_opened` what the Strip shall
    show, `span_wanted` a remark to be written.

    `asking` reads with a process of its own: what the Bench asks takes seconds, and nothing else
    is to wait for it.
    """

    told = Signal(str)
    series_opened = Signal(list)
    span_wanted = Signal(Remark)

    def __init__(
        self, theme: Theme, state: SiteState, client: StoreClient, asking: StoreClient
    ) -> None:
        super().__init__()
        self._theme, self._state = theme, state
        self._client, self._asking = client, asking
        self.model = BenchModel(state)
        self.items = BenchListModel(self.model)
        self.list = BenchList(self.items, theme, self)
        let_copy(self.list, with_menu=False)
        self.new = QPushButton(tr("New…"))
        self.over, self.lines_title = Label(), Label()
        self.sentence = SentenceLabel(theme)
        self.picture = PictureView(theme)
        self.lines = SheetLines(theme)
        self.side = BenchSide(theme)
        self.tasks = BenchTasks(
            theme,
            state,
            client,
            self.model,
            _Asks(self),
            Around(self, self.told.emit, lambda: self.lines.picked_key),
        )
        self._moved = QTimer(self, singleShot=True, interval=_WINDOW_PAUSE_MS)
        self._moved.timeout.connect(self._on_moved)
        self._live = QTimer(self, interval=_LIVE_EVERY_MS)
        self._live.timeout.connect(self._on_live)
        self._lay_out()
        self.new.clicked.connect(lambda: self.do(BenchAction.NEW))
        self.side.wanted.connect(self.do)
        self.list.selectionModel().currentChanged.connect(self._on_picked)
        self.lines.line_picked.connect(self._on_line)
        self.lines.line_opened.connect(self._on_line_opened)
        self.model.changed.append(self._refresh)
        state.window_moved.append(self._moved.start)
        state.subscribe(self._on_state_changed)
        for action in BenchAction:
            for keys in action.keys:
                shortcut = QShortcut(QKeySequence(keys), self)
                shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
                shortcut.activated.connect(lambda action=action: self.do(action))
        self._refresh()

    def _lay_out(self) -> None:
        theme = self._theme
        self.new.setObjectName("link")
        self.new.setStyleSheet(
            f"QPushButton#link {{ border: none; background: transparent; color: {theme.sheen};"
            f" padding: 3px 6px; }} QPushButton#link:focus {{ text-decoration: underline; }}"
        )
        title = Label(tr("Bench"))
        title.setFont(face(15, BOLD))
        head = QHBoxLayout()
        head.setContentsMargins(16, 10, 10, 2)
        head.addWidget(title, 1)
        head.addWidget(self.new)
        left = self._ground("paper", theme.paper)
        left.setFixedWidth(LIST_WIDTH)
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self.list, 1)
        self.over.setFont(face(12))
        tint(self.over, theme.dim)
        self.lines_title.setFont(face(13, BOLD))
        middle = self._ground("sheet", theme.sheet)
        page = QVBoxLayout(middle)
        page.setContentsMargins(16, 12, 16, 12)
        page.setSpacing(8)
        page.addWidget(self.over)
        page.addWidget(self.sentence)
        page.addWidget(self.picture, 1)
        page.addWidget(self.lines_title)
        page.addWidget(self.lines)
        right = self._ground("paper", theme.paper)
        right.setFixedWidth(self.side.width() + 18)
        beside = QVBoxLayout(right)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.addWidget(scrolling(self.side))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        for widget, stretch in ((left, 0), (self._rule(), 0), (middle, 1), (self._rule(), 0)):
            row.addWidget(widget, stretch)
        row.addWidget(right)

    def _ground(self, name: str, ground: str) -> QWidget:
        made = QWidget()
        made.setObjectName(name)
        made.setStyleSheet(f"QWidget#{name} {{ background: {ground}; }}")
        return made

    def _rule(self) -> QWidget:
        made = QWidget()
        made.setFixedWidth(1)
        made.setStyleSheet(f"background: {self._theme.strong_rule};")
        return made

    @property
    def is_up_to_date(self) -> bool:
        """True if everything asked for is shown."""
        model = self.model
        is_answered = model.listing is not None and not model.is_asked and self.tasks.is_at_rest
        is_whole = model.next_part() is None and model.first_response() is None
        return (
            is_answered
            and is_whole
            and self._asking.is_idle
            and model.next_without_figure() is None
        )

    # What can be done

    def do(self, action: BenchAction) -> None:
        """Do what a key, a button or the list of commands asks for."""
        doing: dict[BenchAction, Callable[[], None]] = {
            BenchAction.NEW: self.tasks.begin,
            BenchAction.KEEP: self.tasks.keep,
            BenchAction.REMOVE: lambda: self.tasks.remove(of_list=self.list.hasFocus()),
            BenchAction.TAKE: self.tasks.take,
            BenchAction.TAKE_FROM: self.tasks.take_from,
            BenchAction.ADD_POINT: self.tasks.add_point,
            BenchAction.READ_POINTS: self.tasks.choose_points,
            BenchAction.DUE: self.tasks.set_due,
            BenchAction.FIND: lambda: self.model.pick(None),
            BenchAction.WATCH: self.tasks.watch_stray,
            BenchAction.OPEN: self._open,
            BenchAction.NAME_SPELL: self._name_spell,
            BenchAction.COPY: self._copy,
            BenchAction.SAVE: self._save,
        }
        doing[action]()

    def _open(self) -> None:
        if self.model.shows_found:
            key = self.lines.picked_key
            pair = None if key is None else self.model.pair_at(key)
            if pair is not None:
                self.tasks.keep_item(pair, None)
            return
        series = self.model.picked_for_strip
        if series:
            self.series_opened.emit(series)

    def _name_spell(self) -> None:
        answer, key = self.model.answer, self.lines.picked_key
        if not isinstance(answer, UsualAnswer) or key is None:
            self.told.emit(tr("Pick a spell of the list first."))
            return
        spell = answer.spells[key]
        place = answer.series.station.place.name
        shade = next_shade(self._state.remarks)
        self.span_wanted.emit(
            Remark("remark", spell.start_us, spell.end_us, shade, place, login_name())
        )

    def _copy(self) -> None:
        QGuiApplication.clipboard().setText(figures_of(self.model.sheet()))
        self.told.emit(tr("The figures are copied."))

    def _save(self) -> None:
        dialog = file_to_save(
            self,
            FilePurpose.BENCH,
            tr("Save what is shown"),
            tr("bench.csv"),
            tr("Figures (*.csv);;Picture (*.png);;Drawing (*.svg)"),
        )
        dialog.fileSelected.connect(lambda path: self.save(Path(path)))
        dialog.open()

    def save(self, path: Path) -> None:
        """Save the page: its figures as CSV, or its picture as PNG or SVG, by the file's name."""
        try:
            save_sheet(path, self.model.sheet(), self._theme, self.picture.size())
        except RookTallyError as error:
            self.told.emit(str(error))
            return
        self.told.emit(tr("It is in {0}.", str(path)))

    # What is asked

    def showEvent(self, event: QShowEvent) -> None:
        """Ask for everything, and again while it is looked at."""
        super().showEvent(event)
        self.model.follow_window()
        self.ask_again()
        self._live.start()

    def ask_again(self) -> None:
        """Ask for the list and for the page, where the Bench is looked at."""
        if not self.isVisible():
            self._live.stop()
            return
        self.ask_listing()
        self._ask_answer()

    def ask_listing(self, then: Callable[[], None] | None = None) -> None:
        """Ask for the list, and do something more once it is there."""

        def take(listing: BenchListing) -> None:
            self.model.take_listing(listing)
            if then is not None:
                then()

        self._asking.read(ListingQuery(), take, self.told.emit, asker=then)

    def _ask_answer(self) -> None:
        if not self.isVisible():
            return
        if self.model.shows_found:
            self.model.is_asked = True
            self._ask_find()
            return
        question = self.model.question()
        if question is None:
            return
        self.model.is_asked = True
        self._asking.read(
            question,
            lambda answer: self._on_answer(question, answer),
            lambda why: self._on_mistake(question, why),
        )

    def _on_answer(self, question: AnswerQuery, answer: BenchAnswer) -> None:
        self.model.take_answer(question, answer)
        self._ask_next_part()
        self._ask_next_figure()

    def _ask_next_part(self) -> None:
        """Have some more series tried with the event that is shown, then the surest one drawn."""
        question = self.model.next_part()
        if question is None:
            first = self.model.first_response()
            if first is not None:
                self._asking.read(first, self.model.take_responses, self.told.emit)
            return
        self._asking.read(
            question, lambda effects: self._on_part(question, effects), self.told.emit
        )

    def _on_part(self, question: MoreEffectsQuery, effects: tuple[EventEffect, ...]) -> None:
        self.model.take_part(question, effects)
        if self.isVisible():
            self._ask_next_part()

    def _ask_find(self) -> None:
        """Have some more series looked through, then all of them among each other."""
        question = self.model.find_question()
        if isinstance(question, FoundQuery):
            self._asking.read(question, self._on_found, self.model.refused)
            return
        self._asking.read(
            question, lambda rows: self._on_hourly(question, rows), self.model.refused
        )

    def _on_hourly(self, question: HourlyMeansQuery, rows: FloatArray) -> None:
        if self.model.take_hourly(question, rows) and self.isVisible():
            self._ask_find()

    def _on_found(self, found: FoundAnswer) -> None:
        self.model.take_found(found)
        self._ask_next_figure()

    def _on_mistake(self, question: AnswerQuery, why: str) -> None:
        self.model.take_mistake(question, why)
        self._ask_next_figure()

    def _ask_next_figure(self) -> None:
        """Have the list told its figures, one after the other, while nothing else is asked."""
        question = self.model.next_without_figure()
        if question is None or self.model.is_asked or not self.isVisible():
            return
        self._asking.read(
            question,
            lambda answer: self._on_answer(question, answer),
            lambda why: self._on_mistake(question, why),
            asker=self.items,
        )

    def _on_state_changed(self, changed: set[int] | None) -> None:
        if changed is None and self.isVisible():
            self.ask_listing()

    def _on_live(self) -> None:
        # What takes long stands until another stretch is looked at.
        if not self.model.shows_found and not isinstance(self.model.picked, EventItem):
            self._ask_answer()

    def _on_moved(self) -> None:
        if self.isVisible() and self.model.follow_window():
            self.ask_again()

    # What is picked

    def _on_picked(self, current: QModelIndex, _previous: QModelIndex) -> None:
        if current.isValid():
            item = self.items.rows[current.row()].item
            if item != self.model.picked or self.model.shows_found is not (item is None):
                self.model.pick(item)

    def _on_line(self, key: int) -> None:
        picked = self.model.picked
        if isinstance(picked, PairItem) and key != picked.second:
            # The others stay beside it.
            rest = tuple(one for one in picked.series[1:] if one != key)
            self.model.look_at(PairItem(picked.first, key, rest))
            return
        if isinstance(self.model.picked, EventItem):
            question = self.model.response_question(self.lines.picked_keys)
            if question is not None:
                self._asking.read(question, self.model.take_responses, self.told.emit)

    def _on_line_opened(self, key: int) -> None:
        answer = self.model.answer
        if self.model.shows_found:
            pair = self.model.pair_at(key)
            if pair is not None:
                self.tasks.keep_item(pair, None)
        elif isinstance(answer, UsualAnswer):
            spell = answer.spells[key]
            self._state.show_window(self._around(spell.start_us, spell.end_us))
            self.series_opened.emit([answer.series])
        else:
            self._open()

    def _around(self, start_us: int, end_us: int) -> TimeWindow:
        room = end_us - start_us
        return TimeWindow(start_us - room, end_us + room, is_live=False)

    def _refresh(self) -> None:
        model = self.model
        self.items.refresh()
        rows = [one.item for one in self.items.rows]
        wanted = None if model.shows_found else model.picked
        if wanted in rows and (wanted is not None or model.shows_found):
            index = self.items.index(rows.index(wanted))
            if self.list.currentIndex() != index:
                self.list.setCurrentIndex(index)
        asks = (model.shows_found and model.found is None) or (
            model.picked is not None and model.answer is None and not model.mistake
        )
        if asks and not model.is_asked:
            self._ask_answer()
        sheet = model.sheet()
        self.over.setText(sheet.over)
        self.sentence.say(sheet.sentence)
        self.picture.show_picture(sheet.picture)
        self.lines_title.setText(sheet.lines_title)
        self.lines_title.setVisible(bool(sheet.lines))
        self.lines.show_lines(sheet)
        # A list without a picture has the room of both.
        self.picture.setVisible(bool(sheet.picture) or not sheet.lines)
        self.lines.setMaximumHeight(_LINES_HEIGHT if sheet.picture else _MOST)
        self.lines.setMinimumHeight(_LINES_HEIGHT)
        offered = None
        if model.picked is not None and not model.is_kept and model.answer is not None:
            offered = BenchAction.KEEP, tr("Keep it on the Bench")
        self.side.show_side(sheet.side, offered=offered)
