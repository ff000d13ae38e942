"""The Watch view's model: rows, drafts, choices, limits dragged; no Qt in sight."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.definitions import RunControl, Scope, Watch, WatchKind
from rook_tally.core.alarms.online_detector import DetectorState
from rook_tally.core.alarms.sentences import Part
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.quantities.kinds import KINDS, PLAIN
from rook_tally.core.quantities.levels import Level
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_feed import read_picture
from rook_tally.desk.watch.model import WatchModel
from rook_tally.desk.watch.part_choices import first_limit
from rook_tally.store.alarms import backtest_result, save_watch, write_alarms
from rook_tally.store.base import Store
from rook_tally.store.site import add_station, load_site, show_in_unit
from tests.builders import MINUTE_US, NOON_US, append, begin_series

DUST = Watch(
    slug="dust",
    name="Dust",
    sort=WatchKind.ABOVE,
    scope=Scope(quantity="pm25", place="Booth"),
    limit=25,
    clear=18,
    unit="µg/m³",
    for_s=120,
    tell=("this desktop",),
    level=Level.HIGH,
)


class Bench:
    """A booth with two hours of dust, and a model that asks the store at once."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.series = begin_series(store, "pm25", key="counter", place="Booth")
        other = begin_series(store, "pm25", key="shelf", place="Shop")
        values = [5.0] * 60 + [30.0] * 20 + [12.0] * 20 + [60.0] * 5 + [5.0] * 15
        append(
            store,
            self.series,
            *((NOON_US - (120 - at) * MINUTE_US, value) for at, value in enumerate(values)),
        )
        append(store, other, (NOON_US, 4.0))
        with store.write() as connection:
            add_station(connection, "door", place="Booth", kind=PLAIN)
            add_station(connection, "fan", place="Booth", kind=KINDS["switch"])
            save_watch(connection, DUST, now_us=NOON_US)
        begin_series(store, "presence", key="door", place="Booth")
        self.state = SiteState(clock=lambda: NOON_US)
        with store.read() as connection:
            self.state.take(read_picture(connection, NOON_US))
        self.model = WatchModel(self.state)
        self.questions = 0
        self.look()

    def look(self) -> None:
        """Answer what the model asks."""
        with self.store.read() as connection:
            self.model.take_listing(self.model.listing_question().run(connection))
        self.answer()

    def answer(self) -> None:
        question = self.model.backtest.question()
        if question is not None:
            self.questions += 1
            with self.store.read() as connection:
                self.model.take_backtest(question.run(connection))

    @property
    def counts(self) -> list[float]:
        assert self.model.backtest.result is not None
        told = self.model.backtest.result.counts
        return [told.rang, told.standing_us / MINUTE_US]

    def choose(self, part: Part, words: str) -> None:
        found = next(one for one in self.model.choices(part) if one.words == words)
        self.model.choose(found.watch)
        self.answer()


@pytest.fixture
def bench(store: Store) -> Bench:
    return Bench(store)


def test_the_first_watch_is_picked_and_backtested(bench: Bench) -> None:
    assert bench.model.draft == DUST
    assert bench.counts == [2, 21]
    (row,) = bench.model.rows()
    assert (row.name, row.state, row.words) == (
        "Dust",
        "never rung",
        "PM2.5 over 25 µg/m³ at Booth",
    )
    limits = [(limit, mine) for limit, _, mine in bench.model.backtest.others]
    assert limits == [("15", False), ("20", False), ("25", True), ("30", False), ("35", False)]
    # Each clears as far below its limit as it does now: at 15 the twelve in between are not calm.
    assert [count for _, count, _ in bench.model.backtest.others] == [1, 2, 2, 1, 1]


def test_a_new_watch_begins_in_the_unit_shown(store: Store) -> None:
    series = begin_series(store, "temperature", key="kiln", place="Kiln room")
    append(store, series, (NOON_US, 20.0))
    fahrenheit = series.quantity.unit("°F")
    assert fahrenheit is not None
    with store.write() as connection:
        show_in_unit(connection, series.quantity, fahrenheit)
    state = SiteState(clock=lambda: NOON_US)
    model = WatchModel(state)
    with store.read() as connection:
        state.take(read_picture(connection, NOON_US))
        model.take_listing(model.listing_question().run(connection))
    model.begin_new()
    assert model.draft is not None
    limit_c = first_limit(series.quantity)
    assert (model.draft.unit, model.draft.limit) == ("°F", pytest.approx(limit_c * 1.8 + 32))


def test_a_dragged_limit_counts_at_once_and_asks_for_nothing(bench: Bench) -> None:
    asked = bench.questions
    bench.model.backtest.drag(40.0, clears=False)
    assert bench.model.draft == replace(DUST, limit=40.0)
    assert bench.counts[0] == 1
    bench.model.backtest.drag(10.0, clears=False)
    # The one it clears at is taken along, never passed.
    assert bench.model.draft == replace(DUST, limit=10.0, clear=10.0)
    bench.model.backtest.drag(50.0, clears=True)
    assert bench.model.draft == replace(DUST, limit=50.0, clear=50.0)
    bench.answer()
    assert bench.questions == asked
    with bench.store.read() as connection:
        target = bench.model.backtest.target
        assert target is not None
        found = bench.model.backtest.found
        assert found is not None
        told = backtest_result(connection, target, found.start_us, found.end_us, bench.state.zone)
    assert told.counts == bench.model.backtest.result.counts


def test_what_is_typed_is_backtested_anew_or_said_to_be_wrong(bench: Bench) -> None:
    asked = bench.questions
    assert bench.model.type_over(Part.FOR, "10 min") == ""
    bench.answer()
    assert bench.questions == asked + 1
    assert bench.counts == [1, 10]
    assert "no length of time" in bench.model.type_over(Part.FOR, "soon")
    assert bench.model.typed(Part.FOR) == "10 min"
    assert bench.model.type_over(Part.LIMIT, "0.03 mg/m³") == ""
    assert bench.model.draft is not None
    assert (bench.model.draft.limit, bench.model.draft.unit) == (0.03, "mg/m³")


def test_every_choice_makes_a_watch_that_can_be_meant(bench: Bench) -> None:
    for part in (
        Part.QUANTITY,
        Part.SCOPE,
        Part.SORT,
        Part.GUARD,
        Part.LEVEL,
        Part.TELL,
        Part.CONTROL,
    ):
        choices = bench.model.choices(part)
        assert choices
        for one in choices:
            bench.model.choose(one.watch)
            bench.answer()
            assert not bench.model.trouble, (part, one.words)
            assert bench.model.lines_of_sentence()
            bench.model.choose(DUST)
        assert any(one.is_chosen for one in choices) or part is Part.CONTROL


def test_parts_are_chosen(bench: Bench) -> None:
    bench.choose(Part.SCOPE, "any place indoors")
    assert bench.model.backtest.found is not None
    assert bench.model.backtest.found.places == ("Booth", "Shop")
    bench.model.backtest.show_place("Shop")
    bench.answer()
    assert bench.counts == [0, 0]
    bench.choose(Part.CONTROL, "fan")
    assert bench.model.draft is not None
    assert bench.model.draft.run == RunControl(station="fan", control="on")
    bench.choose(Part.GUARD, "Presence at Booth is on")
    assert len(bench.model.draft.guards) == 1
    bench.choose(Part.TELL, "a sound")
    assert list(bench.model.draft.tell) == ["this desktop", "a sound"]
    bench.choose(Part.TELL, "this desktop")
    assert list(bench.model.draft.tell) == ["a sound"]
    bench.choose(Part.SORT, "reaches a level")
    assert [one.words for one in bench.model.choices(Part.LIMIT)][-1] == "severe"
    bench.choose(Part.QUANTITY, "Presence")
    assert bench.model.draft.sort is WatchKind.SO


def test_a_new_watch_begins_with_what_is_worst(bench: Bench) -> None:
    bench.model.begin_new()
    bench.answer()
    draft = bench.model.draft
    assert draft is not None
    assert (draft.scope.quantity, draft.limit, draft.name) == ("pm25", 25, "New watch")
    assert bench.model.is_altered
    bench.model.rename("Booth dust")
    assert bench.model.draft is not None
    assert bench.model.draft.slug == "booth-dust"
    draft = bench.model.draft
    bench.model.took(bench.model.key, draft, draft)
    bench.model.rename("Dust of the booth")
    assert bench.model.draft.slug == "booth-dust"


@pytest.mark.parametrize(
    ("state", "words", "is_standing"),
    [
        (AlarmState.UNACKNOWLEDGED, "standing 41 min", True),
        (AlarmState.RETURNED_UNACKNOWLEDGED, "was 41 min ago", True),
        (AlarmState.SHELVED, "shelved", False),
        (AlarmState.NORMAL, "quiet 41 min", False),
    ],
)
def test_a_row_says_how_its_watch_stands(
    bench: Bench, state: AlarmState, words: str, is_standing: bool
) -> None:
    since_us = NOON_US - 41 * MINUTE_US
    with bench.store.write() as connection:
        write_alarms(
            connection,
            [Alarm("dust", bench.series.id, DetectorState(), state, Level.HIGH, since_us=since_us)],
        )
    bench.look()
    (row,) = bench.model.rows()
    assert (row.state, row.is_standing) == (words, is_standing)
    assert row.level is (Level.HIGH if is_standing else Level.SETTLED)


def test_a_watch_of_what_is_gone_says_so(bench: Bench) -> None:
    with bench.store.write() as connection:
        save_watch(
            connection,
            replace(DUST, slug="gone", name="Gone", scope=Scope(quantity="pm25", place="Attic")),
            now_us=NOON_US,
        )
        assert load_site(connection).series
    bench.look()
    assert [one.state for one in bench.model.rows()] == ["never rung", "nothing there"]
    bench.model.pick("gone")
    bench.answer()
    assert bench.model.backtest.result is None
