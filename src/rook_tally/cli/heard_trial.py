"""Tries doors that hear, before they are set up: a folder, topics, CoAP, the radio, probes.

Nothing is taken in by a trial: files stay where they are, and no message is answered.
"""

from __future__ import annotations

import asyncio
from pathlib import Path

from rook_tally import clock
from rook_tally.collector.door_needs import door_needs
from rook_tally.core.door_settings import (
    BluetoothSetting,
    CoapSetting,
    FolderSetting,
    ProbesSetting,
    TopicSetting,
)
from rook_tally.core.errors import UsageError
from rook_tally.core.in_reach import ReachSort
from rook_tally.core.quantities.number_input import number_text
from rook_tally.desk.data.door_trial import DoorTrial, TriedValue
from rook_tally.intake.addresses import endpoint_from
from rook_tally.intake.bounds import shortened
from rook_tally.intake.files.file_import import ImportedColumn, imported_file
from rook_tally.intake.topics import topic_pattern_from
from rook_tally.store.base import Store
from rook_tally.store.site import collectors, newest_messages
from rook_tally.store.site.in_reach import in_reach
from rook_tally.wall.links import own_address

_LISTEN_S = 4.0
_MOST_VALUES, _MOST_MESSAGES = 200, 500


def try_folder(store: Store, settings: FolderSetting) -> DoorTrial:
    """Read the newest CSV file of a folder without taking it in.

    Raises
    ------
    UsageError
        When the folder cannot be read, or its newest file could not be taken in.
    """
    folder = Path(settings.path)
    try:
        files = [one for one in folder.iterdir() if one.suffix.lower() == ".csv" and one.is_file()]
        newest = max(files, key=lambda one: one.stat().st_mtime_ns, default=None)
    except OSError as error:
        raise UsageError(
            f"{folder} cannot be read: {error.strerror}", remedy="name a folder of this machine"
        ) from None
    if newest is None:
        return DoorTrial("", (), f"no CSV file is in {folder} yet: those that come are read")
    done = imported_file(
        store,
        newest,
        settings.station,
        columns=settings.columns,
        time_column=settings.time_column or None,
        zone=settings.zone or None,
        now_us=clock.now_us(),
        dry_run=True,
    )
    told = [f"line {one.line}: {one.why}" for one in done.refused[:3]]
    values = tuple(
        TriedValue(one.column.name, _newest_of(one), is_read=True)
        for one in done.columns[:_MOST_VALUES]
    )
    return DoorTrial(newest.name, values, "; ".join([*done.remarks, *told]))


def _newest_of(one: ImportedColumn) -> str:
    """The newest value of a column and how many there are; units as in the file."""
    if not len(one.readings):
        return "nothing in it can be read"
    base = one.column.quantity.base
    unit = one.column.quantity.unit(one.column.unit) or base
    value = float(unit.from_base(one.readings.value[-1]))
    return f"{number_text(round(value, 4))} {unit.symbol}".strip() + f", {len(one.readings)} in all"


def try_topics(store: Store, settings: TopicSetting) -> DoorTrial:
    """Hold a pattern against the topics that the collector has heard of late.

    Raises
    ------
    UsageError
        When it is no pattern.
    """
    pattern = topic_pattern_from(settings.pattern, settings.station)
    with store.read() as connection:
        heard = {one.name: one.says for one in in_reach(connection) if one.sort is ReachSort.TOPIC}
        for one in newest_messages(connection, most=_MOST_MESSAGES):
            if one.door == "mqtt" and not one.address.startswith("rook/"):
                heard.setdefault(one.address, shortened(one.body.decode("utf-8", "replace")))
    values = []
    for topic, body in sorted(heard.items()):
        names = pattern.names_in(topic)
        told = ", ".join(f"{name} {word}" for name, word in (names or {}).items())
        values.append(TriedValue(topic, f"{told}: {body}" if told else body, is_read=bool(told)))
    values.sort(key=lambda one: not one.is_read)
    why = ""
    if not values:
        why = "no topic of others was heard yet: the collector listens once a minute"
    elif not values[0].is_read:
        why = f"{settings.pattern} fits none of the topics that were heard"
    return DoorTrial("", tuple(values[:_MOST_VALUES]), why)


def try_coap(store: Store, settings: CoapSetting) -> DoorTrial:
    """Open the address for a moment, or ask who has it open whether readings are taken there.

    Raises
    ------
    UsageError
        When it is no address.
    DoorError
        When it is not this machine's, or another program's.
    """
    from rook_tally.intake.doors.coap_trial import paths_served

    endpoint = endpoint_from(settings.listen)
    with store.read() as connection:
        running = collectors(connection, now_us=clock.now_us())
    is_ours = any(
        door.name == "coap" and door.address == str(endpoint)
        for one in running
        for door in one.doors
    )
    resources = asyncio.run(paths_served(endpoint, is_open=is_ours))
    host = own_address(endpoint.host)
    where = f"[{host}]" if ":" in host else host
    ways = [TriedValue("stations send to", f"coap://{where}:{endpoint.port}/v1/readings")]
    if endpoint.is_loopback:
        ways.append(TriedValue("who can", "programs of this machine; 0.0.0.0 is for the network"))
    else:
        ways.append(TriedValue("who can", "stations with an access key, protected by OSCORE"))
    ways.append(
        TriedValue("it is", "open already" if is_ours else "free, and answers while it is open")
    )
    ways += [TriedValue("it answers for", one) for one in resources]
    return DoorTrial("", tuple(ways))


def try_bluetooth(store: Store, settings: BluetoothSetting) -> DoorTrial:
    """Listen by the radio for some seconds, the nearest first.

    Raises
    ------
    DoorError
        When the radio cannot be used.
    """
    from rook_tally.intake.doors.bluetooth_air import in_range, said_by

    found = asyncio.run(in_range(_LISTEN_S, settings.adapter))
    with store.read() as connection:
        needs = door_needs(connection, [settings]).by_radio
    values = tuple(
        TriedValue(
            one.name or one.key,
            f"{number_text(one.rssi)} dBm; {said_by(one)}",
            is_read=one.is_sensing or needs.wanted(one.key, one.name, one.data.keys()) is not None,
        )
        for one in sorted(found, key=lambda one: -one.rssi)[:_MOST_VALUES]
    )
    return DoorTrial("", values, "" if values else "the radio works, and nothing was heard")


def try_probes(settings: ProbesSetting) -> DoorTrial:
    """Read this machine's probes once.

    Raises
    ------
    UsageError
        When there is no such folder.
    """
    from rook_tally.intake.doors.sysfs import probes_in, read_probe

    values, missing = [], set(settings.only)
    for name, (device, channels) in probes_in(Path(settings.root)).items():
        missing.discard(name)
        told = [
            f"{one.field} {one.value:g} {one.unit}".strip()
            if one.value is not None
            else f"{one.field}: {one.why}"
            for one in read_probe(name, device, channels).values
        ]
        is_read = not settings.only or name in settings.only
        values.append(TriedValue(name, ", ".join(told), name, is_read))
    why = "; ".join(f"{name} is not there" for name in sorted(missing))
    return DoorTrial(
        "", tuple(values[:_MOST_VALUES]), why or ("" if values else "no probe was found")
    )
