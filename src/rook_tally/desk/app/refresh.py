"""Refreshes a window when readings come, when the moment shown moves, and every second."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QDialog

from rook_tally.desk.app.texts import tr_count
from rook_tally.desk.app.views import STRIP
from rook_tally.desk.data.store_feed import News
from rook_tally.wall.site_snapshot import SiteSnapshot

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow

_TICK_MS = 1_000
_MOMENT_PAUSE_MS = 150


class WindowRefresh:
    """Keeps head, notice, banner and rail of a window up to date."""

    def __init__(self, window: DeskWindow) -> None:
        self._window = window
        self._state = window.state
        self._told_of_drafts = False
        self._told_at_head = (False, 0, True)
        self._moment_timer = QTimer(window, singleShot=True, interval=_MOMENT_PAUSE_MS)
        self._moment_timer.timeout.connect(self._ask_moment)
        self._tick = QTimer(window, interval=_TICK_MS)
        self._tick.timeout.connect(self._on_tick)

    def start(self) -> None:
        """Follow the state from now on."""
        self._tick.start()
        self._state.subscribe(self._on_state_changed)
        self._state.window_moved.append(self._on_window_moved)
        self._window.rail.model.changed.append(self.ask_rail)
        self._window.banner.told.connect(self.ask_rail)

    def stop(self) -> None:
        """Follow the clock no longer."""
        self._tick.stop()

    def deliver(self, news: News) -> None:
        """Have news taken in Qt's thread."""
        self._window.ui_thread.post(partial(self._state.take, news))

    def ask_rail(self) -> None:
        """Have the rail read, if it is to show anything else."""
        model = self._window.rail.model
        if self._state.is_loaded and model.is_to_be_asked():
            self._window.client.read(model.question(), model.take)

    def _on_window_moved(self) -> None:
        """Have the moment shown read, when it is a past one, and say soon which it is."""
        if self._window.view == STRIP:
            # The lanes are being panned: how the whole site stood then can wait for the hand.
            self._moment_timer.start()
        else:
            self._ask_moment()
        self._window.banner.tell_soon()

    def _ask_moment(self) -> None:
        question = self._state.moment_question()
        if question is not None:
            self._window.client.read(question, self._on_moment)

    def _on_moment(self, moment: SiteSnapshot) -> None:
        self._state.take_moment(moment)
        self._ask_moment()

    def _on_state_changed(self, changed: set[int] | None) -> None:
        window, state = self._window, self._state
        told = changed is None, state.alarm_moves, state.window.is_live
        if told == self._told_at_head:
            window.head.refresh_soon()
        else:
            # What rings, and another moment, are seen at once.
            window.head.refresh()
        self._told_at_head = (False, *told[1:])
        window.banner.tell_trial()
        if changed is None:
            self.ask_rail()
            window.arrangement.settle()
            if state.is_loaded and not self._told_of_drafts:
                self._told_of_drafts = True
                self._tell_of_drafts()
        self._show_notice()
        self._ask_for_other_words()

    def _on_tick(self) -> None:
        window = self._window
        window.head.refresh()
        self._state.follow_now()
        window.ledger.model.tick()
        self.ask_rail()
        window.rail.refresh()
        self._show_notice()
        self._ask_for_other_words()

    def _tell_of_drafts(self) -> None:
        count = self._window.drafts.count
        if count:
            self._window.tell(
                tr_count(
                    count,
                    "A change that was not saved is kept; its row says so.",
                    "{0} changes that were not saved are kept; their rows say so.",
                )
            )

    def _ask_for_other_words(self) -> None:
        window = self._window
        if window.speaks_as is None or not self._state.is_loaded:
            return
        settings = self._state.site.settings
        if settings.wording == window.speaks_as:
            return
        if not any(one.isVisible() for one in window.findChildren(QDialog)):
            # Asked for once.
            window.speaks_as = None
            window.other_words_wanted.emit(settings)

    def _show_notice(self) -> None:
        window, text = self._window, self._state.notice()
        if window.recorder is not None and self._state.is_loaded and not self._state.collectors:
            window.notice.say_with_link(text)
        else:
            window.notice.say_plainly(text)
