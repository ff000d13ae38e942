"""What a person does at the Stations view, in a real window on a real collector."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.connection_sheet import Sender
from rook_tally.core.quantities.controls import Control, ControlKind
from rook_tally.core.quantities.kinds import KINDS, Kind
from rook_tally.core.quantities.levels import Level
from rook_tally.core.timestamps import DAY_US, SECOND_US
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.parts.label import Label
from rook_tally.desk.stations.controls import control_rows
from rook_tally.desk.stations.first_contact import StepState, contact_steps
from rook_tally.desk.stations.fleet import firmware_spread, station_remark, usual_firmware
from rook_tally.desk.stations.take_in_state import TakeInState, TakeInStep
from rook_tally.store.base import Store
from rook_tally.store.site import (
    MessageCounts,
    MessageLogEntry,
    Place,
    Problem,
    Request,
    RequestKind,
    RequestState,
    Station,
    StoredAttribute,
    StrayProposal,
    describe_station,
    load_site,
    newest_requests,
)
from tests.builders import NOON_US, begin_series
from tests.collector.test_controls import heard_at, publish
from tests.desk.conftest import OpenDesk
from tests.processes import CollectorProcess

PATIENCE_MS = 30_000
HALL = Place(1, "Hall", True)


def test_a_stray_is_taken_in_in_the_window(
    collector: CollectorProcess, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    collector.publish("slipway-9", '{"temp": 9.5, "zip": 84}')
    window = open_desk()
    window.show_view(STATIONS)
    view = window.stations
    qtbot.waitUntil(lambda: bool(view.note.lines), timeout=PATIENCE_MS)
    view.note.lines[0].take_in.click()
    dialog = view.tasks.taking_in
    qtbot.waitUntil(lambda: dialog.taken.step is TakeInStep.DECIDING, timeout=PATIENCE_MS)
    assert {one.name for one in dialog.taken.fields} == {"temp", "zip"}
    assert not dialog.take_in.isEnabled()  # nobody has said where it stands
    # The newest value of each stands beside what it seems to be.
    newest = {
        label.accessibleName(): label.text() for label in dialog.findChildren(Label) if label.text()
    }
    assert newest["newest value of temp"] == "9.5"
    assert newest["newest value of zip"] == "84"
    assert dialog.cadence.placeholderText() == "as often as it sends: now 60 s"
    dialog.place.setEditText("Slipway")
    at = [one.name for one in dialog.taken.fields].index("zip")
    box = dialog.fields[at][0]
    box.setCurrentIndex(box.findData("humidity"))
    box.activated.emit(box.currentIndex())
    QTest.mouseClick(dialog.take_in, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: dialog.taken.step is TakeInStep.DONE, timeout=PATIENCE_MS)
    # What was waiting has become readings, and the key is shown this once.
    rows = {(row["place"], row["quantity"]): row["value"] for row in collector.latest()}
    assert rows == {("Slipway", "temperature"): 9.5, ("Slipway", "humidity"): 84.0}
    key = dialog.taken.access_key
    assert key in dialog.key.text()
    qtbot.waitUntil(
        lambda: dialog.first.text() == "Its first reading: Temperature 9.5 °C, Humidity 84 %.",
        timeout=PATIENCE_MS,
    )
    bearer = ("-H", f"Authorization: Bearer {key}")
    assert collector.post('{"temp": 9.75}', *bearer)[1]["kept"] == 1
    dialog.close()


def test_who_talks_already_is_offered_on_the_first_page(
    collector: CollectorProcess, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    window = open_desk()
    first = window.ledger.first
    assert first.take_in.isHidden()
    collector.publish("slipway-9", '{"temp": 9.5}')
    qtbot.waitUntil(lambda: not first.take_in.isHidden(), timeout=PATIENCE_MS)
    assert first.talking.text() == "slipway-9 is talking. Messages kept: 1."
    assert first.title.text() == "Something is talking"
    QTest.mouseClick(first.take_in, Qt.MouseButton.LeftButton)
    assert window.view == STATIONS
    assert window.stations.tasks.taking_in is not None
    assert window.stations.tasks.taking_in.taken.key == "slipway-9"
    window.stations.tasks.taking_in.close()


def test_any_stray_can_be_taken_in_or_dismissed_and_comes_back(
    collector: CollectorProcess, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    for key in ("weir", "barn", "loft", "shed"):
        collector.publish(key, '{"temp": 9.5}')
    window = open_desk()
    window.show_view(STATIONS)
    view = window.stations

    def keys() -> list[str]:
        return sorted(one.station or "" for one in view.model.stray_lines())

    qtbot.waitUntil(lambda: keys() == ["barn", "loft", "shed", "weir"], timeout=PATIENCE_MS)
    order = [one.station for one in view.model.stray_lines()]
    view.note.lines[order.index("barn")].dismiss.click()
    qtbot.waitUntil(lambda: keys() == ["loft", "shed", "weir"], timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: keys() == ["barn", "loft", "shed", "weir"], timeout=PATIENCE_MS)
    order = [one.station for one in view.model.stray_lines()]
    view.note.lines[order.index("loft")].take_in.click()
    assert view.tasks.taking_in is not None
    assert view.tasks.taking_in.taken.key == "loft"
    view.tasks.taking_in.close()


def test_with_no_collector_taking_in_says_so_and_nobody_does_it_later(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    window = open_desk()
    window.show_view(STATIONS)
    tasks = window.stations.tasks
    tasks.take_in("slipway")
    dialog = tasks.taking_in
    assert dialog is not None
    qtbot.waitUntil(lambda: dialog.taken.request is not None, timeout=PATIENCE_MS)
    tasks.look_again()
    assert "No collector runs" in dialog.said.text()
    dialog.close()

    def states() -> list[RequestState]:
        with store.read() as connection:
            return [one.state for one in newest_requests(connection)]

    qtbot.waitUntil(lambda: states() == [RequestState.REFUSED], timeout=PATIENCE_MS)


def test_a_control_is_set_in_the_window(
    collector: CollectorProcess, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    collector.add_station("extractor", kind="switch")
    window = open_desk()
    window.show_view(STATIONS)
    controls = window.stations.page.controls
    qtbot.waitUntil(lambda: "on" in controls._lines, timeout=PATIENCE_MS)
    button, remark = controls._lines["on"]
    with heard_at(collector, "rook/extractor/controls/on/set") as heard:
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: bool(heard), timeout=PATIENCE_MS)
        qtbot.waitUntil(lambda: "not confirmed yet" in remark.text(), timeout=PATIENCE_MS)
        publish(collector, "rook/extractor/controls/on", "on")
    qtbot.waitUntil(
        lambda: "confirmed" in remark.text() and "not" not in remark.text(), timeout=PATIENCE_MS
    )
    assert button.text() == "on"
    assert "on or off" in button.toolTip()


def test_a_new_key_and_the_sheet_that_has_it(
    collector: CollectorProcess, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    collector.add_station("shelf", kind="climate")
    window = open_desk()
    window.show_view(STATIONS)
    view = window.stations
    qtbot.waitUntil(lambda: view.model.is_answered, timeout=PATIENCE_MS)
    QTest.mouseClick(view.page.new_key, Qt.MouseButton.LeftButton)
    question = view.findChild(QMessageBox)
    make = next(one for one in question.findChildren(QPushButton) if "new key" in one.text())
    QTest.mouseClick(make, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: view.tasks.sheet is not None, timeout=PATIENCE_MS)
    sheet = view.tasks.sheet
    # Hidden until asked for.
    assert "•" in sheet.key.text()
    assert "Bearer KEY" in sheet.program.toPlainText()
    sheet.show_key.setChecked(True)
    key = sheet.key.text()
    assert f"Bearer {key}" in sheet.program.toPlainText()
    assert f"http://{collector.ready['http']}/v1/readings" in sheet.program.toPlainText()
    sheet.senders.setCurrentIndex(sheet.senders.findData(Sender.MOSQUITTO))
    assert f"-P '{key}'" in sheet.program.toPlainText()
    # First contact ticks off its steps as the message comes in, and names the one that fails.
    assert sheet.steps[0].text().startswith("·")
    collector.post('{"temp": 20}', "-H", "Authorization: Bearer wrong")
    qtbot.waitUntil(lambda: sheet.steps[1].text().startswith("✕"), timeout=PATIENCE_MS)
    collector.post('{"temp": 20.5}', "-H", f"Authorization: Bearer {key}")
    qtbot.waitUntil(lambda: sheet.steps[4].text().startswith("✓"), timeout=PATIENCE_MS)
    sheet.close()


def test_notes_and_a_position(
    collector: CollectorProcess, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    collector.add_station("shelf")
    window = open_desk()
    window.show_view(STATIONS)
    view = window.stations
    qtbot.waitUntil(lambda: view.model.is_answered, timeout=PATIENCE_MS)
    view.tasks.edit_notes()
    notes = view.tasks.notes
    notes.text.setPlainText("behind the glaze buckets")
    notes.latitude.setText("51.742")
    assert "both" in notes.problem.text()
    notes.longitude.setText("0.916")
    assert not notes.problem.text()
    # With a point for the decimals this is fifty-one thousand, and no latitude.
    notes.latitude.setText("51,742")
    assert "from −90 to 90" in notes.problem.text()
    notes.latitude.setText("51.742")
    notes.main.click()
    qtbot.waitUntil(
        lambda: view.page._where.text() == "51.74200, 0.91600 · behind the glaze buckets",
        timeout=PATIENCE_MS,
    )


def test_notes_are_not_written_over_those_of_somebody_else_and_can_be_taken_back(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    begin_series(store, "pm25", key="counter", place="Booth")
    window = open_desk()
    window.show_view(STATIONS)
    tasks = window.stations.tasks
    qtbot.waitUntil(lambda: window.stations.model.picked is not None, timeout=PATIENCE_MS)
    tasks.edit_notes()
    dialog = tasks.notes
    dialog.text.setPlainText("by the door")
    station = window.state.site.stations[0]
    with store.write() as connection:
        describe_station(connection, station, notes="by the sink", latitude=None, longitude=None)
    dialog.main.click()
    qtbot.waitUntil(lambda: "by the sink" in dialog.problem.text(), timeout=PATIENCE_MS)
    assert dialog.isVisible()
    assert dialog.text.toPlainText() == "by the door"

    def notes() -> str:
        with store.read() as connection:
            return load_site(connection).stations[0].notes

    # Who has seen the difference may save.
    qtbot.waitUntil(lambda: dialog._base.notes == "by the sink", timeout=PATIENCE_MS)
    with qtbot.waitSignal(dialog.finished, timeout=PATIENCE_MS):
        dialog.main.click()
    assert notes() == "by the door"
    window.undo.undo()
    qtbot.waitUntil(lambda: notes() == "by the sink", timeout=PATIENCE_MS)


def line(**told: object) -> MessageLogEntry:
    known: dict[str, object] = {
        "arrived_us": 1,
        "station": "new",
        "door": "http",
        "address": "10.0.0.9",
        "body": b"{}",
        "size": 2,
        "kept": 0,
        "duplicate": 0,
        "suspect": 0,
        "stray": 0,
        "refused": 0,
        "why": "",
    }
    return MessageLogEntry(**(known | told))  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("tape", "done", "failed"),
    [
        ([], 0, None),
        ([line(station=None, problem=Problem.WRONG_KEY)], 1, "access key right"),
        ([line(problem=Problem.UNREADABLE, why="not JSON")], 2, "decoded"),
        ([line(stray=2, why="station new has no field x")], 3, "placed"),
        ([line(kept=2)], 5, None),
        # Another station's message is nobody's first contact.
        ([line(station="other", kept=1)], 0, None),
    ],
)
def test_where_a_first_contact_fails(
    tape: list[MessageLogEntry], done: int, failed: str | None
) -> None:
    steps = contact_steps("new", tape, is_shown=True)
    assert sum(one.state is StepState.DONE for one in steps) == done
    assert [one.name for one in steps if one.state is StepState.FAILED] == (
        [failed] if failed else []
    )


def station(key: str, firmware: str = "", kind: Kind = KINDS["climate"]) -> Station:
    return Station(1, key, HALL, kind, 60.0, None, None, firmware)


def test_a_station_whose_firmware_is_not_its_kinds() -> None:
    fleet = [station("a", "2.1"), station("b", "2.1"), station("c", "1.9"), station("d")]
    usual = usual_firmware(fleet)
    remarks = [station_remark(one, MessageCounts(), None, usual, is_offline=False) for one in fleet]
    assert remarks == ["", "", "firmware 1.9, others have 2.1", ""]
    assert firmware_spread(fleet) == "2 × 2.1, 1 × 1.9"
    assert station_remark(fleet[0], MessageCounts(), None, usual, is_offline=True) == (
        "offline, by its own word"
    )


def request(state: RequestState, **told: object) -> Request:
    known: dict[str, object] = {
        "id": 1,
        "asked_us": 10,
        "who": "potter",
        "sort": RequestKind.CONTROL,
        "station": "a",
        "name": "fan",
        "value": "quiet",
        "state": state,
        "tries": 1,
        "tried_us": 11,
        "answered_us": None,
        "answer": "",
    }
    return Request(**(known | told))  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("report", "asked", "value", "remark", "level"),
    [
        (None, None, "not known", "it has not said how it stands", Level.SETTLED),
        (StoredAttribute("off", 5), None, "off", "as the station reports since 5", Level.SETTLED),
        (
            StoredAttribute("off", 5),
            request(RequestState.SENT),
            "quiet",
            "asked 10 · not confirmed yet",
            Level.RAISED,
        ),
        (
            StoredAttribute("off", 5),
            request(RequestState.ASKED, tries=0, tried_us=None),
            "quiet",
            "asked 10 · not sent yet; lapses 60000010",
            Level.RAISED,
        ),
        (
            StoredAttribute("off", 5),
            # No collector ran, so nobody has written down that it has lapsed.
            request(RequestState.ASKED, asked_us=-DAY_US, tries=0, tried_us=None),
            "off",
            "asked -86400000000 · lapsed: nobody could carry it out within 60 s; ask again",
            Level.HIGH,
        ),
        (
            StoredAttribute("quiet", 12),
            request(RequestState.CONFIRMED, answered_us=12),
            "quiet",
            "asked 10 · confirmed 12",
            Level.SETTLED,
        ),
        (
            StoredAttribute("off", 5),
            request(RequestState.UNCONFIRMED, answer="no word in 30 s"),
            "off",
            "asked 10 · not confirmed: no word in 30 s",
            Level.HIGH,
        ),
    ],
)
def test_a_control_in_words(
    report: StoredAttribute | None, asked: Request | None, value: str, remark: str, level: Level
) -> None:
    fan = Control("fan", "Fan", ControlKind.CHOICE, choices=("quiet", "off"))
    kind = Kind("k", "k", 60.0, (), (fan,))
    (row,) = control_rows(
        station("a", kind=kind),
        {} if report is None else {"fan": report},
        [] if asked is None else [asked],
        str,
        20,
    )
    assert (row.value, row.remark, row.level) == (value, remark, level)


def test_taking_in_leaves_out_what_nobody_knows_and_keeps_the_key_here() -> None:
    one = TakeInState("slipway")
    one.request = 7
    proposal = StrayProposal(
        False, "plain", 60.0, "Quay", {"t": ("temperature", "°C"), "x": ("", "")}, {}, {}
    )
    import msgspec

    answer = msgspec.json.encode(proposal).decode()
    proposed = request(RequestState.CONFIRMED, id=7, sort=RequestKind.PROPOSE, answer=answer)
    one.take_request(proposed)
    assert one.is_ready
    # How often it reports is said, or it is as often as it turns out to send.
    assert one.terms().cadence_s is None
    one.cadence = "5 min"
    assert one.terms().cadence_s == 300.0
    one.cadence = "soon"
    with pytest.raises(UsageError, match="no length of time"):
        one.terms()
    one.cadence = ""
    # It was asked after twice: the second answer takes away nothing that was typed between.
    one.place = "Boathouse"
    one.take_request(proposed)
    assert one.place == "Boathouse"
    one.place = "Quay"
    terms = one.terms()
    assert terms.fields == {"t": ("temperature", "°C")}
    assert terms.place == "Quay"
    assert one.access_key
    assert one.access_key not in terms.access_hash + terms.broker_hash


def test_a_step_that_does_not_succeed_is_named_and_a_first_reading_waited_for() -> None:
    one = TakeInState("slipway", request=7)
    one.take_request(
        request(RequestState.REFUSED, id=7, sort=RequestKind.PROPOSE, answer="no stray any more")
    )
    assert one.said == "Looking at what it sends did not succeed: no stray any more"
    one = TakeInState("slipway", step=TakeInStep.ASKED, request=8)
    one.take_request(
        request(RequestState.REFUSED, id=8, sort=RequestKind.TAKE_IN, answer="'x' is no place.")
    )
    assert one.said == (
        "Taking it in did not succeed: 'x' is no place. What it sent waits as before."
    )
    one = TakeInState("slipway", step=TakeInStep.DONE, done_us=NOON_US)
    assert one.wait_words(NOON_US + 100 * SECOND_US) == "Waiting for its first reading …"
    assert "Is it switched on" in one.wait_words(NOON_US + 200 * SECOND_US)
    one.first = "Temperature 9.5 °C"
    assert one.wait_words(NOON_US) == "Its first reading: Temperature 9.5 °C."
