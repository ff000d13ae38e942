"""The Workings view: the list of what is worked out, and the page of what is picked."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from PySide6.QtCore import QModelIndex, Qt, QTimer, Signal
from PySide6.QtGui import QKeySequence, QShortcut, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from rook_tally.core.quantities.named_series import Group
from rook_tally.core.theme import Theme
from rook_tally.core.workings.definitions import Working
from rook_tally.desk.data.drafts import DraftFile
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import Command, StoreClient
from rook_tally.desk.data.undo import SavedResult, StepSink, UndoableResult
from rook_tally.desk.parts.copying import let_copy
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.workings.actions import WorkingsAction
from rook_tally.desk.workings.commands import RemoveGroup, RemoveWorking, SaveGroup, SaveWorking
from rook_tally.desk.workings.formula_page import FormulaPage
from rook_tally.desk.workings.group_page import GroupPage
from rook_tally.desk.workings.item_list import LIST_WIDTH, ItemList, ItemListModel, sort_and_key
from rook_tally.desk.workings.model import WorkingsModel
from rook_tally.desk.workings.queries import FormulaQuery
from rook_tally.desk.workings.rows import WorkingKind
from rook_tally.desk.workings.score_page import ScorePage
from rook_tally.desk.workings.templates_page import TemplatesPage
from rook_tally.desk.workings.texts import tr
from rook_tally.store.site import Series

_LIST_EVERY_MS = 1_000
_WINDOW_PAUSE_MS = 120

R = TypeVar("R")


class WorkingsView(QWidget):
    """The list on the left, a page on the right. `limits_wanted` hears of which series."""

    limits_wanted = Signal(Series)

    def __init__(
        self,
        theme: Theme,
        state: SiteState,
        client: StoreClient,
        drafts: DraftFile,
        steps: StepSink,
    ) -> None:
        super().__init__()
        self._theme = theme
        self._state = state
        self._client = client
        self.model = WorkingsModel(state, drafts, steps)
        self.items = ItemListModel(self.model)
        self.list = ItemList(self.items, theme, self)
        let_copy(self.list, with_menu=False)
        self.formula_page = FormulaPage(theme, self.model)
        self.score_page = ScorePage(theme, self.model)
        self.group_page = GroupPage(theme, self.model)
        self.offers_page = TemplatesPage(theme, self.model, self.make)
        self.pages = QStackedWidget()
        self._pages: tuple[QWidget, ...] = (
            self.offers_page,
            self.formula_page,
            self.score_page,
            self.group_page,
        )
        for page in self._pages:
            self.pages.addWidget(page)
        self.new = QPushButton(tr("New…"))
        self.new.setObjectName("link")
        self.new.setStyleSheet(
            f"QPushButton#link {{ border: none; background: transparent; color: {theme.sheen};"
            f" padding: 3px 6px; }} QPushButton#link:focus {{ text-decoration: underline; }}"
        )
        self._moved = QTimer(self, singleShot=True, interval=_WINDOW_PAUSE_MS)
        self._moved.timeout.connect(self._ask_draft)
        self._again = QTimer(self, interval=_LIST_EVERY_MS)
        self._again.timeout.connect(self._ask_list)
        self._under_way = 0
        self._lay_out()
        self.new.clicked.connect(lambda: self.do(WorkingsAction.NEW))
        for page in (self.formula_page, self.score_page, self.group_page):
            page.foot.keep.connect(lambda: self.do(WorkingsAction.KEEP))
            page.foot.take_away.connect(lambda: self.do(WorkingsAction.TAKE_AWAY))
            page.foot.limits_wanted.connect(lambda: self.do(WorkingsAction.LIMITS))
        self.list.selectionModel().currentChanged.connect(self._on_picked)
        self.model.changed.append(self._refresh)
        state.window_moved.append(self._moved.start)
        state.subscribe(self._on_state_changed)
        for action in (WorkingsAction.KEEP, WorkingsAction.REVERT):
            self._shortcut(self, action)
        for action in (
            WorkingsAction.NEW,
            WorkingsAction.TAKE_AWAY,
            WorkingsAction.VARIANT,
            WorkingsAction.WHAT_IF,
            WorkingsAction.LIMITS,
            WorkingsAction.RENAME,
        ):
            self._shortcut(self.list, action)
        self._refresh()

    def _shortcut(self, widget: QWidget, action: WorkingsAction) -> None:
        for keys in action.keys:
            shortcut = QShortcut(QKeySequence(keys), widget)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(lambda action=action: self.do(action))

    def _lay_out(self) -> None:
        left = QWidget()
        left.setObjectName("paper")
        left.setStyleSheet(f"QWidget#paper {{ background: {self._theme.paper}; }}")
        left.setFixedWidth(LIST_WIDTH)
        title = Label(tr("Workings"))
        title.setFont(face(15, BOLD))
        head = QHBoxLayout()
        head.setContentsMargins(16, 10, 10, 2)
        head.addWidget(title, 1)
        head.addWidget(self.new)
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self.list, 1)
        rule = QWidget()
        rule.setFixedWidth(1)
        rule.setStyleSheet(f"background: {self._theme.strong_rule};")
        self.pages.setStyleSheet(f"QStackedWidget {{ background: {self._theme.sheet}; }}")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(left)
        row.addWidget(rule)
        row.addWidget(self.pages, 1)

    @property
    def is_up_to_date(self) -> bool:
        """True if everything asked for is shown."""
        return self.model.listing is not None and self.model.is_answered and not self._under_way

    def do(self, action: WorkingsAction) -> None:
        """Do what a key or the list of commands asks for."""
        doing: dict[WorkingsAction, Callable[[], None]] = {
            WorkingsAction.NEW: self._begin,
            WorkingsAction.KEEP: self._keep,
            WorkingsAction.REVERT: self.model.discard,
            WorkingsAction.TAKE_AWAY: self._take_away,
            WorkingsAction.VARIANT: self.model.begin_variant,
            WorkingsAction.WHAT_IF: self.score_page.what_if.toggle,
            WorkingsAction.LIMITS: self._set_limits,
            WorkingsAction.RENAME: self._rename,
        }
        doing[action]()

    def _rename(self) -> None:
        """Have the name of what is picked typed over."""
        page = self.pages.currentWidget()
        if page is self.group_page:
            field = self.group_page.name
        elif page in (self.formula_page, self.score_page):
            head = self.formula_page.head if page is self.formula_page else self.score_page.head
            field = head.name
        else:
            return
        field.setFocus()
        field.selectAll()

    def _set_limits(self) -> None:
        kept = self.model.kept
        if kept is None:
            return
        series = next(
            (one for one in self._state.site.series if one.quantity.slug == kept.slug), None
        )
        if series is None:
            self.model.refused(tr("It is made nowhere yet, so it has no limits."))
        else:
            self.limits_wanted.emit(series)

    def pick(self, sort: WorkingKind, key: str) -> None:
        """Pick something of the list, as the mouse or the arrow keys do."""
        keys = [sort_and_key(one) for one in self.items.rows]
        if (sort, key) in keys:
            self.list.setCurrentIndex(self.items.index(keys.index((sort, key))))

    def make(self, working: Working) -> None:
        """Make something ready-made."""
        self._write(SaveWorking(working), lambda done: self.model.took("", working, done.saved))

    def _begin(self) -> None:
        self.list.setCurrentIndex(QModelIndex())
        self.model.pick(None)

    def _keep(self) -> None:
        model = self.model
        if model.group is not None:
            group, kept = model.group, model.kept_group
            key = "" if model.picked is None else model.picked[1]
            command = SaveGroup(group, "" if kept is None else kept.name, kept)
            self._write(command, lambda done: model.took_group(key, group, done.saved))
        elif model.draft is not None and model.is_altered:
            model.score.end_trial()
            draft, before = model.draft, model.kept
            slot = "" if model.picked is None else model.picked[1]
            self._write(
                SaveWorking(draft, "" if before is None else before.slug, before),
                lambda done: model.took(slot, draft, done.saved),
            )

    def _take_away(self) -> None:
        model = self.model
        if model.kept_group is not None:
            self._write(RemoveGroup(model.kept_group.name, model.kept_group), self._on_removed)
        elif model.kept is not None:
            model.score.end_trial()
            self._write(RemoveWorking(model.kept.slug, model.kept), self._on_removed)

    def _write(self, command: Command[R], on_done: Callable[[R], None]) -> None:
        """Have the store changed, and look at what there is then."""
        self._under_way += 1

        def done(result: R) -> None:
            self._under_way -= 1
            on_done(result)
            self._ask_list()

        def failed(why: str) -> None:
            self._under_way -= 1
            self.model.refused(why)
            # Who else changed it, and to what.
            self._ask_list()

        self._client.write(command, done, failed)

    def _on_removed(self, _done: UndoableResult) -> None:
        self.model.pick(None)

    def showEvent(self, event: QShowEvent) -> None:
        """Ask for everything, and again while it is looked at."""
        super().showEvent(event)
        self._ask_list()
        self._again.start()

    def _ask_list(self) -> None:
        if not self.isVisible():
            # A trial goes on: it is for looking at in the other views.
            self._again.stop()
            return
        self._client.read(self.model.listing_question(), self.model.take_listing)

    def _ask_draft(self) -> None:
        if self.isVisible():
            question = self.model.draft_question()
            if isinstance(question, FormulaQuery):
                self._client.read(question, self.model.take_formula)
            elif question is not None:
                self._client.read(question, self.model.score.take)
            trial = self.model.score.trial_question()
            if trial is not None:
                self._client.read(trial, self.model.score.take_trial)

    def take_step(self, done: UndoableResult) -> None:
        """A step was undone, or done again, in the store."""
        if isinstance(done, SavedResult) and isinstance(done.saved, Working | Group):
            self.model.take_own(done.saved)

    def _on_picked(self, current: QModelIndex, _previous: QModelIndex) -> None:
        if current.isValid():
            what = sort_and_key(self.items.rows[current.row()])
            if what != self.model.picked:
                self.model.pick(what)

    def _on_state_changed(self, changed: set[int] | None) -> None:
        if self.isVisible() and changed is None:
            self._ask_list()

    def _refresh(self) -> None:
        model = self.model
        self.items.refresh()
        if model.picked is not None:
            self.pick(*model.picked)
        page: QWidget = self.offers_page
        if model.group is not None:
            page = self.group_page
        elif model.draft is not None:
            page = self.formula_page if model.draft.score is None else self.score_page
        self.pages.setCurrentWidget(page)
        page.refresh()  # type: ignore[attr-defined]
        self._ask_draft()
