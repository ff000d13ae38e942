"""`rook-tally station thing`: a station as a W3C Thing Description."""

from __future__ import annotations

import typer

from rook_tally.cli.selectors import station_named
from rook_tally.clock import now_us
from rook_tally.core.door_settings import ModbusSetting, PollSetting, polled_address
from rook_tally.core.quantities.kinds import Field
from rook_tally.core.things.describing import DescribedStation, thing_description
from rook_tally.store.base import Store
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import collectors, door_settings, load_site
from rook_tally.wall.links import station_addresses


def print_thing(where: str, key: str, *, http: str | None, mqtt: str | None) -> None:
    """Print it."""
    with existing_store(where) as store:
        typer.echo(thing_description(described(store, key, http=http, mqtt=mqtt)), nl=False)


def described(
    store: Store, key: str, *, http: str | None = None, mqtt: str | None = None
) -> DescribedStation:
    """A station as it is described, for the doors that are open or those that are named.

    Raises
    ------
    UsageError
        When there is no such station.
    """
    with store.read() as connection:
        site = load_site(connection)
        station = station_named(site, key)
        heard = collectors(connection, now_us=now_us())
        doors = [one.settings for one in door_settings(connection)]
    at = station_addresses(heard, http=http, mqtt=mqtt)
    modbus = asked = ""
    for one in doors:
        match one:
            # A serial line has no address that others could use.
            case ModbusSetting() if one.station == station.key and one.address[:1] != "/":
                modbus = f"{one.address}/{one.unit}"
            # Where its answer has to be picked apart it is no answer of these properties.
            case PollSetting() if one.station == station.key and not (one.fields or one.alone):
                asked = polled_address(one)
    series = [one for one in site.series if one.station.id == station.id]
    fields = tuple(
        Field(one.field, one.quantity.slug, one.unit, believable=one.quantity.believable)
        for one in series
    )
    return DescribedStation(
        station.key,
        station.kind,
        station.place.name,
        fields or station.kind.fields,
        at.http,
        f"{at.mqtt_host}:{at.mqtt_port}",
        modbus,
        asked,
    )
