"""`rook-tally site`."""

from __future__ import annotations

from dataclasses import asdict, astuple, dataclass

import msgspec
import typer
from msgspec.structs import replace

from rook_tally.cli.changing import changing
from rook_tally.core.access_policy import KeysWanted, PasswordsAt
from rook_tally.core.alarms.edits import hours_of
from rook_tally.core.alarms.sentences import hours_words
from rook_tally.core.errors import UsageError
from rook_tally.core.moment_words import ClockStyle, DateStyle
from rook_tally.core.quantities.unit_systems import UnitSystem
from rook_tally.core.site_settings import (
    DecimalMark,
    TimeGrain,
    Weekday,
    checked_settings,
    position_from,
    position_words,
)
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site, set_site, show_in_system
from rook_tally.store.site.configuration import settle_site
from rook_tally.store.site.display_units import units_picked
from rook_tally.store.site.trust import keys_wanted, passwords_at, set_keys_wanted, set_passwords_at

_KEYS = {
    KeysWanted.BY_DOOR: "from everybody once the HTTP door is open to the network",
    KeysWanted.FROM_ALL: "from everybody",
    KeysWanted.FROM_NETWORK: "from the network only",
}

_DECIMALS = {
    DecimalMark.DESKTOP: "the desktop's sign",
    DecimalMark.POINT: "a point",
    DecimalMark.COMMA: "a comma",
}
_USUAL_STYLE = (DecimalMark.DESKTOP, DateStyle.DAY_FIRST, ClockStyle.HOURS_24, "")
_PASSWORDS = {
    PasswordsAt.DESKTOP: "in the desktop's password store, where there is one",
    PasswordsAt.IN_STORE: "in the store",
}


def print_site(where: str, *, as_json: bool) -> None:
    """Print the site's name and zone, as words or as one JSON object."""
    with existing_store(where) as store, store.read() as connection:
        site, keys = load_site(connection), keys_wanted(connection)
        passwords, units = passwords_at(connection), units_picked(connection)
    settings = site.settings
    if as_json:
        told = {
            "name": site.name,
            "zone": site.zone,
            "latitude": settings.latitude,
            "longitude": settings.longitude,
            "height_m": settings.height_m,
            "quiet": None if settings.quiet is None else hours_words(settings.quiet),
            "week_begins": settings.week_begins.value,
            "decimals": settings.decimals.value,
            "dates": settings.dates.value,
            "clocks": settings.clocks.value,
            "language": settings.language,
            "times": settings.times.value,
            "units": units,
            "keys": keys.value,
            "passwords": passwords.value,
        }
        typer.echo(msgspec.json.encode(told).decode())
    else:
        typer.echo(
            f"{site.name or 'no name yet'}, times in {site.zone}, access keys {_KEYS[keys]}, "
            f"passwords {_PASSWORDS[passwords]}"
        )
        if position := position_words(settings):
            typer.echo(f"at {position}")
        if settings.height_m is not None:
            typer.echo(f"{settings.height_m:g} m above the sea")
        if (settings.decimals, settings.dates, settings.clocks, settings.language) != _USUAL_STYLE:
            language = settings.language or "the desktop's language"
            typer.echo(
                f"windows write decimals with {_DECIMALS[settings.decimals]}, dates with the "
                f"{settings.dates.value}, clocks of {settings.clocks.value}, {language}"
            )
        if settings.times is not TimeGrain.MICROSECOND:
            typer.echo(f"times of readings are kept to the {settings.times.value}")
        if settings.quiet is not None:
            typer.echo(f"quiet hours {hours_words(settings.quiet)}")


@dataclass(frozen=True, slots=True)
class WritingStyle:
    """Settings of how windows write; None leaves one as it is."""

    week_begins: Weekday | None = None
    decimals: DecimalMark | None = None
    dates: DateStyle | None = None
    clocks: ClockStyle | None = None
    language: str | None = None


def change_site(
    where: str,
    *,
    name: str | None,
    zone: str | None,
    keys: KeysWanted | None = None,
    passwords: PasswordsAt | None = None,
    units: UnitSystem | None = None,
    position: str | None = None,
    height_m: float | None = None,
    quiet: str | None = None,
    style: WritingStyle | None = None,
    times: TimeGrain | None = None,
) -> None:
    """Give the site another name, zone, position, height, units or quiet hours, say whom an access
    key is wanted from, where passwords are kept, or how finely times are.

    Raises
    ------
    UsageError
        When nothing is given, or something cannot be.
    """
    style = style or WritingStyle()
    told = (name, zone, keys, passwords, units, position, height_m, quiet, times)
    told += astuple(style)
    if all(one is None for one in told):
        raise UsageError(
            "nothing was said to change",
            remedy='give --name "…", --zone Europe/London, --units us, or see `site set --help`',
        )
    with changing(where, makes_store=True) as connection:
        site = load_site(connection)
        set_site(
            connection,
            name=site.name if name is None else name,
            zone=site.zone if zone is None else zone,
        )
        settings = site.settings
        if position is not None:
            latitude, longitude = position_from(position) or (None, None)
            settings = replace(settings, latitude=latitude, longitude=longitude)
        if height_m is not None:
            settings = replace(settings, height_m=height_m)
        if quiet is not None:
            settings = replace(settings, quiet=hours_of(quiet))
        if times is not None:
            settings = replace(settings, times=times)
        said = {key: value for key, value in asdict(style).items() if value is not None}
        settings = checked_settings(replace(settings, **said))
        if settings != site.settings:
            settle_site(connection, settings)
        if units is not None:
            show_in_system(connection, units)
        if keys is not None:
            set_keys_wanted(connection, keys)
        if passwords is not None:
            set_passwords_at(connection, passwords)
    print_site(where, as_json=False)
