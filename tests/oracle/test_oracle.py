"""Whatever happens, in whatever order: the real site says what the specification says.

A short profile runs with the other tests; `scripts/oracle` runs the long one.
"""

from __future__ import annotations

import itertools
import math
import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, given, note, settings
from hypothesis import strategies as st

from benchmarks.faults.postgres import Cluster, cluster
from rook_tally.core.series.spans import SpanStatistics
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import damaged_pages
from tests.oracle import events as ev
from tests.oracle.events import DAY, HOUR, MINUTE, S
from tests.oracle.model import GOOD, QUANTITIES, Reading, Silence, Site, Watch, apart
from tests.oracle.stories import BEGIN, KEYS, SPANS, stories
from tests.oracle.world import WORKINGS, World, zone_named

EXAMPLES = int(os.environ.get("ORACLE_EXAMPLES", "7"))
SHRINKS = os.environ.get("ORACLE_SHRINKS", "1") == "1"
ZONES = st.sampled_from(["Europe/London", "Pacific/Auckland", "UTC"])
DELAYS = st.sampled_from([(0.0, 0.0), (120.0, 0.0), (0.0, 120.0), (180.0, 60.0)])


@contextmanager
def _sqlite(_cluster: Cluster | None) -> Iterator[Store]:
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder) / "a.db")
        yield store
        store.close()


@contextmanager
def _postgresql(made: Cluster | None) -> Iterator[Store]:
    assert made is not None
    store = open_store(made.new_database()[1])
    yield store
    store.close()


@pytest.fixture(scope="module")
def server() -> Iterator[Cluster]:
    with cluster() as made:
        yield made


def _profile(examples: int) -> settings:
    return settings(
        max_examples=examples,
        deadline=None,
        phases=[Phase.explicit, Phase.reuse, Phase.generate] + [Phase.shrink] * SHRINKS,
        suppress_health_check=[
            HealthCheck.too_slow,
            HealthCheck.data_too_large,
            HealthCheck.function_scoped_fixture,
        ],
    )


@_profile(EXAMPLES)
@given(stories(), DELAYS, st.sampled_from([10.0, 60.0, 300.0]), ZONES, st.lists(SPANS, max_size=3))
def test_on_sqlite(
    story: list[ev.Event],
    delays: tuple[float, float],
    cadence_s: float,
    zone: str,
    spans: list[tuple[int, int]],
) -> None:
    with _sqlite(None) as store:
        _compare(store, story, delays, cadence_s, zone, spans)


@_profile(max(5, EXAMPLES // 5))
@given(stories(), DELAYS, st.sampled_from([10.0, 60.0, 300.0]), ZONES, st.lists(SPANS, max_size=3))
def test_on_postgresql(
    server: Cluster,
    story: list[ev.Event],
    delays: tuple[float, float],
    cadence_s: float,
    zone: str,
    spans: list[tuple[int, int]],
) -> None:
    with _postgresql(server) as store:
        _compare(store, story, delays, cadence_s, zone, spans)


def _compare(
    store: Store,
    story: list[ev.Event],
    delays: tuple[float, float],
    cadence_s: float,
    zone: str,
    spans: list[tuple[int, int]],
) -> None:
    watch = Watch(("kiln", "pm25"), 25, 18, *delays)
    silence = Silence("kiln", 600, armed_us=BEGIN)
    site = Site(cadence_s, zone_named(zone), watch, silence)
    world = World(store, watch, silence, cadence_s=cadence_s, zone=zone)
    is_thinned = goes_on = False
    before = BEGIN
    for event in story:
        if isinstance(event, ev.Overrule) and world.overlaps(event):
            continue
        moment = getattr(event, "arrived_us", getattr(event, "now_us", before))
        goes_on |= moment < before
        before = moment
        is_thinned |= isinstance(event, ev.Thin)
        note(repr(event))
        site.happen(event)
        world.happen(event)
    _answers_are_alike(site, world)
    end = before + DAY
    for key in KEYS:
        _readings_are_alike(site, world, key, is_thinned=is_thinned)
        day = site.local_day(BEGIN + 12 * HOUR)
        windows = [
            (BEGIN + first * MINUTE, BEGIN + (first + length) * MINUTE) for first, length in spans
        ]
        for start, stop in [*windows, day, (BEGIN - DAY, end)]:
            _statistics_are_alike(site, world, key, start, stop, is_thinned=is_thinned)
        if not is_thinned:
            _account_is_alike(site, world, key, before)
        for columns in (3, 40, 300):
            _bounds_are_true(site, world, key, BEGIN - DAY, end, columns, is_thinned=is_thinned)
    with store.read() as connection:
        assert damaged_pages(connection) == []
    if not is_thinned:
        _workings_are_alike(site, world)
    _watch_is_right(site, world)
    if not goes_on:
        assert world.transitions("quiet") == site.silence_told


def _answers_are_alike(site: Site, world: World) -> None:
    told = [(one.kept, one.duplicate, len(one.refused)) for one in world.answers]
    assert told == [(one.kept, one.duplicate, one.refused) for one in site.answers]


def _readings_are_alike(
    site: Site, world: World, key: tuple[str, str], *, is_thinned: bool
) -> None:
    wanted = [(one.time, one.value, one.quality) for one in site.readings(key)]
    found = world.readings(key)
    if is_thinned:
        assert set(found) <= set(wanted)
    else:
        assert found == wanted
    newest, shown = site.newest(key), world.newest(key)
    assert (newest is None) == (shown is None)
    if newest is not None and shown is not None:
        assert (shown.time_us, int(shown.quality)) == (newest.time, newest.quality)
        assert shown.value == pytest.approx(newest.value)


def _statistics_are_alike(
    site: Site, world: World, key: tuple[str, str], start: int, end: int, *, is_thinned: bool
) -> None:
    right, told = site.statistics(key, start, end), world.statistics(key, start, end)
    averaging = QUANTITIES[key[1]].averaging
    # Summaries of five minutes hold numbers of four bytes.
    exact = 1e-3 if is_thinned else 1e-6
    words = f"{key} {start} {end}"
    if not is_thinned or (start % (5 * MINUTE) == 0 and end % (5 * MINUTE) == 0):
        assert told.count == right.count, words
        assert told.covered_s == pytest.approx(right.covered_s, rel=1e-5, abs=1e-3), words
        if math.isnan(right.mean) and right.count and not right.covered_s:
            return
        if is_thinned and any(at % (5 * MINUTE) for at in site.corrections.get(key, {})):
            _lies_between_its_corrections(site, told, key, start, end)
            return
        gains = {gain for gain, _ in site.corrections.get(key, {}).values()}
        if is_thinned and averaging != "arithmetic" and gains - {1.0}:
            # Of five minutes only the mean is left, and a mean of levels or directions does not
            # tell that of what they are after a gain.
            assert averaging == "circular" or told.low - 1e-3 <= told.mean <= told.high + 1e-3
            return
        slack = _over_corrections(site, key, right.covered_s) if is_thinned else 0.0
        if slack and averaging != "arithmetic":
            return
        assert apart(averaging, told.mean, right.mean) <= exact * 100 + slack, words
        if averaging == "circular":
            # Arcs of days as one may be wider than the shortest over all of their readings.
            good = [one for one in site.shown(key) if one.quality == GOOD]
            inside = [one.value for one in good if start <= one.time < end]
            assert all(
                (one - told.low + 1e-3) % 360 <= told.high - told.low + 2e-3 for one in inside
            ), words
            return
        for here, there in ((told.low, right.low), (told.high, right.high)):
            assert apart(averaging, here, there) <= exact * 100, words


def _lies_between_its_corrections(
    site: Site, told: SpanStatistics, key: tuple[str, str], start: int, end: int
) -> None:
    """Of a thinned five minutes within which a correction begins nobody knows which readings came
    before it: what is told holds what was, and lies between what each of them would give."""
    averaging = QUANTITIES[key[1]].averaging
    right = site.statistics(key, start, end)
    if averaging == "circular" or not right.count:
        return
    grain = 5 * MINUTE
    held = site.corrections[key]
    cut = sorted({at // grain * grain for at in held if at % grain})
    # Of each cut bucket: what holds before, and what begins in it.
    choices = []
    for bucket in cut:
        before = [at for at in held if at <= bucket]
        first = held[max(before)] if before else (1.0, 0.0)
        choices.append([first, *(held[at] for at in held if bucket < at < bucket + grain)])
    figures = []
    for picked in itertools.product(*choices):
        whole = {at: what for at, what in held.items() if at % grain == 0}
        for bucket, what in zip(cut, picked, strict=True):
            inside = [at for at in held if bucket < at < bucket + grain]
            whole[bucket] = what
            whole.setdefault(bucket + grain, held[max(inside)])
        figures.append(
            replace(site, corrections=site.corrections | {key: whole}).statistics(key, start, end)
        )
    words = (key, start, end, told, right)
    assert min(one.low for one in figures) - 0.1 <= told.low <= right.low + 0.1, words
    assert right.high - 0.1 <= told.high <= max(one.high for one in figures) + 0.1, words
    if averaging == "arithmetic":
        means = [one.mean for one in figures]
        slack = 0.1 + _over_corrections(site, key, right.covered_s)
        assert min(means) - slack <= told.mean <= max(means) + slack, words


def _over_corrections(site: Site, key: tuple[str, str], covered_s: float) -> float:
    """How far the mean of a thinned series may be off: between two readings on both sides of a
    correction the line is one between corrected ends, of which five minutes know nothing."""
    raw = [one for one in site.readings(key) if one.quality == GOOD]
    area = 0.0
    for before, after in itertools.pairwise(raw):
        if after.time - before.time > site.gap_us:
            continue
        for at, (gain, offset) in site.corrections.get(key, {}).items():
            if before.time < at <= after.time:
                held = [one for one in site.corrections[key] if one <= before.time]
                old_gain, old_offset = site.corrections[key][max(held)] if held else (1.0, 0.0)
                jump = max(
                    abs((gain - old_gain) * one.value + offset - old_offset)
                    for one in (before, after)
                )
                area += jump * (after.time - before.time) / 1e6
    return area / covered_s if area and covered_s else 0.0


def _account_is_alike(site: Site, world: World, key: tuple[str, str], now: int) -> None:
    """The figures of today in the Ledger's side panel, to the digits shown."""
    told = {
        name: float(text.replace("\u2009", "").replace("−", "-"))
        for name, text in world.account(key, now).items()
        if name in ("Mean today", "Highest today", "Lowest today")
    }
    midnight = site.local_day(now)[0]
    if not told or midnight >= now:
        return
    right = site.statistics(key, midnight, now + 1)
    averaging = QUANTITIES[key[1]].averaging
    digits = 0 if key[1] in ("pm25", "wind_direction") else 1
    half = 0.5 * 10.0**-digits
    mean_half = half if averaging == "circular" else half / 10
    assert apart(averaging, told["Mean today"], right.mean) <= mean_half + 1e-6, key
    for name, value in (("Highest today", right.high), ("Lowest today", right.low)):
        if name in told:
            assert abs(told[name] - value) <= half + 1e-6, (key, name)


def _bounds_are_true(
    site: Site,
    world: World,
    key: tuple[str, str],
    start: int,
    end: int,
    columns: int,
    *,
    is_thinned: bool,
) -> None:
    """No reading lies outside its column's bounds, and no bound farther than readings do."""
    told = world.envelope(key, start, end, columns)
    width = -(-(end - start) // columns)
    # A summary counts into the column it begins in.
    grain = DAY if width >= DAY else HOUR if width >= HOUR else 5 * MINUTE
    good = [one for one in site.shown(key) if one.quality == GOOD]
    if QUANTITIES[key[1]].averaging == "circular" or (is_thinned and width < 5 * MINUTE):
        return
    # The first and the last summary may reach over the window's edges.
    fewest = len([one for one in good if start <= one.time < end])
    most = len([one for one in good if start - grain < one.time < end + grain])
    assert is_thinned or fewest <= int(told.count.sum()) <= most, (key, columns)

    def values(begin: int, stop: int) -> list[float]:
        return [one.value for one in good if begin <= one.time < stop]

    for at in range(columns):
        begin = start + at * width
        if told.count[at]:
            near = values(begin - (grain if at == 0 else 0), begin + width + grain)
            assert min(near) - 1e-3 <= told.low[at] <= told.high[at] <= max(near) + 1e-3, (key, at)
        for value in values(begin, begin + width):
            sides = [side for side in (at - 1, at) if side >= 0 and told.count[side]]
            assert any(told.low[side] - 1e-3 <= value <= told.high[side] + 1e-3 for side in sides)


def _workings_are_alike(site: Site, world: World) -> None:
    world.settle()
    for slug, (field, _) in WORKINGS.items():
        key = ("kiln", field)
        right = site.doubled(key) if slug == "twice" else site.window_means(key, 30 * MINUTE)
        told = world.worked(slug)
        assert sorted(told) == sorted(right), slug
        averaging = "arithmetic" if slug == "twice" else QUANTITIES[field].averaging
        for time, value in right.items():
            # What twice a reading is, is kept in a working's own unit.
            factor = 1e9 if slug == "twice" and value and told[time] / value < 1e-6 else 1.0
            assert apart(averaging, told[time] * factor, value) <= 1e-6, (slug, time)


def _watch_is_right(site: Site, world: World) -> None:
    """Live it stands as a backtest says, unless the past was changed from far off."""
    rings = site.rings()
    told = world.transitions("dust")
    if site.past_touched:
        return
    alarm = world.alarm("dust")
    is_ringing = alarm is not None and alarm.step.is_ringing
    assert is_ringing == bool(rings and rings[-1][1] is None), (rings, told)
    rang = [at for what, at in told if what == "rang"]
    for begin, end in rings:
        stop = math.inf if end is None else end
        assert any(begin <= at <= stop for at in rang) or _still_told(told, begin), (rings, told)


def _still_told(told: list[tuple[str, int]], moment: int) -> bool:
    """True if a ring told before a moment was not told over until after it."""
    for at, (what, began) in enumerate(told):
        if what == "rang" and began <= moment:
            over = next((end for word, end in told[at + 1 :] if word == "cleared"), None)
            if over is None or over >= moment:
                return True
    return False


def test_the_specification_itself_knows_the_examples_of_the_book() -> None:
    """A person's calculator: 350° and 10° are north; the night clocks go back has 25 hours."""
    site = Site(
        60,
        zone_named("Europe/London"),
        Watch(("kiln", "pm25"), 25, 18, 0, 0),
        Silence("kiln", 600, 0),
    )
    for at, number in enumerate([350.0, 10.0] * 30):
        value = ev.Value("wind_direction", BEGIN + at * MINUTE, number)
        site.happen(ev.Message("kiln", BEGIN + at * MINUTE, (value,)))
    told = site.statistics(("kiln", "wind_direction"), BEGIN, BEGIN + HOUR)
    assert apart("circular", told.mean, 0) < 1e-9
    first, after = site.local_day(BEGIN + 12 * HOUR)
    assert after - first == 25 * HOUR
    assert site.readings(("kiln", "wind_direction"))[0] == Reading(BEGIN, 350.0, GOOD)
    assert S == 1_000_000
