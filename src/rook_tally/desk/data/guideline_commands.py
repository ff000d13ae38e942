"""Guidelines in the window: those that come along, and own ones, made, changed and deleted."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.core.quantities.guidelines import Guideline
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.store.site.guidelines import (
    guidelines,
    own_guidelines,
    remove_guideline,
    save_guideline,
)


@dataclass(frozen=True, slots=True)
class KnownGuidelines:
    """All of them, and which are own."""

    all: tuple[Guideline, ...]
    own: frozenset[str]


@dataclass(frozen=True, slots=True)
class GuidelinesQuery:
    """Asks for every guideline."""

    def run(self, connection: Connection) -> KnownGuidelines:
        """Read them."""
        own = frozenset(one.slug for one in own_guidelines(connection))
        return KnownGuidelines(tuple(guidelines(connection)), own)


@dataclass(frozen=True, slots=True)
class SaveGuideline:
    """An own guideline shall be as this says."""

    told: Guideline

    def apply(self, connection: Connection) -> UndoableResult:
        """Save it."""
        before = save_guideline(connection, self.told)
        inverse = RemoveGuideline(self.told.slug) if before is None else SaveGuideline(before)
        return UndoableResult(tr("guideline {0} saved", self.told.name), inverse)


@dataclass(frozen=True, slots=True)
class RemoveGuideline:
    """An own guideline shall be no more."""

    slug: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it."""
        gone = remove_guideline(connection, self.slug)
        return UndoableResult(tr("guideline {0} deleted", gone.name), SaveGuideline(gone))
