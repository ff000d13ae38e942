"""The parts of a score's page by mouse and keys: the curve, the ways, why."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox, QLineEdit
from pytestqt.qtbot import QtBot

from rook_tally.core.errors import UsageError
from rook_tally.core.formulas.scoring import composite
from rook_tally.core.quantities.display_unit import base_shown
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.envelope import empty_envelope, envelope_of_readings
from rook_tally.core.series.readings import readings_from
from rook_tally.core.theme import LIGHT
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.workings.aggregation_chart import AggregationChart, WhyBar
from rook_tally.desk.workings.curve import CurveChart
from rook_tally.desk.workings.curve_points import Points, points_text, typed_points
from rook_tally.desk.workings.draft_score import WhyPart
from rook_tally.desk.workings.queries import Histogram
from rook_tally.desk.workings.traces import LaneTrace, TracesChart
from tests.builders import MINUTE_US, NOON_US
from tests.desk.driving import opened, press

POINTS: Points = ((400.0, 100.0), (1000.0, 60.0), (2000.0, 0.0))
_LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def curve(qtbot: QtBot) -> CurveChart:
    """A curve over how CO₂ is spread, 740 ppm now."""
    made = CurveChart(LIGHT)
    qtbot.addWidget(made)
    made.resize(500, 60)
    made.show_curve(POINTS, Histogram(380.0, 1400.0, np.linspace(1, 0, 60)), 740.0, "CO₂")
    made.show()
    return made


def _sent(curve: CurveChart) -> list[Points]:
    found: list[Points] = []
    curve.changed.connect(found.append)
    return found


def test_the_curve_reaches_over_its_points_and_what_was_read(curve: CurveChart) -> None:
    assert curve.span == (380.0, 2000.0)
    assert "400 → 100" in curve.toolTip()
    assert curve.accessibleName() == "curve of CO₂"
    curve.show_curve(POINTS, None, math.nan, "CO₂")
    assert curve.span == (400.0, 2000.0)
    curve.grab()


def test_a_point_is_dragged_no_further_than_its_neighbours(curve: CurveChart) -> None:
    sent = _sent(curve)
    begin = curve.place_of(1).toPoint()
    QTest.mousePress(curve, _LEFT, pos=begin)
    QTest.mouseMove(curve, QPoint(curve.width() + 300, 200))
    QTest.mouseRelease(curve, _LEFT)
    moved = sent[-1]
    assert moved[0] == POINTS[0]
    assert 1990 < moved[1][0] < 2000
    assert moved[1][1] == 0.0
    assert moved[2] == POINTS[2]


def test_a_press_beside_the_points_moves_nothing(curve: CurveChart) -> None:
    sent = _sent(curve)
    QTest.mousePress(curve, _LEFT, pos=QPoint(250, 55))
    QTest.mouseMove(curve, QPoint(100, 5))
    QTest.mouseRelease(curve, _LEFT)
    assert sent == []


def test_a_double_click_adds_a_point_on_the_line_and_takes_one_away(curve: CurveChart) -> None:
    sent = _sent(curve)
    x = (curve.place_of(1).x() + curve.place_of(2).x()) / 2
    QTest.mouseDClick(curve, _LEFT, pos=QPoint(round(x), 5))
    added = sent[-1]
    assert len(added) == 4
    assert added[2][0] == pytest.approx(1500, abs=10)
    assert added[2][1] == pytest.approx(30, abs=1)
    curve.show_curve(POINTS, None, math.nan, "CO₂")
    QTest.mouseDClick(curve, _LEFT, pos=curve.place_of(1).toPoint())
    assert sent[-1] == (POINTS[0], POINTS[2])


def test_two_points_are_the_least(curve: CurveChart) -> None:
    curve.show_curve(POINTS[:2], None, math.nan, "CO₂")
    sent = _sent(curve)
    curve.setFocus()
    QTest.keyClick(curve, Qt.Key.Key_Delete)
    assert sent == []


def test_points_are_picked_and_moved_with_keys(curve: CurveChart, qtbot: QtBot) -> None:
    sent = _sent(curve)
    curve.setFocus()
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Left):
        QTest.keyClick(curve, key)
    assert curve.picked == 1
    control = Qt.KeyboardModifier.ControlModifier
    QTest.keyClick(curve, Qt.Key.Key_Up, control)
    assert sent[-1][1] == (1000.0, 61.0)
    QTest.keyClick(curve, Qt.Key.Key_Right, control)
    assert sent[-1][1][0] == pytest.approx(1016, abs=1)
    QTest.keyClick(curve, Qt.Key.Key_Delete)
    assert len(sent[-1]) == 2


@pytest.fixture
def ways(qtbot: QtBot) -> AggregationChart:
    """Two ways over a hundred moments, apart in the middle, a gap at the end."""
    first = np.full((1, 100), 80.0)
    other = first.copy()
    other[0, 40:60] = 20.0
    other[0, 95:] = np.nan
    made = AggregationChart(LIGHT)
    qtbot.addWidget(made)
    made.resize(600, 160)
    told = [
        (name, composite(rows, [1.0], min_completeness=0.5, worst_of=False))
        for name, rows in (("weighted", first), ("worst of", other))
    ]
    made.show_ways(told, "Two ways", "they part", [(0.4, 0.6)], 1.0)
    made.show()
    return made


def test_the_cursor_follows_the_mouse_and_the_arrows(ways: AggregationChart) -> None:
    moved: list[float] = []
    ways.moved.connect(moved.append)
    QTest.mousePress(ways, _LEFT, pos=QPoint(300, 80))
    assert moved[-1] == pytest.approx(0.5, abs=0.01)
    QTest.mouseMove(ways, QPoint(900, 80))
    assert moved[-1] == 1.0
    ways.setFocus()
    QTest.keyClick(ways, Qt.Key.Key_Left)
    assert moved[-1] == pytest.approx(0.99)
    assert ways.accessibleDescription() == "they part"


def test_where_they_part_is_tinted(ways: AggregationChart) -> None:
    picture = ways.grab().toImage()
    ratio = picture.width() / ways.width()

    def shade(x: float, y: float) -> str:
        return picture.pixelColor(round(x * ratio), round(y * ratio)).name()

    assert shade(300, 40) != shade(100, 40)


def test_hours_stand_under_them_and_none_is_cut_by_an_edge(ways: AggregationChart) -> None:
    def is_written(share: float) -> bool:
        """Whether the foot of the chart has ink around there."""
        picture = ways.grab().toImage()
        ratio = picture.width() / ways.width()
        middle = round(share * (ways.width() - 1))
        shades = {
            picture.pixelColor(round(x * ratio), round(y * ratio)).name()
            for x in range(max(middle - 14, 0), min(middle + 14, ways.width()))
            for y in range(ways.height() - 16, ways.height() - 2)
        }
        return len(shades) > 1

    assert not is_written(0.5)
    hours = ((0.01, "06:00"), (0.5, "12:00"), (0.99, "18:00"))
    ways.show_ways(ways._ways, "Two ways", "they part", [], 1.0, hours)
    assert [is_written(share) for share, _ in hours] == [False, True, False]


def test_why_says_the_worst_first_and_as_long_as_it_costs(qtbot: QtBot) -> None:
    bar = WhyBar(LIGHT)
    qtbot.addWidget(bar)
    bar.resize(600, 26)
    bar.show_parts("Why 41 now", [WhyPart("PM2.5", 29.4), WhyPart("VOC", 14.0), WhyPart("CO₂", 0)])
    bar.show()
    assert bar.told == "PM2.5 −29, VOC −14, CO₂ 0"
    assert bar.accessibleName() == "Why 41 now"
    assert not bar.grab().isNull()


def test_lanes_say_when_there_is_nothing_of_them(qtbot: QtBot) -> None:
    shown = base_shown(QUANTITIES["temperature"])
    times = NOON_US + np.arange(60) * MINUTE_US
    told = envelope_of_readings(
        readings_from(times, 20 + np.arange(60) / 60), NOON_US, MINUTE_US, 60, max_gap_s=180
    )
    chart = TracesChart(LIGHT)
    qtbot.addWidget(chart)
    chart.resize(700, 400)
    chart.show_lanes(
        (
            LaneTrace("Result", "21.0 °C", told, shown, 2.4),
            LaneTrace("Empty", "°C", empty_envelope(NOON_US, NOON_US + 60 * MINUTE_US, 60), shown),
        )
    )
    chart.show()
    full = chart.grab().toImage()
    assert chart.accessibleDescription() == "Result 21.0 °C, Empty °C"
    chart.show_lanes(chart.lanes, is_stale=True)
    assert chart.grab().toImage() != full


def test_points_are_typed(curve: CurveChart, qtbot: QtBot) -> None:
    sent = _sent(curve)
    QTest.keyClick(curve, Qt.Key.Key_Return)
    dialog = opened(qtbot, curve, ValueDialog)
    assert dialog.value == "400 → 100; 1000 → 60; 2000 → 0"
    assert isinstance(dialog.field, QLineEdit)
    dialog.field.setText("400 → 100; 15 - 80")
    press(dialog, QDialogButtonBox.StandardButton.Save)
    assert "no point" in dialog.problem.text()
    assert sent == []
    dialog.field.setText("75 -> 0; 0: 100; 15=80")
    press(dialog, QDialogButtonBox.StandardButton.Save)
    assert sent == [((0.0, 100.0), (15.0, 80.0), (75.0, 0.0))]


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "two points or more"),
        ("5 → 100", "two points or more"),
        ("5 → 100; 5 → 20", "two points are at 5"),
        ("5 → 100; 9 → 120", "from 0 to 100"),
        ("warm → 100; 9 → 20", "no number"),
        ("1 → 2 → 3; 9 → 20", "no point"),
    ],
)
def test_points_that_make_no_curve_are_refused(text: str, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        typed_points(text)


@given(
    st.lists(
        st.tuples(st.floats(-1e6, 1e6), st.floats(0, 100)),
        min_size=2,
        max_size=9,
        unique_by=lambda point: float(f"{point[0]:.12g}"),
    )
)
def test_points_written_are_read_again(points: list[tuple[float, float]]) -> None:
    exact = tuple(sorted((float(f"{x:.12g}"), float(f"{score:.12g}")) for x, score in points))
    assert typed_points(points_text(exact)) == exact
