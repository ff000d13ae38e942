"""The whole way of messages into the store: decode, resolve, screen, write, in one transaction."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

from sqlalchemy.engine import Connection

from rook_tally.alarming.evaluate_batch import NOT_NEWS
from rook_tally.core.series.readings import Quality
from rook_tally.intake.bounds import LONGEST_ADDRESS, LONGEST_NAME, plain_text
from rook_tally.intake.message import IntakeResult, Message
from rook_tally.intake.pipeline.batch import LONGEST_WHY, IntakeBatch
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.control_confirmation import confirm_requests
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.intake.pipeline.take_message import take
from rook_tally.store.base import Store
from rook_tally.store.readings import Appended, NewReading, append_readings, rescreen_around
from rook_tally.store.site import (
    NOBODY,
    MessageLogEntry,
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

_PRUNE_AT_BYTES = 16_000_000


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
    batch = IntakeBatch(clock_is_set=clock_is_set)
    try:
        with store.write() as connection:
            directory.refresh(connection)
            answers = [take(connection, directory, message, batch) for message in messages]
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
    batch = IntakeBatch()
    directory.refresh(connection)
    placed: list[int] = []
    for stray_id, message in strays:
        answer = take(connection, directory, message, batch)
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
    batch = IntakeBatch()
    batch.put_astray(message, why, None)
    batch.tallies[NOBODY].stray += 1
    with store.write() as connection:
        _write(connection, IntakeSession(), batch)


def _report_clocks(connection: Connection, clocks: Clocks, batch: IntakeBatch) -> None:
    told: dict[int, float] = {}
    now_us = 0
    for station_id, moments in batch.sent.items():
        for sent_us, arrived_us in moments:
            now_us = max(now_us, arrived_us)
            ahead_s = clocks.verdict(station_id, sent_us=sent_us, arrived_us=arrived_us)
            if ahead_s is not None:
                told[station_id] = ahead_s
    report_clocks(connection, told, now_us=now_us)


def _tape_line(
    message: Message, station: str | None, answer: IntakeResult, decoded_words: str
) -> MessageLogEntry:
    why = answer.why
    if answer.refused or answer.strays or answer.noted:
        told = [one.why for one in (*answer.refused, *answer.strays, *answer.noted)]
        why = "; ".join(dict.fromkeys([why, *told] if why else told))
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
        plain_text(why, LONGEST_WHY),
        answer.problem,
        plain_text(decoded_words, LONGEST_WHY),
    )


def _write(
    connection: Connection, directory: IntakeSession, batch: IntakeBatch, *, is_anew: bool = False
) -> None:
    outcome = append_readings(
        connection, batch.readings, directory.newest_us, directory.recent.empty_us
    )
    directory.newest_us.update(outcome.newest_us)
    _count(batch, outcome, is_anew=is_anew)
    series = {one.id: one for one in batch.series}
    written: dict[int, list[NewReading]]
    if outcome.none_was_held and len(series) == len(batch.readings):
        written = {reading.series_id: [reading] for reading in batch.readings}
    else:
        written = defaultdict(list)
        for reading, is_known in zip(batch.readings, outcome.duplicate, strict=True):
            if not is_known:
                written[reading.series_id].append(reading)
    # What these readings made certain of earlier ones, where there is anything to look at.
    doubtful = [
        one
        for one in map(series.__getitem__, written)
        if not directory.recent.are_beyond_suspicion(
            one,
            written[one.id],
            newest_before_us=outcome.newest_before.get(one.id),
            newest_us=outcome.newest_us[one.id],
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
    arrived_us = NOT_NEWS if is_anew else batch.newest_arrival_us
    if not batch.clock_is_set:
        # The senders' clocks are the only ones there are.
        arrived_us = max((one.time_us for one in batch.readings), default=0)
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
    directory.end_batch(connection)


def _count(batch: IntakeBatch, outcome: Appended, *, is_anew: bool) -> None:
    """Count what became of each reading, in its message's answer and its station's tallies."""
    good = [one.quality is Quality.GOOD for one in batch.readings]
    for answer, station_id, start, stop in batch.messages:
        if outcome.none_was_held and station_id is not None:
            suspect = stop - start - sum(good[start:stop])
            answer.kept += stop - start
            answer.suspect += suspect
            tally = batch.tallies[station_id]
            tally.kept += stop - start
            tally.suspect += suspect
            tally.late += sum(batch.late[start:stop])
            continue
        for at in range(start, stop):
            tally = batch.tallies[batch.series[at].station.id]
            if outcome.duplicate[at]:
                answer.duplicate += 1
                tally.duplicate += not is_anew
                continue
            answer.kept += 1
            answer.suspect += not good[at]
            tally.kept += 1
            tally.suspect += not good[at]
            tally.revised += outcome.revised[at]
            tally.late += batch.late[at]
