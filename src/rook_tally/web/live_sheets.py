"""The sheets that somebody has open, kept up to date from the store, as HTML pane by pane.

Used by one thread at a time: the server asks it to follow the store off its event loop.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field

from rook_tally.core.quantities.named_series import Group
from rook_tally.core.timestamps import MINUTE_US, SECOND_US
from rook_tally.core.wall.definitions import PaneKind, WallSheet
from rook_tally.store.alarms import ActiveAlarm, standing
from rook_tally.store.base import Change, ChangeTail, Store, Subject
from rook_tally.store.readings import Latest, latest, reading_news
from rook_tally.store.site import Site, load_site, sheets
from rook_tally.store.workings import groups
from rook_tally.wall.pane_context import PaneContext
from rook_tally.wall.pane_data import PaneData, read_material
from rook_tally.wall.pane_parts import faces_of
from rook_tally.wall.pane_resolver import ResolvedPane, resolved
from rook_tally.wall.pane_views import PaneView
from rook_tally.wall.site_snapshot import SiteSnapshot
from rook_tally.web.rendering import pane_html

PAGE_COLUMNS = 240
"""A phone has hardly more pixels, and each is sent."""
_AGES_US = 5 * SECOND_US
_SCORES_AGAIN_US = 2 * SECOND_US
_AHEAD_US = 2 * MINUTE_US
_CONFIGURED = {Subject.SITE, Subject.SERIES, Subject.WORKINGS}


@dataclass
class _OpenSheet:
    """A sheet somebody looks at: what was read for it, what it shows, and that as HTML."""

    sheet: WallSheet
    panes: tuple[ResolvedPane, ...] = ()
    material: PaneData | None = None
    faces: tuple[PaneView, ...] = ()
    html: list[str] = field(default_factory=list)
    is_due: bool = True


@dataclass(frozen=True, slots=True)
class SheetUpdate:
    """Something to send: panes by their number, or that the sheet is another now."""

    panes: dict[int, str]
    is_laid_out_anew: bool = False


class LiveSheets:
    """Sheets as pages show them. `is_open` says which ones somebody looks at."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._tail: ChangeTail | None = None
        self.site = Site("", "UTC", (), (), ())
        self.sheets: tuple[WallSheet, ...] = ()
        self._groups: list[Group] = []
        self._latest: dict[int, Latest] = {}
        self._newest: dict[int, int] = {}
        self._alarms: tuple[ActiveAlarm, ...] = ()
        self._open: dict[str, _OpenSheet] = {}
        self._aged_us = 0
        # Of the last look at the store.
        self._touched: set[int] = set()
        self._alarms_moved = False

    def close(self) -> None:
        """Give the store back."""
        if self._tail is not None:
            self._tail.close()
            self._tail = None

    def has_news(self) -> bool:
        """True if somebody wrote to the store since it was followed last."""
        return self._tail is None or self._tail.has_news()

    def begin_anew(self) -> None:
        """Forget what is known: the store was gone."""
        self.close()
        self._open.clear()

    def sheet(self, slug: str) -> WallSheet | None:
        """A sheet by its slug; the first for none."""
        found = [one for one in self.sheets if one.slug == slug or not slug]
        return found[0] if found else None

    def panes_of(self, slug: str, now_us: int) -> list[str]:
        """All panes of a sheet as HTML, as they are now."""
        sheet = self.sheet(slug)
        if sheet is None:
            return []
        if slug not in self._open:
            self._open[slug] = _OpenSheet(sheet)
            self._bring_up(self._open[slug], now_us)
        return list(self._open[slug].html)

    def follow(self, watched: Collection[str], now_us: int) -> dict[str, SheetUpdate]:
        """Take in what changed; what the pages of the watched sheets are to be sent, by slug."""
        if self._tail is None:
            self._tail = ChangeTail(self._store)
            self._tail.has_news()
            self._read_all(now_us)
        else:
            self._take_in(self._tail.changes(), now_us)
        for slug in [slug for slug in self._open if slug not in watched]:
            # Nobody looks any more; whoever comes next has it read anew.
            del self._open[slug]
        is_aged = now_us - self._aged_us >= _AGES_US or now_us < self._aged_us
        if is_aged:
            self._aged_us = now_us
        moved: dict[str, SheetUpdate] = {}
        for slug in watched:
            told = self._moved(slug, now_us, is_aged=is_aged)
            if told is not None:
                moved[slug] = told
        self._touched.clear()
        return moved

    def _moved(self, slug: str, now_us: int, *, is_aged: bool) -> SheetUpdate | None:
        sheet, mine = self.sheet(slug), self._open.get(slug)
        if sheet is None:
            return SheetUpdate({}, is_laid_out_anew=True) if mine is not None else None
        if mine is None:
            mine = self._open[slug] = _OpenSheet(sheet)
        if mine.sheet != sheet:
            self._open[slug] = _OpenSheet(sheet)
            self._bring_up(self._open[slug], now_us)
            return SheetUpdate({}, is_laid_out_anew=True)
        material = mine.material
        is_concerned = material is None or bool(self._touched & material.series_ids)
        if not (is_aged or mine.is_due or is_concerned or self._alarms_moved):
            return None
        panes = self._bring_up(mine, now_us)
        return SheetUpdate(panes) if panes else None

    def _read_all(self, now_us: int) -> None:
        with self._store.read() as connection:
            self.site = load_site(connection)
            self.sheets = tuple(sheets(connection))
            self._groups = groups(connection)
            self._latest = latest(connection, until_us=now_us + _AHEAD_US)
            self._alarms = standing(connection)
        self._newest = {one.series_id: one.time_us for one in self._latest.values()}
        for one in self._open.values():
            one.is_due = True

    def _take_in(self, changes: list[Change], now_us: int) -> None:
        subjects = {one.subject for one in changes}
        self._alarms_moved = False
        if subjects & _CONFIGURED:
            self._read_all(now_us)
            return
        if not subjects:
            return
        with self._store.read() as connection:
            if Subject.SHEETS in subjects:
                self.sheets = tuple(sheets(connection))
            if subjects & {Subject.ALARMS, Subject.WATCHES}:
                self._alarms, self._alarms_moved = standing(connection), True
            news = reading_news(connection, changes, self._newest, until_us=now_us + _AHEAD_US)
        for series_id, reading in news.newest.items():
            if series_id not in news.involved:
                for one in self._open.values():
                    if one.material is not None:
                        one.material.hear(reading)
            self._latest[series_id] = reading
            self._newest[series_id] = reading.time_us
        self._touched = set(news.newest)
        for one in self._open.values():
            if one.material is not None and news.involved & one.material.series_ids:
                one.is_due = True

    def _bring_up(self, one: _OpenSheet, now_us: int) -> dict[int, str]:
        """Make a sheet's panes anew; returns those that say something else, as HTML."""
        material = one.material
        if one.is_due or material is None or self._is_outdated(one, material, now_us):
            material = self._read(one, now_us)
        snapshot = SiteSnapshot(self.site, now_us, self._latest, self._alarms)
        known = PaneContext(snapshot, material)
        faces = faces_of(one.panes, known)
        moved = {
            at: pane_html(face)
            for at, face in enumerate(faces)
            if at >= len(one.faces) or face != one.faces[at]
        }
        one.html = [
            moved.get(at, one.html[at] if at < len(one.html) else "") for at in range(len(faces))
        ]
        one.faces = faces
        return moved

    def _is_outdated(self, one: _OpenSheet, material: PaneData, now_us: int) -> bool:
        """True if the past has to be read anew: for a full column, or a score that moved."""
        if material.is_outdated(now_us):
            return True
        scores = {
            series.id
            for pane in one.panes
            if pane.pane.kind is PaneKind.SCORE
            for series in pane.series
        }
        return bool(scores & self._touched) and now_us - material.at_us > _SCORES_AGAIN_US

    def _read(self, one: _OpenSheet, now_us: int) -> PaneData:
        if not one.panes or one.is_due:
            one.panes = resolved(one.sheet, self.site, self._groups)
        with self._store.read() as connection:
            one.material = read_material(
                connection, self.site, one.panes, now_us, columns=PAGE_COLUMNS
            )
        one.is_due = False
        return one.material
