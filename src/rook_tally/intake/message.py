"""Messages of the doors, and the results they get back."""

from __future__ import annotations

import enum
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from itertools import count, repeat

import msgspec
from msgspec.structs import replace

from rook_tally.store.site import Problem as Problem


class BodyFormat(enum.Enum):
    """The written forms a message can have."""

    JSON = "application/json"
    SENML_JSON = "application/senml+json"
    SENML_CBOR = "application/senml+cbor"
    CSV = "text/csv"
    # Of the Bluetooth door's own making.
    ENVIRONMENTAL = "text/x-environmental-sensing"


class Message(msgspec.Struct, frozen=True):
    """A message as it came through a door.

    Attributes
    ----------
    door : str
        `http`, `mqtt`, `serial`, `bluetooth`, `poll`.
    address : str
        Where it came from: a peer's address, a topic.
    body : bytes
    arrived_us : int
    form : Form or None
        None when the door was not told; the body decides.
    station : str or None
        Who speaks, when the door was told: by query or topic.
    access_key : str or None
        Proves who speaks; the body may then not claim to be another.
    field : str or None
        The body is the value of this field, when the door was told: by topic.
    """

    door: str
    address: str
    body: bytes
    arrived_us: int
    form: BodyFormat | None = None
    station: str | None = None
    access_key: str | None = None
    field: str | None = None

    @property
    def bluetooth_source(self) -> str:
        """What a sensor's bytes are called (`core.quantities.bluetooth_map`), which stands behind
        its address; empty for Environmental Sensing and other doors."""
        return self.address.partition(" ")[2] if self.door == "bluetooth" else ""


class DecodedValue(msgspec.Struct, frozen=True, gc=False):
    """One value out of a message, as its sender wrote it.

    `at` is its place in the message, counted from 0. `station` None means the message's own.
    `time_note` says why a time the sender gave could not be read.
    """

    at: int
    field: str
    value: float | bool | str
    station: str | None = None
    unit: str | None = None
    time_us: int | None = None
    time_note: str = ""


@dataclass(frozen=True, slots=True)
class RejectedValue:
    """A value that was not kept, where it stood and why; or `count` of them together."""

    at: int
    field: str
    why: str
    count: int = 1


class StationAttribute(msgspec.Struct, frozen=True):
    """An attribute that a station reports: `name` is `firmware`, `status` or `controls.NAME`."""

    at: int
    name: str
    value: str
    station: str | None = None


class Decoded(msgspec.Struct, frozen=True, gc=False):
    """The result of decoding: values, rejected values, and attributes of the station.

    Values stand one by one in `listed`, or in columns: `fields` and `values`, beside them `units`
    and `times` when they differ, else one `time_us` and `station` for all. `each_at` says that each
    has a place of its own in the message, `row_width` how many share one.
    """

    listed: tuple[DecodedValue, ...] = ()
    refused: tuple[RejectedValue, ...] = ()
    said: tuple[StationAttribute, ...] = ()
    fields: Sequence[str] = ()
    values: Sequence[float] = ()
    units: Sequence[str | None] | None = None
    times: Sequence[int] | None = None
    time_us: int | None = None
    station: str | None = None
    each_at: bool = False
    row_width: int = 0

    @property
    def items(self) -> tuple[DecodedValue, ...]:
        """The values, one by one."""
        if not self.fields:
            return self.listed
        ats: Iterable[int] = repeat(0)
        if self.each_at:
            ats = count()
        elif self.row_width:
            ats = (at // self.row_width for at in range(len(self.fields)))
        units = repeat(None) if self.units is None else self.units
        times = repeat(self.time_us) if self.times is None else self.times
        return tuple(
            map(DecodedValue, ats, self.fields, self.values, repeat(self.station), units, times)
        )

    def in_whole_units(self, unit_us: int) -> Decoded:
        """The same with times cut to whole units of so many microseconds."""
        return msgspec.structs.replace(
            self,
            listed=tuple(
                one
                if one.time_us is None
                else msgspec.structs.replace(one, time_us=_cut(one.time_us, unit_us))
                for one in self.listed
            ),
            times=None if self.times is None else [_cut(one, unit_us) for one in self.times],
            time_us=None if self.time_us is None else _cut(self.time_us, unit_us),
        )

    def first(self, most: int) -> tuple[DecodedValue, ...]:
        """The first values."""
        if not self.fields:
            return self.listed[:most]
        units = (None,) * most if self.units is None else self.units
        return tuple(
            DecodedValue(0, name, value, unit=unit)
            for name, value, unit in zip(
                self.fields[:most], self.values[:most], units[:most], strict=False
            )
        )

    @property
    def first_station(self) -> str | None:
        """Who says the first value, as the body names them."""
        return self.listed[0].station if self.listed else self.station

    @property
    def count(self) -> int:
        """Number of values."""
        return len(self.listed) + len(self.fields)

    def behind(self, gateway: str) -> Decoded:
        """The same as from stations behind a gateway."""
        return msgspec.structs.replace(
            self,
            listed=tuple(
                msgspec.structs.replace(one, station=behind(gateway, one.station))
                for one in self.listed
            ),
            said=tuple(replace(one, station=behind(gateway, one.station)) for one in self.said),
            station=behind(gateway, self.station),
        )


def _cut(time_us: int, unit_us: int) -> int:
    return time_us // unit_us * unit_us


def behind(gateway: str, station: str | None) -> str | None:
    """The name of a station behind a gateway, which no station of this site has."""
    return None if station is None else f"{gateway}.{station}"


@dataclass(slots=True)
class IntakeResult:
    """The result of a message, in numbers of values.

    `kept` counts what is in the store now, suspect readings among them; `heard` what a station said
    of itself; `left_out` values of fields that a person settled not to keep; `noted` holds remarks
    on values that were kept, `strays` on those that wait for a decision. `problem` and `why` are
    set when the message as a whole could not be taken. `station` is who spoke, when it is known.
    """

    kept: int = 0
    duplicate: int = 0
    suspect: int = 0
    stray: int = 0
    heard: int = 0
    left_out: int = 0
    refused: list[RejectedValue] = field(default_factory=list)
    noted: list[RejectedValue] = field(default_factory=list)
    strays: list[RejectedValue] = field(default_factory=list)
    problem: Problem | None = None
    why: str = ""
    station: str | None = None
