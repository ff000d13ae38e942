"""The content of one cell of the Ledger; without Qt."""

from __future__ import annotations

import msgspec
import numpy as np

from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import plain
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.series.envelope import Envelope, honest_range
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.ledger.texts import tr
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


def level_now(state: SiteState, one: Series) -> Level:
    """The level of a series' newest reading; settled while its station is silent."""
    return _level_at(state, one, state.station_freshness(one.station))


def _level_at(state: SiteState, one: Series, freshness: Freshness) -> Level:
    return state.level(one) if freshness.is_telling else Level.SETTLED


def cell_of(state: SiteState, several: tuple[Series, ...]) -> Cell | None:
    """The cell of the series that tell a quantity of a place, the shown one first; None before its
    first reading."""
    one = several[0]
    newest = state.latest.get(one.id)
    if newest is None:
        return None
    ribbon, freshness = state.ribbons.get(one.id), state.station_freshness(one.station)
    alarms = state.alarms_of(one.id)
    return Cell(
        text=one.shown.text(newest.value),
        level=_level_at(state, one, freshness),
        freshness=freshness,
        is_suspect=newest.quality != 0,
        ribbon=ribbon,
        value_range=_ribbon_range(one, ribbon),
        limit=one.limits.at(newest.time_us).nearest(newest.value),
        others=len(several) - 1,
        alarm=alarms[0].level if alarms else None,
        is_off=has_proposal(state, several),
        within=one.uncertainty_text(newest.value, newest.time_us),
    )


def named_cell(state: SiteState, several: tuple[Series, ...]) -> Cell:
    """The last cell of a row: each quantity named, with its value and level."""
    lines = tuple(_named_line(state, one) for one in several)
    return Cell(
        text=lines[0].value,
        level=max(one.level for one in lines),
        freshness=Freshness.FRESH,
        is_suspect=False,
        ribbon=None,
        value_range=(0.0, 1.0),
        limit=None,
        others=0,
        alarm=max((one.alarm for one in lines if one.alarm is not None), default=None),
        lines=lines,
    )


def _named_line(state: SiteState, one: Series) -> AlsoLine:
    newest, freshness = state.latest[one.id], state.station_freshness(one.station)
    is_suspect = newest.quality != 0
    alarms = state.alarms_of(one.id)
    text = one.shown.text(newest.value)
    value = f"({text})" if is_suspect else text
    return AlsoLine(
        tr(one.quantity.heading),
        f"{value} {one.symbol_beside(newest.value, newest.time_us)}".rstrip(),
        Level.SETTLED if is_suspect else _level_at(state, one, freshness),
        is_suspect or not freshness.is_telling,
        alarms[0].level if alarms else None,
    )


def has_proposal(state: SiteState, several: tuple[Series, ...]) -> bool:
    """True if the Bench proposes a correction of any of these series."""
    return any(one.id in state.proposals for one in several)


def _ribbon_range(one: Series, ribbon: Envelope | None) -> tuple[float, float]:
    """The honest range a ribbon is drawn over."""
    if one.quantity.scale is QuantityScale.STATE:
        return -0.2, 1.2
    if ribbon is None or ribbon.is_empty:
        return 0.0, 1.0
    low, high = float(np.fmin.reduce(ribbon.mean)), float(np.fmax.reduce(ribbon.mean))
    return honest_range(low, high, one.quantity.accuracy)


def spoken_cell(state: SiteState, one: Series, *, is_off: bool = False) -> str:
    """The cell of a series that has a reading, for a screen reader."""
    newest, freshness = state.latest[one.id], state.station_freshness(one.station)
    text = one.shown.text(newest.value)
    parts = [
        f"{one.station.place.name}, {tr(one.quantity.name)} {text} {one.shown.symbol}".rstrip(),
        tr(_level_at(state, one, freshness).wording),
    ]
    if freshness is not Freshness.FRESH:
        parts.append(tr(freshness.wording))
    if newest.quality != 0:
        parts.append(tr("suspect"))
    if is_off:
        parts.append(tr("a correction is proposed on the Bench"))
    parts += [tr("{0} stands", alarm.name) for alarm in state.alarms_of(one.id)]
    return ", ".join(parts)


def copied_line(state: SiteState, one: Series) -> str:
    """Newest reading of a series as a line of place, quantity, value, unit and time, tabs between
    them; empty without one."""
    newest = state.latest.get(one.id)
    if newest is None:
        return ""
    when = datetime_from_time_us(newest.time_us).astimezone(state.zone)
    return "\t".join(
        (
            one.station.place.name,
            tr(one.quantity.name),
            plain(one.shown.text(newest.value)),
            one.shown.symbol,
            f"{when:%Y-%m-%d %H:%M:%S}",
        )
    )
