"""What the Bench shows: its list, the page of what is picked, and what can be done with it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from zoneinfo import ZoneInfo

import numpy as np

from rook_tally.bench.air import AirAnswer
from rook_tally.bench.calibrate import CalibrationRecord
from rook_tally.bench.find import FoundAnswer, searched
from rook_tally.bench.pair import PairAnswer
from rook_tally.bench.respond import ResponseAnswer, ranking_of
from rook_tally.bench.usual import UsualAnswer
from rook_tally.bench.wording import Sentence
from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.bench_items import (
    AirItem,
    BenchItem,
    EventItem,
    PairItem,
    SensorItem,
    UsualItem,
)
from rook_tally.core.comparing.event_effects import EventEffect
from rook_tally.core.timestamps import DAY_US
from rook_tally.desk.bench.air_sheet import air_sheet
from rook_tally.desk.bench.event_sheet import event_sheet
from rook_tally.desk.bench.found_sheet import found_sheet, looking_sheet
from rook_tally.desk.bench.pair_sheet import pair_sheet
from rook_tally.desk.bench.queries import (
    AT_ONCE,
    AnswerQuery,
    BenchAnswer,
    BenchListing,
    EventAnswer,
    FoundQuery,
    HourlyMeansQuery,
    MoreEffectsQuery,
    ResponseQuery,
)
from rook_tally.desk.bench.rows import BenchRow, found_row, heading_of, row_of
from rook_tally.desk.bench.sensor_sheet import sensor_sheet
from rook_tally.desk.bench.sheet import Sheet, SideNotes
from rook_tally.desk.bench.texts import tr
from rook_tally.desk.bench.usual_sheet import usual_sheet
from rook_tally.desk.data.site_state import SiteState
from rook_tally.store.site import Series

SHORTEST_US = 7 * DAY_US
_MOST_TOGETHER = 4


_ORDER = (PairItem, SensorItem, EventItem, UsualItem, AirItem)


class BenchModel:
    """Decides what the Bench shows. `changed` are called after every change of it."""

    def __init__(self, state: SiteState) -> None:
        self._state = state
        self.changed: list[Callable[[], None]] = []
        self.listing: BenchListing | None = None
        self.picked: BenchItem | None = None
        self.answer: BenchAnswer | None = None
        self.mistake = ""
        self.found: FoundAnswer | None = None
        self.shows_found = False
        # The series looked through, and what was read of the first of them so far.
        self._searched: tuple[Series, ...] = ()
        self._hourly: list[FloatArray] = []
        # Another of the series beside the first than the one that is kept beside it.
        self._looked: PairItem | None = None
        # What is being looked for, and what was asked last.
        self.is_asked = False
        self.picked_series = 0
        self._figures: dict[BenchItem, str] = {}
        self._looked_at: tuple[int, ...] = ()

    @property
    def zone(self) -> ZoneInfo:
        """The site's zone."""
        return self._state.zone

    def _tell(self) -> None:
        for call in self.changed:
            call()

    def series(self, series_id: int) -> Series | None:
        """A series of the site as it is now."""
        return self._state.by_id.get(series_id)

    # The list

    def take_listing(self, listing: BenchListing) -> None:
        """What is kept and offered was read."""
        if listing == self.listing:
            return
        self.listing = listing
        known = (*listing.kept, *listing.offered)
        if not self.shows_found and self.picked not in known:
            if self.picked is None and known:
                items = [one.item for one in self.rows()]
                self.pick(next((one for one in items if one is not None), None))
                return
            if self.picked is not None:
                self.picked, self.answer = None, None
        self._tell()

    def rows(self) -> list[BenchRow]:
        """The lines of the list, by heading; what is kept before what is offered."""
        if self.listing is None:
            return []
        found = []
        for sort in _ORDER:
            kept = [one for one in self.listing.kept if isinstance(one, sort)]
            offered = [one for one in self.listing.offered if isinstance(one, sort)]
            for one in (*kept, *offered):
                series = [self.series(each) for each in one.series]
                # Where one of them is not there any more there is nothing to tell.
                if None not in series:
                    told = self._figures.get(one, "")
                    several = tuple(each for each in series if each is not None)
                    found.append(row_of(one, several, told, self._state, is_kept=one in kept))
            if sort is PairItem:
                found.append(found_row(self.found))
        return found

    def pick(self, item: BenchItem | None) -> None:
        """Turn to an item of the list; None to what moves together."""
        if item == self.picked and self.shows_found is (item is None) and not self.mistake:
            return
        self.picked, self.shows_found = item, item is None
        self.answer, self.mistake, self.picked_series = None, "", 0
        self._looked = None
        self.is_asked = False
        self._tell()

    def look_at(self, item: PairItem) -> None:
        """Show another of the series beside the first; what is kept stays as it is."""
        self._looked = item
        self.answer, self.is_asked = None, False
        self._tell()

    @property
    def is_kept(self) -> bool:
        """True if what is picked is kept on the Bench, and not only offered."""
        return self.listing is not None and self.picked in self.listing.kept

    # The page

    @property
    def window(self) -> tuple[int, int]:
        """The stretch that is looked at, [start, end): the rail's, a week at least."""
        window = self._state.window
        return min(window.start_us, window.end_us - SHORTEST_US), window.end_us

    def follow_window(self) -> bool:
        """True if another stretch is to be looked at; one that only goes on with now is no other.

        Figures of the one before are no longer shown.
        """
        window = self._state.window
        edges = (window.span_us,) if window.is_live else (window.start_us, window.end_us)
        if edges == self._looked_at:
            return False
        self._looked_at = edges
        self._figures.clear()
        self.found = None
        self._hourly.clear()
        return True

    def next_without_figure(self) -> AnswerQuery | None:
        """What to ask next so that the list has its figures; what takes long is left to be asked
        for by a person."""
        start_us, end_us = self.window
        for row in self.rows():
            if row.item is None or isinstance(row.item, EventItem) or row.item in self._figures:
                continue
            return AnswerQuery(row.item, start_us, end_us, self._state.clock())
        return None

    def question(self) -> AnswerQuery | None:
        """What to ask for the page; None when nothing is picked."""
        if self.picked is None:
            return None
        start_us, end_us = self.window
        now_us = self._state.clock()
        item = self._looked or self.picked
        return AnswerQuery(item, start_us, end_us, now_us, self.picked_series)

    def find_question(self) -> HourlyMeansQuery | FoundQuery:
        """What to ask next to find what moves together: of some more series, at last of all."""
        if not self._hourly:
            self._searched = tuple(searched(self._state.site))
        done = sum(len(one) for one in self._hourly)
        if done < len(self._searched):
            return HourlyMeansQuery(self._searched[done : done + AT_ONCE], *self.window)
        rows = np.vstack(self._hourly) if self._hourly else np.empty((0, 24))
        return FoundQuery(self._searched, rows, self.window[0])

    def take_hourly(self, question: HourlyMeansQuery, rows: FloatArray) -> bool:
        """The means of some series came; False when another stretch is looked at by now."""
        if (question.start_us, question.end_us) != self.window or self.found is not None:
            self.is_asked = False
            return False
        if self.find_question() == question:
            self._hourly.append(rows)
            self._tell()
        return self.shows_found

    def take_answer(self, question: AnswerQuery, answer: BenchAnswer) -> None:
        """The answer came; one to what is picked no more only leaves its figure."""
        sheet = self._sheet(answer)
        if isinstance(answer, PairAnswer):
            self._state.note_proposal(answer.second.id, is_proposed=answer.proposal is not None)
        elif isinstance(answer, CalibrationRecord):
            is_open = answer.proposal is not None and not answer.is_taken
            self._state.note_proposal(answer.series.id, is_proposed=is_open)
        self._figures[question.item] = sheet.figure
        if question.item == (self._looked or self.picked):
            self.answer, self.mistake, self.is_asked = answer, "", False
        self._tell()

    def take_mistake(self, question: AnswerQuery, why: str) -> None:
        """It cannot be answered."""
        self._figures[question.item] = "–"
        if question.item == (self._looked or self.picked):
            self.answer, self.mistake, self.is_asked = None, why, False
        self._tell()

    def take_found(self, found: FoundAnswer) -> None:
        """What moves together was found."""
        self.found, self.is_asked = found, False
        self._tell()

    def refused(self, why: str) -> None:
        """Something that was to be changed was not."""
        self.mistake = why
        self._tell()

    def next_part(self) -> MoreEffectsQuery | None:
        """What to ask next of an event that not all series were tried with; None at the end."""
        answer, item = self.answer, self.picked
        if not isinstance(answer, EventAnswer) or not isinstance(item, EventItem):
            return None
        if not answer.left:
            return None
        part = answer.left[:AT_ONCE]
        return MoreEffectsQuery(answer.ranking.events, part, item, *self.window)

    def take_part(self, question: MoreEffectsQuery, effects: tuple[EventEffect, ...]) -> None:
        """Some more series were looked at; dropped when something else is shown by now."""
        answer = self.answer
        if not isinstance(answer, EventAnswer) or question.item != self.picked:
            return
        if answer.left[: len(question.series)] != question.series:
            return
        known = answer.ranking.ranked
        ranking = ranking_of(
            question.events,
            (*(one.series for one in known), *question.series),
            (*(one.effect for one in known), *effects),
        )
        left = answer.left[len(question.series) :]
        self.answer = EventAnswer(ranking, answer.responses, left)
        if not left:
            self._figures[question.item] = self._sheet(self.answer).figure
        self._tell()

    def first_response(self) -> ResponseQuery | None:
        """What to ask once all series were tried: the response of the one that moves most surely,
        or of the one that was picked."""
        answer = self.answer
        if not isinstance(answer, EventAnswer) or answer.left or answer.responses:
            return None
        ranked = answer.ranking.ranked
        if not ranked or not len(answer.ranking.events.times_us):
            return None
        ids = [one.series.id for one in ranked]
        return self._response_of([self.picked_series if self.picked_series in ids else ids[0]])

    def response_question(self, series_ids: Sequence[int]) -> ResponseQuery | None:
        """What to ask when series of the ranking are picked; a few of them at most."""
        question = self._response_of(series_ids)
        if question is not None:
            self.picked_series = question.series[0].id
        return question

    def _response_of(self, series_ids: Sequence[int]) -> ResponseQuery | None:
        answer, item = self.answer, self.picked
        if not isinstance(answer, EventAnswer) or not isinstance(item, EventItem):
            return None
        by_id = {one.series.id: one.series for one in answer.ranking.ranked}
        series = tuple(by_id[one] for one in series_ids if one in by_id)[:_MOST_TOGETHER]
        return ResponseQuery(series, answer.ranking, item, *self.window) if series else None

    def take_responses(self, responses: tuple[ResponseAnswer, ...]) -> None:
        """The responses of the picked series came."""
        if isinstance(self.answer, EventAnswer):
            self.answer = EventAnswer(self.answer.ranking, responses, self.answer.left)
            self._tell()

    def sheet(self) -> Sheet:
        """The page as it stands."""
        if self.shows_found:
            if self.found is not None:
                return found_sheet(self.found, self.zone)
            return looking_sheet(sum(len(one) for one in self._hourly), len(self._searched))
        if self.mistake:
            return Sheet(self._over(), Sentence(f"{self.mistake}."), side=SideNotes())
        if self.answer is None:
            words = tr("Looking…") if self.picked is not None else _HELP
            return Sheet(self._over(), Sentence(words), side=SideNotes())
        return self._sheet(self.answer)

    def _over(self) -> str:
        return "" if self.picked is None else heading_of(self.picked)

    def _sheet(self, answer: BenchAnswer) -> Sheet:
        match answer:
            case PairAnswer():
                return pair_sheet(answer, self.zone)
            case CalibrationRecord():
                return sensor_sheet(answer, self.zone, self._state.clock())
            case EventAnswer():
                return event_sheet(answer.ranking, answer.responses, len(answer.left))
            case UsualAnswer():
                return usual_sheet(answer, self.zone)
            case AirAnswer():
                return air_sheet(answer, self.zone)

    def pair_at(self, key: int) -> PairItem | None:
        """The two series of a line of what was found; of a stray it and one of its group."""
        found = self.found
        if found is None:
            return None
        if key >= 0:
            pair = found.pairs[key]
            return PairItem(pair.first.id, pair.second.id)
        stray = found.strays[-key - 1]
        other = next(one for one in stray.group if one.id != stray.series.id)
        return PairItem(other.id, stray.series.id)

    @property
    def picked_for_strip(self) -> list[Series]:
        """The series that the page is about."""
        answer = self.answer
        if isinstance(answer, EventAnswer):
            return [one.series for one in answer.responses]
        ids = () if self.picked is None else self.picked.series
        return [one for one in (self.series(number) for number in ids) if one is not None]

    @property
    def sensor(self) -> Series | None:
        """The series that a reference point would be of."""
        match self.picked:
            case SensorItem():
                return self.series(self.picked.sensor)
            case PairItem():
                return self.series((self._looked or self.picked).second)
            case _:
                return None


_HELP = tr(
    "Set two sensors side by side, try one against a better meter, or see what moves when "
    "something happens: press N."
)
