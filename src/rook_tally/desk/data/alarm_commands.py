"""Requests of an alarm from any view, which the collector carries out."""

from __future__ import annotations

from datetime import datetime, time, timedelta, tzinfo

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.timestamps import DAY_US, HOUR_US, datetime_from_time_us, time_us_from_datetime
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.login import login_name
from rook_tally.store.site import AlarmWish, RequestKind, create_request

_TOLD = {
    RequestKind.ACKNOWLEDGE: "acknowledging {0}",
    RequestKind.SHELVE: "shelving {0}",
    RequestKind.UNSHELVE: "unshelving {0}",
    RequestKind.TRIAL: "test of the alarm of {0}",
}


def shelves(now_us: int, zone: tzinfo) -> list[tuple[str, int]]:
    """Until when an alarm can be shelved, in words and µs."""
    local = datetime_from_time_us(now_us).astimezone(zone)
    morning = datetime.combine(local.date() + timedelta(days=1), time(7), zone)
    return [
        (tr("for an hour"), now_us + HOUR_US),
        (tr("for four hours"), now_us + 4 * HOUR_US),
        (tr("until seven tomorrow"), time_us_from_datetime(morning)),
        (tr("for a week"), now_us + 7 * DAY_US),
    ]


class RequestOfAlarm(msgspec.Struct, frozen=True):
    """Acknowledge, shelve or take off the shelf what a watch rang; of one series or of all."""

    sort: RequestKind
    watch: str
    name: str
    now_us: int
    series_id: int | None = None
    word: str = ""
    until_us: int | None = None

    def apply(self, connection: Connection) -> UndoableResult:
        """Ask for it. What is shelved comes off its shelf when this is undone."""
        wish = msgspec.json.encode(AlarmWish(self.word, self.until_us)).decode()
        create_request(
            connection,
            self.sort,
            self.watch,
            "" if self.series_id is None else str(self.series_id),
            wish,
            who=login_name(),
            now_us=self.now_us,
        )
        back = None
        if self.sort is RequestKind.SHELVE:
            back = RequestOfAlarm(
                RequestKind.UNSHELVE, self.watch, self.name, self.now_us, self.series_id
            )
        return UndoableResult(tr(_TOLD[self.sort], self.name), back)
