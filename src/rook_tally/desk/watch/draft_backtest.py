"""Backtests the draft of a watch, also while its limits are dragged; without Qt."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from rook_tally.core.alarms.backtest import other_limits
from rook_tally.core.alarms.definitions import Watch, WatchKind
from rook_tally.core.alarms.scope import WatchedSeries, at_limit
from rook_tally.core.timestamps import DAY_US
from rook_tally.desk.data.draft_in_hand import DraftInHand
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.watch.queries import BacktestQuery, BacktestReadings
from rook_tally.desk.watch.texts import tr
from rook_tally.store.alarms import NUISANCE_S, BacktestResult, backtest_on

DAYS = (1, 7, 30, 365)
_COLUMNS = 700


class DraftBacktest:
    """The draft in hand over the days just gone.

    Attributes
    ----------
    found, result : its readings, and how often it would have rung; None until they are there
    others : other limits as shown, how often each would have rung, and whether it is the draft's
    days, place : how far back, and at which of its places; an empty one is the first of them
    nuisance_s : rings shorter than this are likely nuisances
    """

    def __init__(
        self,
        state: SiteState,
        hand: DraftInHand[Watch],
        tell: Callable[[], None],
        alter: Callable[[Watch, str, str], None],
    ) -> None:
        """`tell` is called when something is shown otherwise, `alter` with the draft as a dragged
        limit makes it, what was done in words, and which steps are one with it."""
        self._state = state
        self._hand = hand
        self._tell = tell
        self._alter = alter
        self.days = 7
        self.place = ""
        self.nuisance_s = NUISANCE_S
        self.found: BacktestReadings | None = None
        self.result: BacktestResult | None = None
        self.others: list[tuple[str, int, bool]] = []
        self._target: WatchedSeries | None = None
        self._asked: BacktestQuery | None = None

    def forget(self) -> None:
        """Another watch is in hand."""
        self.found = self.result = self._target = self._asked = None
        self.others, self.place = [], ""

    def show_days(self, days: int) -> None:
        """Look back over so many days."""
        self.days = days
        self._tell()

    def show_place(self, place: str) -> None:
        """Look back at another of its places."""
        self.place = place
        self._tell()

    def question(self) -> BacktestQuery | None:
        """The query for the backtest; None when what is known is enough for the draft as it is."""
        if self._hand.draft is None:
            return None
        end_us = self._state.now_us
        question = BacktestQuery(
            self._hand.draft, self.place, end_us - self.days * DAY_US, end_us, _COLUMNS
        )
        known = self._asked
        # Its end moves with the clock; that alone is not worth reading days again.
        if known is not None and (
            (known.draft, known.place) == (question.draft, question.place)
            and known.end_us - known.start_us == question.end_us - question.start_us
            and abs(known.end_us - question.end_us) < max(DAY_US * self.days // 200, 60_000_000)
        ):
            return None
        if known is not None and self._is_only_moved(known, question):
            self._asked = question
            return None
        self._asked = question
        return question

    def _is_only_moved(self, known: BacktestQuery, question: BacktestQuery) -> bool:
        """True if the draft differs in its limits only, which need nothing read."""
        found = self.found
        if found is None or found.target is None or found.mistake:
            return False
        same = replace(known.draft, limit=question.draft.limit, clear=question.draft.clear)
        return (
            same == question.draft
            and known.place == question.place
            and known.end_us - known.start_us == question.end_us - question.start_us
            and question.draft.sort in (WatchKind.ABOVE, WatchKind.BELOW)
            and self._target is not None
            and self._target.judge.terms.limit == self._number(question.draft.limit)
        )

    def take(self, found: BacktestReadings) -> bool:
        """Take the readings of the backtest; False if they are of another watch than the one in
        hand by now."""
        if self._hand.draft is None or found.draft.slug != self._hand.draft.slug:
            return False
        self.found, self._target = found, found.target
        self.run()
        self.run_other_limits()
        return True

    @property
    def is_answered(self) -> bool:
        """True if the backtest shown is the draft's."""
        return self._hand.draft is None or (self.found is not None and self._asked is not None)

    @property
    def target(self) -> WatchedSeries | None:
        """The draft at the series that is drawn."""
        return self._target

    def count_as_nuisance(self, shorter_s: float) -> None:
        """Count rings shorter than this as likely nuisances."""
        self.nuisance_s = shorter_s
        self.run()
        self._tell()

    @property
    def places(self) -> tuple[str, ...]:
        """The places at which the draft can look back."""
        return () if self.found is None else self.found.places

    def run(self) -> None:
        """Backtest the draft with the limits as they stand."""
        found = self.found
        if found is None or found.material is None or self._target is None:
            self.result = None
            return
        self.result = backtest_on(
            found.material, self._target, found.start_us, found.end_us, nuisance_s=self.nuisance_s
        )

    def run_other_limits(self) -> None:
        """Backtest other limits on the same days."""
        found, target = self.found, self._target
        self.others = []
        if found is None or found.material is None or target is None or found.series is None:
            return
        shown = found.series.shown
        number = target.judge.terms.limit
        clear = target.judge.terms.clear_limit
        for value in other_limits(target, number):
            limit = target.judge.of_axis(value)
            # As far below the limit as it clears now.
            moved = at_limit(target, limit, None if clear is None else limit - (number - clear))
            told = backtest_on(found.material, moved, found.start_us, found.end_us)
            is_mine = abs(limit - number) < 1e-9
            self.others.append((shown.limit_text(value), told.counts.rang, is_mine))

    def _number(self, limit: float) -> float:
        """A limit in the draft's unit as the number that is watched."""
        assert self._target is not None
        assert self._hand.draft is not None
        unit = self._target.series.quantity.unit(self._hand.draft.unit)
        base = limit if unit is None else unit.to_base(limit)
        return self._target.judge.of_axis(base)

    def drag(self, base: float, *, clears: bool) -> None:
        """Put the ring limit, or the one it clears at, to a value of the axis, in the base unit.

        The one never passes the other: it takes it along.
        """
        target, draft = self._target, self._hand.draft
        if target is None or draft is None or draft.sort not in (WatchKind.ABOVE, WatchKind.BELOW):
            return
        terms, number = target.judge.terms, target.judge.of_axis(base)
        limit = terms.limit
        clear = limit if terms.clear_limit is None else terms.clear_limit
        if clears:
            clear, limit = number, max(limit, number)
        else:
            limit, clear = number, min(clear, number)
        shown = target.series.quantity.unit(draft.unit) or target.series.quantity.base
        decimals = target.series.quantity.decimals + 1

        def told(value: float) -> float:
            (axis,) = target.judge.on_axis(value)
            return round(shown.from_base(axis), decimals)

        moved = replace(draft, limit=told(limit), clear=told(clear))
        # What is judged is what is said, to the last decimal.
        self._target = at_limit(target, self._number(moved.limit), self._number(moved.clear or 0.0))
        self.run()
        if moved == draft:
            self._tell()
        self._alter(moved, tr("limit moved"), "limit")
