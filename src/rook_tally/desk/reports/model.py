"""What the Reports view shows: its list, the picked report's pages, and what stands beside them."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

import msgspec

from rook_tally.core.moment_words import clock_words, day_words
from rook_tally.core.reports.definitions import Report, ReportStretch
from rook_tally.core.reports.document import Paragraph, ReportTable
from rook_tally.core.reports.periods import Period, last_period, period_named, period_with
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.reports.queries import PagesQuery, ReportListing, SameQuery, ShownReport
from rook_tally.desk.reports.texts import tr, tr_count
from rook_tally.store.site.reports import WrittenReport

_HEADINGS = {
    ReportStretch.DAY: "Every day",
    ReportStretch.WEEK: "Every week",
    ReportStretch.MONTH: "Every month",
    ReportStretch.QUARTER: "Every quarter",
    ReportStretch.YEAR: "Every year",
    ReportStretch.OWN: "By hand",
}
_MOST_CHECKED = 6


class ReportRow(msgspec.Struct, frozen=True):
    """A line of the list: a report, or one that was written of it."""

    heading: str
    title: str
    where: str
    figure: str
    slug: str
    written: WrittenReport | None = None


class ReportsModel:
    """Decides what the Reports view shows. `changed` are called after every change of it."""

    def __init__(self, state: SiteState) -> None:
        self._state = state
        self.changed: list[Callable[[], None]] = []
        self.listing: ReportListing | None = None
        self.picked: Report | None = None
        self.period: Period | None = None
        self.shown: ShownReport | None = None
        self.mistake = ""
        self.is_asked = False
        # Of written ones, by their numbers: whether the same would be written today.
        self._is_same: dict[int, bool] = {}

    @property
    def zone(self) -> ZoneInfo:
        """The site's zone."""
        return self._state.zone

    @property
    def _begins(self) -> int:
        return self._state.site.settings.week_begins.number

    def _tell(self) -> None:
        for call in self.changed:
            call()

    # The list

    def take_listing(self, listing: ReportListing) -> None:
        """What there is was read; what is picked stays picked as it is now."""
        if listing == self.listing:
            return
        self.listing = listing
        by_slug = {one.slug: one for one in listing.reports}
        wanted = None if self.picked is None else by_slug.get(self.picked.slug)
        if wanted is None:
            wanted = next(iter(listing.reports), None)
        if wanted is None:
            self.picked = self.period = self.shown = None
        elif wanted != self.picked:
            self.pick(wanted.slug)
        self._tell()

    def rows(self) -> list[ReportRow]:
        """The lines of the list, those that go out by themselves first."""
        listing = self.listing
        if listing is None:
            return []
        order = list(ReportStretch)
        told = sorted(
            listing.reports, key=lambda one: (not one.at, -order.index(one.stretch), one.name)
        )
        found = [self._row(one) for one in told]
        found += [self._written_row(one) for one in listing.written if one.pages or one.trouble]
        return found

    def _row(self, one: Report) -> ReportRow:
        heading = tr(_HEADINGS[one.stretch]) if one.at else tr("By hand")
        where = goes_words(one)
        if one.stretch is ReportStretch.OWN:
            period = last_period(one, self._state.clock(), self.zone, self._begins)
            where = f"{period.days_words} · {where}"
        figure = self._next_words(one) if one.at else ""
        return ReportRow(heading, one.name, where, figure, one.slug)

    def _next_words(self, one: Report) -> str:
        period = last_period(one, self._state.clock(), self.zone, self._begins)
        nxt = period_with(one.stretch, period.last + timedelta(days=1), self._begins)
        day = datetime.combine(nxt.last + timedelta(days=1), time())
        return day_words(day)

    def _written_row(self, one: WrittenReport) -> ReportRow:
        assert self.listing is not None
        names = {each.slug: each.name for each in self.listing.reports}
        title = self.period_of(one).title
        name = names.get(one.slug, one.slug)
        made = datetime_from_time_us(one.made_us).astimezone(self.zone)
        when = f"{day_words(made)} {clock_words(made)}"
        if one.trouble:
            where, figure = f"{name} · {one.trouble}", tr("not sent")
        else:
            figure = tr_count(one.pages, "1 page", "{0} pages")
            same = self._is_same.get(one.id)
            where = f"{name} · {when}"
            if same is False:
                figure = tr("changed since")
            elif same:
                where = f"{name} · {when} · {tr('as it was then')}"
        return ReportRow(tr("Written"), title, where, figure, one.slug, one)

    def period_of(self, one: WrittenReport) -> Period:
        """The stretch of a written report."""
        return period_named(one.period, self._begins)

    # What is picked

    def pick(self, slug: str, period: Period | None = None) -> None:
        """Turn to a report, about a stretch or the last that is over."""
        listing = self.listing
        found = (
            None
            if listing is None
            else next((one for one in listing.reports if one.slug == slug), None)
        )
        if found is None:
            self.mistake = tr("The report is gone; what was written of it stays where it is.")
            self.shown = None
            self._tell()
            return
        now_us = self._state.clock()
        wanted = period or last_period(found, now_us, self.zone, self._begins)
        if (found, wanted) == (self.picked, self.period) and not self.mistake:
            return
        self.picked, self.period = found, wanted
        self.shown, self.mistake, self.is_asked = None, "", False
        self._tell()

    def step(self, by: int) -> None:
        """Turn to the stretch before or after; not beyond the one that is under way."""
        if self.picked is None or self.period is None or self.picked.stretch is ReportStretch.OWN:
            return
        if by < 0:
            self.pick(self.picked.slug, self.period.before())
            return
        first = self.period.last + timedelta(days=1)
        today = datetime_from_time_us(self._state.clock()).astimezone(self.zone).date()
        if first <= today:
            self.pick(self.picked.slug, period_with(self.picked.stretch, first, self._begins))

    def question(self) -> PagesQuery | None:
        """What to ask for the pages; None when nothing is picked."""
        if self.picked is None or self.period is None:
            return None
        return PagesQuery(self.picked, self.period, self._state.clock())

    def take_pages(self, question: PagesQuery, shown: ShownReport) -> None:
        """The pages came; dropped when something else is picked by now."""
        if (question.report, question.period) == (self.picked, self.period):
            self.shown, self.mistake, self.is_asked = shown, "", False
            self._tell()

    def take_mistake(self, why: str) -> None:
        """It cannot be worked out."""
        self.shown, self.mistake, self.is_asked = None, why, False
        self._tell()

    def next_to_check(self) -> SameQuery | None:
        """Of which written one to ask next whether the same would be written today."""
        listing = self.listing
        if listing is None:
            return None
        by_slug = {one.slug: one for one in listing.reports}
        for one in listing.written[:_MOST_CHECKED]:
            if one.pages and one.id not in self._is_same and one.slug in by_slug:
                return SameQuery(one, by_slug[one.slug], self._state.clock())
        return None

    def take_same(self, number: int, *, is_same: bool) -> None:
        """Whether the same would be written."""
        self._is_same[number] = is_same
        self._tell()

    def forget_checks(self) -> None:
        """Readings or corrections changed: what was checked may be otherwise."""
        self._is_same.clear()

    # Beside the pages

    @property
    def contents(self) -> list[tuple[str, int]]:
        """The parts and the pages on which they begin."""
        if self.shown is None:
            return []
        told = zip(self.shown.document.sections, self.shown.pages.begins, strict=True)
        return [(section.title or tr("In a sentence"), page) for section, page in told]

    @property
    def pages_words(self) -> str:
        """How many pages of what size."""
        if self.shown is None or self.picked is None:
            return ""
        count = len(self.shown.pages.pages)
        paper = {"a4": "A4", "letter": "Letter"}[self.picked.paper]
        return f"{tr_count(count, '1 page', '{0} pages')} {paper}"

    @property
    def outlook(self) -> str:
        """When it goes out and whereto."""
        one = self.picked
        if one is None:
            return ""
        if not one.at:
            return tr("It is written by hand only.")
        goes = goes_words(one)
        return tr("Goes out at {0} on the day after: {1}.", one.at, goes or tr("nowhere yet"))

    @property
    def words(self) -> str:
        """The report as text: sentences and tables."""
        if self.shown is None:
            return ""
        lines = [self.shown.document.title, self.shown.document.subtitle]
        for section in self.shown.document.sections:
            lines += ["", section.title] if section.title else [""]
            for block in section.blocks:
                if isinstance(block, Paragraph):
                    lines.append(block.text)
                elif isinstance(block, ReportTable):
                    lines.append("\t".join(block.head))
                    lines += ["\t".join(cell.text for cell in row) for row in block.rows]
        return "\n".join(lines)


def goes_words(one: Report) -> str:
    """Whereto a report goes."""
    forms = ", ".join(form.value.upper() for form in one.forms)
    told = []
    if one.mail:
        told.append(tr("{0} by mail to {1}", forms, ", ".join(one.mail)))
    if one.folder:
        told.append(tr("{0} into {1}", forms, one.folder))
    return tr(" and ").join(told) or forms
