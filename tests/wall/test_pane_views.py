"""What panes say."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from rook_tally.core.quantities.guidelines import Guideline, Rule
from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.wall.definitions import LevelLimits, PaneKind
from rook_tally.store.alarms import save_watch
from rook_tally.store.site import RequestKind, create_request
from rook_tally.store.site.guidelines import save_guideline
from rook_tally.wall.pane_views import (
    ColumnsBody,
    DayBody,
    DialBody,
    FigureBody,
    LampsBody,
    LampState,
    RibbonBody,
    StandingBody,
    TableBody,
    ValueText,
    WordsBody,
)
from tests.alarming.conftest import DUST
from tests.builders import MINUTE_US, NOON_US
from tests.wall.studio import Studio, pane

FIGURE, DIAL, DAY, WORDS = PaneKind.FIGURE, PaneKind.DIAL, PaneKind.DAY, PaneKind.WORDS
COLUMNS, RIBBON, LAMPS, TABLE = (PaneKind.COLUMNS, PaneKind.RIBBON, PaneKind.LAMPS, PaneKind.TABLE)


def test_a_figure_says_its_value_its_level_and_how_far_it_is_from_its_limit(studio: Studio) -> None:
    face = studio.face(FIGURE, "pm25@glaze-booth")
    assert (face.title, face.aside) == ("PM2.5", "Glaze booth")
    assert face.body == FigureBody(ValueText("58", "µg/m³", Level.HIGH), "33 over the limit of 25")
    assert not face.note


def test_title_unit_and_limits_are_the_series_own_unless_somebody_says_otherwise(
    studio: Studio,
) -> None:
    face = studio.face(
        FIGURE,
        "temperature@kiln-room",
        title="Kiln",
        unit="°F",
        above=LevelLimits(raised=90.0, severe=200.0),
    )
    assert face.title == "Kiln"
    assert face.body == FigureBody(
        ValueText("93.2", "°F", Level.RAISED), "3.2 over the limit of 90"
    )


def test_what_is_late_or_silent_fades_and_says_its_age(studio: Studio) -> None:
    late = studio.face(FIGURE, "pm25@glaze-booth", at_us=NOON_US + 3 * MINUTE_US)
    assert (late.freshness, late.note) == (Freshness.LATE, "3 min since the last word")
    silent = studio.face(FIGURE, "pm25@glaze-booth", at_us=NOON_US + 41 * MINUTE_US)
    assert (silent.freshness, silent.note) == (Freshness.SILENT, "41 min since the last word")
    assert isinstance(silent.body, FigureBody)
    assert silent.body.value.level is Level.SETTLED


@pytest.mark.parametrize(
    ("shows", "why"),
    [
        ("pm25@kiln-rom", "there is no place kiln-rom; did you mean kiln-room"),
        ("pm25@kiln-room", "nothing tells pm25 at kiln-room"),
        ("dust@kiln-room", "nothing measures dust"),
        ("1 + 1", "names no series"),
        ("pm25@", "a place's name follows the @"),
        ("@glaze-dust", "a station can only be a lamp"),
    ],
)
def test_what_is_not_there_is_said_in_its_place_and_takes_nothing_from_the_others(
    studio: Studio, shows: str, why: str
) -> None:
    wrong, right = studio.faces(pane(FIGURE, shows), pane(FIGURE, "pm25@yard"))
    assert why in wrong.trouble
    assert wrong.body is None
    assert right.body == FigureBody(ValueText("7", "µg/m³"), "18 below the limit of 25")
    assert "pick a series" in studio.face(FIGURE).trouble


def test_a_unit_that_does_not_fit_is_said_and_the_value_stands_in_its_own(studio: Studio) -> None:
    face = studio.face(FIGURE, "pm25@yard", unit="°F")
    assert face.note == "°F is no unit of PM2.5; it has µg/m³, mg/m³"
    assert isinstance(face.body, FigureBody)
    assert face.body.value.text == "7"


def test_own_limits_that_cannot_be_are_said_and_the_series_own_hold(studio: Studio) -> None:
    falling = LevelLimits(raised=9.0, high=5.0)
    face = studio.face(FIGURE, "pm25@glaze-booth", above=falling)
    assert "do not rise" in face.note
    assert isinstance(face.body, FigureBody)
    assert face.body.value.level is Level.HIGH


def test_a_dial_has_its_limits_zones_and_a_round_range(studio: Studio) -> None:
    face = studio.face(DIAL, "pm25@glaze-booth")
    assert isinstance(face.body, DialBody)
    assert (face.body.low, face.body.high) == ("0", "100")
    assert face.body.at == pytest.approx(0.58)
    assert (0.25, 0.5, Level.RAISED) in face.body.zones
    share = studio.face(DIAL, "substrate_moisture@damp-store", low=20.0, high=60.0)
    assert isinstance(share.body, DialBody)
    assert share.body.at == pytest.approx(0.45)
    assert share.body.sentence == "7 above the lower limit of 31, fine"


def test_columns_stand_on_one_scale_with_todays_span(studio: Studio) -> None:
    face = studio.face(COLUMNS, "temperature@everywhere/*")
    assert isinstance(face.body, ColumnsBody)
    kiln, damp, yard = face.body.columns
    assert [one.short for one in face.body.columns] == ["Kiln", "Damp", "Yard"]
    assert (kiln.value.text, kiln.value.unit) == ("34.0", "°C")
    assert kiln.at == kiln.high
    assert kiln.low is not None
    assert kiln.at is not None
    assert yard.at is not None
    assert damp.at is not None
    assert yard.at < damp.at < kiln.low < kiln.at
    assert face.aside == "°C · today’s span and now"


def test_columns_are_held_against_a_guideline_or_what_another_series_says(studio: Studio) -> None:
    own = Guideline(
        slug="yard",
        name="The yard",
        quantity="pm25",
        rule=Rule.DAY_MEAN,
        limit=0.0,
        station="yard-post",
        field="pm25",
    )
    with studio.store.write() as connection:
        save_guideline(connection, own)
    booth = ("pm25@glaze-booth",)
    face = studio.face(COLUMNS, *booth, guideline="who-pm25-day", low=0.0, high=100.0)
    assert isinstance(face.body, ColumnsBody)
    assert face.body.against == (0.15, "WHO 15")
    face = studio.face(COLUMNS, *booth, guideline="yard", low=0.0, high=100.0)
    assert isinstance(face.body, ColumnsBody)
    assert face.body.against is not None
    level, words = face.body.against
    assert (round(level, 9), words) == (0.07, "The yard 7")
    # One of another quantity, and one that is gone, are not drawn.
    for slug in ("who-noise-day", "nobody"):
        face = studio.face(COLUMNS, *booth, guideline=slug)
        assert isinstance(face.body, ColumnsBody)
        assert face.body.against is None


def test_a_ribbon_names_its_peak_and_when(studio: Studio) -> None:
    face = studio.face(RIBBON, "pm25@glaze-booth", "pm25@yard", span_s=3600.0)
    assert (face.title, face.aside) == ("PM2.5, Glaze booth and Yard", "1 h · µg/m³")
    body = face.body
    assert isinstance(body, RibbonBody)
    assert body.peak is not None
    assert body.peak.text == "71 at 11:59"
    assert body.peak.x == pytest.approx(59 / 60, abs=0.02)
    assert [one.name for one in body.traces] == ["Glaze booth", "Yard"]
    assert body.limits[0][1] == "25"
    assert len(body.marks) > 2


def test_two_quantities_of_other_units_do_not_share_a_scale(studio: Studio) -> None:
    face = studio.face(RIBBON, "pm25@yard", "temperature@yard")
    assert face.note == "Temperature has another unit: give it a pane of its own"
    assert isinstance(face.body, RibbonBody)
    assert len(face.body.traces) == 1


def test_lamps_say_since_when_and_what_for(studio: Studio) -> None:
    with studio.store.write() as connection:
        save_watch(connection, replace(DUST, tell=()), now_us=NOON_US - 5 * MINUTE_US)
        create_request(
            connection,
            RequestKind.CONTROL,
            "glaze-extractor",
            "on",
            "on",
            who="watch glaze-dust",
            now_us=NOON_US - 90_000_000,
        )
    face = studio.face(LAMPS, "switch@glaze-booth", "switch@damp-store", "@yard-post")
    assert isinstance(face.body, LampsBody)
    extractor, mister, yard = face.body.lamps
    assert (extractor.name, extractor.state) == ("Extractor", LampState.ON)
    assert extractor.words == "since 11:59, for Glaze dust"
    assert (mister.name, mister.state, mister.words) == ("Mister", LampState.OFF, "off 60 s")
    assert (yard.name, yard.words) == ("yard-post", "heard 0 s ago")


def test_a_switch_that_was_silent_says_what_it_said_last(studio: Studio) -> None:
    face = studio.face(LAMPS, "switch@glaze-booth", "@yard-post", at_us=NOON_US + 3600_000_000)
    assert isinstance(face.body, LampsBody)
    assert face.body.lamps[0].words == "silent 60 min, then on"
    assert face.body.lamps[1].words == "silent 60 min"


def test_a_table_has_a_line_a_series_with_its_age(studio: Studio) -> None:
    face = studio.face(TABLE, "temperature@yard", "pm25@yard", at_us=NOON_US + 5_000_000)
    assert face.title == "Yard"
    assert isinstance(face.body, TableBody)
    assert [(one.name, one.value.text, one.age) for one in face.body.lines] == [
        ("Temperature", "4.0", "5 s"),
        ("PM2.5", "7", "5 s"),
    ]


def test_a_day_has_its_lowest_and_highest_and_when(studio: Studio) -> None:
    face = studio.face(DAY, "pm25@glaze-booth")
    assert face.body == DayBody(
        ValueText("58", "µg/m³", Level.HIGH),
        ValueText("5", "µg/m³"),
        "11:58",
        ValueText("71", "µg/m³", Level.HIGH),
        "11:59",
    )


def test_own_words_hold_values(studio: Studio) -> None:
    face = studio.face(WORDS, text="Dust {pm25@glaze-booth}, moon {moon@yard}.")
    assert isinstance(face.body, WordsBody)
    assert face.body.parts == ("Dust ", ValueText("58", "µg/m³", Level.HIGH), ", moon ", "–", ".")
    assert face.note.startswith("nothing measures moon")


def test_nothing_stands_until_something_does(studio: Studio) -> None:
    face = studio.face(PaneKind.STANDING)
    assert face.body == StandingBody((), "nothing stands")
    assert (face.title, face.trouble) == ("Standing", "")
