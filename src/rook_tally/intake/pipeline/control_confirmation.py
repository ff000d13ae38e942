"""Confirming: what a station says of its controls, held against what was asked of them."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy.engine import Connection

from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.site import (
    CONTROL_PREFIX,
    Request,
    RequestKind,
    RequestState,
    Station,
    answer_requests,
    newest_requests,
)

_AWAITING = (RequestState.SENT, RequestState.UNCONFIRMED)


def confirm_requests(
    connection: Connection,
    directory: IntakeSession,
    words: Mapping[tuple[int, str], tuple[str, int]],
) -> None:
    """Answer the requests that stations' words confirm, those given up already among them.

    `words` are value and moment by station id and name. A word that says something else answers
    nothing: the station may be on its way.
    """
    for (station_id, name), (value, at_us) in words.items():
        if not name.startswith(CONTROL_PREFIX):
            continue
        station = directory.station_numbered(station_id)
        if station is None:
            continue
        control = name.removeprefix(CONTROL_PREFIX)
        asked = _newest_of(connection, station, control)
        if asked is None or asked.state not in _AWAITING or not _says(station, asked, value):
            continue
        late = ", late" if asked.state is RequestState.UNCONFIRMED else ""
        answer_requests(
            connection,
            [asked.id],
            RequestState.CONFIRMED,
            f"{station.key} says {value}{late}",
            now_us=at_us,
        )


def _newest_of(connection: Connection, station: Station, control: str) -> Request | None:
    return next(
        (
            one
            for one in newest_requests(connection, station.key)
            if one.sort is RequestKind.CONTROL and one.name == control
        ),
        None,
    )


def _says(station: Station, asked: Request, reported: str) -> bool:
    control = station.kind.control(asked.name)
    if control is None:
        return reported == asked.value
    return control.is_confirmed_by(asked.value, reported)
