"""What a person changes at the Wall and can take back."""

from __future__ import annotations

import time
from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.core.i18n import said
from rook_tally.core.wall.definitions import Sheet
from rook_tally.desk.data.undo import Done
from rook_tally.store.site import (
    PageDevice,
    PageSetting,
    add_page_device,
    keep_page_device,
    keep_sheet,
    order_sheets,
    remove_sheet,
    revoke_page_device,
    set_page,
    sheets,
)


@dataclass(frozen=True, slots=True)
class KeepSheet:
    """A sheet shall be written down; `words` say what was done to it."""

    sheet: Sheet
    instead_of: str = ""
    words: str = ""

    def made(self, connection: Connection) -> Done:
        """Write it."""
        before = keep_sheet(connection, self.sheet, instead_of=self.instead_of)
        words = self.words or said("sheet {0} kept", self.sheet.name)
        if before is None:
            return Done(words, RemoveSheet(self.sheet.slug), self.sheet)
        return Done(words, KeepSheet(before, self.sheet.slug, words), self.sheet)


@dataclass(frozen=True, slots=True)
class RemoveSheet:
    """A sheet shall be taken away."""

    slug: str

    def made(self, connection: Connection) -> Done:
        """Take it away; undone, it stands where it stood."""
        order = tuple(one.slug for one in sheets(connection))
        gone = remove_sheet(connection, self.slug)
        return Done(said("sheet {0} taken away", gone.name), BringBack(gone, order))


@dataclass(frozen=True, slots=True)
class BringBack:
    """A sheet that was taken away shall stand where it stood."""

    sheet: Sheet
    order: tuple[str, ...]

    def made(self, connection: Connection) -> Done:
        """Write it, and put it into its place."""
        keep_sheet(connection, self.sheet)
        order_sheets(connection, self.order)
        return Done(
            said("sheet {0} is back", self.sheet.name), RemoveSheet(self.sheet.slug), self.sheet
        )


@dataclass(frozen=True, slots=True)
class OrderSheets:
    """Sheets shall stand in this order."""

    slugs: tuple[str, ...]

    def made(self, connection: Connection) -> Done:
        """Put them so."""
        before = tuple(one.slug for one in sheets(connection))
        order_sheets(connection, self.slugs)
        return Done(said("sheets put into another order"), OrderSheets(before))


@dataclass(frozen=True, slots=True)
class KeepSheets:
    """Several sheets shall be written down, as a file holds them."""

    sheets: tuple[Sheet, ...]

    def made(self, connection: Connection) -> Done:
        """Write them; those of the same slugs are replaced."""
        before = tuple(sheets(connection))
        for one in self.sheets:
            keep_sheet(connection, one)
        words = said("{0} sheets read", len(self.sheets))
        return Done(words, RestoreSheets(before), self.sheets[-1] if self.sheets else None)


@dataclass(frozen=True, slots=True)
class RestoreSheets:
    """The sheets shall be these and no others."""

    sheets: tuple[Sheet, ...]

    def made(self, connection: Connection) -> Done:
        """Take the others away and write these."""
        before = tuple(sheets(connection))
        for one in before:
            if one.slug not in [kept.slug for kept in self.sheets]:
                remove_sheet(connection, one.slug)
        for one in self.sheets:
            keep_sheet(connection, one)
        order_sheets(connection, [one.slug for one in self.sheets])
        return Done(said("sheets as they were"), RestoreSheets(before))


@dataclass(frozen=True, slots=True)
class SetPage:
    """The page shall be served, or no longer."""

    setting: PageSetting

    def made(self, connection: Connection) -> Done:
        """Write it; the collector follows."""
        before = set_page(connection, self.setting)
        words = said("page switched on") if self.setting.is_on else said("page switched off")
        return Done(words, SetPage(before))


@dataclass(frozen=True, slots=True)
class NewLink:
    """The key that was made for a device: shown once, kept nowhere."""

    device: str
    key: str


@dataclass(frozen=True, slots=True)
class MakeLink:
    """A device shall get a link."""

    name: str

    def made(self, connection: Connection) -> Done:
        """Make its key."""
        key = add_page_device(connection, self.name, now_us=time.time_ns() // 1000)
        return Done(
            said("{0} has a link", self.name), RevokeLink(self.name), NewLink(self.name, key)
        )


@dataclass(frozen=True, slots=True)
class RevokeLink:
    """A device shall be let in no longer."""

    name: str

    def made(self, connection: Connection) -> Done:
        """Take its key away."""
        gone = revoke_page_device(connection, self.name)
        return Done(said("{0} is let in no longer", self.name), LetIn(gone))


@dataclass(frozen=True, slots=True)
class LetIn:
    """A device whose link was taken away shall be let in with it again."""

    device: PageDevice

    def made(self, connection: Connection) -> Done:
        """Write it as it was."""
        keep_page_device(connection, self.device)
        return Done(said("{0} is let in again", self.device.name), RevokeLink(self.device.name))
