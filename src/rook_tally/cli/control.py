"""`rook-tally control`."""

from __future__ import annotations

import time
from typing import Any

import msgspec
import typer

from rook_tally import clock
from rook_tally.cli.selectors import station_named
from rook_tally.core.errors import ControlError, UsageError
from rook_tally.core.quantities.controls import Control
from rook_tally.core.timestamps import rfc3339
from rook_tally.login import login_name
from rook_tally.store.base import ChangeTail, Store
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import (
    Request,
    RequestKind,
    RequestState,
    Station,
    control_reports,
    create_request,
    load_site,
    newest_requests,
    request_numbered,
)

_LOOK_S = 0.05
_NO_COLLECTOR_S = 5.0


def set_control(where: str, key: str, name: str, value: str, *, wait: bool) -> None:
    """Ask for a control and, if wanted, wait for what came of it; ControlError when the
    station did not confirm it."""
    with existing_store(where) as store:
        tail = ChangeTail(store)
        try:
            with store.write() as connection:
                station = station_named(load_site(connection), key)
                told = _control_named(station, name).value_from(value)
                number = create_request(
                    connection,
                    RequestKind.CONTROL,
                    key,
                    name,
                    told,
                    who=login_name(),
                    now_us=clock.now_us(),
                )
            if not wait:
                typer.echo(f"asked of {key}: {name} {told}")
                return
            done = answered(store, tail, number)
        finally:
            tail.close()
    if done.state is RequestState.CONFIRMED:
        typer.echo(f"{name} {told}: confirmed, {done.answer}")
        return
    remedy = (
        "is a collector running?" if done.state is RequestState.ASKED else "look at the station"
    )
    raise ControlError(f"{name} {told}: {done.state.value}", kept=done.answer, remedy=remedy)


def _control_named(station: Station, name: str) -> Control:
    found = station.kind.control(name)
    if found is None:
        known = ", ".join(one.name for one in station.kind.controls) or "none"
        raise UsageError(f"{station.key} has no control {name!r}", remedy=f"it has: {known}")
    return found


def answered(store: Store, tail: ChangeTail, number: int) -> Request:
    """The request once it is answered, or as it stands when nobody has taken it up in time."""
    begun = time.monotonic()
    while True:
        with store.read() as connection:
            request = request_numbered(connection, number)
        assert request is not None
        if not request.state.is_open:
            return request
        if request.state is RequestState.ASKED and time.monotonic() - begun > _NO_COLLECTOR_S:
            return request
        while not tail.has_news() and time.monotonic() - begun <= _NO_COLLECTOR_S:
            _pause()
        _pause()


def _pause() -> None:
    import threading

    threading.Event().wait(_LOOK_S)


def print_controls(where: str, key: str, *, as_json: bool) -> None:
    """Print a station's controls: how each stands by its own word, and what was asked last."""
    with existing_store(where) as store, store.read() as connection:
        station = station_named(load_site(connection), key)
        reports = control_reports(connection, station.id)
        asked = newest_requests(connection, key)
    rows = []
    for control in station.kind.controls:
        last = next(
            (one for one in asked if one.sort is RequestKind.CONTROL and one.name == control.name),
            None,
        )
        report = reports.get(control.name)
        rows.append(_row(control, report.value if report else None, last))
    if as_json:
        typer.echo(msgspec.json.encode(rows).decode())
        return
    if not rows:
        typer.echo(f"{key} has no controls")
    for row in rows:
        says = row["says"] if row["says"] is not None else "not heard yet"
        typer.echo(f"{row['control']:<14} {row['allowed']:<28} says: {says}")
        if row["asked"] is not None:
            typer.echo(f"{'':<14} asked {row['asked_at']}: {row['asked']}, {row['state']}")


def _row(control: Control, report: str | None, last: Request | None) -> dict[str, Any]:
    return {
        "control": control.name,
        "title": control.title,
        "allowed": control.allowed,
        "says": report,
        "asked": None if last is None else last.value,
        "asked_at": None if last is None else rfc3339(last.asked_us),
        "state": None if last is None else last.state.value,
        "answer": None if last is None else last.answer,
    }
