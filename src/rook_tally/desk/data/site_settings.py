"""The settings of the site as a whole, as a person changes them; decided without Qt."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
from msgspec.structs import replace
from msgspec.structs import replace as replaced
from sqlalchemy.engine import Connection

from rook_tally.core.access_policy import KeysWanted, PasswordsAt
from rook_tally.core.errors import UsageError
from rook_tally.core.moment_words import moment_words
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.site_settings import SiteSettings
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.conflict import UNCHECKED, Unchecked, check_base
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.store.maintenance.backup_schedule import (
    BackupSchedule,
    backup_schedule,
    last_backup,
    schedule_into,
    set_backup_schedule,
)
from rook_tally.store.maintenance.thinning import thin_always_after, thinned_after_days
from rook_tally.store.site import StrayBounds, load_site, set_site, set_stray_bounds, stray_bounds
from rook_tally.store.site.configuration import settle_site, zone_named
from rook_tally.store.site.trust import keys_wanted, passwords_at, set_keys_wanted, set_passwords_at

KEYS = (
    (KeysWanted.BY_DOOR, "everybody, once the HTTP door is open to the network"),
    (KeysWanted.FROM_ALL, "everybody, on this machine too"),
    (KeysWanted.FROM_NETWORK, "those in the network, nobody on this machine"),
)
PASSWORDS = (
    (PasswordsAt.DESKTOP, "in the desktop's password store, where there is one"),
    (PasswordsAt.IN_STORE, "in the store, with the readings"),
)


NO_COPIES = BackupSchedule("")


class SiteForm(msgspec.Struct, frozen=True):
    """Settings of the whole site.

    `copies` says where daily copies go (a folder that is empty: none are made), from when on and
    how many stay; `thin_after_days` is None when every reading is kept for good; `can_be_copied` is
    False for a server's store; `settings` are position, height and the like.
    """

    name: str
    zone: str
    keys: KeysWanted
    passwords: PasswordsAt
    copies: BackupSchedule = NO_COPIES
    strays: StrayBounds = msgspec.field(default_factory=StrayBounds)
    thin_after_days: float | None = None
    copied: str = ""
    can_be_copied: bool = True
    settings: SiteSettings = msgspec.field(default_factory=SiteSettings)


@dataclass(frozen=True, slots=True)
class SiteSettingsQuery:
    """The settings of the site."""

    subject: str = "site settings"

    def run(self, connection: Connection) -> SiteForm:
        """Read them."""
        site, schedule = load_site(connection), backup_schedule(connection)
        last = last_backup(connection)
        copied = ""
        if schedule is not None and last.made_us:
            made = datetime_from_time_us(last.made_us).astimezone(zone_named(site.zone))
            copied = tr("the last one on {0}", moment_words(made, year=True))
        if schedule is not None and last.trouble:
            copied = tr("the last one failed: {0}", last.trouble)
        return SiteForm(
            site.name,
            site.zone,
            keys_wanted(connection),
            passwords_at(connection),
            schedule or NO_COPIES,
            stray_bounds(connection),
            thinned_after_days(connection),
            copied,
            can_be_copied=connection.dialect.name == "sqlite",
            settings=site.settings,
        )


@dataclass(frozen=True, slots=True)
class SaveSiteSettings:
    """The settings of the site shall be these."""

    wanted: SiteForm
    base: SiteForm | Unchecked = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Write them.

        Raises
        ------
        UsageError
            When there is no such zone, or copies cannot be put where they are to go; nothing was
            changed then.
        ConflictError
            When they are not `base` any more; nothing was changed then.
        """
        before, wanted = SiteSettingsQuery().run(connection), self.wanted
        if not isinstance(self.base, Unchecked):
            # When the last copy was made is no setting.
            base = replace(self.base, copied=before.copied)
            check_base(tr("The site's settings"), base, before)
        if wanted.copies != before.copies:
            self._write_copies(connection, before)
        if wanted.strays != before.strays:
            set_stray_bounds(connection, wanted.strays)
        if wanted.thin_after_days != before.thin_after_days:
            thin_always_after(connection, wanted.thin_after_days)
        set_site(connection, name=wanted.name, zone=wanted.zone.strip())
        settle_site(connection, wanted.settings)
        set_keys_wanted(connection, wanted.keys)
        set_passwords_at(connection, wanted.passwords)
        after = SiteSettingsQuery().run(connection)
        return UndoableResult(tr("The site's settings are saved"), SaveSiteSettings(before, after))

    def _write_copies(self, connection: Connection, before: SiteForm) -> None:
        wanted = self.wanted.copies
        folder = wanted.folder.strip()
        if folder and not before.can_be_copied:
            raise UsageError(
                tr("a server's store is copied by the server's own tools"),
                remedy=tr("leave the folder empty"),
            )
        if folder != before.copies.folder and folder:
            folder = schedule_into(folder).folder
        set_backup_schedule(connection, replaced(wanted, folder=folder) if folder else None)


def typed_count(name: str, text: str, *, least: float = 0.0, most: float = 10_000.0) -> float:
    """A number as it is typed beside its name.

    Raises
    ------
    UsageError
        When it is none, or out of bounds.
    """
    number = typed_number(text)
    if not least <= number <= most:
        raise UsageError(
            tr("{0}: {1} cannot be", name, text.strip()),
            remedy=tr("give a number from {0:g} to {1:g}", least, most),
        )
    return number
