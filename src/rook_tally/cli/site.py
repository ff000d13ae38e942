"""`rook-tally site`."""

from __future__ import annotations

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.core.access_policy import KeysWanted, PasswordsAt
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.unit_systems import UnitSystem
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site, set_site, show_in_system
from rook_tally.store.site.trust import keys_wanted, passwords_at, set_keys_wanted, set_passwords_at

_KEYS = {
    KeysWanted.BY_DOOR: "from everybody once the HTTP door is open to the network",
    KeysWanted.FROM_ALL: "from everybody",
    KeysWanted.FROM_NETWORK: "from the network only",
}

_PASSWORDS = {
    PasswordsAt.DESKTOP: "in the desktop's password store, where there is one",
    PasswordsAt.IN_STORE: "in the store",
}


def print_site(where: str, *, as_json: bool) -> None:
    """Print the site's name and zone, as words or as one JSON object."""
    with existing_store(where) as store, store.read() as connection:
        site, keys = load_site(connection), keys_wanted(connection)
        passwords = passwords_at(connection)
    if as_json:
        told = {
            "name": site.name,
            "zone": site.zone,
            "keys": keys.value,
            "passwords": passwords.value,
        }
        typer.echo(msgspec.json.encode(told).decode())
    else:
        typer.echo(
            f"{site.name or 'no name yet'}, times in {site.zone}, access keys {_KEYS[keys]}, "
            f"passwords {_PASSWORDS[passwords]}"
        )


def change_site(
    where: str,
    *,
    name: str | None,
    zone: str | None,
    keys: KeysWanted | None = None,
    passwords: PasswordsAt | None = None,
    units: UnitSystem | None = None,
) -> None:
    """Give the site another name, zone or units, say whom an access key is wanted from, or where
    passwords are kept.

    Raises
    ------
    UsageError
        When neither is given, or there is no such zone.
    """
    if all(one is None for one in (name, zone, keys, passwords, units)):
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
        if units is not None:
            show_in_system(connection, units)
        if keys is not None:
            set_keys_wanted(connection, keys)
        if passwords is not None:
            set_passwords_at(connection, passwords)
    print_site(where, as_json=False)
