"""Format 13: a site's zone is never left open; when stations were heard; summaries of levels,
directions and states as these average."""

from typing import Any

import numpy as np
import sqlalchemy as sa
import structlog
from alembic import op

from rook_tally.core.errors import DamagedPageError
from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.series.buckets import buckets_of, merged
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.page_codec import decode
from rook_tally.core.series.readings import Readings
from rook_tally.store.base.machine_zone import machine_zone
from rook_tally.store.readings.pages import checksum_of
from rook_tally.store.readings.summaries import (
    BUCKETS_A_PAGE,
    DAY_ROW,
    HOURS_A_PAGE,
    PAGE_US,
    day_rows,
    packed_steps,
    step_rows,
)

revision, down_revision = "0013", "0012"

_AVERAGING = {
    "sound_level": Averaging.ENERGETIC,
    "signal_strength": Averaging.ENERGETIC,
    "wind_direction": Averaging.CIRCULAR,
    "presence": Averaging.HELD,
    "switch": Averaging.HELD,
    "contact": Averaging.HELD,
    "energy": Averaging.HELD,
    "charge": Averaging.HELD,
}
_PAGE = (
    "SELECT p.*, h.hours, d.buckets, d.payload FROM page p "
    "JOIN page_data d ON d.series_id = p.series_id AND d.start_us = p.start_us "
    "LEFT JOIN page_hours h ON h.series_id = p.series_id AND h.start_us = p.start_us "
    "WHERE p.series_id = :series_id ORDER BY p.start_us"
)
_log = structlog.get_logger(__name__)


def upgrade() -> None:
    connection = op.get_bind()
    heard = op.create_table(
        "heard",
        sa.Column("station_id", sa.Integer, sa.ForeignKey("station.id"), primary_key=True),
        sa.Column("heard_us", sa.BigInteger, nullable=False),
    )
    # The best that is known of when they spoke is what they said it about.
    connection.execute(
        sa.insert(heard).from_select(
            ["station_id", "heard_us"],
            sa.text(
                "SELECT s.station_id, max(r.time_us) FROM series s "
                "JOIN reading r ON r.series_id = s.id GROUP BY s.station_id"
            ).columns(sa.column("station_id"), sa.column("heard_us")),
        )
    )
    if connection.execute(sa.text("SELECT 1 FROM site")).first() is None:
        zone = machine_zone()
        connection.execute(
            sa.text("INSERT INTO site (id, name, zone) VALUES (1, '', :zone)"), {"zone": zone}
        )
        _log.info("site_zone_taken_from_this_machine", zone=zone)
    _tell_ends_of_thinned(connection)
    for series_id, slug, cadence_s in connection.execute(
        sa.text(
            "SELECT s.id, s.quantity, t.cadence_s FROM series s "
            "JOIN station t ON t.id = s.station_id"
        )
    ).all():
        if slug in _AVERAGING:
            _summarise_anew(connection, series_id, _AVERAGING[slug], max_gap_s(cadence_s))


def _tell_ends_of_thinned(connection: sa.Connection) -> None:
    """Thinning gave up the first and last readings of a day, and its page went on naming them."""
    pages = sa.text("SELECT series_id, start_us, count, totals FROM page")
    thin = [
        (row.series_id, row.start_us)
        for row in connection.execute(pages)
        if row._mapping["count"] < sum(_rows(row.totals)[0][["count", "suspect"]].tolist())
    ]
    one = sa.text(f"{_PAGE.partition(' ORDER')[0]} AND p.start_us = :start_us")
    for series_id, start_us in thin:
        where = {"series_id": series_id, "start_us": start_us}
        page = dict(connection.execute(one, where).mappings().one())
        try:
            readings = decode(page["payload"])
        except DamagedPageError:
            continue
        page |= {"first_us": int(readings.time_us[0]), "last_us": int(readings.time_us[-1])}
        page["checksum"] = checksum_of(page)
        connection.execute(
            sa.text(
                "UPDATE page SET first_us = :first_us, last_us = :last_us, checksum = :checksum "
                "WHERE series_id = :series_id AND start_us = :start_us"
            ),
            page,
        )


def _summarise_anew(
    connection: sa.Connection, series_id: int, averaging: Averaging, gap_s: float
) -> None:
    before: Readings | None = None
    page: dict[str, Any] | None = None
    for row in [*connection.execute(sa.text(_PAGE), {"series_id": series_id}).mappings(), None]:
        following = None if row is None else dict(row)
        after = None if following is None else _readings(following)
        if page is not None:
            now = _readings(page)
            if now is not None:
                _write(connection, page, [before, now, after], averaging, gap_s)
            before = now
        page = following


def _readings(page: dict[str, Any]) -> Readings | None:
    """What a page holds; None of a damaged one, and of one thinned: its summaries know more."""
    try:
        readings = decode(page["payload"])
    except DamagedPageError:
        return None
    (totals,) = _rows(page["totals"])
    return readings if len(readings) == int(totals["count"]) + int(totals["suspect"]) else None


def _rows(blob: bytes) -> Any:
    return np.frombuffer(blob, dtype=DAY_ROW)


def _write(
    connection: sa.Connection,
    page: dict[str, Any],
    parts: list[Readings | None],
    averaging: Averaging,
    gap_s: float,
) -> None:
    known = [one for one in parts if one is not None]
    whole = Readings(
        np.concatenate([one.time_us for one in known]),
        np.concatenate([one.value for one in known]),
        np.concatenate([one.quality for one in known]),
    )
    start_us, margin_us = page["start_us"], microseconds(gap_s)
    inside = slice(
        *np.searchsorted(
            whole.time_us, [start_us - margin_us, start_us + PAGE_US + margin_us]
        ).tolist()
    )
    steps = BUCKETS_A_PAGE if page["buckets"] is not None else HOURS_A_PAGE
    fine = buckets_of(
        whole[inside],
        start_us=start_us,
        width_us=PAGE_US // steps,
        count=steps,
        max_gap_s=gap_s,
        averaging=averaging,
    )
    hours = merged(fine, steps // HOURS_A_PAGE, averaging)
    page = page | {"totals": day_rows(merged(hours, HOURS_A_PAGE, averaging)).tobytes()}
    if page["hours"] is not None:
        page["hours"] = step_rows(hours).tobytes()
    if page["buckets"] is not None:
        page["buckets"] = packed_steps(step_rows(fine))
    page["checksum"] = checksum_of(page)
    where = " WHERE series_id = :series_id AND start_us = :start_us"
    for table, columns in (
        ("page", "totals = :totals, checksum = :checksum"),
        ("page_hours", "hours = :hours"),
        ("page_data", "buckets = :buckets"),
    ):
        connection.execute(sa.text(f"UPDATE {table} SET {columns}{where}"), page)
