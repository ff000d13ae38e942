"""Pairs of series that move together though nobody said so, and strays of their groups."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.bench.events import is_state
from rook_tally.bench.texts import tr, tr_count
from rook_tally.bench.wording import Sentence, long_name
from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.independence import batch_means
from rook_tally.core.comparing.moving_together import moving_together, strays
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store.readings import envelopes
from rook_tally.store.site import Series, Site
from rook_tally.store.workings import groups

_MOST_PAIRS = 60
_LEAST_R = 0.7


class SeriesPair(msgspec.Struct, frozen=True):
    """Two series that move together: r of their hourly changes over so many hours."""

    first: Series
    second: Series
    r: float
    hours: int


class StraySeries(msgspec.Struct, frozen=True):
    """A series that left the median of its group; `now` and `usual` in the base unit."""

    series: Series
    group: tuple[Series, ...]
    since_us: int
    now: float
    usual: float
    spreads: float


class FoundAnswer(msgspec.Struct, frozen=True):
    """What was found among `tried` series."""

    sentence: Sentence
    pairs: tuple[SeriesPair, ...]
    strays: tuple[StraySeries, ...]
    tried: int


def find(
    connection: Connection,
    site: Site,
    start_us: int,
    end_us: int,
    progress: Callable[[float], None] | None = None,
) -> FoundAnswer:
    """Look through all series that are numbers of [start, end), by their hourly means."""
    series = searched(site)
    rows = []
    for number, one in enumerate(series):
        rows.append(hourly_means(connection, [one], start_us, end_us))
        if progress is not None:
            progress((number + 1) / len(series))
    return found_among(connection, series, np.vstack(rows) if rows else np.empty((0, 24)), start_us)


def searched(site: Site) -> list[Series]:
    """The series that are looked through: those that are numbers."""
    return [one for one in site.series_shown if not is_state(one)]


def hourly_means(
    connection: Connection, series: Sequence[Series], start_us: int, end_us: int
) -> FloatArray:
    """Hourly means of (S,) series over the whole days around [start, end): (S, H), NaN where
    nothing was heard."""
    begin = _whole_day(start_us)
    hours = max(24, -(-(end_us - begin) // DAY_US) * 24)
    told = envelopes(connection, list(series), begin, begin + hours * HOUR_US, hours)
    return np.array([told[one.id].mean for one in series], np.float64).reshape(-1, hours)


def _whole_day(start_us: int) -> int:
    return start_us - start_us % DAY_US


def found_among(
    connection: Connection, series: Sequence[Series], rows: FloatArray, start_us: int
) -> FoundAnswer:
    """Pairs and strays among (S,) series by the (S, H) hourly means that begin with the day of a
    moment."""
    begin = _whole_day(start_us)
    pairs, alike = [], []
    for one_dimension in _by_dimension(series):
        for found in moving_together(rows[one_dimension]):
            first, second = series[one_dimension[found.first]], series[one_dimension[found.second]]
            pair = SeriesPair(first, second, found.r_changes, found.hours)
            alike.append(pair)
            if found.r >= _LEAST_R:
                pairs.append(pair)
    pairs.sort(key=lambda one: -one.r)
    gone = _strays(connection, series, rows, alike, begin)
    return FoundAnswer(_sentence(pairs, gone), tuple(pairs[:_MOST_PAIRS]), gone, len(series))


def _by_dimension(series: Sequence[Series]) -> list[list[int]]:
    by_slug: dict[str, list[int]] = {}
    for number, one in enumerate(series):
        # What is worked out of others moves with them of itself.
        if not one.station.is_worked_out:
            by_slug.setdefault(one.quantity.slug, []).append(number)
    return [numbers for numbers in by_slug.values() if len(numbers) > 1]


def _strays(
    connection: Connection,
    series: Sequence[Series],
    rows: FloatArray,
    pairs: Sequence[SeriesPair],
    begin_us: int,
) -> tuple[StraySeries, ...]:
    """Members of groups, said by somebody or found, that have left them; each once."""
    at = {one.id: number for number, one in enumerate(series)}
    found: dict[int, StraySeries] = {}
    for members in _groups(connection, series, pairs):
        numbers = [at[one.id] for one in members]
        daily = np.stack([batch_means(rows[number], 24) for number in numbers])
        for stray in strays(daily, accuracy=members[0].quantity.accuracy):
            one = members[stray.row]
            told = StraySeries(
                one,
                members,
                begin_us + stray.since_day * DAY_US,
                stray.now,
                stray.usual,
                stray.spreads,
            )
            if one.id not in found or found[one.id].spreads < told.spreads:
                found[one.id] = told
    return tuple(sorted(found.values(), key=lambda one: -one.spreads))


def _groups(
    connection: Connection, series: Sequence[Series], pairs: Sequence[SeriesPair]
) -> list[tuple[Series, ...]]:
    """Three or more series of one quantity: of a group somebody made, or of one web of pairs."""
    known = []
    for group in groups(connection):
        for numbers in _by_dimension(series):
            members = tuple(
                series[number]
                for number in numbers
                if series[number].id in group.series
                or series[number].station.place.name in group.places
            )
            if len(members) >= 3:
                known.append(members)
    web: dict[int, set[int]] = {}
    for pair in pairs:
        joined = web.get(pair.first.id, {pair.first.id}) | web.get(pair.second.id, {pair.second.id})
        for one in joined:
            web[one] = joined
    seen: list[set[int]] = []
    for members_of in web.values():
        if len(members_of) >= 3 and members_of not in seen:
            seen.append(members_of)
            known.append(tuple(one for one in series if one.id in members_of))
    return known


def _sentence(pairs: Sequence[SeriesPair], gone: Sequence[StraySeries]) -> Sentence:
    told = (
        tr_count(
            len(pairs), "One pair of series moves together", "{0} pairs of series move together"
        )
        if pairs
        else tr("No two series move together")
    )
    if not gone:
        return Sentence(tr("{0}, and none has left its group.", told))
    strong = tr("{0} has left its group", long_name(gone[0].series))
    return Sentence(tr("{0}; {1}.", told, strong), (strong,))
