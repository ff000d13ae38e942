"""The Stations view: the fleet, the message tape and the strays, in a real window."""

from __future__ import annotations

import json

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.timestamps import HOUR_US
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_feed import read_picture
from rook_tally.desk.stations.model import StationsModel
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store
from rook_tally.store.site import add_correction, add_station, load_site, report_clocks
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.processes import CollectorProcess

PATIENCE_MS = 20_000


def _send(store: Store, station: str, *bodies: object, at_us: int = NOON_US) -> None:
    directory, clocks = IntakeSession(), Clocks()
    for number, body in enumerate(bodies):
        raw = body.encode() if isinstance(body, str) else json.dumps(body).encode()
        moment = at_us + number * 1_000_000
        receive(store, directory, clocks, [Message("mqtt", "t", raw, moment, station=station)])


@pytest.fixture
def model(store: Store) -> StationsModel:
    """Two stations in two places; one says all sorts of things, one was never heard."""
    with store.write() as connection:
        add_station(connection, "dust", place="Booth", kind=KINDS["particle-counter"])
        add_station(connection, "loft", place="Loft", kind=KINDS["climate"])
    _send(store, "dust", {"pm25": 20}, {"pm25": -8}, {"pm2_5": 21}, '{"pm25')
    _send(store, "slipway", {"temp": 9}, {"temp": 9.5})
    state = SiteState(lambda: NOON_US + 10_000_000)
    with store.read() as connection:
        state.take(read_picture(connection, state.now_us))
    made = StationsModel(state)
    _answer(store, made)
    return made


def _answer(store: Store, model: StationsModel) -> None:
    with store.read() as connection:
        model.take_fleet(model.fleet_question().run(connection))
        question = model.page_question()
        assert question is not None
        model.take_page(question.run(connection))


def test_the_fleet_by_place(model: StationsModel) -> None:
    dust, loft = model.fleet_rows.rows()
    assert (dust.place, dust.age, dust.freshness) == ("Booth", "9 s", Freshness.FRESH)
    assert dust.heard.tolist() == [False] * 29 + [True]
    assert dust.remark == "50 % of its readings are suspect"
    assert (loft.age, loft.freshness, bool(loft.heard.any())) == ("", Freshness.SILENT, False)
    assert "never heard" in loft.spoken


def test_what_became_of_each_message(model: StationsModel) -> None:
    assert [(one.fate, one.level) for one in model.tape_rows()] == [
        ("1 stray: not JSON: it ends in the middle; send a whole JSON object", Level.HIGH),
        ("1 stray: station dust has no field pm2_5", Level.HIGH),
        ("1 suspect", Level.RAISED),
        ("1 kept", Level.SETTLED),
    ]
    assert model.tape_rows()[-1].body == '{"pm25":20}'
    assert model.counts() == "2 kept, 1 suspect, 2 stray"


def test_fields_with_their_day_and_correction(store: Store, model: StationsModel) -> None:
    with store.write() as connection:
        (series,) = load_site(connection).series
        correction = Correction(NOON_US - 60 * MINUTE_US, 0.5, 1)
        add_correction(connection, series.id, correction, who="me", why="", now_us=NOON_US)
    _answer(store, model)
    (row,) = model.field_rows()
    assert row.cells[:2] == ("pm25", "PM2.5, µg/m³")
    assert (row.day, row.believable) == ("11 – 11", "0 – 1\u2009000")
    assert row.correction == "× 0.5 +1 µg/m³ since 23 Nov"


def test_strays_are_named_with_why(model: StationsModel) -> None:
    assert model.stray_headline() == "2 strays are talking"
    assert sorted(one.words for one in model.stray_lines()) == [
        "dust · 2 kept since 12:00 · not JSON: it ends in the middle",
        "slipway · 2 kept since 12:00 · no station yet",
    ]


def test_a_wrong_clock_goes_before_all_else(store: Store, model: StationsModel) -> None:
    with store.write() as connection:
        report_clocks(connection, {1: -420.0}, now_us=NOON_US)
    _answer(store, model)
    assert model.fleet_rows.rows()[0].remark == "its clock runs 7 min behind"


def test_a_tape_that_is_held_stands_still(store: Store, model: StationsModel) -> None:
    model.hold(True)
    _send(store, "dust", {"pm25": 22}, at_us=NOON_US + MINUTE_US)
    _answer(store, model)
    assert len(model.tape_rows()) == 4
    model.hold(False)
    _answer(store, model)
    assert len(model.tape_rows()) == 5


def test_messages_appear_while_one_looks(
    qtbot: QtBot, collector: CollectorProcess, open_desk: OpenDesk
) -> None:
    """Real messages through the real doors; the view is reached and used by keys alone."""
    collector.add_station("first", place="Hall")
    collector.add_station("second", place="Yard")
    window = open_desk()
    QTest.keyClick(window, Qt.Key.Key_8, Qt.KeyboardModifier.AltModifier)
    view = window.stations
    qtbot.waitUntil(lambda: view.isVisible() and view.fleet.rowCount() == 2, timeout=PATIENCE_MS)
    assert view.model.picked.key == "first"
    QTest.keyClick(view.list, Qt.Key.Key_Down)
    assert view.model.picked.key == "second"
    collector.publish("second", '{"temperature": 21.5, "glorp": 1}')
    qtbot.waitUntil(lambda: view.page.tape.rowCount() == 1, timeout=PATIENCE_MS)
    assert view.page.tape.item(0, 2).text() == "1 kept, 1 stray: station second has no field glorp"
    qtbot.waitUntil(lambda: view.page.fields.rowCount() == 1, timeout=PATIENCE_MS)
    assert [view.page.fields.item(0, column).text() for column in range(3)] == [
        "temperature",
        "Temperature, °C",
        "21.5",
    ]
    view.page.tape.setFocus()
    view.page.tape.setCurrentCell(0, 1)
    whole = view.page.findChild(QLabel, "whole message")
    assert whole.text() == (
        '{"temperature":21.5,"glorp":1}\n= temperature 21.5, glorp 1\n'
        "→ 1 kept, 1 stray: station second has no field glorp"
    )
    qtbot.waitUntil(lambda: view.note.isVisible(), timeout=PATIENCE_MS)
    told = [label.text() for label in view.note.findChildren(QLabel)]
    assert told[0] == "A stray is talking"
    spoken = QAccessible.queryAccessibleInterface(view.list)
    assert spoken.child(1).text(QAccessible.Text.Name).startswith("second, any station, Yard")


def test_without_a_station_it_says_what_to_do(qtbot: QtBot, open_desk: OpenDesk) -> None:
    window = open_desk()
    window.show_view(STATIONS)
    shown = [one.text() for one in window.stations.findChildren(QLabel) if one.isVisible()]
    assert any("No station has been added yet" in text for text in shown)
    assert not window.stations.page.isVisible()


def test_a_battery_says_how_long_it_lasts(store: Store, model: StationsModel) -> None:
    level = begin_series(store, "battery", key="dust")
    append(store, level, *((NOON_US - at * 6 * HOUR_US, 60.0 + at / 4) for at in range(1, 60)))
    site = SiteState(lambda: NOON_US)
    with store.read() as connection:
        site.take(read_picture(connection, site.now_us))
        fleet = StationsModel(site)
        _answer(store, fleet)
        asked = fleet.power_question()
        assert asked is not None
        fleet.take_power(asked.run(connection))
        # An answer holds for an hour.
        assert fleet.power_question() is None
        assert fleet.power_words().startswith("Empty in 60 days, sending every 6 h")
        fleet.pick("loft")
        assert fleet.power_words() == ""
        other = fleet.power_question()
        assert other is not None
        fleet.take_power(other.run(connection))
    assert fleet.power_words() == ""
