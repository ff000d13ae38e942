"""What the Workings view decides, without a window."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest

from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.timestamps import DAY_US, HOUR_US, datetime_from_time_us
from rook_tally.core.workings.definitions import Aggregation, Placement, Score, ScoreInput, Working
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_feed import read_picture
from rook_tally.desk.data.time_window import TimeWindow
from rook_tally.desk.workings.model import WorkingsModel
from rook_tally.desk.workings.new_items import slug_for
from rook_tally.desk.workings.queries import FormulaPreview, ScorePreview
from rook_tally.desk.workings.rows import WorkingKind
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store, add_due
from rook_tally.store.site import add_station, load_site
from rook_tally.store.workings import save_group, save_working
from tests.builders import MINUTE_US, NOON_US

SCORE = Score(
    inputs=(
        ScoreInput(
            name="Warmth",
            formula="temperature@here",
            weight=60,
            points=((10, 0), (20, 100), (30, 0)),
        ),
        ScoreInput(name="Damp", formula="humidity@here", weight=40, points=((30, 0), (50, 100))),
    )
)
WORKINGS = (
    Working(slug="comfort", name="Comfort", made=Placement.EACH_PLACE, score=SCORE),
    Working(
        slug="comfort_worst",
        name="Comfort, worst of",
        made=Placement.EACH_PLACE,
        score=Score(inputs=SCORE.inputs, way=Aggregation.WORST, variant_of="comfort"),
    ),
    Working(slug="warmer", name="Warmer", formula="temperature@kiln-room - temperature@yard"),
    Working(slug="twice", name="Twice", formula="2 * warmer@kiln-room"),
)


class Bench:
    """A model and the store it asks, without threads."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.state = SiteState(lambda: NOON_US + MINUTE_US)
        self.model = WorkingsModel(self.state)
        self.refresh()

    def refresh(self) -> None:
        with self.store.read() as connection:
            self.state.take(read_picture(connection, self.state.now_us))
            self.model.take_listing(self.model.listing_question().run(connection))

    def answer(self) -> None:
        question = self.model.draft_question()
        assert question is not None
        with self.store.read() as connection:
            told = question.run(connection)
        if isinstance(told, FormulaPreview):
            self.model.take_formula(told)
        else:
            assert isinstance(told, ScorePreview)
            self.model.score.take(told)


@pytest.fixture
def bench(store: Store) -> Bench:
    """A kiln and a yard for ten minutes; humidity is told by the yard for the first five."""
    with store.write() as connection:
        add_station(connection, "kiln", place="Kiln room", kind=PLAIN, cadence_s=60)
        add_station(connection, "yard", place="Yard", kind=PLAIN, indoors=False, cadence_s=60)
    directory, clocks = IntakeSession(), Clocks()

    def told(station: str, minute: int, **values: float) -> None:
        at = NOON_US + minute * MINUTE_US
        body = json.dumps({**values, "time": at / 1e6}).encode()
        message = Message("http", "127.0.0.1", body, at, station=station)
        receive(store, directory, clocks, [message])

    told("kiln", -11, temperature=25, humidity=50)
    told("yard", -11, temperature=8, humidity=80)
    with store.write() as connection:
        for one in WORKINGS:
            save_working(connection, one)
        save_group(connection, Group("Both", places=("Kiln room", "Yard")))
        connection.exec_driver_sql("DELETE FROM due")
    for minute in range(-10, 1):
        told("kiln", minute, temperature=25, humidity=50)
        told("yard", minute, temperature=8, **({"humidity": 80} if minute < -5 else {}))
    return Bench(store)


def test_the_list_says_where_things_are_made_and_what_they_come_to(bench: Bench) -> None:
    rows = {row.key: row for row in bench.model.rows()}
    assert [row.sort for row in bench.model.rows()] == [
        WorkingKind.SCORE,
        WorkingKind.SCORE,
        WorkingKind.FORMULA,
        WorkingKind.FORMULA,
        WorkingKind.GROUP,
    ]
    assert (rows["comfort"].where, rows["comfort"].value) == ("wherever it can be: 2", "70 · 0")
    assert (rows["warmer"].where, rows["warmer"].value) == ("Kiln room", "17.0 K")
    assert (rows["Both"].where, rows["Both"].value) == ("Kiln room, Yard", "2")


def test_what_is_worked_out_again_says_how_far_it_is(bench: Bench) -> None:
    with bench.store.write() as connection:
        series = next(one for one in load_site(connection).series if one.field == "warmer")
        add_due(connection, series.id, NOON_US - 10 * MINUTE_US, NOON_US)
        connection.exec_driver_sql(f"UPDATE due SET reached_us = {NOON_US - 5 * MINUTE_US}")
    bench.refresh()
    rows = {row.key: row for row in bench.model.rows()}
    assert rows["warmer"].where == "worked out again, 50 %"


def test_where_something_is_used_is_said(bench: Bench) -> None:
    bench.model.pick((WorkingKind.FORMULA, "warmer"))
    assert bench.model.uses == "Used on the Ledger at Kiln room; in Twice."
    bench.model.pick((WorkingKind.FORMULA, "twice"))
    assert bench.model.uses == "Used on the Ledger at Kiln room."


def test_a_draft_is_asked_for_once_and_drawn_with_its_inputs(bench: Bench) -> None:
    bench.model.pick((WorkingKind.FORMULA, "warmer"))
    bench.answer()
    assert bench.model.is_answered
    assert bench.model.draft_question() is None
    preview = bench.model.formula
    assert preview is not None
    assert preview.newest == pytest.approx(17)
    assert [one.name for one in preview.inputs] == ["Temperature · Kiln room", "Temperature · Yard"]
    assert bench.model.result_words() == "Gives K at Kiln room."
    bench.model.alter(formula="temperature@kiln-room > 20 °C")
    assert bench.model.mistake is None
    bench.answer()
    assert bench.model.result_words() == "Gives a yes or no at Kiln room."
    bench.model.alter(formula="co@yard + 1 ppm")
    bench.answer()
    assert bench.model.result_words().endswith("Nothing tells co at yard yet.")


def test_a_working_that_rests_on_itself_is_told_while_it_is_written(bench: Bench) -> None:
    bench.model.pick((WorkingKind.FORMULA, "warmer"))
    bench.model.alter(formula="twice@kiln-room / 2")
    bench.answer()
    assert bench.model.mistake is not None
    assert "ring" in bench.model.mistake.what
    assert bench.model.is_altered


@pytest.mark.parametrize(
    ("name", "slug"),
    [
        ("Dew point", "dew_point"),
        ("Air score, worst of", "air_score_worst_of"),
        ("2nd floor", "working_2nd_floor"),
        ("Größe", "grösse"),
        ("…", "working"),
    ],
)
def test_a_name_becomes_what_formulas_call_it(name: str, slug: str) -> None:
    assert slug_for(name) == slug
    assert slug.isidentifier()


def test_new_things_get_names_that_are_free(bench: Bench) -> None:
    with bench.store.write() as connection:
        save_working(
            connection, Working(slug="new_working", name="New working", formula="temperature@yard")
        )
    bench.refresh()
    bench.model.begin(WorkingKind.FORMULA)
    assert bench.model.draft is not None
    assert (bench.model.draft.name, bench.model.draft.slug) == ("New working 2", "new_working_2")
    bench.model.alter(name="Mine")
    assert bench.model.draft.slug == "mine"
    bench.model.begin(WorkingKind.SCORE)
    assert bench.model.is_new
    bench.model.begin(WorkingKind.GROUP)
    assert bench.model.group is not None
    assert bench.model.draft is None


def test_the_cursor_says_when_and_now_only_where_it_is_now(bench: Bench) -> None:
    state, model = bench.state, bench.model
    state.show_last(HOUR_US)
    model.pick((WorkingKind.SCORE, "comfort"))
    bench.answer()
    assert model.score.when() == "now"
    zone = state.zone
    model.score.cursor = 0.5
    half = datetime_from_time_us(state.clock() - HOUR_US // 2).astimezone(zone)
    assert model.score.when() == f"at {half:%H:%M}"
    # The end of a window of the past is not now, and its day is said.
    state.show_window(TimeWindow(NOON_US - 3 * DAY_US, NOON_US - 2 * DAY_US, is_live=False))
    model.score.cursor = 1.0
    bench.answer()
    end = datetime_from_time_us(NOON_US - 2 * DAY_US - 1).astimezone(zone)
    assert model.score.when() == f"at {end:%a %d %b %H:%M}"


def test_a_kept_working_keeps_what_formulas_call_it(bench: Bench) -> None:
    bench.model.pick((WorkingKind.FORMULA, "warmer"))
    bench.model.alter(name="Much warmer")
    assert bench.model.draft is not None
    assert bench.model.draft.slug == "warmer"


def test_a_score_at_the_cursor_and_back(bench: Bench) -> None:
    bench.state.show_last(10 * MINUTE_US)
    bench.model.pick((WorkingKind.SCORE, "comfort"))
    bench.answer()
    bench.model.show_place("Yard")
    bench.answer()
    found = bench.model.score.at_cursor()
    assert found is not None
    # Humidity was last told five minutes ago: only warmth is heard, and that is 0.
    assert found.completeness[0] == pytest.approx(0.6)
    assert found.score[0] == 0
    bench.model.score.cursor = 0.2
    found = bench.model.score.at_cursor()
    assert found is not None
    assert found.completeness[0] == 1.0
    assert found.score[0] == pytest.approx(40)
    assert [part.name for part in bench.model.score.why()] == ["Warmth", "Damp"]


def test_ways_of_adding_up_stand_side_by_side(bench: Bench) -> None:
    bench.state.show_last(8 * MINUTE_US)
    bench.model.pick((WorkingKind.SCORE, "comfort"))
    bench.answer()
    names = [name for name, _ in bench.model.score.ways()]
    assert names == ["weighted", "worst of"]
    words, stretches = bench.model.score.parted()
    assert words.startswith("they differ by more than 15 points for")
    ((start, end),) = stretches
    assert end - start > 6 * MINUTE_US
    # Made alike, they agree; the picture follows the draft before anything is asked.
    bench.model.alter_score(way=Aggregation.WORST)
    assert bench.model.score.parted() == ("they never differ by more than 15 points", [])


def test_a_trial_moves_what_is_shown_and_nothing_that_is_kept(bench: Bench) -> None:
    bench.model.pick((WorkingKind.SCORE, "comfort"))
    bench.answer()
    series = next(
        one
        for one in bench.state.site.series
        if (one.field, one.station.place.name) == ("comfort", "Kiln room")
    )
    assert bench.state.latest[series.id].value == pytest.approx(70)
    bench.model.score.begin_trial()
    bench.model.score.try_input(0, 20.0)
    assert bench.state.latest[series.id].value == pytest.approx(100)
    assert bench.state.trial_words() == "Comfort at Kiln room is 100 instead of 70"
    bench.model.pick((WorkingKind.FORMULA, "warmer"))
    assert bench.state.latest[series.id].value == pytest.approx(70)
    assert bench.state.trial == {}


def test_what_is_missing_stays_so_in_a_trial_until_it_is_moved(bench: Bench) -> None:
    bench.model.pick((WorkingKind.SCORE, "comfort"))
    bench.answer()
    bench.model.show_place("Yard")
    bench.answer()
    bench.model.score.begin_trial()
    assert bench.model.score.what_if is not None
    assert math.isnan(bench.model.score.what_if[1])
    bench.model.score.try_input(1, 50.0)
    found = bench.model.score.at_cursor()
    assert found is not None
    assert found.completeness[0] == 1.0


def test_inputs_come_and_go(bench: Bench) -> None:
    bench.model.pick((WorkingKind.SCORE, "comfort"))
    bench.answer()
    bench.model.add_input()
    assert bench.model.draft is not None
    assert bench.model.draft.score is not None
    assert len(bench.model.draft.score.inputs) == 3
    # Until the store was asked again, what it told is of other inputs.
    assert bench.model.score.at_cursor() is None
    assert bench.model.score.ways() == [] or len(bench.model.score.ways()) == 1
    bench.answer()
    assert bench.model.score.at_cursor() is not None
    for _ in range(5):
        bench.model.remove_input(0)
    assert len(bench.model.draft.score.inputs) == 1


def test_a_variant_knows_what_it_is_a_variant_of(bench: Bench) -> None:
    bench.model.pick((WorkingKind.SCORE, "comfort_worst"))
    bench.model.begin_variant()
    draft = bench.model.draft
    assert draft is not None
    assert draft.score is not None
    assert (draft.score.way, draft.score.variant_of) == (Aggregation.WEIGHTED, "comfort")
    assert {one.slug for one in bench.model.variants()} == {"comfort", "comfort_worst"}


def test_the_spread_of_each_input_is_of_what_was_read(bench: Bench) -> None:
    bench.model.pick((WorkingKind.SCORE, "comfort"))
    bench.answer()
    preview = bench.model.score.preview
    assert preview is not None
    assert preview.units == ("°C", "%")
    assert preview.times is not None
    assert (np.diff(preview.times) > 0).all()
    # A quarter of an hour out of thirty days is too little to tell a spread from.
    assert preview.usual == (None, None)


def test_somebody_elses_change_is_taken_up_unless_one_is_at_it(bench: Bench) -> None:
    bench.model.pick((WorkingKind.FORMULA, "warmer"))
    other = Working(slug="warmer", name="Warmer", formula="temperature@kiln-room - 3 °C")
    with bench.store.write() as connection:
        save_working(connection, other)
    bench.refresh()
    assert bench.model.draft == other
    bench.model.alter(formula="temperature@yard")
    with bench.store.write() as connection:
        save_working(connection, WORKINGS[2])
    bench.refresh()
    assert bench.model.draft is not None
    assert bench.model.draft.formula == "temperature@yard"
