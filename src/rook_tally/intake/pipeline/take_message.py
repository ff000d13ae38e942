"""A message's way into a batch: decoded, its values resolved and screened."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.errors import DecodeError
from rook_tally.core.series.gaps import longest_gap_us
from rook_tally.intake.bounds import MOST_CLAIMED, RejectedValues, name_fault
from rook_tally.intake.decode import decoded, plain_json
from rook_tally.intake.message import (
    BodyFormat,
    Decoded,
    DecodedValue,
    IntakeResult,
    Message,
    Problem,
    RejectedValue,
    StationAttribute,
    behind,
)
from rook_tally.intake.pipeline.batch import IntakeBatch
from rook_tally.intake.pipeline.columns import take_columns
from rook_tally.intake.pipeline.resolve import (
    IntakeSession,
    ResolvedValue,
    UnplacedError,
    UnusableError,
)
from rook_tally.intake.pipeline.screen import ClockNotSetError, quality_at_arrival, timing
from rook_tally.store.readings import NewReading
from rook_tally.store.site import BY_SUFFIX, CONTROL_PREFIX, NOBODY, Station
from rook_tally.store.site.unassigned_messages import WRONG_KEY_WHY

_ANOTHER_STANDS = (
    "a later value of this message has the same moment and stands; give each a time of its own"
)
_MOST_SHOWN = 12
# Nothing in these could be missed, so they are not kept as strays.
_EMPTY_BODIES = frozenset({b"", b"[]", b"{}", b"[{}]"})


def take(
    connection: Connection, directory: IntakeSession, message: Message, batch: IntakeBatch
) -> IntakeResult:
    """Decode a message, find the series of its values and screen them; what is to be written is put
    into the batch. The answer's numbers are filled in until the batch is written."""
    answer = IntakeResult()
    message, hints = directory.told_of(message)
    unit_us = directory.unit_us
    if unit_us > 1:
        message = replace(message, arrived_us=message.arrived_us // unit_us * unit_us)
    fault = name_fault(message.station) if message.station is not None else ""
    if fault:
        answer.problem, answer.why = Problem.UNREADABLE, f"the station has {fault}"
        answer.stray = 1
        batch.tallies[NOBODY].stray += 1
        batch.tape.append((message, None, answer, ""))
        batch.put_astray(message, answer.why, None)
        return answer
    speaker, gateway = _speaker(directory, message), None
    if speaker is None and message.access_key is not None:
        gateway = directory.gateway_with_access_key(message.access_key)
        if gateway is not None:
            station = behind(gateway, message.station)
            message = replace(message, station=station, access_key=None)
            speaker = _speaker(directory, message)
    if speaker is None and message.access_key is not None:
        # Its key is no wrong one: what it says is kept, and why it is nobody's.
        retired = directory.retired_with_access_key(message.access_key)
        if retired is not None:
            message = replace(message, station=retired.key, access_key=None)
    name = speaker.key if speaker else message.station
    answer.station = speaker.key if speaker else None
    batch.tape.append((message, name, answer, ""))
    counted_under = speaker.id if speaker else NOBODY
    if message.access_key is not None and speaker is None:
        answer.problem, answer.why = Problem.WRONG_KEY, "the access key is no station's"
        answer.stray = 1
        batch.tallies[NOBODY].stray += 1
        batch.put_astray(message, WRONG_KEY_WHY, message.station)
        return answer
    try:
        content = decoded(message, directory.hints_of(speaker, message, hints))
    except DecodeError as error:
        answer.why = str(error)
        if message.body.strip() in _EMPTY_BODIES:
            answer.problem = Problem.EMPTY
        else:
            answer.problem, answer.stray = Problem.UNREADABLE, 1
            batch.tallies[counted_under].stray += 1
            batch.put_astray(message, error.what, name)
        return answer
    if unit_us > 1:
        content = content.in_whole_units(unit_us)
    if speaker is not None and speaker.kind.is_gateway:
        # It speaks for those behind it and for nobody else of this site.
        batch.heard[speaker.id] = message.arrived_us
        gateway, speaker = speaker.key, None
        message = replace(message, station=None, access_key=None)
    is_list = gateway is not None and message.station is None
    if gateway is not None:
        content = content.behind(gateway)
    if name is None:
        name = content.first_station
    batch.tape[-1] = (message, name, answer, _in_words(content))
    begun = len(batch.readings)
    if speaker is not None and take_columns(directory, speaker, message, content, batch):
        left = _NotKept()
    else:
        left = _take_one_by_one(
            connection, directory, message, content.items, speaker, answer, batch
        )
    batch.end_message(message, answer, begun)
    for word in _with_who_set(content.said):
        _hear(word, directory, message, speaker, batch, answer)
    for claimed, reasons in left.unplaced.items():
        answer.stray += len(reasons)
        answer.strays.extend(reasons.told())
        known = directory.station(claimed) if claimed else None
        batch.tallies[known.id if known else NOBODY].stray += len(reasons)
        kept = message
        if is_list and left.lost[claimed]:
            # Of a list its own part, in our form: no other reads the whole when it is taken in.
            kept = replace(
                message, body=plain_json.written(left.lost[claimed]), form=BodyFormat.JSON
            )
        batch.put_astray(kept, "; ".join(dict.fromkeys(one.why for one in reasons)), claimed)
    answer.refused[:0] = [*content.refused, *left.refused.told()]
    if answer.refused:
        batch.tallies[counted_under].refused += sum(one.count for one in answer.refused)
    return answer


@dataclass(slots=True)
class _NotKept:
    """What of a message is not kept: values that cannot be readings, and those that belong to
    nothing yet, by the station they claim."""

    refused: RejectedValues = field(default_factory=RejectedValues)
    unplaced: dict[str | None, RejectedValues] = field(
        default_factory=lambda: defaultdict(RejectedValues)
    )
    lost: dict[str | None, list[DecodedValue]] = field(default_factory=lambda: defaultdict(list))


def _take_one_by_one(
    connection: Connection,
    directory: IntakeSession,
    message: Message,
    items: Sequence[DecodedValue],
    speaker: Station | None,
    answer: IntakeResult,
    batch: IntakeBatch,
) -> _NotKept:
    """Resolve and screen each value for itself; what was not kept of them."""
    left = _NotKept()
    newest_us: dict[int, int] = {}
    stands: dict[tuple[int, int], tuple[int, DecodedValue]] = {}
    for item in items:
        claimed = _claimed_station(item, message, speaker)
        try:
            _check_query(directory, message, speaker)
            if claimed not in left.unplaced:
                _check_claim(claimed, len(left.unplaced))
            placed = _placed(connection, directory, item, claimed, speaker)
        except UnplacedError as error:
            left.unplaced[claimed].add(item.at, item.field, str(error))
            left.lost[claimed].append(item)
        except UnusableError as error:
            left.refused.add(item.at, item.field, str(error))
        else:
            if placed.series.settings.left_out:
                answer.left_out += 1
                batch.heard[placed.series.station.id] = message.arrived_us
                continue
            try:
                _screened(placed, message, answer, batch, directory, stands)
            except ClockNotSetError as error:
                left.unplaced[claimed].add(item.at, item.field, str(error))
                continue
            if item.time_us is not None:
                station_id = placed.series.station.id
                newest_us[station_id] = max(item.time_us, newest_us.get(station_id, item.time_us))
    for station_id, time_us in newest_us.items():
        batch.sent[station_id].append((time_us, message.arrived_us))
    return left


def _check_query(directory: IntakeSession, message: Message, speaker: Station | None) -> None:
    """UnusableError where a key is one station's and the query names another of the site."""
    named = message.station
    if speaker is None or message.access_key is None or named in (None, speaker.key):
        return
    other = directory.station(named or "")
    if other is not None and other.id != speaker.id:
        raise UnusableError(f"{speaker.key} speaks here and cannot speak for {named}")


def _check_claim(claimed: str | None, others: int) -> None:
    """UnusableError for a name that can be no station's, and for one more than a message may
    speak for: what cannot be placed is kept once for each."""
    fault = name_fault(claimed) if claimed is not None else ""
    if fault:
        raise UnusableError(f"the station has {fault}")
    if others >= MOST_CLAIMED:
        raise UnusableError(f"the message speaks for more than {MOST_CLAIMED} unknown stations")


def _with_who_set(said: Sequence[StationAttribute]) -> Iterator[StationAttribute]:
    """The attributes, and for each control without one that nobody said who set it."""
    names = {one.name for one in said}
    for one in said:
        yield one
        by = f"{one.name}{BY_SUFFIX}"
        is_control = one.name.startswith(CONTROL_PREFIX) and not one.name.endswith(BY_SUFFIX)
        if is_control and by not in names:
            yield StationAttribute(one.at, by, "", one.station)


def _hear(
    word: StationAttribute,
    directory: IntakeSession,
    message: Message,
    speaker: Station | None,
    batch: IntakeBatch,
    answer: IntakeResult,
) -> None:
    """Gather a station's attributes, if it has been taken in."""
    claimed = message.station if message.station is not None else word.station
    station = speaker or (directory.station(claimed) if claimed else None)
    if station is None:
        who = _why_nobody(directory, claimed)
        answer.noted.append(RejectedValue(word.at, word.name, who))
        return
    if word.name.startswith(CONTROL_PREFIX):
        name = word.name.removeprefix(CONTROL_PREFIX).removesuffix(BY_SUFFIX)
        if station.kind.control(name) is None:
            why = f"station {station.key} has no control {name}"
            if word.value:
                answer.noted.append(RejectedValue(word.at, word.name, why))
            batch.heard[station.id] = message.arrived_us
            return
    answer.heard += bool(word.value)
    batch.words[station.id, word.name] = (word.value, message.arrived_us)
    batch.heard[station.id] = message.arrived_us


def _speaker(directory: IntakeSession, message: Message) -> Station | None:
    if message.access_key is not None:
        return directory.station_with_access_key(message.access_key)
    return directory.station(message.station) if message.station else None


def _claimed_station(item: DecodedValue, message: Message, speaker: Station | None) -> str | None:
    """Who speaks: the access key's, topic's or query's station before any the body names."""
    if speaker is not None:
        return speaker.key
    return message.station if message.station is not None else item.station


def _placed(
    connection: Connection,
    directory: IntakeSession,
    item: DecodedValue,
    claimed: str | None,
    speaker: Station | None,
) -> ResolvedValue:
    # A base name nobody knows may be a serial number; that of another station is a mix-up.
    if speaker is not None and item.station not in (None, speaker.key):
        other = directory.station(item.station or "")
        if other is not None and other.id != speaker.id:
            raise UnusableError(f"{speaker.key} speaks here and cannot speak for {item.station}")
    station = directory.station(claimed) if claimed else None
    if station is None:
        raise UnplacedError(_why_nobody(directory, claimed))
    return directory.placed(connection, station, item)


def _why_nobody(directory: IntakeSession, claimed: str | None) -> str:
    if not claimed:
        return "no station is named"
    if directory.is_retired(claimed):
        return f"station {claimed} was taken out of use"
    return f"no station {claimed} has been taken in"


def _screened(
    placed: ResolvedValue,
    message: Message,
    answer: IntakeResult,
    batch: IntakeBatch,
    directory: IntakeSession,
    stands: dict[tuple[int, int], tuple[int, DecodedValue]],
) -> None:
    """Put a value among the batch's readings; of several for one moment in one message the last
    stands, as `stands` knows by series and moment."""
    item, station = placed.item, placed.series.station
    when = timing(
        item.time_us,
        arrived_us=message.arrived_us,
        unreadable=item.time_note,
        clock_is_set=batch.clock_is_set,
    )
    if when.note:
        answer.noted.append(RejectedValue(item.at, item.field, when.note))
        batch.tallies[station.id].arrival_timed += 1
    series = directory.series_at(placed.series, when.time_us)
    quality = directory.overruled(series.id, when.time_us)
    if quality is None:
        quality = quality_at_arrival(series.quantity, placed.value)
    reading = NewReading(series.id, when.time_us, placed.value, quality)
    # It was missed: so long without a word is a gap.
    is_late = batch.clock_is_set and message.arrived_us - when.time_us > longest_gap_us(
        station.cadence_s
    )
    key = series.id, when.time_us
    before = stands.get(key)
    if before is None:
        stands[key] = len(batch.readings), item
        batch.readings.append(reading)
        batch.series.append(series)
        batch.late.append(is_late)
    elif batch.readings[before[0]].value == placed.value:
        answer.duplicate += 1
        batch.tallies[station.id].duplicate += 1
    else:
        at, earlier = before
        answer.refused.append(RejectedValue(earlier.at, earlier.field, _ANOTHER_STANDS))
        batch.readings[at], batch.late[at] = reading, is_late
        stands[key] = at, item
    batch.heard[station.id] = message.arrived_us


def _in_words(content: Decoded) -> str:
    """The values of a message in words: the first ones, with the units it gave."""
    if content.fields and content.units is None:
        pairs = zip(content.fields[:_MOST_SHOWN], content.values, strict=False)
        told = [
            f"{name} {value:.10g}" if isinstance(value, float) else f"{name} {value}"
            for name, value in pairs
        ]
    else:
        items = content.first(_MOST_SHOWN)
        told = [
            f"{one.field} {one.value:.10g}"
            if isinstance(one.value, float)
            else f"{one.field} {one.value}"
            for one in items
        ]
        for at, one in enumerate(items):
            if one.unit:
                told[at] += f" {one.unit}"
    if content.said:
        told.extend(f"{one.name}: {one.value}" for one in content.said[:_MOST_SHOWN])
    more = content.count - _MOST_SHOWN
    return ", ".join(told) + (f" and {more} more" if more > 0 else "")
