"""What helps somebody who writes formulas: completion, ready-made workings, scores compared."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.core.workings.binding import bound
from rook_tally.core.workings.completion import completions
from rook_tally.core.workings.definitions import Aggregation, Placement, Score, ScoreInput, Working
from rook_tally.core.workings.dependencies import checked_order, in_order
from rook_tally.core.workings.diagnostics import FormulaError
from rook_tally.core.workings.scores import added_up, parted_stretches, parted_us
from rook_tally.core.workings.templates import AIR_SCORE, offers
from tests.core.workings.sites import pottery, waving

NAMES = pottery()


@pytest.mark.parametrize(
    ("text", "first"),
    [
        ("tem", "temperature@"),
        ("dew", "dew_point("),
        ("temperature@ki", "kiln-room"),
        ("mean(co2@ind", "indoors/*"),
        ("co2@shop/", "shop/shop-a"),
        ("1 + co2@stu", "studios/*"),
    ],
)
def test_what_could_stand_there_is_offered(text: str, first: str) -> None:
    found = completions(text, len(text), NAMES)
    assert found[0].text == first
    completed = text[: found[0].start] + found[0].text
    assert completed.startswith(text[: found[0].start])


def test_nothing_is_offered_after_a_space() -> None:
    assert completions("temperature@yard ", 17, NAMES) == []


def test_what_the_site_has_the_makings_of_is_offered() -> None:
    offered = {one.working.slug: one for one in offers(NAMES, [])}
    assert offered["dew_point"].places == ("Kiln room", "Yard")
    assert offered["shunt_current"].places == ("Mill race",)
    assert offered["sea_level_pressure"].places == ("Yard",)
    assert offered["battery_charge"].places == ("Kiln room", "Mill race")
    assert {"us_aqi", "uk_daqi", "who_times", "vapour_deficit"} <= set(offered)
    assert offered["mean_temperature_studios"].working.formula == "mean(temperature@studios/*)"
    again = offers(NAMES, [offered["dew_point"].working])
    assert "dew_point" not in {one.working.slug for one in again}


@pytest.mark.parametrize("offer", offers(NAMES, []), ids=lambda one: one.working.slug)
def test_every_ready_made_working_comes_to_something(offer: object) -> None:
    for one in bound(offer.working, NAMES):  # type: ignore[attr-defined]
        _, value = one.program.worked_out(waving(NAMES, 8 * 24 * 60))
        assert len(value)
        if one.working.slug != "air_changes":
            assert np.isfinite(value).any()


def test_two_ways_of_adding_up_part_where_one_input_is_bad() -> None:
    worst = Score(inputs=AIR_SCORE.inputs, way=Aggregation.WORST)
    readings = np.array([[3.0, 3.0, 80.0, 3.0], [500.0] * 4, [90.0] * 4, [50.0] * 4])
    one, other = added_up(AIR_SCORE, readings), added_up(worst, readings)
    assert one.score.tolist() == [100, 100, 65, 100]
    assert other.score.tolist() == [100, 100, 0, 100]
    assert one.losses[:, 2].tolist() == [35, 0, 0, 0]
    assert other.worst.tolist() == [0, 0, 0, 0]
    times = np.arange(4) * 60_000_000
    assert parted_us(times, one.score, other.score, by=15) == 60_000_000
    assert parted_stretches(times, one.score, other.score, by=15) == [(120_000_000, 180_000_000)]


def test_a_missing_input_is_weighted_anew_and_said() -> None:
    readings = np.array([[np.nan], [1400.0], [90.0], [50.0]])
    found = added_up(AIR_SCORE, readings)
    assert found.completeness.tolist() == [0.65]
    assert found.score[0] == pytest.approx((30 * 35 + 20 * 100 + 15 * 100) / 65)
    too_little = added_up(AIR_SCORE, np.array([[3.0], [np.nan], [np.nan], [np.nan]]))
    assert np.isnan(too_little.score[0])
    assert too_little.completeness.tolist() == [0.35]


def _working(slug: str, formula: str) -> Working:
    return Working(slug=slug, name=slug.upper(), formula=formula)


def test_a_ring_is_refused_and_named() -> None:
    ring = [_working("a", "b@yard"), _working("b", "c@yard + 1"), _working("c", "a@yard")]
    with pytest.raises(FormulaError, match=r"ring: .* rests on .* rests on"):
        checked_order(ring)
    free = _working("d", "temperature@yard")
    assert [one.slug for one in in_order([*ring, free])] == ["d"]


def test_workings_come_after_those_they_rest_on() -> None:
    several = [_working("late", "early@yard"), _working("early", "temperature@yard")]
    assert [one.slug for one in in_order(several)] == ["early", "late"]


def test_a_score_of_a_place_goes_without_what_is_not_there() -> None:
    score = Score(
        inputs=(
            ScoreInput(
                name="Warmth", formula="temperature@here", weight=1, points=((0, 0), (20, 100))
            ),
            ScoreInput(name="Damp", formula="humidity@here", weight=1, points=((0, 0), (50, 100))),
        )
    )
    made = bound(Working(slug="s", name="S", made=Placement.EACH_PLACE, score=score), NAMES)
    assert [one.place for one in made] == ["Kiln room", "Yard", "Shop", "Throwing room"]
    _, value = made[2].program.worked_out(waving(NAMES))
    assert np.isfinite(value).all()
