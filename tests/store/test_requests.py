"""Requests, words of stations, doors set up and credentials, on both engines."""

from __future__ import annotations

import pytest

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import Store, Subject, credentials_of, new_access_key
from rook_tally.store.base.changes import ChangeTail
from rook_tally.store.site import (
    Announced,
    FolderSetting,
    PollSetting,
    RequestKind,
    RequestState,
    TopicSetting,
    add_door,
    add_station,
    announced,
    answer_requests,
    change_door,
    control_reports,
    create_request,
    describe_station,
    door_settings,
    load_site,
    newest_requests,
    note_announced,
    note_sent,
    open_requests,
    prune_requests,
    remove_door,
    save_attributes,
    withdraw_announced,
)
from tests.builders import NOON_US


def asked(store: Store, value: str, *, at_us: int = NOON_US) -> int:
    with store.write() as connection:
        return create_request(
            connection, RequestKind.CONTROL, "fan", "speed", value, who="potter", now_us=at_us
        )


def test_a_request_from_asked_to_confirmed(store: Store) -> None:
    number = asked(store, "3")
    with store.write() as connection:
        (request,) = open_requests(connection)
        assert (request.id, request.state, request.tries) == (number, RequestState.ASKED, 0)
        assert note_sent(connection, request, now_us=NOON_US + 1)
        # Another collector that saw it as it was comes too late.
        assert not note_sent(connection, request, now_us=NOON_US + 2)
        (sent,) = open_requests(connection)
        assert (sent.state, sent.tries, sent.tried_us) == (RequestState.SENT, 1, NOON_US + 1)
        answer_requests(
            connection, [number], RequestState.CONFIRMED, "fan says 3", now_us=NOON_US + 3
        )
        assert open_requests(connection) == []
        (done,) = newest_requests(connection, "fan")
    assert (done.answer, done.answered_us) == ("fan says 3", NOON_US + 3)


def test_the_same_control_asked_again_overtakes(store: Store) -> None:
    first, second = asked(store, "1"), asked(store, "2")
    with store.read() as connection:
        states = {one.id: one.state for one in newest_requests(connection)}
    assert states == {first: RequestState.OVERTAKEN, second: RequestState.ASKED}


def test_what_was_answered_long_ago_is_dropped_and_what_is_open_is_not(store: Store) -> None:
    old = asked(store, "1", at_us=NOON_US - 500 * DAY_US)
    with store.write() as connection:
        prune_requests(connection, now_us=NOON_US)
        assert [one.id for one in open_requests(connection)] == [old]
        answer_requests(connection, [old], RequestState.UNCONFIRMED, "", now_us=NOON_US)
        prune_requests(connection, now_us=NOON_US)
        assert newest_requests(connection) == []


@pytest.fixture
def fan(store: Store) -> int:
    """A station's id."""
    with store.write() as connection:
        add_station(connection, "fan", place="Booth", kind=KINDS["switch"])
        (station,) = load_site(connection).stations
    return station.id


def test_words_are_kept_with_since_when_they_are_so(store: Store, fan: int) -> None:
    with store.write() as connection:
        said = {(fan, "firmware"): ("2.1", 10), (fan, "controls.on"): ("off", 10)}
        assert save_attributes(connection, said) == set(said)
        # Said again, nothing has changed.
        assert save_attributes(connection, {(fan, "firmware"): ("2.1", 20)}) == set()
        assert save_attributes(connection, {(fan, "controls.on"): ("on", 30)}) == {
            (fan, "controls.on")
        }
        (station,) = load_site(connection).stations
        report = control_reports(connection, fan)["on"]
    assert station.firmware == "2.1"
    assert (report.value, report.since_us) == ("on", 30)


def test_a_status_is_a_change_of_the_site_and_a_control_one_of_requests(
    store: Store, fan: int
) -> None:
    tail = ChangeTail(store)
    try:
        with store.write() as connection:
            save_attributes(connection, {(fan, "status"): ("offline", 7)})
        assert tail.subjects() == {Subject.SITE}
        with store.write() as connection:
            save_attributes(connection, {(fan, "controls.on"): ("on", 8)})
        assert tail.subjects() == {Subject.REQUESTS}
        assert tail.subjects() == set()
    finally:
        tail.close()
    with store.read() as connection:
        assert load_site(connection).stations[0].offline_since_us == 7
    with store.write() as connection:
        save_attributes(connection, {(fan, "status"): ("online", 9)})
        assert load_site(connection).stations[0].offline_since_us is None


def test_doors_are_set_up_changed_and_taken_away(store: Store) -> None:
    poll = PollSetting("http://a/", "meter", 30.0, {"temp": "/t"})
    folder = FolderSetting("/drop", "logger", {"T": ("temperature", "°C")})
    with store.write() as connection:
        first, second = add_door(connection, poll), add_door(connection, folder)
        assert add_door(connection, poll) == first
        assert [one.settings for one in door_settings(connection)] == [poll, folder]
        change_door(connection, first, TopicSetting("a/{station}"))
        assert remove_door(connection, second).settings == folder
        (left,) = door_settings(connection)
        assert left.settings == TopicSetting("a/{station}")
        with pytest.raises(UsageError, match="there is no door 99"):
            remove_door(connection, 99)


def test_a_door_of_a_newer_program_is_passed_over(store: Store) -> None:
    with store.write() as connection:
        add_door(connection, TopicSetting("a/{station}"))
        connection.exec_driver_sql(
            'INSERT INTO door_setting (id, document) VALUES (77, \'{"type":"thread"}\')'
        )
        assert [one.settings for one in door_settings(connection)] == [TopicSetting("a/{station}")]


def test_who_announces_itself(store: Store) -> None:
    with store.write() as connection:
        for at in (1, 2):
            note_announced(connection, Announced("attic", f"http://10.0.0.{at}/", at))
        assert announced(connection) == [Announced("attic", "http://10.0.0.2/", 2)]
        withdraw_announced(connection, "attic")
        assert announced(connection) == []


def test_notes_and_a_position(store: Store, fan: int) -> None:
    with store.write() as connection:
        (station,) = load_site(connection).stations
        describe_station(connection, station, notes="by the door", latitude=51.7, longitude=0.9)
        (station,) = load_site(connection).stations
        assert (station.notes, station.latitude, station.longitude) == ("by the door", 51.7, 0.9)
        for latitude, longitude in ((91.0, 0.0), (0.0, 181.0), (51.7, None)):
            with pytest.raises(UsageError):
                describe_station(
                    connection, station, notes="", latitude=latitude, longitude=longitude
                )


def test_what_is_kept_of_a_key_does_not_tell_it() -> None:
    key = new_access_key()
    told, again = credentials_of(key), credentials_of(key)
    assert told.access_hash == again.access_hash
    # Salted: the same key is never told twice alike. That the broker takes it is tried with a real
    # one (tests/collector/test_broker.py).
    assert told.broker_hash != again.broker_hash
    assert told.broker_hash.startswith("$7$101$")
    assert key not in told.access_hash + told.broker_hash
