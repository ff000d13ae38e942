"""Backtests over what is kept: readings, guards and remarks read, then judged by the core."""

from __future__ import annotations

from datetime import tzinfo
from typing import TYPE_CHECKING

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.definitions import WatchKind
from rook_tally.core.arrays import TimeArray
from rook_tally.core.series.gaps import microseconds
from rook_tally.core.series.readings import Readings
from rook_tally.store.readings.query import read_range
from rook_tally.store.site.remarks import remarks

if TYPE_CHECKING:
    from rook_tally.core.alarms.backtest import BacktestCounts, JudgedReadings
    from rook_tally.core.alarms.scope import WatchedSeries

NUISANCE_S = 300.0
"""Shorter than this is a likely nuisance, unless somebody says otherwise."""


class BacktestResult(msgspec.Struct, frozen=True):
    """The alarms of a backtest, (K, 2) µs, and their counts."""

    rings: TimeArray
    counts: BacktestCounts

    def pairs(self) -> list[tuple[int, int | None]]:
        """Each ring's beginning and end; None for one that stands."""
        from rook_tally.core.alarms.alarm_detector import NEVER

        return [(begin, None if end == NEVER else end) for begin, end in self.rings.tolist()]


class BacktestInputs(msgspec.Struct, frozen=True):
    """The readings of a watch over a stretch, prepared: any limit can be tried on them.

    Attributes
    ----------
    readings : of the series, from as far before the stretch as its delays and windows reach
    """

    readings: Readings
    rows: JudgedReadings


def material(
    connection: Connection, target: WatchedSeries, start_us: int, end_us: int, zone: tzinfo
) -> BacktestInputs:
    """Read what a watch judges in [start, end)."""
    # Loaded late: a window shows its first picture without judging anything.
    from rook_tally.core.alarms.backtest import judged

    terms, watch = target.judge.terms, target.watch
    before_us = microseconds(
        terms.on_delay_s
        + terms.off_delay_s
        + terms.max_gap_s
        + target.judge.reach_s
        + watch.silent_s
    )
    from_us = start_us - before_us
    readings = read_range(connection, target.series.id, from_us, end_us)
    guards = [
        read_range(
            connection, one.series.id, from_us - microseconds(one.settle_s + one.max_age_s), end_us
        )
        for one in target.guards
    ]
    told = remarks(connection) if watch.remark_s is not None else []
    return BacktestInputs(readings, judged(target, readings, guards, told, zone))


def backtest_on(
    found: BacktestInputs,
    target: WatchedSeries,
    start_us: int,
    end_us: int,
    *,
    nuisance_s: float = NUISANCE_S,
) -> BacktestResult:
    """Backtest a watch over [start, end) on prepared readings."""
    from rook_tally.core.alarms.backtest import counts_of, rings, silences

    terms = target.judge.terms
    if target.watch.sort is WatchKind.SILENT:
        rung = silences(target, found.readings, now_us=end_us)
    elif target.watch.sort is WatchKind.DUE:
        # It goes by what people do, which the past readings do not tell.
        rung = np.empty((0, 2), dtype=np.int64)
    else:
        rung = rings(found.rows, terms)
    counts = counts_of(
        rung,
        found.rows,
        terms,
        target.watch.run,
        start_us=start_us,
        end_us=end_us,
        nuisance_s=nuisance_s,
    )
    return BacktestResult(rung[(rung[:, 1] > start_us) & (rung[:, 0] < end_us)], counts)


def backtest_result(
    connection: Connection, target: WatchedSeries, start_us: int, end_us: int, zone: tzinfo
) -> BacktestResult:
    """Backtest a watch over [start, end)."""
    return backtest_on(
        material(connection, target, start_us, end_us, zone), target, start_us, end_us
    )
