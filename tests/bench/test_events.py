"""What happens when: moments of every kind, and what moves then beyond what the hour brings."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.bench.events import EventKind, EventSource, events_of, known_sources, source_from
from rook_tally.bench.respond import change_at, rank, respond
from rook_tally.core.errors import UsageError
from rook_tally.core.remarks import Remark
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store.base import Store
from rook_tally.store.site import Series, load_site, save_remark
from tests.bench.air_of_rooms import END_US, START_US, keep, moments, noise, wander


@pytest.fixture
def mill(store: Store) -> tuple[Series, Series, Series]:
    """A mill that runs on some mornings, a room that it warms, and one that only has mornings."""
    time_us = moments(40)
    day, hour = (time_us - START_US) // DAY_US, (time_us - START_US) % DAY_US / HOUR_US
    runs = np.isin(day % 7, (0, 2, 3, 5))
    on = runs & (hour >= 9) & (hour < 10)
    warmth = np.zeros(len(time_us))
    for at in range(1, len(time_us)):
        warmth[at] = 0.96 * warmth[at - 1] + 0.12 * on[at]
    morning = 2 * np.exp(-(((hour - 10.5) / 2) ** 2))
    count = len(time_us)
    switch = keep(store, "mill", time_us, on.astype(float), quantity="switch", place="Mill")
    room = keep(
        store,
        "room",
        time_us,
        18 + morning + warmth + 0.1 * wander(count, 4),
        quantity="temperature",
        place="Room",
    )
    attic = keep(
        store,
        "attic",
        time_us,
        16 + morning + 0.1 * wander(count, 5) + 0.02 * noise(count, 6),
        quantity="temperature",
        place="Attic",
    )
    return switch, room, attic


def test_what_a_mill_warms_is_found_and_what_only_has_mornings_is_not(
    store: Store, mill: tuple[Series, Series, Series]
) -> None:
    _, room, attic = mill
    with store.read() as connection:
        site = load_site(connection)
        source = source_from("on:switch@mill")
        events = events_of(connection, site, source, START_US, END_US)
        assert len(events.times_us) == 23
        ranking = rank(connection, site, events, START_US, END_US)
        told = respond(connection, site, room, events, START_US, END_US)
        calm = respond(connection, site, attic, events, START_US, END_US)
    by_id = {one.series.id: one for one in ranking.ranked}
    assert by_id[room.id].p < 0.001
    assert 0.5 < by_id[room.id].effect.excess < 2
    assert by_id[attic.id].p > 0.05
    assert ranking.tried == 2
    assert "1 series moves" in ranking.sentence.text
    assert "rises by" in told.sentence.text
    assert told.response.peak_after_s == pytest.approx(3600, abs=900)
    # It rises by the mean of its mornings all the same; what is said is that those do.
    assert calm.response.peak > 0.5
    assert "nothing that chance and the hour would not do" in calm.sentence.text


def test_moments_of_pins_spans_levels_and_states(
    store: Store, mill: tuple[Series, Series, Series]
) -> None:
    lid = START_US + 3 * DAY_US
    with store.write() as connection:
        for at in (lid, lid + DAY_US):
            save_remark(connection, Remark("kiln opened", at, place="Room"))
        save_remark(connection, Remark("soft clay", lid, lid + HOUR_US))
    with store.read() as connection:
        site = load_site(connection)

        def times(text: str) -> list[int]:
            found = events_of(connection, site, source_from(text), START_US, END_US)
            return [int(one) for one in found.times_us]

        assert times("pin:kiln opened") == [lid, lid + DAY_US]
        assert times("pin:KILN") == [lid, lid + DAY_US]
        assert times("span:soft clay") == [lid]
        assert len(times("off:switch@mill")) == len(times("on:switch@mill"))
        warm = times("temperature@room > 19.5")
        assert len(warm) >= 20
        assert {one.kind for one in known_sources(connection, site)} >= {
            EventKind.ON,
            EventKind.PIN,
        }


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("whenever", "is no event"),
        ("on:", "does not say what"),
        ("pin:nobody wrote this", "no pin says"),
        ("alarm:none", "there is no watch"),
        ("on:nothing@nowhere", "no series is called"),
        ("temperature > 3", "could be any of 2 series"),
    ],
)
def test_what_is_no_event_says_so(
    store: Store, mill: tuple[Series, Series, Series], text: str, said: str
) -> None:
    with store.read() as connection, pytest.raises(UsageError, match=said):
        events_of(connection, load_site(connection), source_from(text), START_US, END_US)


def test_events_closer_than_their_response_and_too_few_of_them_are_said(
    store: Store, mill: tuple[Series, Series, Series]
) -> None:
    _, room, _ = mill
    with store.write() as connection:
        for at in (0, 1):
            save_remark(connection, Remark("tap", START_US + 5 * DAY_US + at * HOUR_US))
    with store.read() as connection:
        site = load_site(connection)
        events = events_of(connection, site, source_from("pin:tap"), START_US, END_US)
        told = respond(connection, site, room, events, START_US, END_US)
    assert any("follow one another" in one for one in told.notes)
    assert any("So few times" in one for one in told.notes)
    assert any("too few days" in one for one in told.notes)


def test_nothing_happened_is_an_error_that_says_so(
    store: Store, mill: tuple[Series, Series, Series]
) -> None:
    _, room, _ = mill
    with store.read() as connection:
        site = load_site(connection)
        source = EventSource(EventKind.ON, "switch@mill")
        events = events_of(connection, site, source, START_US - DAY_US, START_US)
        with pytest.raises(UsageError, match="not once in this stretch"):
            respond(connection, site, room, events, START_US - DAY_US, START_US)


def test_a_new_filter_is_seen_with_as_many_readings_as_it_has(store: Store) -> None:
    time_us = moments(40)
    changed = START_US + 20 * DAY_US
    value = 50 + 8 * wander(len(time_us), 7, 0.99) - 12 * (time_us >= changed)
    dust = keep(store, "booth", time_us, value, quantity="pm25", place="Booth")
    with store.read() as connection:
        told = change_at(connection, dust, changed, 15)
    assert told.low <= -12 <= told.high < 0
    assert told.n_eff_before < 15 * 24


def test_sources_are_read_back_as_they_are_said() -> None:
    for text in ("on:switch@mill", "pin:kiln opened", "alarm:dust", "co2@shop/shelf>900"):
        assert source_from(source_from(text).text) == source_from(text)
