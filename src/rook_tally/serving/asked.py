"""What a request asks for: series, a stretch of time, a form, so many at once."""

from __future__ import annotations

import base64
import binascii
from collections.abc import Sequence

import msgspec
from aiohttp import web

from rook_tally.core.alarms.files import seconds_of
from rook_tally.core.errors import RookTallyError
from rook_tally.core.timestamps import time_us_from_text
from rook_tally.net.problem_answers import problem
from rook_tally.store.site import Series

MOST_ROWS, USUAL_ROWS = 100_000, 10_000
_FAR_US = 1 << 60


class AskedRange(msgspec.Struct, frozen=True):
    """[start, end) of which so many rows are wanted after a cursor; means of `every_s`, or all."""

    start_us: int
    end_us: int
    raw: bool
    every_s: float | None
    limit: int
    after: tuple[int, int] | None

    @property
    def from_us(self) -> int | None:
        """Where it begins; None where nobody said."""
        return None if self.start_us == -_FAR_US else self.start_us

    @property
    def to_us(self) -> int | None:
        """Where it ends; None where nobody said."""
        return None if self.end_us == _FAR_US else self.end_us


def name_of(one: Series) -> str:
    """What programs call a series: station and field."""
    return f"{one.station.key}/{one.field}"


def chosen(request: web.Request, series: Sequence[Series]) -> tuple[Series, ...]:
    """The series asked for by name, station, place and quantity; all that are seen otherwise.

    Raises
    ------
    ProblemError
        404 for a name that is not among them.
    """
    names = request.query.getall("series", [])
    known = {name_of(one): one for one in series}
    for name in names:
        if name not in known:
            raise problem(
                404, "There is no such series", f"{name}; GET /v1/series lists those you may read"
            )
    told = [known[name] for name in dict.fromkeys(names)] if names else list(series)
    stations, places, quantities = (
        set(request.query.getall(name, [])) for name in ("station", "place", "quantity")
    )
    return tuple(
        one
        for one in told
        if (not stations or one.station.key in stations)
        and (not places or one.station.place.name in places)
        and (not quantities or one.quantity.slug in quantities)
    )


def moment(request: web.Request, name: str) -> int | None:
    """A moment of a parameter; 400 for one that is none."""
    text = request.query.get(name)
    if text is None:
        return None
    try:
        return time_us_from_text(text)
    except ValueError as error:
        raise problem(
            400, "That is no moment", f"{name}: {error}; RFC 3339 is understood"
        ) from None


def asked_range(request: web.Request) -> AskedRange:
    """The stretch asked for.

    Raises
    ------
    ProblemError
        400 for what cannot be meant.
    """
    start_us, end_us = moment(request, "from"), moment(request, "to")
    every = request.query.get("every")
    try:
        every_s = None if every is None else seconds_of(every)
    except (RookTallyError, ValueError) as error:
        raise problem(400, "That is no span", f"every: {error}") from None
    if every_s is not None and every_s < 1:
        raise problem(400, "That is no span", "every: a second or longer, as in 5min")
    limit = number(request, "limit", USUAL_ROWS, 1, MOST_ROWS)
    cursor = request.query.get("cursor")
    return AskedRange(
        -_FAR_US if start_us is None else start_us,
        _FAR_US if end_us is None else end_us,
        request.query.get("raw", "0") not in ("0", "false", ""),
        every_s,
        limit,
        None if cursor is None else _cursor_read(cursor),
    )


def number(request: web.Request, name: str, usual: int, least: int, most: int) -> int:
    """A whole number of a parameter, kept within its bounds; 400 for text that is none."""
    text = request.query.get(name)
    if text is None:
        return usual
    try:
        told = int(text)
    except ValueError:
        raise problem(400, "That is no number", f"{name}: {text!r}") from None
    if told < least:
        raise problem(400, "That is too few", f"{name}: {least} at least")
    return min(told, most)


def cursor_of(time_us: int, series_id: int) -> str:
    """Where to go on after a row."""
    return base64.urlsafe_b64encode(f"{time_us}.{series_id}".encode()).decode().rstrip("=")


def _cursor_read(text: str) -> tuple[int, int]:
    try:
        told = base64.urlsafe_b64decode(text + "=" * (-len(text) % 4)).decode()
        time_us, series_id = told.split(".")
        return int(time_us), int(series_id)
    except (ValueError, binascii.Error):
        raise problem(
            400, "That is no cursor", "send the one that came with the rows before, as it was"
        ) from None
