"""What a forward sends next: all since its cursor, in batches, the same again for a repeat."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import IntArray
from rook_tally.core.forwards.definitions import Forward, ForwardForm
from rook_tally.core.timestamps import DAY_US, SECOND_US
from rook_tally.export.pieces import ExportForm, ExportPiece, ExportWish, pieces
from rook_tally.forwarding.bodies import json_body, senml_body
from rook_tally.store.base import Store
from rook_tally.store.base.changes import Subject, are_forgotten, changed_since, newest_seq
from rook_tally.store.base.raw_sql import fetched
from rook_tally.store.site import Series, load_site
from rook_tally.store.site.forwards import ForwardState

MOST_READINGS = 500
_MOST_NOTICES = 500
# What takes longer to read and write than this would be felt by who sends readings in.
_ROWS_AT_ONCE = 2_000
# What came late while nobody looked lies before the cursor: so far back is sent again.
_BACK_US = 7 * DAY_US
_NOTICES = (
    "SELECT seq, series_id, from_us, to_us FROM change WHERE seq > ? "
    f"AND subject = {int(Subject.READINGS)} ORDER BY seq LIMIT ?"
)


class Batch(msgspec.Struct, frozen=True):
    """Readings of one station, ordered by time, as a body; `key` is the same for a repeat."""

    station: str
    key: str
    body: bytes
    content_type: str
    readings: int


class ChosenSeries:
    """The series that go with a forward, read anew only when the configuration has changed."""

    def __init__(self, told: Forward) -> None:
        self._told = told
        self._series: tuple[Series, ...] | None = None
        self._seq = 0

    def of(self, connection: Connection) -> tuple[Series, ...]:
        """As they are now; hidden ones stay."""
        is_other, _, newest = changed_since(connection, self._seq)
        if is_other or self._series is None:
            told = self._told
            self._series = tuple(
                one
                for one in load_site(connection).series_shown
                if (not told.places or one.station.place.name in told.places)
                and (not told.quantities or one.quantity.slug in told.quantities)
            )
        self._seq = newest
        return self._series


class NextBatches(msgspec.Struct, frozen=True):
    """What to send, and the state once all of it has been taken."""

    batches: tuple[Batch, ...]
    after: ForwardState
    is_behind: bool


def next_batches(
    store: Store, told: Forward, chosen: ChosenSeries, state: ForwardState, now_us: int
) -> NextBatches:
    """Look what there is to send: while it catches up a stretch of time, then notice by notice."""
    with store.read() as connection:
        if state.at_us is None and state.seq and newest_seq(connection) == state.seq:
            # Nothing has happened: a site of thousands of series is not read for that.
            return NextBatches((), state, is_behind=False)
        series = chosen.of(connection)
        if state.at_us is None and are_forgotten(connection, state.seq):
            # So much has happened that the notices are gone: by time from a while before.
            state = msgspec.structs.replace(state, at_us=max(0, state.newest_us - _BACK_US), seq=0)
        newest = newest_seq(connection)
    if state == ForwardState():
        return NextBatches((), msgspec.structs.replace(state, seq=newest), is_behind=False)
    if not series:
        after = msgspec.structs.replace(state, at_us=None, seq=newest)
        return NextBatches((), after, is_behind=False)
    if state.at_us is not None:
        return _catching_up(store, told, series, state, now_us, newest)
    return _following(store, told, series, state, newest)


def _catching_up(
    store: Store,
    told: Forward,
    series: tuple[Series, ...],
    state: ForwardState,
    now_us: int,
    newest: int,
) -> NextBatches:
    assert state.at_us is not None
    wish = ExportWish(series, ExportForm.JSON_LINES, state.at_us, None, told.raw, told.every_s)
    found: list[ExportPiece] = []
    for piece in pieces(store.read, wish, rows=_ROWS_AT_ONCE):
        found.append(piece)
        if sum(map(len, found)) >= _ROWS_AT_ONCE // 2:
            break
    if not found:
        # Nothing is left: from here on by notices. Those of what was just read come once more.
        after = msgspec.structs.replace(state, at_us=None, seq=state.seq or newest)
        return NextBatches((), after, is_behind=False)
    # The notices that come while it catches up are for afterwards.
    seq = state.seq or newest
    last_us = int(found[-1].time_us[-1])
    at_us = last_us + (1 if told.every_s is None else round(told.every_s * SECOND_US))
    after = msgspec.structs.replace(
        state, at_us=at_us, seq=seq, newest_us=max(state.newest_us, last_us)
    )
    batches = tuple(one for piece in found for one in _batches(told, series, piece))
    return NextBatches(batches, after, is_behind=True)


def _following(
    store: Store, told: Forward, series: tuple[Series, ...], state: ForwardState, newest: int
) -> NextBatches:
    with store.read() as connection:
        rows = fetched(connection, _NOTICES, (state.seq, _MOST_NOTICES))
    place = {one.id: one for one in series}
    spans: dict[int, tuple[int, int]] = {}
    for _, series_id, from_us, to_us in rows:
        if series_id in place:
            low, high = spans.get(series_id, (from_us, to_us))
            spans[series_id] = min(low, from_us), max(high, to_us)
    seq = int(rows[-1][0]) if len(rows) == _MOST_NOTICES else max(newest, state.seq)
    found: list[Batch] = []
    newest_us, steps = state.newest_us, dict(state.steps)
    for series_id, (low, high) in spans.items():
        one = place[series_id]
        begin, end = low, high + 1
        if told.every_s is not None:
            step = round(told.every_s * SECOND_US)
            # Only steps that are over: one under way would be told twice, differently. The reading
            # that ends a step lies in the next.
            begin, end = low // step * step, high // step * step
            begin = min(begin, steps.get(series_id, begin - step))
            if end <= begin:
                continue
            steps[series_id] = max(end, steps.get(series_id, end))
        wish = ExportWish((one,), ExportForm.JSON_LINES, begin, end, told.raw, told.every_s)
        for piece in pieces(store.read, wish):
            found += _batches(told, (one,), piece)
            newest_us = max(newest_us, int(piece.time_us[-1]))
    after = msgspec.structs.replace(state, seq=seq, newest_us=newest_us, steps=steps)
    return NextBatches(tuple(found), after, is_behind=len(rows) == _MOST_NOTICES)


def _batches(told: Forward, series: Sequence[Series], piece: ExportPiece) -> list[Batch]:
    """A piece as batches, each of one station, in order of time."""
    good = piece.quality == 0
    stations = {one.station.key for one in series}
    found: list[tuple[int, Batch]] = []
    for station in sorted(stations):
        mine = [at for at, one in enumerate(series) if one.station.key == station]
        rows = np.flatnonzero(good & np.isin(piece.which, mine))
        for begin in range(0, len(rows), MOST_READINGS):
            part = rows[begin : begin + MOST_READINGS]
            found.append((int(piece.time_us[part[0]]), _batch(told, station, series, piece, part)))
    return [batch for _, batch in sorted(found, key=lambda one: one[0])]


def _batch(
    told: Forward, station: str, series: Sequence[Series], piece: ExportPiece, rows: IntArray
) -> Batch:
    is_senml = told.form is ForwardForm.SENML
    write = senml_body if is_senml else json_body
    body = write(station, series, piece.which[rows], piece.time_us[rows], piece.value[rows])
    digest = hashlib.sha256(f"{told.slug}\n".encode() + body).hexdigest()
    kind = "application/senml+json" if is_senml else "application/json"
    return Batch(station, digest[:32], body, kind, len(rows))
