"""Taking in: a stray sender becomes a station, and its kept messages become readings.

Fields are proposed from their names and values; a person's word goes before any proposal. What was
kept is taken in by the same way as any message, at its own time.
"""

from __future__ import annotations

import itertools
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from sqlalchemy.engine import Connection

from rook_tally.core.errors import DecodeError, UsageError
from rook_tally.core.quantities.field_guess import (
    FieldGuess,
    continued_field,
    guessed_field,
    guessed_kind,
)
from rook_tally.core.quantities.kinds import ORDINARY_CADENCE_S, PLAIN, Field, Kind
from rook_tally.core.quantities.registry import quantity_named
from rook_tally.core.timestamps import SECOND_US
from rook_tally.intake.bounds import MOST_GUESSED, shortened
from rook_tally.intake.decode import decoded
from rook_tally.intake.message import BodyFormat, DecodedValue, Message
from rook_tally.intake.pipeline.batch_writer import take_in_strays
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Credentials, Store
from rook_tally.store.readings import latest
from rook_tally.store.site import (
    Series,
    Station,
    Stray,
    StrayProposal,
    TakeInTerms,
    add_series,
    add_station,
    continue_field,
    kind_of_site,
    kinds,
    load_site,
    newest_strays,
    strays_of,
)

_LOOKED_AT = 10_000
_SAMPLES = 50
# Not heard for so long, a field may have got another name.
_SILENT_CADENCES = 5


@dataclass(frozen=True, slots=True)
class StraySender:
    """A sender of strays, and what it seems to be.

    Attributes
    ----------
    station : str or None
        The key it claims; None for messages that name none.
    is_station : bool
        It is a station already: only some of its fields are astray.
    kind : Kind
        The kind proposed.
    fields : tuple of FieldGuess
        Of the fields that are astray, what each seems to measure.
    continues : dict of new name to old field
        Fields that seem to go on under another name.
    place : str or None
        Where its topic says that it stands.
    newest : dict of field to text
        The newest value of each field as it was sent, with the unit it said.
    """

    station: str | None
    door: str
    address: str
    count: int
    first_us: int
    last_us: int
    why: str
    is_station: bool
    kind: Kind
    cadence_s: float
    fields: tuple[FieldGuess, ...]
    continues: Mapping[str, Field]
    place: str | None = None
    newest: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class TakenIn:
    """The result of taking in: readings kept of what was waiting, and messages that still wait.

    `access_key` is that of a new station, to be shown this once.
    """

    access_key: str | None
    kept: int
    waiting: int


def stray_senders(connection: Connection) -> list[StraySender]:
    """Who is astray, the one heard last first, with a proposal each."""
    by_sender: dict[tuple[str | None, str], list[Stray]] = defaultdict(list)
    for stray in newest_strays(connection, _LOOKED_AT):
        by_sender[stray.station, "" if stray.station else stray.address].append(stray)
    known = list(kinds(connection).values())
    directory = IntakeSession()
    directory.refresh(connection)
    return [_sender(connection, directory, strays, known) for strays in by_sender.values()]


def _sender(
    connection: Connection, directory: IntakeSession, strays: Sequence[Stray], known: Sequence[Kind]
) -> StraySender:
    """A sender by its strays, newest first."""
    newest, oldest = strays[0], strays[-1]
    station = load_site(connection).station(newest.station) if newest.station else None
    values, newest_words = _values_of(directory, strays)
    kind = PLAIN
    continues: dict[str, Field] = {}
    if station is None:
        kind = _radio_kind(message_of(newest), known) or guessed_kind(list(values), known)
    else:
        own = {one.field for one in _series_of(connection, station)}
        values = {name: told for name, told in values.items() if name not in own}
        silent = _silent_fields(connection, station, newest.arrived_us)
        for name, told in values.items():
            old = continued_field(name, silent, told)
            if old is not None:
                continues[name] = old
    astray = [name for name in values if kind.field(name) is None]
    return StraySender(
        newest.station,
        newest.door,
        newest.address,
        len(strays),
        oldest.arrived_us,
        newest.arrived_us,
        newest.why,
        station is not None,
        kind,
        _cadence_of(strays),
        tuple(guessed_field(name, values[name]) for name in astray),
        continues,
        directory.place_told(message_of(newest)),
        newest_words,
    )


def _radio_kind(message: Message, known: Sequence[Kind]) -> Kind | None:
    """The kind that reads what a Bluetooth sensor told."""
    source = message.bluetooth_source
    for one in known:
        if one.bluetooth is not None and source in one.bluetooth.layouts:
            return one
    return None


def message_of(stray: Stray) -> Message:
    """The message a stray was."""
    form = BodyFormat(stray.form) if stray.form else None
    return Message(
        stray.door, stray.address, stray.body, stray.arrived_us, form, station=stray.station
    )


def _values_of(
    directory: IntakeSession, strays: Sequence[Stray]
) -> tuple[dict[str, list[float]], dict[str, str]]:
    """Numbers by field of the newest messages that can be read, and the newest value of each as it
    was sent; of so many fields as a station may have.
    """
    values: dict[str, list[float]] = {}
    newest: dict[str, str] = {}
    for stray in strays[:_SAMPLES]:
        try:
            message, hints = directory.told_of(message_of(stray))
            items = decoded(message, directory.hints_of(None, message, hints)).items
        except DecodeError:
            continue
        for item in items:
            if item.field not in values and len(values) >= MOST_GUESSED:
                continue
            told = values.setdefault(item.field, [])
            newest.setdefault(item.field, _as_sent(item))
            if not isinstance(item.value, str):
                told.append(float(item.value))
    return values, newest


def _as_sent(item: DecodedValue) -> str:
    """A value in words, with the unit it said."""
    if isinstance(item.value, str):
        return shortened(item.value)
    shown = str(item.value).lower() if isinstance(item.value, bool) else f"{item.value:.6g}"
    return f"{shown} {shortened(item.unit or '')}".strip()


def _cadence_of(strays: Sequence[Stray]) -> float:
    """The usual time between its messages, s."""
    steps = sorted(
        (later.arrived_us - earlier.arrived_us) / SECOND_US
        for later, earlier in itertools.pairwise(strays)
        if later.arrived_us > earlier.arrived_us
    )
    return max(1.0, round(steps[len(steps) // 2])) if len(steps) >= 3 else ORDINARY_CADENCE_S


def _series_of(connection: Connection, station: Station) -> list[Series]:
    return [one for one in load_site(connection).series if one.station.id == station.id]


def _silent_fields(connection: Connection, station: Station, now_us: int) -> list[Field]:
    series = _series_of(connection, station)
    newest = latest(connection, [one.id for one in series]) if series else {}
    long_us = round(_SILENT_CADENCES * station.cadence_s * SECOND_US)
    return [
        Field(one.field, one.quantity.slug, one.unit)
        for one in series
        if one.id not in newest or newest[one.id].time_us < now_us - long_us
    ]


def take_in(
    store: Store,
    key: str,
    *,
    place: str | None,
    kind: str | None = None,
    indoors: bool = True,
    cadence_s: float | None = None,
    credentials: Credentials | None = None,
    mapping: Mapping[str, tuple[str, str]] | None = None,
    continues: Mapping[str, str] | None = None,
) -> TakenIn:
    """Make a stray sender a station, or mend what a station's fields mean, and take in what waits.

    Parameters
    ----------
    place : str or None
        Needed for a new station, unless its topic says it.
    credentials : Credentials, optional
        Of a key made elsewhere; a new one is made when left out.
    kind : str, optional
        Slug; what its fields propose when left out.
    mapping : dict of field to (quantity, unit)
        What fields mean that the kind does not have; an empty unit is the quantity's own. None: as
        proposed.
    continues : dict of new name to old field

    Raises
    ------
    UsageError
        When the key, place, kind, a quantity or unit cannot be meant; nothing was changed then.
    """
    with store.write() as connection:
        site = load_site(connection)
        station = site.station(key)
        senders = [one for one in stray_senders(connection) if one.station == key]
        access_key = None
        if station is None:
            proposed = senders[0] if senders else None
            if place is None and proposed is not None:
                place = proposed.place
            if place is None:
                raise UsageError(
                    f"{key} is no station yet", remedy='say where it stands, as in --place "Hall"'
                )
            chosen = _chosen_kind(connection, kind, proposed)
            is_told = cadence_s is not None
            if cadence_s is None and proposed is not None and chosen is PLAIN:
                cadence_s = proposed.cadence_s
            access_key = add_station(
                connection,
                key,
                place=place,
                kind=chosen,
                indoors=indoors,
                cadence_s=cadence_s,
                learns_cadence=not is_told,
                credentials=credentials,
            )
            station = load_site(connection).station(key)
            assert station is not None
        if mapping is None:
            mapping = _proposed_mapping(senders)
        _map_fields(connection, station, mapping)
        for name, old in (continues or {}).items():
            _continue(connection, station, name, old)
        waiting = strays_of(connection, key)
        kept = take_in_strays(
            connection, IntakeSession(), [(one.id, message_of(one)) for one in waiting]
        )
        left = len(strays_of(connection, key))
    return TakenIn(access_key, kept, left)


def take_in_by_terms(store: Store, key: str, terms: TakeInTerms) -> TakenIn:
    """Take in as a desk asked; raises as `take_in` does."""
    credentials = Credentials(terms.access_hash, terms.broker_hash) if terms.access_hash else None
    return take_in(
        store,
        key,
        place=terms.place,
        kind=terms.kind,
        indoors=terms.indoors,
        cadence_s=terms.cadence_s,
        credentials=credentials,
        mapping=terms.fields,
        continues=terms.continues,
    )


def proposal_for(connection: Connection, key: str) -> StrayProposal:
    """A proposal of what a stray sender is, for a desk to put before a person.

    Raises
    ------
    UsageError
        When nobody of that key is astray.
    """
    sender = next((one for one in stray_senders(connection) if one.station == key), None)
    if sender is None:
        raise UsageError(f"{key} is no stray any more", remedy="look at the stations again")
    kind_fields = {one.name: (one.quantity, one.unit) for one in sender.kind.fields}
    guessed = {
        one.name: (one.quantity.slug if one.quantity else "", one.unit) for one in sender.fields
    }
    return StrayProposal(
        is_station=sender.is_station,
        kind=sender.kind.slug,
        cadence_s=sender.cadence_s,
        place=sender.place or "",
        fields=guessed,
        kind_fields=kind_fields,
        continues={name: old.name for name, old in sender.continues.items()},
        newest=dict(sender.newest),
    )


def take_in_again(store: Store, door: str, addresses: Callable[[str], bool]) -> int:
    """Take in what is kept of a door once its settings are mended; returns readings kept."""
    with store.write() as connection:
        waiting = [
            one
            for one in newest_strays(connection, _LOOKED_AT)
            if one.door == door and addresses(one.address)
        ]
        return take_in_strays(
            connection, IntakeSession(), [(one.id, message_of(one)) for one in reversed(waiting)]
        )


def _chosen_kind(connection: Connection, kind: str | None, proposed: StraySender | None) -> Kind:
    if kind is not None:
        return kind_of_site(connection, kind)
    return PLAIN if proposed is None else proposed.kind


def _proposed_mapping(senders: Sequence[StraySender]) -> dict[str, tuple[str, str]]:
    return {
        one.name: (one.quantity.slug, one.unit)
        for sender in senders
        for one in sender.fields
        if one.quantity is not None and one.name not in sender.continues
    }


def _map_fields(
    connection: Connection, station: Station, mapping: Mapping[str, tuple[str, str]]
) -> None:
    own = {one.field for one in _series_of(connection, station)}
    for name, (slug, unit) in mapping.items():
        quantity = quantity_named(slug)
        if name in own:
            raise UsageError(
                f"{station.key} has a field {name} already",
                kept="nothing was changed",
                remedy="leave it out",
            )
        found = quantity.unit(unit) if unit else quantity.base
        if found is None:
            usual = ", ".join(one.symbol for one in quantity.units)
            raise UsageError(f"{unit!r} is no unit of {slug}", remedy=f"known: {usual}")
        add_series(connection, station, field=name, quantity=quantity, unit=found.symbol)


def _continue(connection: Connection, station: Station, name: str, old: str) -> None:
    series = next((one for one in _series_of(connection, station) if one.field == old), None)
    if series is None:
        raise UsageError(
            f"{station.key} has no field {old}",
            remedy="its fields: " + ", ".join(one.field for one in _series_of(connection, station)),
        )
    continue_field(connection, station, name, series.id)
