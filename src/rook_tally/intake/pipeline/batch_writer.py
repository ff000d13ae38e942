"""The whole way of messages into the store: decode, resolve, screen, write, in one transaction."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import NamedTuple

from sqlalchemy.engine import Connection

from rook_tally.alarming.evaluate_batch import NOT_NEWS
from rook_tally.core.errors import DecodeError
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.readings import Quality
from rook_tally.intake.bounds import (
    LONGEST_ADDRESS,
    LONGEST_NAME,
    MOST_CLAIMED,
    RejectedValues,
    name_fault,
    plain_text,
)
from rook_tally.intake.decode import decoded, plain_json
from rook_tally.intake.message import (
    BodyFormat,
    DecodedValue,
    IntakeResult,
    Message,
    Problem,
    RejectedValue,
    StationAttribute,
    behind,
)
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.control_confirmation import confirm_requests
from rook_tally.intake.pipeline.resolve import (
    IntakeSession,
    ResolvedValue,
    UnplacedError,
    UnusableError,
)
from rook_tally.intake.pipeline.screen import ClockNotSetError, quality_at_arrival, timing
from rook_tally.store.base import Store
from rook_tally.store.readings import NewReading, append_readings, rescreen_around
from rook_tally.store.site import (
    BY_SUFFIX,
    CONTROL_PREFIX,
    NOBODY,
    MessageCounts,
    MessageLogEntry,
    Series,
    Station,
    Stray,
    add_tallies,
    drop_strays,
    note_heard,
    prune_strays,
    report_clocks,
    save_attributes,
    save_strays,
    write_message_log,
)
from rook_tally.store.site.message_log import SHOWN_BYTES
from rook_tally.store.site.unassigned_messages import WRONG_KEY_WHY

_LONGEST_WHY = 300
_PRUNE_AT_BYTES = 16_000_000
_ANOTHER_STANDS = (
    "a later value of this message has the same moment and stands; give each a time of its own"
)
_MOST_SHOWN = 12
# Nothing in these could be missed, so they are not kept as strays.
_EMPTY_BODIES = frozenset({b"", b"[]", b"{}", b"[{}]"})


class _Arriving(NamedTuple):
    """A screened reading on its way in, and whose answer it counts in."""

    reading: NewReading
    series: Series
    answer: IntakeResult
    is_late: bool
    arrived_us: int


@dataclass(slots=True)
class _Batch:
    """Everything a batch of messages will write, gathered before anything is written."""

    readings: list[_Arriving] = field(default_factory=list)
    strays: list[Stray] = field(default_factory=list)
    tape: list[tuple[Message, str | None, IntakeResult, str]] = field(default_factory=list)
    tallies: dict[int, MessageCounts] = field(default_factory=lambda: defaultdict(MessageCounts))
    # Newest time each message of a station gave, beside its arrival: by station id.
    sent: dict[int, list[tuple[int, int]]] = field(default_factory=lambda: defaultdict(list))
    # What stations said of themselves and when, by station id and name.
    words: dict[tuple[int, str], tuple[str, int]] = field(default_factory=dict)
    # When each station was heard, by its id.
    heard: dict[int, int] = field(default_factory=dict)
    clock_is_set: bool = True


def receive(
    store: Store,
    directory: IntakeSession,
    clocks: Clocks,
    messages: Sequence[Message],
    *,
    clock_is_set: bool = True,
) -> list[IntakeResult]:
    """Take messages in, all in one transaction; when this returns they are in the store.

    With a clock that is not set, what has no time of its own is refused and kept whole as a stray.

    Returns
    -------
    list of Answer, one a message in their order.

    Raises
    ------
    StoreError
        When nothing of the batch could be kept.
    """
    batch = _Batch(clock_is_set=clock_is_set)
    try:
        with store.write() as connection:
            directory.refresh(connection)
            answers = [_taken(connection, directory, message, batch) for message in messages]
            _write(connection, directory, batch)
            if clock_is_set:
                _report_clocks(connection, clocks, batch)
    except BaseException:
        directory.forget()
        clocks.forget()
        raise
    return answers


def take_in_strays(
    connection: Connection, directory: IntakeSession, strays: Sequence[tuple[int, Message]]
) -> int:
    """Take kept messages in again, now that they can be placed; those that are placed whole are no
    strays any more. Returns how many readings were kept.

    Values that were kept when their message came are known already and count as nothing now.
    """
    batch = _Batch()
    directory.refresh(connection)
    placed: list[int] = []
    for stray_id, message in strays:
        answer = _taken(connection, directory, message, batch)
        if not answer.stray and answer.problem is None:
            placed.append(stray_id)
    batch.strays.clear()
    batch.tape.clear()
    # What was refused or astray was counted when it came.
    batch.tallies.clear()
    _write(connection, directory, batch, is_anew=True)
    drop_strays(connection, placed)
    return sum(tally.kept for tally in batch.tallies.values())


def receive_as_stray(store: Store, message: Message, why: str) -> None:
    """Keep a message whole without looking into it."""
    batch = _Batch()
    _put_astray(message, why, None, batch)
    batch.tallies[NOBODY].stray += 1
    with store.write() as connection:
        _write(connection, IntakeSession(), batch)


def _taken(
    connection: Connection, directory: IntakeSession, message: Message, batch: _Batch
) -> IntakeResult:
    answer = IntakeResult()
    message, hints = directory.told_of(message)
    fault = name_fault(message.station) if message.station is not None else ""
    if fault:
        answer.problem, answer.why = Problem.UNREADABLE, f"the station has {fault}"
        answer.stray = 1
        batch.tallies[NOBODY].stray += 1
        batch.tape.append((message, None, answer, ""))
        _put_astray(message, answer.why, None, batch)
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
    # Its numbers are filled in until the batch is written.
    batch.tape.append((message, name, answer, ""))
    counted_under = speaker.id if speaker else NOBODY
    if message.access_key is not None and speaker is None:
        answer.problem, answer.why = Problem.WRONG_KEY, "the access key is no station's"
        answer.stray = 1
        batch.tallies[NOBODY].stray += 1
        _put_astray(message, WRONG_KEY_WHY, message.station, batch)
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
            _put_astray(message, error.what, name, batch)
        return answer
    if speaker is not None and speaker.kind.is_gateway:
        # It speaks for those behind it and for nobody else of this site.
        batch.heard[speaker.id] = message.arrived_us
        gateway, speaker = speaker.key, None
        message = replace(message, station=None, access_key=None)
    is_list = gateway is not None and message.station is None
    if gateway is not None:
        content = content.behind(gateway)
    refused = RejectedValues()
    unplaced: dict[str | None, RejectedValues] = defaultdict(RejectedValues)
    lost: dict[str | None, list[DecodedValue]] = defaultdict(list)
    newest_us: dict[int, int] = {}
    stands: dict[tuple[int, int], tuple[int, DecodedValue]] = {}
    items = content.items
    if name is None and items:
        name = items[0].station
    batch.tape[-1] = (message, name, answer, _in_words(items, content.said))
    for item in items:
        claimed = _claimed_station(item, message, speaker)
        try:
            _check_query(directory, message, speaker)
            if claimed not in unplaced:
                _check_claim(claimed, len(unplaced))
            placed = _placed(connection, directory, item, claimed, speaker)
        except UnplacedError as error:
            unplaced[claimed].add(item.at, item.field, str(error))
            lost[claimed].append(item)
        except UnusableError as error:
            refused.add(item.at, item.field, str(error))
        else:
            if placed.series.settings.left_out:
                answer.left_out += 1
                batch.heard[placed.series.station.id] = message.arrived_us
                continue
            try:
                _screened(placed, message, answer, batch, directory, stands)
            except ClockNotSetError as error:
                unplaced[claimed].add(item.at, item.field, str(error))
                continue
            if item.time_us is not None:
                station_id = placed.series.station.id
                newest_us[station_id] = max(item.time_us, newest_us.get(station_id, item.time_us))
    for word in _with_who_set(content.said):
        _hear(word, directory, message, speaker, batch, answer)
    for station_id, time_us in newest_us.items():
        batch.sent[station_id].append((time_us, message.arrived_us))
    for claimed, reasons in unplaced.items():
        answer.stray += len(reasons)
        answer.strays.extend(reasons.told())
        known = directory.station(claimed) if claimed else None
        batch.tallies[known.id if known else NOBODY].stray += len(reasons)
        kept = message
        if is_list and lost[claimed]:
            # Of a list its own part, in our form: no other reads the whole when it is taken in.
            kept = replace(message, body=plain_json.written(lost[claimed]), form=BodyFormat.JSON)
        _put_astray(kept, "; ".join(dict.fromkeys(one.why for one in reasons)), claimed, batch)
    answer.refused[:0] = [*content.refused, *refused.told()]
    if answer.refused:
        batch.tallies[counted_under].refused += sum(one.count for one in answer.refused)
    return answer


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
    batch: _Batch,
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
    batch: _Batch,
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
    is_late = batch.clock_is_set and message.arrived_us - when.time_us > _longest_us(
        station.cadence_s
    )
    arriving = _Arriving(reading, series, answer, is_late, message.arrived_us)
    key = series.id, when.time_us
    before = stands.get(key)
    if before is None:
        stands[key] = len(batch.readings), item
        batch.readings.append(arriving)
    elif batch.readings[before[0]].reading.value == placed.value:
        answer.duplicate += 1
        batch.tallies[station.id].duplicate += 1
    else:
        at, earlier = before
        answer.refused.append(RejectedValue(earlier.at, earlier.field, _ANOTHER_STANDS))
        batch.readings[at] = arriving
        stands[key] = at, item
    batch.heard[station.id] = message.arrived_us


@lru_cache
def _longest_us(cadence_s: float) -> int:
    return microseconds(max_gap_s(cadence_s))


def _report_clocks(connection: Connection, clocks: Clocks, batch: _Batch) -> None:
    told: dict[int, float] = {}
    now_us = 0
    for station_id, moments in batch.sent.items():
        for sent_us, arrived_us in moments:
            now_us = max(now_us, arrived_us)
            ahead_s = clocks.verdict(station_id, sent_us=sent_us, arrived_us=arrived_us)
            if ahead_s is not None:
                told[station_id] = ahead_s
    report_clocks(connection, told, now_us=now_us)


def _in_words(items: Sequence[DecodedValue], said: Sequence[StationAttribute]) -> str:
    """The values of a message in words: the first ones, with the units it gave."""
    told = [
        f"{one.field} {one.value:.10g}"
        if isinstance(one.value, float)
        else f"{one.field} {one.value}"
        for one in items[:_MOST_SHOWN]
    ]
    for at, one in enumerate(items[:_MOST_SHOWN]):
        if one.unit:
            told[at] += f" {one.unit}"
    told.extend(f"{one.name}: {one.value}" for one in said[:_MOST_SHOWN])
    more = len(items) - _MOST_SHOWN
    return ", ".join(told) + (f" and {more} more" if more > 0 else "")


def _tape_line(
    message: Message, station: str | None, answer: IntakeResult, decoded_words: str
) -> MessageLogEntry:
    told = [one.why for one in (*answer.refused, *answer.strays, *answer.noted)]
    why = "; ".join(dict.fromkeys([answer.why, *told] if answer.why else told))
    return MessageLogEntry(
        message.arrived_us,
        None if station is None else plain_text(station, LONGEST_NAME),
        message.door,
        plain_text(message.address, LONGEST_ADDRESS),
        message.body[:SHOWN_BYTES],
        len(message.body),
        answer.kept,
        answer.duplicate,
        answer.suspect,
        answer.stray,
        len(answer.refused),
        plain_text(why, _LONGEST_WHY),
        answer.problem,
        plain_text(decoded_words, _LONGEST_WHY),
    )


def _put_astray(message: Message, why: str, station: str | None, batch: _Batch) -> None:
    batch.strays.append(
        Stray(
            arrived_us=message.arrived_us,
            door=message.door,
            address=plain_text(message.address, LONGEST_ADDRESS),
            station=None if station is None else plain_text(station, LONGEST_NAME),
            form=message.form.value if message.form else None,
            body=message.body,
            why=plain_text(why, _LONGEST_WHY),
        )
    )


def _write(
    connection: Connection, directory: IntakeSession, batch: _Batch, *, is_anew: bool = False
) -> None:
    outcome = append_readings(connection, [one.reading for one in batch.readings])
    written: dict[int, list[NewReading]] = defaultdict(list)
    series: dict[int, Series] = {}
    for arriving, duplicate, revised in zip(
        batch.readings, outcome.duplicate, outcome.revised, strict=True
    ):
        reading, one, answer = arriving.reading, arriving.series, arriving.answer
        tally = batch.tallies[one.station.id]
        if duplicate:
            answer.duplicate += 1
            tally.duplicate += not is_anew
            continue
        is_suspect = reading.quality is not Quality.GOOD
        answer.kept += 1
        answer.suspect += is_suspect
        tally.kept += 1
        tally.suspect += is_suspect
        tally.revised += revised
        tally.late += arriving.is_late
        written[one.id].append(reading)
        series[one.id] = one
    # What these readings made certain of earlier ones, where there is anything to look at.
    doubtful = [
        one
        for one in series.values()
        if not directory.recent.are_beyond_suspicion(
            one, written[one.id], outcome.newest_before.get(one.id)
        )
    ]
    moments = {one.id: [reading.time_us for reading in written[one.id]] for one in doubtful}
    marked = rescreen_around(connection, doubtful, moments, directory.recent.know)
    for series_id, judged in marked.items():
        batch.tallies[series[series_id].station.id].suspect += judged.became_suspect
    told = directory.workings.work_out(
        connection, written, {series_id: judged.first_us for series_id, judged in marked.items()}
    )
    # What was kept for long is nobody's news, however it comes in at last.
    arrived_us = NOT_NEWS if is_anew else max((one.arrived_us for one in batch.readings), default=0)
    if not batch.clock_is_set:
        # The senders' clocks are the only ones there are.
        arrived_us = max((one.reading.time_us for one in batch.readings), default=0)
    directory.watches.watch(
        connection,
        written,
        told,
        arrived_us=arrived_us,
        rejudged={series_id: judged.first_us for series_id, judged in marked.items()},
    )
    if batch.clock_is_set and not is_anew:
        note_heard(connection, batch.heard | directory.watches.workings_heard(told, arrived_us))
    save_attributes(connection, batch.words)
    confirm_requests(connection, directory, batch.words)
    save_strays(connection, batch.strays)
    directory.unpruned_bytes += sum(len(one.body) for one in batch.strays)
    if directory.unpruned_bytes > _PRUNE_AT_BYTES:
        # Between two of the regular looks a stranger could fill the disk.
        directory.unpruned_bytes = 0
        prune_strays(connection, now_us=None)
    write_message_log(connection, [_tape_line(*one) for one in batch.tape])
    add_tallies(connection, batch.tallies)
    directory.know_own_series(connection)
