"""Commands of the Wall that can be undone."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally import clock
from rook_tally.core.wall.definitions import WallSheet
from rook_tally.desk.data.conflict import UNCHECKED, ConflictError, Unchecked, check_base
from rook_tally.desk.data.undo import SavedResult, UndoableResult
from rook_tally.desk.wall.texts import tr, tr_count
from rook_tally.store.site import (
    PageDevice,
    PageSetting,
    add_page_device,
    keep_page_device,
    order_sheets,
    remove_sheet,
    revoke_page_device,
    save_sheet,
    set_page,
    sheets,
)


@dataclass(frozen=True, slots=True)
class SaveSheet:
    """A sheet shall be written down; `words` say what was done to it."""

    sheet: WallSheet
    instead_of: str = ""
    words: str = ""
    base: WallSheet | Unchecked | None = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it.

        Raises
        ------
        ConflictError
            When it is not `base` any more; nothing was written then.
        """
        replaced = self.instead_of or self.sheet.slug
        check_base(self.sheet.name, self.base, _sheet_called(connection, replaced))
        before = save_sheet(connection, self.sheet, instead_of=self.instead_of)
        words = self.words or tr("sheet {0} saved", self.sheet.name)
        if before is None:
            return UndoableResult(words, RemoveSheet(self.sheet.slug, self.sheet))
        return UndoableResult(words, SaveSheet(before, self.sheet.slug, words, self.sheet))


def _sheet_called(connection: Connection, slug: str) -> WallSheet | None:
    return next((one for one in sheets(connection) if one.slug == slug), None)


@dataclass(frozen=True, slots=True)
class RemoveSheet:
    """A sheet shall be deleted."""

    slug: str
    base: WallSheet | Unchecked = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it; undone, it stands where it stood."""
        check_base(self.slug, self.base, _sheet_called(connection, self.slug))
        order = tuple(one.slug for one in sheets(connection))
        gone = remove_sheet(connection, self.slug)
        return UndoableResult(tr("sheet {0} deleted", gone.name), BringBack(gone, order))


@dataclass(frozen=True, slots=True)
class BringBack:
    """A sheet that was deleted shall stand where it stood."""

    sheet: WallSheet
    order: tuple[str, ...]

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it, and put it into its place."""
        check_base(self.sheet.name, None, _sheet_called(connection, self.sheet.slug))
        save_sheet(connection, self.sheet)
        now = [one.slug for one in sheets(connection)]
        # Those that others made or deleted since stay as they are.
        order_sheets(
            connection,
            [
                *(one for one in self.order if one in now),
                *(one for one in now if one not in self.order),
            ],
        )
        return UndoableResult(
            tr("sheet {0} is back", self.sheet.name), RemoveSheet(self.sheet.slug, self.sheet)
        )


@dataclass(frozen=True, slots=True)
class OrderSheets:
    """Sheets shall stand in this order."""

    slugs: tuple[str, ...]

    def apply(self, connection: Connection) -> UndoableResult:
        """Put them so."""
        before = tuple(one.slug for one in sheets(connection))
        if set(before) != set(self.slugs):
            raise ConflictError(
                tr("sheets were made or deleted by somebody else meanwhile"),
                kept=tr("their order is as it was"),
            )
        order_sheets(connection, self.slugs)
        return UndoableResult(tr("sheets put into another order"), OrderSheets(before))


@dataclass(frozen=True, slots=True)
class SaveSheets:
    """Several sheets shall be written down, as a file holds them."""

    sheets: tuple[WallSheet, ...]

    def apply(self, connection: Connection) -> UndoableResult:
        """Write them; those of the same slugs are replaced."""
        before = tuple(sheets(connection))
        for one in self.sheets:
            save_sheet(connection, one)
        words = tr_count(len(self.sheets), "1 sheet read", "{0} sheets read")
        return UndoableResult(words, RestoreSheets(before, tuple(sheets(connection))))


@dataclass(frozen=True, slots=True)
class RestoreSheets:
    """The sheets shall be these and no others."""

    sheets: tuple[WallSheet, ...]
    base: tuple[WallSheet, ...]

    def apply(self, connection: Connection) -> UndoableResult:
        """Take the others away and write these."""
        before = tuple(sheets(connection))
        if before != self.base:
            raise ConflictError(
                tr("the sheets were changed by somebody else meanwhile"),
                kept=tr("nothing was changed"),
                remedy=tr("delete those you do not want one by one"),
            )
        for one in before:
            if one.slug not in [kept.slug for kept in self.sheets]:
                remove_sheet(connection, one.slug)
        for one in self.sheets:
            save_sheet(connection, one)
        order_sheets(connection, [one.slug for one in self.sheets])
        return UndoableResult(
            tr("sheets as they were"), RestoreSheets(before, tuple(sheets(connection)))
        )


@dataclass(frozen=True, slots=True)
class SetPage:
    """The page shall be served, or no longer."""

    setting: PageSetting

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it; the collector follows."""
        before = set_page(connection, self.setting)
        words = tr("page switched on") if self.setting.is_on else tr("page switched off")
        return UndoableResult(words, SetPage(before))


@dataclass(frozen=True, slots=True)
class NewLink:
    """The key that was made for a device: shown once, kept nowhere."""

    device: str
    key: str


@dataclass(frozen=True, slots=True)
class MakeLink:
    """A device shall get a link."""

    name: str

    def apply(self, connection: Connection) -> SavedResult[NewLink]:
        """Make its key."""
        key = add_page_device(connection, self.name, now_us=clock.now_us())
        return SavedResult(
            tr("{0} has a link", self.name), RevokeLink(self.name), NewLink(self.name, key)
        )


@dataclass(frozen=True, slots=True)
class RevokeLink:
    """A device shall be let in no longer."""

    name: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Take its key away."""
        gone = revoke_page_device(connection, self.name)
        return UndoableResult(tr("{0} is let in no longer", self.name), LetIn(gone))


@dataclass(frozen=True, slots=True)
class LetIn:
    """A device whose link was deleted shall be let in with it again."""

    device: PageDevice

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it as it was."""
        keep_page_device(connection, self.device)
        return UndoableResult(
            tr("{0} is let in again", self.device.name), RevokeLink(self.device.name)
        )
