"""Queries of the Stations view: the fleet, and the page of one station."""

from __future__ import annotations

from dataclasses import dataclass, field

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import BoolArray
from rook_tally.core.comparing.power import PowerOutlook
from rook_tally.core.firmware.rollout import RolloutState, UpdateState
from rook_tally.core.firmware.standing import standings
from rook_tally.core.series.spans import SpanStatistics
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store.readings import envelopes, span_statistics
from rook_tally.store.readings.station_power import station_power
from rook_tally.store.site import (
    ClockFault,
    CorrectionEntry,
    MessageCounts,
    MessageLogEntry,
    Request,
    Site,
    Station,
    StoredAttribute,
    StrayGroup,
    clock_faults,
    control_reports,
    correction_entries,
    newest_messages,
    newest_requests,
    stray_groups,
    tallies,
)
from rook_tally.store.site.firmware import rollouts
from rook_tally.store.site.firmware_rollouts import firmware_of
from rook_tally.store.site.heard import listened_since

HEARD_US = 6 * HOUR_US
HEARD_SLOTS = 30
TAPE_LINES = 60


@dataclass(frozen=True, slots=True)
class Fleet:
    """How the stations stand: by station id, in which stretches of the last six hours it was heard
    ((30,) bool), what became of what it sent, what its clock does; and who is astray. `updates`
    are stations, by key, that are in the midst of an update or came out of it badly."""

    heard: dict[int, BoolArray]
    tallies: dict[int, MessageCounts]
    clock_faults: dict[int, ClockFault]
    strays: list[StrayGroup]
    updates: dict[str, StationUpdating] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class StationUpdating:
    """The version a station is given, and how far it is with it."""

    version: str
    state: UpdateState


@dataclass(frozen=True, slots=True)
class FleetQuery:
    """The fleet at a moment."""

    site: Site
    now_us: int

    def run(self, connection: Connection) -> Fleet:
        """The fleet, from the first series of each station."""
        first = {one.station.id: one for one in reversed(self.site.series)}
        window = (self.now_us - HEARD_US, self.now_us)
        told = envelopes(connection, list(first.values()), *window, HEARD_SLOTS)
        return Fleet(
            {
                station_id: np.asarray(told[one.id].count + told[one.id].suspect > 0, np.bool_)
                for station_id, one in first.items()
            },
            tallies(connection),
            clock_faults(connection),
            stray_groups(connection),
            _updating(connection, self.now_us),
        )


_TOLD = (UpdateState.FETCHED, UpdateState.SILENT, UpdateState.NOT_TAKEN)


def _updating(connection: Connection, now_us: int) -> dict[str, StationUpdating]:
    found: dict[str, StationUpdating] = {}
    for kind, rollout in rollouts(connection).items():
        if rollout.state is RolloutState.DONE:
            # Who falls silent later does so for another reason.
            continue
        told = firmware_of(connection, kind)
        image = told.given_out
        if image is None:
            continue
        since_us = listened_since(connection)
        for one in standings(told.rollout, image, told.updates, now_us=now_us, since_us=since_us):
            if one.state in _TOLD:
                found[one.station] = StationUpdating(image.version, one.state)
    return found


class StationPage(msgspec.Struct, frozen=True):
    """One station: its newest messages, newest first; by series id its last day and its
    corrections; how its controls stand by its own word; what was asked of it, newest first.

    `around` are the newest messages of anybody, for a first contact.
    """

    station: Station
    tape: list[MessageLogEntry]
    days: dict[int, SpanStatistics]
    corrections: dict[int, list[CorrectionEntry]]
    reports: dict[str, StoredAttribute]
    requests: list[Request]
    around: list[MessageLogEntry]


@dataclass(frozen=True, slots=True)
class StationPower:
    """How long a station's battery lasts; None where nothing tells."""

    station: str
    outlook: PowerOutlook | None


@dataclass(frozen=True, slots=True)
class StationPowerQuery:
    """Asks how long a station's battery lasts."""

    site: Site
    station: Station
    now_us: int

    def run(self, connection: Connection) -> StationPower:
        """Look at its last months."""
        series = [one for one in self.site.series if one.station.id == self.station.id]
        return StationPower(self.station.key, station_power(connection, series, self.now_us))


@dataclass(frozen=True, slots=True)
class StationPageQuery:
    """A station's page at a moment."""

    site: Site
    station: Station
    now_us: int

    def run(self, connection: Connection) -> StationPage:
        """The page."""
        series = [one for one in self.site.series if one.station.id == self.station.id]
        day = (self.now_us - DAY_US, self.now_us)
        return StationPage(
            self.station,
            newest_messages(connection, self.station.key, most=TAPE_LINES),
            {one.id: span_statistics(connection, one, *day) for one in series},
            {one.id: correction_entries(connection, one.id) for one in series},
            control_reports(connection, self.station.id),
            newest_requests(connection, self.station.key),
            newest_messages(connection, most=TAPE_LINES),
        )
