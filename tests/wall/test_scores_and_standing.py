"""A score says what spoils it; what stands is told the worst first."""

from __future__ import annotations

import json

import msgspec
import pytest

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.core.workings.definitions import Placement, Score, ScoreInput, Working
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.alarms import ActiveAlarm
from rook_tally.store.base import Store
from rook_tally.store.workings import save_working
from rook_tally.wall.pane_parts import faces_of
from rook_tally.wall.pane_views import Loss, ScoreBody, StandingBody, StandingLine, ValueText
from tests.builders import MINUTE_US, NOON_US
from tests.wall.studio import Studio, pane

AIR = Working(
    slug="air",
    name="Air score",
    made=Placement.EACH_PLACE,
    score=Score(
        inputs=(
            ScoreInput(name="PM2.5", formula="pm25@here", weight=60, points=((10, 100), (60, 0))),
            ScoreInput(
                name="Warmth", formula="temperature@here", weight=40, points=((0, 0), (20, 100))
            ),
        )
    ),
)


@pytest.fixture
def yard(store: Store) -> Studio:
    """The pottery with an air score wherever there is dust and warmth: in the yard."""
    made = Studio(store)
    with store.write() as connection:
        save_working(connection, AIR)
    return made


def says(studio: Studio, minute: float, **values: float) -> None:
    """The yard reports, and the score is worked out with it."""
    at_us = NOON_US + round(minute * MINUTE_US)
    body = json.dumps({**values, "time": at_us / 1e6}).encode()
    message = Message("http", "127.0.0.1", body, at_us, station="yard-post")
    (answer,) = receive(studio.store, IntakeSession(), Clocks(), [message])
    assert answer.kept == len(values)


def score_of(studio: Studio, minute: float = 0.0) -> ScoreBody:
    at_us = NOON_US + round(minute * MINUTE_US)
    face = studio.face(PaneKind.SCORE, "air@yard", at_us=at_us)
    assert isinstance(face.body, ScoreBody), face
    return face.body


def test_a_score_names_what_takes_most_from_it(yard: Studio) -> None:
    says(yard, 0, pm25=60.0, temp=20.0)
    body = score_of(yard)
    assert body.value.text == "40"
    assert body.spoils == "PM2.5 is what spoils it"
    assert body.sentence == "60 µg/m³, 35 over the limit of 25"
    assert body.losses == (Loss("PM2.5", "−60", 1.0, Level.HIGH),)


def test_what_each_takes_stands_side_by_side_the_most_first(yard: Studio) -> None:
    says(yard, 0, pm25=20.0, temp=10.0)
    body = score_of(yard)
    assert [(one.name, one.text, one.level) for one in body.losses] == [
        ("Warmth", "−20", Level.RAISED),
        ("PM2.5", "−12", Level.RAISED),
    ]
    assert [one.share for one in body.losses] == pytest.approx([1.0, 0.6])
    assert body.spoils == "Warmth is what spoils it"
    # The yard's warmth has no limits: its value stands alone.
    assert body.sentence.startswith("10.0 °C")


def test_nothing_spoils_a_full_score(yard: Studio) -> None:
    says(yard, 0, pm25=5.0, temp=20.0)
    body = score_of(yard)
    assert (body.value.text, body.spoils, body.losses) == ("100", "nothing spoils it", ())


def test_a_score_follows_its_readings(yard: Studio) -> None:
    says(yard, 0, pm25=5.0, temp=20.0)
    says(yard, 1, pm25=60.0, temp=20.0)
    assert score_of(yard, 1).value.text == "40"
    # And the moment before is as it was.
    assert score_of(yard, 0).value.text == "100"


def test_a_score_without_readings_says_so_and_blames_nothing(yard: Studio) -> None:
    face = yard.face(PaneKind.SCORE, "air@yard")
    assert isinstance(face.body, ScoreBody)
    assert (face.body.value.text, face.body.spoils, face.body.losses) == ("–", "", ())


def test_a_score_fades_with_its_inputs(yard: Studio) -> None:
    says(yard, 0, pm25=60.0, temp=20.0)
    assert score_of(yard, 41).value.freshness is Freshness.SILENT


DUST = ActiveAlarm(
    "glaze-dust", "Glaze dust", 0, AlarmState.UNACKNOWLEDGED, Level.HIGH, NOON_US - 46 * MINUTE_US
)
KILN = ActiveAlarm(
    "kiln", "Kiln overrun", 0, AlarmState.ACKNOWLEDGED, Level.RAISED, NOON_US - 15 * MINUTE_US
)


def standing_face(
    studio: Studio, *alarms: ActiveAlarm, shows: tuple[str, ...] = ()
) -> StandingBody:
    """What a pane of what stands shows, while these do."""
    material = studio.material(pane(PaneKind.STANDING, *shows))
    known = studio.known(material)
    snapshot = msgspec.structs.replace(known.snapshot, alarms=alarms)
    known = msgspec.structs.replace(known, snapshot=snapshot)
    (face,) = faces_of(material.panes, known)
    assert isinstance(face.body, StandingBody)
    return face.body


def test_what_stands_says_since_when_and_whether_somebody_saw_it(studio: Studio) -> None:
    assert standing_face(studio, DUST, KILN).lines == (
        StandingLine("Glaze dust", Level.HIGH, "46 min", False),
        StandingLine("Kiln overrun", Level.RAISED, "15 min", True),
    )


def test_what_is_shelved_is_not_told(studio: Studio) -> None:
    shelved = msgspec.structs.replace(DUST, state=AlarmState.SHELVED)
    assert standing_face(studio, shelved).lines == ()


def test_a_pane_that_names_series_tells_of_those_only(studio: Studio) -> None:
    dust = msgspec.structs.replace(DUST, series_id=studio.series["glaze-dust", "pm25"].id)
    kiln = msgspec.structs.replace(KILN, series_id=studio.series["kiln-probe", "temp"].id)
    told = standing_face(studio, dust, kiln, shows=("temperature@kiln-room",))
    assert [line.name for line in told.lines] == ["Kiln overrun"]


def test_a_score_that_is_late_in_a_sheet_keeps_the_others_alive(yard: Studio) -> None:
    says(yard, 0, pm25=60.0, temp=20.0)
    yard.told("kiln-probe", "temp", 30.0, until_us=NOON_US + 41 * MINUTE_US)
    late, fresh = yard.faces(
        pane(PaneKind.SCORE, "air@yard"),
        pane(PaneKind.FIGURE, "temperature@kiln-room"),
        at_us=NOON_US + 41 * MINUTE_US,
    )
    assert (late.freshness, fresh.freshness) == (Freshness.SILENT, Freshness.FRESH)
    assert isinstance(late.body, ScoreBody)
    assert late.body.value == ValueText(late.body.value.text, "", Level.SETTLED, Freshness.SILENT)
