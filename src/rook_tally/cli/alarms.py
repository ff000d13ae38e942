"""`rook-tally alarms`, `ack`, `shelve`, `journal`, `watch try`."""

from __future__ import annotations

from datetime import tzinfo
from zoneinfo import ZoneInfo

import msgspec
import typer

from rook_tally import clock
from rook_tally.cli.control import answered
from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.core.quantities.number_format import age
from rook_tally.core.timestamps import datetime_from_time_us, rfc3339
from rook_tally.login import login_name
from rook_tally.store.alarms import alarms as kept_alarms
from rook_tally.store.alarms import journal as kept_journal
from rook_tally.store.alarms import watches
from rook_tally.store.base import ChangeTail
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import AlarmWish, RequestKind, RequestState, create_request, load_site


def show_alarms(where: str, *, as_json: bool) -> None:
    """Print what stands."""
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        standing = kept_alarms(connection, standing=True)
        names = {one.slug: one.name for one in watches(connection)}
    series = {one.id: one for one in site.series}
    now_us = clock.now_us()
    rows = sorted(standing.values(), key=lambda one: (-one.level, one.since_us or 0))
    if as_json:
        told = [
            {
                "watch": one.watch,
                "place": series[one.series_id].station.place.name,
                "series": one.series_id,
                "state": one.state.value,
                "level": one.level.wording,
                "ringing": one.step.is_ringing,
                "since": None if one.since_us is None else rfc3339(one.since_us),
                "value": one.value,
                "who": one.who,
                "word": one.word,
                "shelved_until": (
                    None if one.shelved_until_us is None else rfc3339(one.shelved_until_us)
                ),
            }
            for one in rows
            if one.series_id in series
        ]
        typer.echo(msgspec.json.encode(told).decode())
        return
    if not rows:
        typer.echo("nothing stands")
    for one in rows:
        where_it_is = series.get(one.series_id)
        place = "" if where_it_is is None else where_it_is.station.place.name
        since = "" if one.since_us is None else f"{age((now_us - one.since_us) / 1e6)} ago"
        state = one.state.value.replace("_", " ")
        line = f"{names.get(one.watch, one.watch):<24} {one.level.wording:<8} {state:<24}"
        typer.echo(f"{line} {place:<18} {since}".rstrip())


def wish(
    where: str, sort: RequestKind, name: str, *, word: str = "", for_s: float | None = None
) -> None:
    """Ask for something of a watch's alarms, and say what came of it.

    Raises
    ------
    UsageError
        When it was refused.
    RookTallyError
        When no collector took it up.
    """
    now_us = clock.now_us()
    until_us = None if for_s is None else now_us + round(for_s * 1e6)
    said = msgspec.json.encode(AlarmWish(word, until_us)).decode()
    with existing_store(where) as store:
        tail = ChangeTail(store)
        try:
            with store.write() as connection:
                known = [one.slug for one in watches(connection)]
                if name not in known:
                    told = ", ".join(known) or "none"
                    raise UsageError(f"there is no watch {name}", remedy=f"there are: {told}")
                number = create_request(
                    connection, sort, name, "", said, who=login_name(), now_us=now_us
                )
            done = answered(store, tail, number)
        finally:
            tail.close()
    if done.state is RequestState.REFUSED:
        raise UsageError(done.answer)
    if done.state is not RequestState.CONFIRMED:
        raise RookTallyError(
            "nobody has taken it up yet",
            kept="it stays asked for",
            remedy="is a collector running?",
        )
    typer.echo(f"{name}: {done.answer}")


def show_journal(where: str, *, watch: str, most: int, as_json: bool) -> None:
    """Print lines of the journal."""
    with existing_store(where) as store, store.read() as connection:
        zone = ZoneInfo(load_site(connection).zone)
        lines = kept_journal(connection, watch=watch, most=most)
    if as_json:
        typer.echo(
            msgspec.json.encode(
                [
                    {
                        "id": one.id,
                        "time": rfc3339(one.time_us),
                        "what": one.sort.value,
                        "watch": one.watch,
                        "name": one.name,
                        "place": one.place,
                        "level": one.level.wording,
                        "words": one.words,
                        "who": one.who,
                    }
                    for one in lines
                ]
            ).decode()
        )
        return
    if not lines:
        typer.echo("nothing has happened yet")
    for one in lines:
        told = ", ".join(part for part in (one.sort.value, one.words, one.who) if part)
        typer.echo(f"{_clock(one.time_us, zone)}  {one.name:<24} {one.place:<18} {told}".rstrip())


def _clock(time_us: int, zone: tzinfo) -> str:
    return datetime_from_time_us(time_us).astimezone(zone).strftime("%Y-%m-%d %H:%M:%S")
