"""Resolving and screening a message in whole columns: one of known fields, with nothing unusual in
it. Any other is looked at value by value; what both can take comes to the same."""

from __future__ import annotations

from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.series.gaps import longest_gap_us
from rook_tally.core.series.readings import Quality
from rook_tally.intake.bounds import EARLIEST_US, MOST_AHEAD_US
from rook_tally.intake.message import Decoded, Message
from rook_tally.intake.pipeline.batch import IntakeBatch
from rook_tally.intake.pipeline.known_columns import KnownColumns
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.readings import NewReading
from rook_tally.store.site import Station


def take_columns(
    directory: IntakeSession,
    speaker: Station,
    message: Message,
    content: Decoded,
    batch: IntakeBatch,
) -> bool:
    """Put all values of a message into the batch; False, and nothing done, where one of them has to
    be looked at for itself."""
    if not content.fields or content.listed or not batch.clock_is_set:
        return False
    if message.station not in (None, speaker.key) or content.station not in (None, speaker.key):
        return False
    columns = _known_columns(directory, speaker, content)
    if columns is None:
        return False
    count, arrived_us = len(columns.ids), message.arrived_us
    if content.times is not None:
        times, newest_us = content.times, max(content.times)
        is_timed = min(times) >= EARLIEST_US and newest_us <= arrived_us + MOST_AHEAD_US
        if not is_timed or len(set(zip(columns.ids, times, strict=True))) != count:
            return False
        batch.sent[speaker.id].append((newest_us, arrived_us))
    else:
        time_us = arrived_us if content.time_us is None else content.time_us
        is_timed = EARLIEST_US <= time_us <= arrived_us + MOST_AHEAD_US
        if not is_timed or not columns.are_distinct:
            return False
        if content.time_us is not None:
            batch.sent[speaker.id].append((time_us, arrived_us))
        times = [time_us] * count
    values = [
        value * factor + offset
        for value, factor, offset in zip(
            content.values, columns.factors, columns.offsets, strict=True
        )
    ]
    quality = [
        Quality.GOOD if lowest <= value <= highest else Quality.UNBELIEVABLE
        for value, lowest, highest in zip(values, columns.lowest, columns.highest, strict=True)
    ]
    batch.readings.extend(map(NewReading, columns.ids, times, values, quality))
    batch.series.extend(columns.series)
    late_us = arrived_us - longest_gap_us(speaker.cadence_s)
    batch.late.extend([time_us < late_us for time_us in times])
    batch.heard[speaker.id] = arrived_us
    return True


def _known_columns(
    directory: IntakeSession, speaker: Station, content: Decoded
) -> KnownColumns | None:
    """The series of a station's message, remembered for as long as the configuration stays."""
    units = None if content.units is None else tuple(content.units)
    key = speaker.id, tuple(content.fields), units
    columns = directory.columns.find(key)
    if columns is None:
        columns = _columns(directory, speaker, content)
        if columns is not None:
            directory.columns.remember(key, columns)
    return columns


def _columns(directory: IntakeSession, speaker: Station, content: Decoded) -> KnownColumns | None:
    """The same, looked up; None where one is not known yet, or has something to be looked at for
    itself: a state, a person's verdict, an earlier place, a unit that is reckoned another way."""
    several = [directory.plain_series(speaker, name) for name in content.fields]
    known = [one for one in several if one is not None]
    if len(known) < len(several):
        return None
    wires = [one.unit for one in known]
    if content.units is not None:
        wires = [
            wire if told is None else told for wire, told in zip(wires, content.units, strict=True)
        ]
    units = [
        unit
        for one, wire in zip(known, wires, strict=True)
        if one.quantity.scale is not QuantityScale.STATE
        and (unit := one.quantity.unit(wire)) is not None
        and not unit.divisor
    ]
    if len(units) < len(known):
        return None
    ids = tuple(one.id for one in known)
    return KnownColumns(
        tuple(known),
        ids,
        tuple(one.factor for one in units),
        tuple(one.offset for one in units),
        tuple(one.quantity.believable[0] for one in known),
        tuple(one.quantity.believable[1] for one in known),
        len(set(ids)) == len(ids),
    )
