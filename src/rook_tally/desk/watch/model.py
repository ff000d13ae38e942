"""The model of the Watch view, without Qt: watches and their alarms, a draft, its
backtest with limits that are dragged, the journal."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from dataclasses import replace as replace_row

from msgspec.structs import replace

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.alarms.edits import altered, in_unit, typed_text, without_unused
from rook_tally.core.alarms.journal import Entry
from rook_tally.core.alarms.sentences import Part, Piece, sentence, short_words
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.quantities.number_format import age
from rook_tally.desk.data.draft_in_hand import DraftInHand
from rook_tally.desk.data.drafts import DraftBook, DraftFile
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.undo import NoSteps, StepSink
from rook_tally.desk.watch.draft_backtest import DraftBacktest
from rook_tally.desk.watch.part_choices import PartChoice, choices_of, first_limit, quantity_of
from rook_tally.desk.watch.queries import BacktestReadings, WatchesQuery, WatchListing
from rook_tally.desk.watch.texts import tr


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
        book = DraftBook(DraftFile(), "watches", Watch) if drafts is None else drafts
        self._hand = DraftInHand(book, NoSteps() if steps is None else steps, self.pick)
        self.listing: WatchListing | None = None
        self.shows_all_lines = True
        self.wanted = ""
        self.trouble = ""
        self.changed: list[Callable[[], None]] = []
        self.backtest = DraftBacktest(state, self._hand, self._tell, self._alter)

    def _tell(self) -> None:
        for one in self.changed:
            one()

    @property
    def drafts(self) -> DraftBook[Watch]:
        """Watches that are not saved."""
        return self._hand.book

    @property
    def key(self) -> str:
        """The slug of the watch in hand, or the key of a new one; empty with none in hand."""
        return self._hand.key

    @property
    def draft(self) -> Watch | None:
        """The watch in hand."""
        return self._hand.draft

    @property
    def kept(self) -> Watch | None:
        """The watch in hand as it is saved."""
        return self._hand.saved

    @property
    def notice(self) -> str:
        """Who else changed the one in hand, and to what."""
        return self._hand.notice

    @property
    def is_altered(self) -> bool:
        """True if there is something to save."""
        return self._hand.is_altered

    # What there is

    def listing_question(self) -> WatchesQuery:
        """Asks what there is."""
        slug = "" if self.shows_all_lines or self.kept is None else self.kept.slug
        return WatchesQuery(slug)

    def take_listing(self, listing: WatchListing) -> None:
        """Take the watches there are. A draft that was not touched follows what is saved; one that
        was lies on top of what somebody else saved meanwhile, and that is said."""
        self.listing = listing = replace_row(listing, series=self.state.site.series)
        if self.kept is not None:
            slug = self.kept.slug
            self._hand.follow(next((one for one in listing.watches if one.slug == slug), None))
            if self.draft is None:
                self.pick("")
                return
        elif self.draft is None and (listing.watches or self.drafts.new_keys):
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
        self._hand.notice = ""
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
        self._hand.take(slug, next((one for one in known if one.slug == slug), None))
        if self.draft is None:
            self._hand.let_go()
        self._begin()
        if self.is_altered and self.listing is not None:
            # Somebody else may have saved it while another one was in hand.
            self.take_listing(self.listing)

    def _begin(self) -> None:
        self.backtest.forget()
        self.trouble = ""
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
        self._hand.begin(in_unit(draft, quantity, worst.shown.symbol))
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
            self._hand.hold(without_unused(self.draft))
        return self.draft

    @property
    def is_live(self) -> bool:
        """True while now is shown."""
        return self.state.window.is_live

    def discard(self) -> None:
        """Drop what is not saved of the watch in hand; it can be taken back."""
        self._hand.discard()

    def took(self, key: str, since: Watch, saved: Watch) -> None:
        """A watch was saved, that was sent under a key; what was changed since stays a draft."""
        self._hand.took(key, since, saved, saved.slug)
        if self.key == saved.slug:
            self.trouble = ""
        self._tell()

    def take_backtest(self, found: BacktestReadings) -> None:
        """Take the readings of the draft's backtest."""
        if self.backtest.take(found):
            self.trouble = found.mistake
            self._tell()

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
        self._hand.alter(watch, words, merge or None, self._hold)

    def _hold(self, watch: Watch) -> None:
        self._hand.hold(watch)
        self.trouble = ""
        self._tell()
