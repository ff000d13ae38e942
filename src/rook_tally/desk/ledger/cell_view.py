"""The content of one cell of the Ledger."""

from __future__ import annotations

import msgspec
import numpy as np

from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.series.envelope import Envelope, honest_range
from rook_tally.core.series.freshness import Freshness
from rook_tally.desk.ledger.texts import tr
from rook_tally.store.alarms import ActiveAlarm
from rook_tally.store.site import Series


class AlsoLine(msgspec.Struct, frozen=True):
    """A quantity that few places tell, in the last cell of its row."""

    name: str
    value: str
    level: Level
    is_faint: bool
    alarm: Level | None


class Cell(msgspec.Struct, frozen=True):
    """One place's value of one quantity; or, with `lines`, what else the place tells.

    `others` says how many more stations of the place tell the same quantity; `alarm` is the level
    of the worst that stands of it, None where nothing does. `is_off`: the Bench proposes a
    correction of it, or of another station of the place. `within` says how sure a calibrated value
    is.
    """

    text: str
    level: Level
    freshness: Freshness
    is_suspect: bool
    ribbon: Envelope | None
    value_range: tuple[float, float]
    limit: float | None
    others: int
    alarm: Level | None = None
    lines: tuple[AlsoLine, ...] = ()
    is_off: bool = False
    within: str = ""


def ribbon_range(one: Series, ribbon: Envelope | None) -> tuple[float, float]:
    """The honest range a ribbon is drawn over."""
    if one.quantity.scale is QuantityScale.STATE:
        return -0.2, 1.2
    if ribbon is None or ribbon.is_empty:
        return 0.0, 1.0
    low, high = float(np.fmin.reduce(ribbon.mean)), float(np.fmax.reduce(ribbon.mean))
    return honest_range(low, high, one.quantity.accuracy)


def spoken_cell(
    one: Series,
    text: str,
    level: Level,
    state: Freshness,
    is_suspect: bool,
    alarms: list[ActiveAlarm],
    *,
    is_off: bool = False,
) -> str:
    """The cell for a screen reader."""
    parts = [
        f"{one.station.place.name}, {tr(one.quantity.name)} {text} {one.shown.symbol}".rstrip(),
        tr(level.wording),
    ]
    if state is not Freshness.FRESH:
        parts.append(tr(state.wording))
    if is_suspect:
        parts.append(tr("suspect"))
    if is_off:
        parts.append(tr("a correction is proposed on the Bench"))
    parts += [tr("{0} stands", alarm.name) for alarm in alarms]
    return ", ".join(parts)
