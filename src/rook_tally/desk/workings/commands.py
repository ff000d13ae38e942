"""Commands of the Workings view that can be undone."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.core.quantities.named_series import Group
from rook_tally.core.workings.definitions import Working
from rook_tally.desk.data.conflict import UNCHECKED, Unchecked, check_base
from rook_tally.desk.data.undo import SavedResult, UndoableResult
from rook_tally.desk.workings.texts import tr
from rook_tally.store.workings import (
    groups,
    remove_group,
    remove_working,
    save_group,
    save_working,
    workings,
)


@dataclass(frozen=True, slots=True)
class SaveWorking:
    """A working shall be written down; in place of another when it was renamed."""

    working: Working
    instead_of: str = ""
    base: Working | Unchecked | None = UNCHECKED

    def apply(self, connection: Connection) -> SavedResult[Working]:
        """Write it.

        Raises
        ------
        ConflictError
            When it is not `base` any more; nothing was written then.
        """
        replaced = self.instead_of or self.working.slug
        before = _working_called(connection, replaced)
        check_base(self.working.name, self.base, before)
        save_working(connection, self.working, instead_of=replaced)
        if before is None:
            return SavedResult(
                tr("{0} is worked out from now on", self.working.name),
                RemoveWorking(self.working.slug, self.working),
                self.working,
            )
        return SavedResult(
            tr("{0} changed; its past is worked out again", self.working.name),
            SaveWorking(before, self.working.slug, self.working),
            self.working,
        )


@dataclass(frozen=True, slots=True)
class RemoveWorking:
    """A working shall be deleted."""

    slug: str
    base: Working | Unchecked = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it."""
        if not isinstance(self.base, Unchecked):
            check_base(self.base.name, self.base, _working_called(connection, self.slug))
        gone = remove_working(connection, self.slug)
        return UndoableResult(tr("{0} deleted", gone.name), SaveWorking(gone, base=None))


def _working_called(connection: Connection, slug: str) -> Working | None:
    return next((one for one in workings(connection) if one.slug == slug), None)


@dataclass(frozen=True, slots=True)
class SaveGroup:
    """A group shall be written down; in place of another when it was renamed."""

    group: Group
    instead_of: str = ""
    base: Group | Unchecked | None = UNCHECKED

    def apply(self, connection: Connection) -> SavedResult[Group]:
        """Write it.

        Raises
        ------
        ConflictError
            When it is not `base` any more; nothing was written then.
        """
        replaced = self.instead_of or self.group.name
        before = _group_called(connection, replaced)
        check_base(tr("group {0}", replaced), self.base, before)
        save_group(connection, self.group, instead_of=replaced)
        if before is None:
            return SavedResult(
                tr("group {0} made", self.group.name),
                RemoveGroup(self.group.name, self.group),
                self.group,
            )
        return SavedResult(
            tr("group {0} changed", self.group.name),
            SaveGroup(before, self.group.name, self.group),
            self.group,
        )


@dataclass(frozen=True, slots=True)
class RemoveGroup:
    """A group shall be deleted."""

    name: str
    base: Group | Unchecked = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it."""
        before = _group_called(connection, self.name)
        check_base(tr("group {0}", self.name), self.base, before)
        remove_group(connection, self.name)
        assert before is not None  # removing one that is not there has raised
        return UndoableResult(tr("group {0} deleted", self.name), SaveGroup(before, base=None))


def _group_called(connection: Connection, name: str) -> Group | None:
    return next((one for one in groups(connection) if one.name == name), None)
