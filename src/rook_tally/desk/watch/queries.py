"""Queries of the Watch view: watches and their journal, the readings of a backtest."""

from __future__ import annotations

from dataclasses import dataclass, field
from zoneinfo import ZoneInfo

from sqlalchemy.engine import Connection

from rook_tally.core.alarms.channels import Channel
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.alarms.journal import Entry
from rook_tally.core.alarms.scope import WatchedSeries
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.controls import ControlKind
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.series.envelope import Envelope, envelope_of_readings
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.store.alarms import (
    BacktestInputs,
    alarms,
    all_targets,
    journal,
    material,
    watches,
    ways,
)
from rook_tally.store.site import Series, load_site
from rook_tally.store.workings import groups

_MOST_LINES = 300


@dataclass(frozen=True, slots=True)
class WatchListing:
    """Watches, channels, alarms and journal.

    Attributes
    ----------
    alarms : by slug, what is known of each watch
    nothing : slugs of watches that watch nothing which is there, with why if that is known
    controls : (station, control, title) of every switch there is
    series : of the site; the window has them already and puts them in
    """

    watches: tuple[Watch, ...]
    alarms: dict[str, tuple[Alarm, ...]]
    nothing: dict[str, str]
    ways: tuple[Channel, ...]
    controls: tuple[tuple[str, str, str], ...]
    series: tuple[Series, ...]
    groups: tuple[Group, ...]
    lines: tuple[Entry, ...]


@dataclass(frozen=True, slots=True)
class WatchesQuery:
    """Asks what there is; the journal of one watch, or of all."""

    watch: str = ""

    def run(self, connection: Connection) -> WatchListing:
        """Everything there is."""
        site, known = load_site(connection), watches(connection)
        found, troubles = all_targets(connection, site, known)
        told = {one.watch.slug for one in found}
        by_watch: dict[str, list[Alarm]] = {}
        for one in alarms(connection).values():
            by_watch.setdefault(one.watch, []).append(one)
        return WatchListing(
            tuple(known),
            {slug: tuple(several) for slug, several in by_watch.items()},
            {one.slug: str(troubles.get(one.slug, "")) for one in known if one.slug not in told},
            tuple(ways(connection)),
            tuple(
                (station.key, control.name, control.title)
                for station in site.stations
                for control in station.kind.controls
                if control.sort is ControlKind.SWITCH
            ),
            (),
            tuple(groups(connection)),
            tuple(journal(connection, watch=self.watch, most=_MOST_LINES)),
        )


@dataclass(frozen=True, slots=True)
class ChannelsQuery:
    """Asks for the channels there are."""

    subject: str = "channels"

    def run(self, connection: Connection) -> tuple[Channel, ...]:
        """Read them."""
        return tuple(ways(connection))


@dataclass(frozen=True, slots=True)
class BacktestReadings:
    """The readings that a draft is backtested on.

    Attributes
    ----------
    target : None with a mistake, or when the draft watches nothing that is there
    places : of every series it is about
    """

    draft: Watch
    start_us: int
    end_us: int
    mistake: str = ""
    target: WatchedSeries | None = None
    series: Series | None = None
    places: tuple[str, ...] = ()
    material: BacktestInputs | None = field(default=None, compare=False)
    envelope: Envelope | None = field(default=None, compare=False)


@dataclass(frozen=True, slots=True)
class BacktestQuery:
    """Asks for what a draft judges over a stretch, at one of its places."""

    draft: Watch
    place: str
    start_us: int
    end_us: int
    columns: int

    def run(self, connection: Connection) -> BacktestReadings:
        """Its readings, judged and drawn."""
        site = load_site(connection)
        stretch = self.draft, self.start_us, self.end_us
        found, troubles = all_targets(connection, site, [self.draft])
        if troubles:
            error = troubles[self.draft.slug]
            assert isinstance(error, UsageError)
            return BacktestReadings(*stretch, mistake=str(error))
        if not found:
            return BacktestReadings(*stretch)
        target = next((one for one in found if one.series.place == self.place), found[0])
        told = material(connection, target, self.start_us, self.end_us, ZoneInfo(site.zone))
        width_us = max(1, -(-(self.end_us - self.start_us) // self.columns))
        envelope = envelope_of_readings(
            told.readings,
            self.start_us,
            width_us,
            self.columns,
            max_gap_s=max_gap_s(target.series.cadence_s),
            averaging=target.series.quantity.averaging,
        )
        series = next(one for one in site.series if one.id == target.series.id)
        places = tuple(dict.fromkeys(one.series.place for one in found))
        return BacktestReadings(*stretch, "", target, series, places, told, envelope)
