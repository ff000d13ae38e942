"""Everything a batch of messages will write, gathered before anything is written."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field
from typing import NamedTuple

from rook_tally.intake.bounds import LONGEST_ADDRESS, LONGEST_NAME, plain_text
from rook_tally.intake.message import IntakeResult, Message
from rook_tally.store.readings import NewReading
from rook_tally.store.site import MessageCounts, Series, Stray

LONGEST_WHY = 300
"""Characters kept of why something was not taken."""


class MessageReadings(NamedTuple):
    """Which of a batch's readings are a message's, from `start` until before `stop`, and whose
    answer they count in; `station_id` is None where they are of several stations."""

    answer: IntakeResult
    station_id: int | None
    start: int
    stop: int


@dataclass(slots=True)
class IntakeBatch:
    """Screened readings in the order they came, and beside each its series and whether it is late:
    so long after its time that a gap was seen; and all else that the messages bring."""

    readings: list[NewReading] = field(default_factory=list)
    series: list[Series] = field(default_factory=list)
    late: list[bool] = field(default_factory=list)
    messages: list[MessageReadings] = field(default_factory=list)
    newest_arrival_us: int = 0
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

    def end_message(self, message: Message, answer: IntakeResult, start: int) -> None:
        """Note that the readings from `start` on are a message's."""
        stop = len(self.readings)
        if stop == start:
            return
        stations = {one.station.id for one in self.series[start:stop]}
        station_id = stations.pop() if len(stations) == 1 else None
        self.messages.append(MessageReadings(answer, station_id, start, stop))
        self.newest_arrival_us = max(self.newest_arrival_us, message.arrived_us)

    def put_astray(self, message: Message, why: str, station: str | None) -> None:
        """Keep a message whole, for a person to decide on."""
        self.strays.append(
            Stray(
                arrived_us=message.arrived_us,
                door=message.door,
                address=plain_text(message.address, LONGEST_ADDRESS),
                station=None if station is None else plain_text(station, LONGEST_NAME),
                form=message.form.value if message.form else None,
                body=message.body,
                why=plain_text(why, LONGEST_WHY),
            )
        )
