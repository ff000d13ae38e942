"""The model of the Watch view, without Qt: watches and their alarms, a draft, its
backtest with limits that are dragged, the journal."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from dataclasses import replace as replace_row

from msgspec.structs import replace

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.backtest import other_limits
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.alarms.edits import altered, in_unit, typed_text, without_unused
from rook_tally.core.alarms.journal import Entry
from rook_tally.core.alarms.scope import WatchedSeries, at_limit
from rook_tally.core.alarms.sentences import Part, Piece, sentence, short_words
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.quantities.number_format import age
from rook_tally.core.timestamps import DAY_US
from rook_tally.desk.data.conflict import differences, rebased, retaken
from rook_tally.desk.data.drafts import NEW, DraftBook, DraftFile
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.undo import LocalStep, NoSteps, StepSink
from rook_tally.desk.watch.part_choices import PartChoice, choices_of, first_limit, quantity_of
from rook_tally.desk.watch.queries import (
    BacktestQuery,
    BacktestReadings,
    WatchesQuery,
    WatchListing,
)
from rook_tally.desk.watch.texts import tr
from rook_tally.store.alarms import NUISANCE_S, BacktestResult, backtest_on

DAYS = (1, 7, 30, 365)
_COLUMNS = 700


@dataclass(frozen=True, slots=True)
class WatchRow:
    """A line of the list."""

    slug: str
    name: str
    state: str
    words: str
    level: Level
    is_standing: bool
    is_saved: bool = True


class WatchModel:
    """The watches over a `SiteState`. `changed` callbacks run when something is shown otherwise."""

    def __init__(
        self,
        state: SiteState,
        drafts: DraftBook[Watch] | None = None,
        steps: StepSink | None = None,
    ) -> None:
        self.state = state
        self.drafts = DraftBook(DraftFile(), "watches", Watch) if drafts is None else drafts
        self._steps = NoSteps() if steps is None else steps
        # What the one in hand is called in the list: its slug, or the key of a new one.
        self.key = ""
        self.listing: WatchListing | None = None
        self.draft: Watch | None = None
        self.kept: Watch | None = None
        self.days = 7
        self.place = ""
        self.shows_all_lines = True
        self.wanted = ""
        self.nuisance_s = NUISANCE_S
        self.trouble = ""
        # Who else changed the one in hand, and to what.
        self.notice = ""
        self.found: BacktestReadings | None = None
        self.result: BacktestResult | None = None
        self.others: list[tuple[str, int, bool]] = []
        self.changed: list[Callable[[], None]] = []
        self._target: WatchedSeries | None = None
        self._asked: BacktestQuery | None = None

    def _tell(self) -> None:
        for one in self.changed:
            one()

    # What there is

    def listing_question(self) -> WatchesQuery:
        """Asks what there is."""
        slug = "" if self.shows_all_lines or self.kept is None else self.kept.slug
        return WatchesQuery(slug)

    def take_listing(self, listing: WatchListing) -> None:
        """Take the watches there are. A draft that was not touched follows what is saved; one that
        was lies on top of what somebody else saved meanwhile, and that is said."""
        self.listing = listing = replace_row(listing, series=self.state.site.series)
        kept, draft = self.kept, self.draft
        if kept is not None and draft is not None:
            fresh = next((one for one in listing.watches if one.slug == kept.slug), None)
            if fresh is None and not self.is_altered:
                self.pick("")
                return
            if fresh is not None and not self.is_altered:
                self.draft = self.kept = fresh
            elif fresh is not None and fresh != kept:
                self.draft, self.kept = rebased(draft, kept, fresh), fresh
                told = "; ".join(differences(kept, fresh))
                self.notice = tr("Changed by somebody else meanwhile: {0}.", told)
                self._note_draft()
            elif fresh is None:
                self.drafts.drop(self.key)
                self.kept, self.key = None, self.drafts.free_key()
                self.notice = tr("Deleted by somebody else meanwhile; Save brings it back.")
                self._note_draft()
        elif draft is None and (listing.watches or self.drafts.new_keys):
            self.pick(self._first(listing))
            return
        self._tell()

    def take_own(self, saved: Watch) -> None:
        """Take a watch that a step of this window's own has put so: the step before it is to find
        it, and nobody else did it."""
        if self.listing is None:
            return
        watches = tuple(saved if one.slug == saved.slug else one for one in self.listing.watches)
        self.take_listing(replace_row(self.listing, watches=watches))
        self.notice = ""
        self._tell()

    def _first(self, listing: WatchListing) -> str:
        rows = self.rows()
        return next((one.slug for one in rows if one.is_standing), rows[0].slug)

    def rows(self) -> list[WatchRow]:
        """The list, in the order the watches were made."""
        if self.listing is None:
            return []
        rows = [self._row(one, self.listing) for one in self.listing.watches]
        for key in self.drafts.new_keys:
            draft = self.drafts.get(key)
            if draft is not None:
                row = self._row(draft.value, self.listing)
                rows.append(replace_row(row, slug=key, state=tr("not saved"), is_saved=False))
        return rows

    def _row(self, one: Watch, listing: WatchListing) -> WatchRow:
        mine = listing.alarms.get(one.slug, ())
        worst = max(
            (alarm for alarm in mine if alarm.is_standing),
            key=lambda alarm: alarm.level,
            default=None,
        )
        quantity = quantity_of(one, listing)
        name = tr(quantity.name) if quantity is not None else one.scope.quantity
        state = self._state_words(one, worst, mine)
        if one.slug in listing.nothing:
            state = tr("nothing there")
        is_saved = self.drafts.get(one.slug) is None
        if not is_saved:
            state = tr("{0} · not saved", state)
        is_standing = worst is not None and not worst.is_quiet
        level = worst.level if worst is not None and is_standing else Level.SETTLED
        return WatchRow(
            one.slug, one.name, state, short_words(one, name), level, is_standing, is_saved
        )

    def _state_words(self, one: Watch, worst: Alarm | None, mine: tuple[Alarm, ...]) -> str:
        now_us = self.state.clock()
        if not one.is_on:
            return tr("off")
        if worst is not None:
            since = "" if worst.since_us is None else age((now_us - worst.since_us) / 1e6)
            if worst.state is AlarmState.SHELVED:
                return tr("shelved")
            if worst.state is AlarmState.RETURNED_UNACKNOWLEDGED:
                return tr("was {0} ago", since)
            return tr("standing {0}", since)
        rung = [alarm.since_us for alarm in mine if alarm.since_us is not None]
        return tr("quiet {0}", age((now_us - max(rung)) / 1e6)) if rung else tr("never rung")

    @property
    def lines(self) -> tuple[Entry, ...]:
        """The journal, newest first; those lines only that hold what somebody typed."""
        if self.listing is None:
            return ()
        words = self.wanted.casefold().split()
        return tuple(
            one
            for one in self.listing.lines
            if all(
                word in f"{one.name} {one.place} {one.sort.value} {one.words} {one.who}".casefold()
                for word in words
            )
        )

    def filter_lines(self, wanted: str) -> None:
        """Show those lines of the journal that hold these words."""
        self.wanted = wanted
        self._tell()

    def standing(self) -> list[Alarm]:
        """Alarms of the picked watch."""
        if self.listing is None or self.kept is None:
            return []
        return [one for one in self.listing.alarms.get(self.kept.slug, ()) if one.is_standing]

    # Picking and drafting

    def pick(self, slug: str) -> None:
        """Take a watch in hand, as it was left when it was not saved; none for an unknown one."""
        known = () if self.listing is None else self.listing.watches
        self.draft = self.kept = next((one for one in known if one.slug == slug), None)
        left = self.drafts.get(slug)
        if left is not None and (self.kept is not None or slug.startswith(NEW)):
            self.draft, self.kept = left.value, left.base
        self.key = slug if self.draft is not None else ""
        self._begin()
        if self.draft is not None and self.is_altered and self.listing is not None:
            # Somebody else may have saved it while another one was in hand.
            self.take_listing(self.listing)

    def _begin(self) -> None:
        self.found = self.result = self._target = self._asked = None
        self.others, self.trouble, self.notice, self.place = [], "", "", ""
        self._tell()

    def begin_new(self) -> None:
        """Begin a watch of the worst that is measured now, by its own limit."""
        if self.listing is None or not self.listing.series:
            return
        measured = [one for one in self.listing.series if one.id in self.state.latest]
        worst = max(measured or self.listing.series, key=lambda one: int(self.state.level(one)))
        quantity = worst.quantity
        taken = {one.name for one in self.rows()}
        name = tr("New watch")
        number = 2
        while name in taken:
            name, number = tr("New watch {0}", number), number + 1
        self.kept = None
        draft = Watch(
            slug=slug_of(name),
            name=name,
            sort=WatchKind.ABOVE,
            limit=first_limit(quantity),
            unit=quantity.base.symbol,
            for_s=300.0,
            calm_s=300.0,
            tell=("this desktop",),
            scope=Scope(quantity=quantity.slug, place=worst.station.place.name),
        )
        self.draft = in_unit(draft, quantity, worst.shown.symbol)
        self.key = self.drafts.free_key()
        self._note_draft()
        self._begin()

    def rename(self, name: str) -> None:
        """Call the draft otherwise; one that is kept keeps what commands call it."""
        if self.draft is None or not name.strip():
            return
        slug = self.draft.slug if self.kept is not None else slug_of(name)
        self._alter(replace(self.draft, name=name.strip(), slug=slug), tr("name typed"), "name")

    def tidied(self) -> Watch | None:
        """The draft as it is to be saved; None without one."""
        if self.draft is not None:
            self.draft = without_unused(self.draft)
            self._note_draft()
        return self.draft

    @property
    def is_live(self) -> bool:
        """True while now is shown."""
        return self.state.window.is_live

    @property
    def is_altered(self) -> bool:
        """True if the draft is not what is kept."""
        return self.draft != self.kept

    def discard(self) -> None:
        """Drop what is not saved of the watch in hand; it can be taken back."""
        key, left = self.key, self.drafts.get(self.key)
        if left is None:
            return

        def drop() -> None:
            self.drafts.drop(key)
            if self.key == key:
                self.pick("" if left.base is None else key)

        def bring_back() -> None:
            self.drafts.put(key, left.value, left.base)
            self.pick(key)

        drop()
        words = tr("changes of {0} discarded", left.value.name)
        self._steps.add_local(LocalStep(words, bring_back, drop))

    def took(self, key: str, sent: Watch, saved: Watch) -> None:
        """What was sent under a key was saved; what was changed since stays a draft."""
        if self.key != key:
            self.drafts.saved(key, sent, saved, saved.slug)
        elif self.draft is not None:
            # What was sent need not be the draft: a switch saves the watch and leaves the draft.
            began = sent if self.draft == sent or self.kept is None else self.kept
            self.drafts.drop(key)
            self.draft = saved if self.draft == sent else rebased(self.draft, began, saved)
            self.kept, self.key, self.trouble, self.notice = saved, saved.slug, "", ""
            self._note_draft()
        self._tell()

    def _note_draft(self) -> None:
        if self.draft is not None and self.key:
            self.drafts.put(self.key, self.draft, self.kept)

    def refused(self, why: str) -> None:
        """Something could not be done."""
        self.trouble = why
        self._tell()

    # The sentence

    def lines_of_sentence(self) -> list[list[Piece]]:
        """The draft in words."""
        if self.draft is None or self.listing is None:
            return []
        names = {one.quantity.slug: tr(one.quantity.name) for one in self.listing.series}
        quantity = names.get(self.draft.scope.quantity, self.draft.scope.quantity)
        guards = tuple(
            names.get(one.scope.quantity, one.scope.quantity) for one in self.draft.guards
        )
        return sentence(self.draft, quantity, guards)

    def choices(self, part: Part) -> list[PartChoice]:
        """The choices for a part; none for one that is typed."""
        if self.draft is None or self.listing is None:
            return []
        return choices_of(self.draft, part, self.listing)

    def typed(self, part: Part) -> str:
        """The text of a part that is typed over."""
        return "" if self.draft is None else typed_text(self.draft, part)

    def choose(self, watch: Watch) -> None:
        """Take a choice."""
        self._alter(watch, tr("sentence changed"))

    def type_over(self, part: Part, text: str) -> str:
        """Take what was typed into a part; says what is wrong with it, empty when nothing is."""
        if self.draft is None or self.listing is None:
            return ""
        try:
            watch = altered(self.draft, part, text, quantity_of(self.draft, self.listing))
            self._alter(watch, tr("sentence changed"))
        except UsageError as error:
            return str(error)
        return ""

    def _alter(self, watch: Watch, words: str, merge: str = "") -> None:
        before, key, base = self.draft, self.key, self.kept
        if before is None or watch == before:
            return

        def put(to: Watch, since: Watch) -> Callable[[], None]:
            def put_it() -> None:
                if self.key != key:
                    self.pick(key)
                if self.key == key and self.draft is not None:
                    self._hold(retaken(to, since, base, self.draft, self.kept))

            return put_it

        self._hold(watch)
        merged = (key, merge) if merge else None
        self._steps.add_local(LocalStep(words, put(before, watch), put(watch, before), merged))

    def _hold(self, watch: Watch) -> None:
        self.draft = watch
        self.trouble = ""
        self._note_draft()
        self._tell()

    # The backtest

    def show_days(self, days: int) -> None:
        """Look back over so many days."""
        self.days = days
        self._tell()

    def show_place(self, place: str) -> None:
        """Look back at another of its places."""
        self.place = place
        self._tell()

    def backtest_question(self) -> BacktestQuery | None:
        """The query for the backtest; None when what is known is enough for the draft as it is."""
        if self.draft is None:
            return None
        end_us = self.state.now_us
        question = BacktestQuery(
            self.draft, self.place, end_us - self.days * DAY_US, end_us, _COLUMNS
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

    def take_material(self, found: BacktestReadings) -> None:
        """Take the readings of the backtest."""
        if self.draft is None or found.draft.slug != self.draft.slug:
            return
        self.found, self._target = found, found.target
        self.trouble = found.mistake
        self.run_backtest()
        self.run_other_limits()
        self._tell()

    @property
    def is_answered(self) -> bool:
        """True if the backtest shown is the draft's."""
        return self.draft is None or (self.found is not None and self._asked is not None)

    @property
    def target(self) -> WatchedSeries | None:
        """The draft at the series that is drawn."""
        return self._target

    def count_as_nuisance(self, shorter_s: float) -> None:
        """Count rings shorter than this as likely nuisances."""
        self.nuisance_s = shorter_s
        self.run_backtest()
        self._tell()

    @property
    def places(self) -> tuple[str, ...]:
        """The places at which the draft can look back."""
        return () if self.found is None else self.found.places

    def run_backtest(self) -> None:
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
        assert self.draft is not None
        unit = self._target.series.quantity.unit(self.draft.unit)
        base = limit if unit is None else unit.to_base(limit)
        return self._target.judge.of_axis(base)

    def drag(self, base: float, *, clears: bool) -> None:
        """Put the ring limit, or the one it clears at, to a value of the axis, in the base unit.

        The one never passes the other: it takes it along.
        """
        target, draft = self._target, self.draft
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
        self.run_backtest()
        if moved == draft:
            self._tell()
        self._alter(moved, tr("limit moved"), "limit")
