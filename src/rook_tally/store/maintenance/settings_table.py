"""Every setting of a store that has no command of its own: one table, for commands and site
files."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import TypeAlias

from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.access_policy import KeysWanted, PasswordsAt
from rook_tally.core.errors import UsageError
from rook_tally.store.maintenance.backup_schedule import (
    BackupSchedule,
    backup_schedule,
    schedule_into,
    set_backup_schedule,
)
from rook_tally.store.maintenance.thinning import thin_always_after, thinned_after_days
from rook_tally.store.site import StrayBounds, set_stray_bounds, stray_bounds
from rook_tally.store.site.trust import keys_wanted, passwords_at, set_keys_wanted, set_passwords_at

Value: TypeAlias = str | float
_KEPT = "nothing was changed"
_LARGEST = 1e6
_HOUR, _LAST_HOUR = "from_hour", 23.0


@dataclass(frozen=True, slots=True)
class Setting:
    """A setting: what it is called, what it says, what it is when nobody said otherwise."""

    name: str
    words: str
    usual: Value
    read: Callable[[Connection], Value]
    write: Callable[[Connection, Value], None]


def settings_said(connection: Connection) -> dict[str, Value]:
    """The settings that somebody has changed, by name."""
    told = {one.name: one.read(connection) for one in SETTINGS}
    return {one.name: told[one.name] for one in SETTINGS if told[one.name] != one.usual}


def change_setting(connection: Connection, name: str, value: Value) -> None:
    """Give a setting another value.

    Raises
    ------
    UsageError
        When there is no such setting, or it cannot have that value.
    """
    found = next((one for one in SETTINGS if one.name == name), None)
    if found is None:
        raise UsageError(
            f"there is no setting {name!r}",
            kept=_KEPT,
            remedy="there are " + ", ".join(one.name for one in SETTINGS),
        )
    found.write(connection, value)


def write_settings(connection: Connection, wanted: Mapping[str, Value]) -> None:
    """Give settings these values, and all others their usual ones.

    Raises
    ------
    UsageError
        When one is not there, or cannot have that value.
    """
    unknown = [name for name in wanted if name not in {one.name for one in SETTINGS}]
    for name in unknown:
        change_setting(connection, name, wanted[name])
    for one in SETTINGS:
        value = wanted.get(one.name, one.usual)
        if one.read(connection) != value:
            one.write(connection, value)


def _number(
    name: str, value: Value, *, least: float = 0.0, most: float = _LARGEST, is_whole: bool = False
) -> float:
    try:
        number = float(value)
    except ValueError:
        number = math.nan
    if not least <= number <= most or (is_whole and number != int(number)):
        what = "a whole number" if is_whole else "a number"
        raise UsageError(
            f"{name} cannot be {value!r}",
            kept=_KEPT,
            remedy=f"give {what} from {least:g} to {most:g}",
        )
    return number


def _write_keys(connection: Connection, value: Value) -> None:
    known = [one.value for one in KeysWanted]
    if value not in known:
        raise UsageError(f"keys cannot be {value!r}", kept=_KEPT, remedy=f"one of {known}")
    set_keys_wanted(connection, KeysWanted(value))


def _write_passwords(connection: Connection, value: Value) -> None:
    known = [one.value for one in PasswordsAt]
    if value not in known:
        raise UsageError(f"passwords cannot be {value!r}", kept=_KEPT, remedy=f"one of {known}")
    set_passwords_at(connection, PasswordsAt(value))


def _write_folder(connection: Connection, value: Value) -> None:
    folder = str(value).strip()
    if not folder:
        set_backup_schedule(connection, None)
        return
    before = backup_schedule(connection) or BackupSchedule("")
    set_backup_schedule(connection, replace(before, folder=schedule_into(folder).folder))


def _read_folder(connection: Connection) -> Value:
    schedule = backup_schedule(connection)
    return "" if schedule is None else schedule.folder


def _read_kept(which: str, connection: Connection) -> Value:
    return float(getattr(backup_schedule(connection) or BackupSchedule(""), which))


def _write_kept(which: str, connection: Connection, value: Value) -> None:
    schedule = backup_schedule(connection)
    most = _LAST_HOUR if which == _HOUR else _LARGEST
    number = _number(f"backup_{which}", value, is_whole=True, most=most)
    if schedule is None:
        raise UsageError(
            "no copies are made", kept=_KEPT, remedy="say backup_folder first, where they go"
        )
    set_backup_schedule(connection, replace(schedule, **{which: int(number)}))


def _write_stray_mb(connection: Connection, value: Value) -> None:
    most = round(_number("strays_mb", value, least=0.1) * 1e6)
    set_stray_bounds(connection, StrayBounds(most, stray_bounds(connection).most_days))


def _write_stray_days(connection: Connection, value: Value) -> None:
    days = _number("strays_days", value, least=0.1)
    set_stray_bounds(connection, StrayBounds(stray_bounds(connection).most_bytes, days))


def _read_thinning(connection: Connection) -> Value:
    days = thinned_after_days(connection)
    return "never" if days is None else days


def _write_thinning(connection: Connection, value: Value) -> None:
    never = str(value).strip() in ("", "never")
    days = None if never else _number("thin_after_days", value, least=1.0)
    thin_always_after(connection, days)


SETTINGS: tuple[Setting, ...] = (
    Setting(
        "keys",
        "whom an access key is wanted from: " + ", ".join(one.value for one in KeysWanted),
        KeysWanted.BY_DOOR.value,
        lambda connection: keys_wanted(connection).value,
        _write_keys,
    ),
    Setting(
        "passwords",
        "where passwords of channels are kept: " + ", ".join(one.value for one in PasswordsAt),
        PasswordsAt.DESKTOP.value,
        lambda connection: passwords_at(connection).value,
        _write_passwords,
    ),
    Setting(
        "backup_folder", "where daily copies go; empty for none", "", _read_folder, _write_folder
    ),
    *(
        Setting(
            f"backup_{which}",
            words,
            float(usual),
            partial(_read_kept, which),
            partial(_write_kept, which),
        )
        for which, words, usual in (
            (_HOUR, "the hour of day from which the copy is made, by the site's clock", 0),
            ("daily", "how many daily copies stay", 7),
            ("weekly", "how many weekly copies stay", 4),
            ("monthly", "how many monthly copies stay", 12),
        )
    ),
    Setting(
        "strays_mb",
        "megabytes of strays that are kept",
        StrayBounds().most_bytes / 1e6,
        lambda connection: stray_bounds(connection).most_bytes / 1e6,
        _write_stray_mb,
    ),
    Setting(
        "strays_days",
        "days that strays are kept",
        StrayBounds().most_days,
        lambda connection: stray_bounds(connection).most_days,
        _write_stray_days,
    ),
    Setting(
        "thin_after_days",
        "days after which readings are thinned; never for never",
        "never",
        _read_thinning,
        _write_thinning,
    ),
)
"""In the order in which they are listed."""
