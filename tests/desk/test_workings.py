"""The Workings view in a real window: written, checked, drawn, kept, undone."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.workings.definitions import Aggregation, Placement, Score, ScoreInput, Working
from rook_tally.desk.app.views import LEDGER, WORKINGS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.ledger.rows import SummaryRow
from rook_tally.desk.workings.actions import WorkingsAction
from rook_tally.desk.workings.rows import WorkingKind
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store
from rook_tally.store.site import add_station, load_site
from rook_tally.store.workings import (
    bound_workings,
    groups,
    save_group,
    save_working,
    work_out_everything,
    workings,
)
from tests.builders import MINUTE_US, NOON_US
from tests.desk.conftest import OpenDesk
from tests.desk.driving import until_shown

PATIENCE_MS = 20_000
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
COMFORT = Working(slug="comfort", name="Comfort", made=Placement.EACH_PLACE, score=SCORE)
WORST = Working(
    slug="comfort_worst",
    name="Comfort, worst of",
    made=Placement.EACH_PLACE,
    score=Score(inputs=SCORE.inputs, way=Aggregation.WORST, variant_of="comfort"),
)


@pytest.fixture
def pottery(store: Store) -> Store:
    """An hour of a kiln and a yard, up to noon."""
    with store.write() as connection:
        add_station(connection, "kiln", place="Kiln room", kind=PLAIN, cadence_s=60)
        add_station(connection, "yard", place="Yard", kind=PLAIN, indoors=False, cadence_s=60)
    return store


def _hour(store: Store) -> None:
    directory, clocks = IntakeSession(), Clocks()
    for minute in range(-60, 1):
        at = NOON_US + minute * MINUTE_US
        for station, values in (
            ("kiln", {"temperature": 25 + minute / 30, "humidity": 50}),
            ("yard", {"temperature": 8, "humidity": 80}),
        ):
            body = json.dumps({**values, "time": at / 1e6}).encode()
            receive(
                store, directory, clocks, [Message("http", "127.0.0.1", body, at, station=station)]
            )


@pytest.fixture
def window(pottery: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    """A window on the hour, showing its workings: a score, its variant, a group."""
    with pottery.write() as connection:
        save_working(connection, Working(slug="room", name="Room", formula="1"))
    _hour(pottery)
    with pottery.write() as connection:
        save_working(connection, COMFORT)
        save_working(connection, WORST)
        save_group(connection, Group("Both", places=("Kiln room", "Yard")))
    # Once more, so that what was just made has values.
    _hour_again(pottery)
    made = open_desk(held_clock(NOON_US + MINUTE_US))
    made.show_view(WORKINGS)
    qtbot.waitUntil(lambda: made.workings.model.listing is not None, timeout=PATIENCE_MS)
    return made


def _hour_again(store: Store) -> None:
    directory, clocks = IntakeSession(), Clocks()
    at = NOON_US + MINUTE_US // 2
    for station, temperature in (("kiln", 25), ("yard", 8)):
        body = json.dumps({"temperature": temperature, "humidity": 50, "time": at / 1e6}).encode()
        receive(store, directory, clocks, [Message("http", "127.0.0.1", body, at, station=station)])


def _type(window: DeskWindow, qtbot: QtBot, formula: str) -> None:
    """Write a formula over the one that stands there, and wait for what comes of it."""
    edit = window.workings.formula_page.edit
    edit.setFocus()
    edit.selectAll()
    QTest.keyClicks(edit, formula)
    edit.popup.hide()
    _until_answered(window, qtbot)


def _until_answered(window: DeskWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: window.workings.is_up_to_date, timeout=PATIENCE_MS)


def _begin_formula(window: DeskWindow) -> None:
    window.workings.do(WorkingsAction.NEW)
    window.workings.offers_page.own[WorkingKind.FORMULA].click()


def test_a_formula_is_drawn_before_it_is_kept_and_kept_with_a_key(
    window: DeskWindow, qtbot: QtBot, pottery: Store
) -> None:
    _begin_formula(window)
    _type(window, qtbot, "temperature@kiln-room - temperature@yard")
    page = window.workings.formula_page
    assert page.told.text() == "Gives K at Kiln room."
    result, *inputs = page.chart.lanes
    assert result.value == "17.0 K"
    assert [one.name for one in inputs] == ["Temperature · Kiln room", "Temperature · Yard"]
    assert np.isfinite(result.envelope.mean).sum() > 40
    page.head.name.setText("")
    QTest.keyClicks(page.head.name, "Warmer inside")
    QTest.keyClick(window.workings, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: not window.workings.model.is_altered, timeout=PATIENCE_MS)
    with pottery.read() as connection:
        kept = {one.slug: one for one in workings(connection)}
    assert kept["warmer_inside"].formula == "temperature@kiln-room - temperature@yard"
    qtbot.waitUntil(
        lambda: "warmer_inside" in [row.key for row in window.workings.items.rows],
        timeout=PATIENCE_MS,
    )


def test_a_mistake_is_underlined_and_nothing_wrong_can_be_kept(
    window: DeskWindow, qtbot: QtBot
) -> None:
    _begin_formula(window)
    _type(window, qtbot, "dew_point(humidity@yard, temperature@yard)")
    page = window.workings.formula_page
    assert "humidity is a share, dew_point wants a temperature first" in page.told.text().lower()
    (drawn,) = page.edit.extraSelections()
    assert drawn.cursor.selectedText() == "humidity@yard"
    assert not page.foot.keep_button.isEnabled()
    _type(window, qtbot, "dew_point(temperature@yard, humidity@yard)")
    assert page.edit.extraSelections() == []
    assert page.foot.keep_button.isEnabled()


def test_what_could_stand_there_is_offered_and_taken_with_enter(
    window: DeskWindow, qtbot: QtBot
) -> None:
    _begin_formula(window)
    edit = window.workings.formula_page.edit
    edit.setFocus()
    QTest.keyClicks(edit, "dew")
    qtbot.waitUntil(edit.popup.isVisible, timeout=PATIENCE_MS)
    QTest.keyClick(edit, Qt.Key.Key_Return)
    assert edit.formula == "dew_point("
    QTest.keyClicks(edit, "temperature@ya")
    QTest.keyClick(edit, Qt.Key.Key_Tab)
    assert edit.formula == "dew_point(temperature@yard"


def test_a_working_is_taken_away_and_comes_back(
    window: DeskWindow, qtbot: QtBot, pottery: Store
) -> None:
    window.workings.pick(WorkingKind.FORMULA, "room")
    _until_answered(window, qtbot)
    QTest.keyClick(window.workings.list, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: window.undo.can_undo, timeout=PATIENCE_MS)
    with pottery.read() as connection:
        assert "room" not in {one.slug for one in workings(connection)}
    window.undo.undo()

    def is_back() -> bool:
        with pottery.read() as connection:
            return "room" in {one.slug for one in workings(connection)}

    qtbot.waitUntil(is_back, timeout=PATIENCE_MS)


def test_a_ready_made_working_is_made_with_one_press(
    window: DeskWindow, qtbot: QtBot, pottery: Store
) -> None:
    window.workings.do(WorkingsAction.NEW)
    page = window.workings.offers_page
    assert {"dew_point", "vapour_deficit", "absolute_humidity"} <= set(page.buttons)
    page.buttons["dew_point"].click()
    qtbot.waitUntil(
        lambda: window.workings.model.picked == (WorkingKind.FORMULA, "dew_point"),
        timeout=PATIENCE_MS,
    )
    _until_answered(window, qtbot)
    shown = window.workings.formula_page.told.text()
    assert shown == "Gives °C at Kiln room, Yard."


def _to_score(window: DeskWindow, qtbot: QtBot, place: str = "Kiln room") -> None:
    window.workings.pick(WorkingKind.SCORE, "comfort")
    _until_answered(window, qtbot)
    window.workings.model.show_place(place)
    qtbot.waitUntil(
        lambda: (
            window.workings.model.score.preview is not None
            and window.workings.model.score.preview.place == place
        ),
        timeout=PATIENCE_MS,
    )


def test_a_score_says_what_each_input_gives_and_takes(window: DeskWindow, qtbot: QtBot) -> None:
    _to_score(window, qtbot)
    page = window.workings.score_page
    assert [row.gives.text() for row in page.rows] == ["50", "100"]
    assert page.rows[0].now.text() == "25.0 °C"
    assert [row.share.text() for row in page.rows] == ["60 %", "40 %"]
    assert page.why.accessibleName() == "Why 70 now"
    assert page.when.text() == "now"
    assert page.why.told == "Warmth −30, Damp 0"
    assert page.told.text() == "All of its weight is heard."
    names = [name for name, _ in window.workings.model.score.ways()]
    assert names == ["weighted", "worst of"]
    words, stretches = window.workings.model.score.parted()
    assert words.startswith("they differ by more than 15 points for")
    assert stretches
    QTest.keyClick(page.ways, Qt.Key.Key_Left)
    moment = page.when.text()
    assert moment.startswith("at ")
    assert page.why.accessibleName().endswith(f" {moment}")


def test_a_point_is_dragged_and_the_score_follows_at_once(window: DeskWindow, qtbot: QtBot) -> None:
    _to_score(window, qtbot)
    page = window.workings.score_page
    curve = page.rows[0].curve
    begin = curve.place_of(2).toPoint()
    QTest.mousePress(curve, Qt.MouseButton.LeftButton, pos=begin)
    QTest.mouseMove(curve, QPoint(begin.x(), 0))
    QTest.mouseRelease(curve, Qt.MouseButton.LeftButton)
    draft = window.workings.model.draft
    assert draft is not None
    assert draft.score is not None
    assert draft.score.inputs[0].points[2] == (30.0, 100.0)
    assert page.rows[0].gives.text() == "100"
    assert page.why.accessibleName() == "Why 100 now"
    assert page.foot.keep_button.isEnabled()
    # With the keyboard as well: back down.
    curve.setFocus()
    QTest.keyClick(curve, Qt.Key.Key_Left)
    QTest.keyClick(curve, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert window.workings.model.draft.score.inputs[0].points[1] == (20.0, 99.0)
    QTest.keyClick(window.workings, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    assert window.workings.model.draft == COMFORT


def _catch_up(store: Store) -> bool:
    """As a collector does, with what was before something was made; whether there was any."""
    with store.read() as connection:
        site = load_site(connection)
        bound = {one.id: (one, made.program) for one, made in bound_workings(connection, site)}
    return bool(work_out_everything(store, bound, now_us=NOON_US))


def test_a_trial_is_shown_everywhere_and_said_to_be_one(window: DeskWindow, qtbot: QtBot) -> None:
    _to_score(window, qtbot)
    page = window.workings.score_page
    page.what_if.click()
    page.rows[1].trial.setValue(0)
    assert page.why.accessibleName() == "Why 30 on trial"
    series = next(
        one
        for one in window.state.site.series
        if one.quantity.slug == "comfort" and one.station.place.name == "Kiln room"
    )
    assert window.state.latest[series.id].value == pytest.approx(30)
    assert not window.banner.isHidden()
    assert "Comfort at Kiln room is 30 instead of 70" in window.banner.text()
    page.what_if.click()
    assert window.state.latest[series.id].value == pytest.approx(70)
    assert window.banner.isHidden()


def test_what_rests_on_a_score_follows_its_trial_into_other_views(
    window: DeskWindow, qtbot: QtBot, pottery: Store
) -> None:
    with pottery.write() as connection:
        save_working(
            connection,
            Working(
                slug="misery",
                name="Misery",
                formula="100 - comfort@here",
                made=Placement.EACH_PLACE,
            ),
        )
    _to_score(window, qtbot)
    _catch_up(pottery)
    page = window.workings.score_page
    page.what_if.click()
    page.rows[1].trial.setValue(0)

    def misery() -> float:
        found = [
            window.state.latest[one.id].value
            for one in window.state.site.series
            if one.quantity.slug == "misery"
            and one.station.place.name == "Kiln room"
            and one.id in window.state.latest
        ]
        return found[0] if found else math.nan

    qtbot.waitUntil(lambda: misery() == pytest.approx(70), timeout=20_000)
    assert "Misery at Kiln room is 70.00 instead of 30.00" in window.banner.text()
    window.show_view(LEDGER)
    assert misery() == pytest.approx(70)
    window.banner.linkActivated.emit("leave")
    assert misery() == pytest.approx(30)
    assert window.banner.isHidden()


def test_weights_inputs_and_ways_are_changed_and_kept(
    window: DeskWindow, qtbot: QtBot, pottery: Store
) -> None:
    _to_score(window, qtbot)
    page = window.workings.score_page
    page.rows[0].weight.setValue(20)
    assert [row.share.text() for row in page.rows] == ["33 %", "67 %"]
    page.add.click()
    assert len(page.rows) == 3
    page.rows[2].remove.click()
    assert len(page.rows) == 2
    page.foot.keep_button.click()
    qtbot.waitUntil(lambda: not window.workings.model.is_altered, timeout=PATIENCE_MS)
    with pottery.read() as connection:
        kept = next(one for one in workings(connection) if one.slug == "comfort")
    assert kept.score is not None
    assert [one.weight for one in kept.score.inputs] == [20, 40]


def test_another_way_of_adding_up_is_begun_with_a_key(window: DeskWindow, qtbot: QtBot) -> None:
    _to_score(window, qtbot)
    window.workings.list.setFocus()
    QTest.keyClick(window.workings.list, Qt.Key.Key_V)
    draft = window.workings.model.draft
    assert draft is not None
    assert draft.score is not None
    assert (draft.score.way, draft.score.variant_of) == (Aggregation.WORST, "comfort")
    assert window.workings.model.is_new


def test_an_inputs_mistake_is_said_by_its_name(window: DeskWindow, qtbot: QtBot) -> None:
    _to_score(window, qtbot)
    page = window.workings.score_page
    formula = page.rows[1].formula
    formula.setFocus()
    formula.selectAll()
    QTest.keyClicks(formula, "humid@here")
    formula.editingFinished.emit()
    qtbot.waitUntil(lambda: "nothing measures humid" in page.told.text(), timeout=PATIENCE_MS)
    assert page.told.text().startswith("Damp: ")
    assert not page.foot.keep_button.isEnabled()


def test_a_group_is_named_and_ticked(window: DeskWindow, qtbot: QtBot, pottery: Store) -> None:
    window.workings.do(WorkingsAction.NEW)
    window.workings.offers_page.own[WorkingKind.GROUP].click()
    page = window.workings.group_page
    page.name.setFocus()
    page.name.selectAll()
    QTest.keyClicks(page.name, "Warm places")
    page.places.item(0).setCheckState(Qt.CheckState.Checked)
    page.foot.keep_button.click()

    def kept() -> dict[str, tuple[str, ...]]:
        with pottery.read() as connection:
            return {one.name: one.places for one in groups(connection)}

    qtbot.waitUntil(lambda: "Warm places" in kept(), timeout=PATIENCE_MS)
    assert kept()["Warm places"] == ("Kiln room",)
    qtbot.waitUntil(lambda: len(window.state.groups) == 2, timeout=PATIENCE_MS)


def test_the_ledgers_lines_speak_for_a_group(window: DeskWindow) -> None:
    model = window.ledger.model
    assert window.ledger.arranging.show_next_group() == "Both"
    told = [row for row in model.rows if isinstance(row, SummaryRow)]
    assert told[0].title == "Both"
    assert [row.place.name for row in told[0].places] == ["Kiln room", "Yard"]
    assert window.ledger.arranging.show_next_group() == ""


def test_the_list_says_what_everything_comes_to(window: DeskWindow) -> None:
    rows = {row.key: row for row in window.workings.items.rows}
    assert rows["comfort"].value == "70 · 40"
    assert rows["Both"].where == "Kiln room, Yard"


def test_the_ledger_is_told_by_a_key_which_group_its_lines_speak_for(
    window: DeskWindow, qtbot: QtBot
) -> None:
    window.show_view(LEDGER)
    QTest.keyClick(window.ledger.table, Qt.Key.Key_L)
    assert window.ledger.model.arrangement.group == "Both"
    QTest.keyClick(window.ledger.table, Qt.Key.Key_L)
    assert window.ledger.model.arrangement.group == ""


def test_the_window_moved_into_the_past_moves_the_draft_with_it(
    window: DeskWindow, qtbot: QtBot
) -> None:
    _begin_formula(window)
    _type(window, qtbot, "temperature@kiln-room - temperature@yard")
    window.rail.model.move_to(NOON_US - 30 * MINUTE_US - window.state.window.span_us)

    def is_drawn_there() -> bool:
        preview = window.workings.model.formula
        if preview is None or preview.envelope is None:
            return False
        return bool(abs(preview.envelope.start_us - window.state.window.start_us) < MINUTE_US)

    qtbot.waitUntil(is_drawn_there, timeout=PATIENCE_MS)
    assert window.workings.formula_page.chart.lanes[0].value == "16.0 K"


def test_a_series_of_a_working_opens_in_the_strip_as_any_does(
    window: DeskWindow, qtbot: QtBot
) -> None:
    series = next(one for one in window.state.site.series if one.field == "comfort")
    window.open_in_strip([series])
    until_shown(qtbot, window)
    (lane,) = window.strip.model.lanes
    assert lane.series[0].quantity.name == "Comfort"


def test_what_is_worked_out_again_shows_where_the_past_is_shown(
    window: DeskWindow, qtbot: QtBot, pottery: Store
) -> None:
    series = next(
        one
        for one in window.state.site.series
        if (one.field, one.station.place.name) == ("comfort", "Kiln room")
    )
    window.open_in_strip([series])
    window.rail.model.move_to(NOON_US - 30 * MINUTE_US - window.state.window.span_us)
    until_shown(qtbot, window)
    assert _catch_up(pottery)

    def is_drawn() -> bool:
        trace = window.strip.model.traces.get(series.id)
        return trace is not None and not trace.envelope.is_empty

    qtbot.waitUntil(is_drawn, timeout=PATIENCE_MS)
