"""A booth that is watched."""

from __future__ import annotations

import json

import msgspec
import pytest

from rook_tally.alarming.alarm_clock import AlarmClock
from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.core.alarms.definitions import RunControl, Scope, Watch, WatchKind
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.quantities.kinds import KINDS, PLAIN
from rook_tally.core.quantities.levels import Level
from rook_tally.intake.message import IntakeResult, Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.alarms import alarms, journal, newest_letters, save_channel, save_watch
from rook_tally.store.base import Store
from rook_tally.store.site import (
    CONTROL_PREFIX,
    AlarmWish,
    RequestKind,
    RequestState,
    add_station,
    create_request,
    load_site,
    request_numbered,
    save_attributes,
)
from rook_tally.store.site.station_lives import maintain_station
from tests.builders import MINUTE_US, NOON_US

WEB = Channel(name="the web", sort=ChannelKind.WEBHOOK, url="http://127.0.0.1:1/")
DUST = Watch(
    slug="glaze-dust",
    name="Glaze dust",
    sort=WatchKind.ABOVE,
    scope=Scope(quantity="pm25", place="Glaze booth"),
    limit=25,
    clear=18,
    unit="µg/m³",
    for_s=120,
    calm_s=120,
    level=Level.HIGH,
    tell=("the web",),
)
RUN = RunControl(station="extractor", control="on", at_least_s=900, at_most_s=3600)


class Booth:
    """A dust counter and an extractor in the glaze booth, a collector's way in, and a keeper.

    Minutes are counted from noon.
    """

    def __init__(self, store: Store) -> None:
        self.store = store
        self.restart()
        with store.write() as connection:
            add_station(connection, "dust", place="Glaze booth", kind=PLAIN, cadence_s=60)
            add_station(connection, "shop", place="Shop", kind=PLAIN, cadence_s=60)
            add_station(
                connection, "extractor", place="Glaze booth", kind=KINDS["switch"], cadence_s=60
            )
            save_channel(connection, WEB)
        for station in ("dust", "shop"):
            self.told(-10, 5.0, station=station)

    def restart(self, minute: float = -10) -> None:
        """Another process takes over, and listens from a minute on."""
        self.directory, self.clocks = IntakeSession(), Clocks()
        self.keeper = AlarmClock(self.store, since_us=at(minute))

    def keep(self, watch: Watch, minute: float = -5) -> None:
        with self.store.write() as connection:
            save_watch(connection, watch, now_us=at(minute))

    def told(
        self,
        minute: float,
        value: float,
        *,
        station: str = "dust",
        arrived: float | None = None,
        field: str = "pm25",
    ) -> IntakeResult:
        """A reading of a moment, arriving then unless told otherwise."""
        body = json.dumps({field: value, "time": at(minute) / 1e6}).encode()
        arrived_us = at(minute if arrived is None else arrived)
        message = Message("http", "127.0.0.1", body, arrived_us, station=station)
        (answer,) = receive(self.store, self.directory, self.clocks, [message])
        return answer

    def maintain(self, begin: float, end: float, station: str = "dust") -> None:
        """The station is under maintenance from a minute to another."""
        with self.store.write() as connection:
            found = load_site(connection).station(station)
            assert found is not None
            maintain_station(connection, found, from_us=at(begin), to_us=at(end))

    def says_all(self, rows: list[dict[str, float]], *, arrived: float) -> IntakeResult:
        """Several moments in one message of the dust counter."""
        body = json.dumps(rows).encode()
        message = Message("http", "127.0.0.1", body, at(arrived), station="dust")
        (answer,) = receive(self.store, self.directory, self.clocks, [message])
        return answer

    def says(self, station: str, minute: float, **controls: str) -> None:
        """What a station says of its controls."""
        words = {
            (self._number(station), f"{CONTROL_PREFIX}{name}"): (value, at(minute))
            for name, value in controls.items()
        }
        with self.store.write() as connection:
            save_attributes(connection, words)

    def _number(self, station: str) -> int:
        with self.store.read() as connection:
            found = load_site(connection).station(station)
        assert found is not None
        return found.id

    def told_each_minute(self, begin: int, values: list[float]) -> None:
        for step, value in enumerate(values):
            self.told(begin + step, value)

    def alarm(self, watch: Watch = DUST) -> Alarm:
        with self.store.read() as connection:
            (found,) = [one for (slug, _), one in alarms(connection).items() if slug == watch.slug]
        return found

    def lines(self) -> list[tuple[JournalKind, float]]:
        """The journal, oldest first: what, and at which minute."""
        with self.store.read() as connection:
            found = journal(connection)
        return [(one.sort, (one.time_us - NOON_US) / MINUTE_US) for one in reversed(found)]

    def letters(self) -> list[str]:
        """What was put into the outbox, oldest first."""
        with self.store.read() as connection:
            return [one.notice.title for one in reversed(newest_letters(connection))]

    def wish(
        self,
        sort: RequestKind,
        minute: float,
        watch: Watch = DUST,
        word: str = "",
        until: float | None = None,
    ) -> tuple[RequestState, str]:
        """What a person wants, and what comes of it."""
        said = AlarmWish(word, None if until is None else at(until))
        with self.store.write() as connection:
            number = create_request(
                connection,
                sort,
                watch.slug,
                "",
                msgspec.json.encode(said).decode(),
                who="Wren",
                now_us=at(minute),
            )
        self.keeper.look(at(minute))
        with self.store.read() as connection:
            found = request_numbered(connection, number)
        assert found is not None
        return found.state, found.answer


def at(minute: float) -> int:
    """A minute after noon."""
    return NOON_US + round(minute * MINUTE_US)


@pytest.fixture
def booth(store: Store) -> Booth:
    return Booth(store)
