"""Commands of every view that can be undone: remarks, corrections, qualities, units."""

from __future__ import annotations

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.unit import Unit
from rook_tally.core.remarks import Remark
from rook_tally.core.series.corrections import Correction, correction_text, in_force
from rook_tally.core.series.readings import Quality
from rook_tally.desk.data.conflict import UNCHECKED, ConflictError, Unchecked, check_base
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import SavedResult, UndoableResult
from rook_tally.store.readings import Overruling, overrule, overrulings, withdraw_overruling
from rook_tally.store.site import (
    CorrectionEntry,
    Series,
    add_correction,
    correction_entries,
    remarks,
    remove_remark,
    save_remark,
    show_in_unit,
    shown_units,
    withdraw_correction,
)


class SaveRemark(msgspec.Struct, frozen=True):
    """A remark shall be written down, or altered when it has an id."""

    remark: Remark
    base: Remark | Unchecked | None = UNCHECKED

    def apply(self, connection: Connection) -> SavedResult[Remark]:
        """Write it.

        Raises
        ------
        ConflictError
            When it is not `base` any more; nothing was written then.
        """
        before = next((one for one in remarks(connection) if one.id == self.remark.id), None)
        check_base(tr("remark “{0}”", self.remark.text), self.base, before)
        kept = save_remark(connection, self.remark)
        sort = "span" if kept.is_span else "pin"
        if before is None:
            return SavedResult(
                tr("{0} “{1}” written down", sort, kept.text), RemoveRemark(kept.id, kept), kept
            )
        return SavedResult(tr("{0} “{1}” changed", sort, kept.text), SaveRemark(before, kept), kept)


class RemoveRemark(msgspec.Struct, frozen=True):
    """A remark shall be deleted."""

    remark_id: int
    base: Remark | Unchecked = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it."""
        if not isinstance(self.base, Unchecked):
            before = next((one for one in remarks(connection) if one.id == self.remark_id), None)
            check_base(tr("remark “{0}”", self.base.text), self.base, before)
        gone = remove_remark(connection, self.remark_id)
        sort = "span" if gone.is_span else "pin"
        return UndoableResult(tr("{0} “{1}” deleted", sort, gone.text), SaveRemark(gone))


class Correct(msgspec.Struct, frozen=True):
    """A series shall be corrected from a moment on. `base` is the correction that held there when
    the person looked: what they gave lies on top of it."""

    series: Series
    correction: Correction
    who: str
    why: str
    now_us: int
    base: Correction | Unchecked | None = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Enter it; one that began at the same moment is replaced, and comes back when undone.

        Raises
        ------
        ConflictError
            When another correction holds there by now; nothing was written then.
        """
        begin_us = self.correction.from_us
        entries = correction_entries(connection, self.series.id)
        held = in_force([one.correction for one in entries], begin_us)
        if not isinstance(self.base, Unchecked) and held != self.base:
            there = tr("nothing") if held is None else correction_text(held, self.series.shown)
            raise ConflictError(
                tr("{0} is corrected by {1} there by now", _name(self.series), there),
                kept=tr("nothing was changed"),
                remedy=tr("look at it as it is now"),
            )
        before = next((one for one in entries if one.correction.from_us == begin_us), None)
        entry_id = add_correction(
            connection,
            self.series.id,
            self.correction,
            who=self.who,
            why=self.why,
            now_us=self.now_us,
        )
        words = tr("{0} corrected", _name(self.series))
        if before is None:
            return UndoableResult(words, WithdrawCorrection(self.series, entry_id))
        return UndoableResult(words, _correct_as(self.series, before, self.correction))


class WithdrawCorrection(msgspec.Struct, frozen=True):
    """A correction shall be taken out of the list."""

    series: Series
    entry_id: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Take it out."""
        before = next(
            (
                one
                for one in correction_entries(connection, self.series.id)
                if one.id == self.entry_id
            ),
            None,
        )
        withdraw_correction(connection, self.entry_id)
        assert before is not None  # withdrawing one that is not there has raised
        left = [one.correction for one in correction_entries(connection, self.series.id)]
        return UndoableResult(
            tr("correction of {0} withdrawn", _name(self.series)),
            _correct_as(self.series, before, in_force(left, before.correction.from_us)),
        )


def _correct_as(series: Series, entry: CorrectionEntry, base: Correction | None) -> Correct:
    return Correct(series, entry.correction, entry.who, entry.why, entry.made_us, base)


class Overrule(msgspec.Struct, frozen=True):
    """Readings of stretches [from, to) shall count as good, or as suspect."""

    series: Series
    stretches: tuple[tuple[int, int], ...]
    quality: Quality
    who: str
    why: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Say so; answers with how it is taken back. Words spoken before of the very same readings
        are withdrawn, those of others stand in the way."""
        before = overrulings(connection, self.series.id)
        replaced = []
        made = []
        for from_us, to_us in self.stretches:
            for one in before:
                if from_us <= one.from_us and one.to_us <= to_us:
                    withdraw_overruling(connection, self.series, one.id)
                    replaced.append(one)
            made.append(
                overrule(
                    connection,
                    self.series,
                    from_us,
                    to_us,
                    self.quality,
                    who=self.who,
                    why=self.why,
                )
            )
        if self.quality is Quality.GOOD:
            words = tr("readings of {0} counted as good", _name(self.series))
        else:
            words = tr("readings of {0} counted as suspect", _name(self.series))
        return UndoableResult(words, _Restate(self.series, tuple(made), tuple(replaced)))


class _Restate(msgspec.Struct, frozen=True):
    """Some words on readings are taken back, others spoken again."""

    series: Series
    withdrawn: tuple[int, ...]
    spoken: tuple[Overruling, ...]

    def apply(self, connection: Connection) -> UndoableResult:
        """Do so."""
        known = {one.id: one for one in overrulings(connection, self.series.id)}
        gone = tuple(known[one] for one in self.withdrawn if one in known)
        for one in gone:
            withdraw_overruling(connection, self.series, one.id)
        again = tuple(
            overrule(
                connection,
                self.series,
                one.from_us,
                one.to_us,
                one.quality,
                who=one.who,
                why=one.why,
            )
            for one in self.spoken
        )
        words = tr("word on readings of {0} taken back", _name(self.series))
        return UndoableResult(words, _Restate(self.series, again, gone))


class ShowInUnit(msgspec.Struct, frozen=True):
    """A quantity shall be shown in another unit, everywhere."""

    quantity: Quantity
    unit: Unit
    base: Unit | Unchecked = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Do so."""
        before = shown_units(connection).get(self.quantity.slug, self.quantity.base)
        if not isinstance(self.base, Unchecked) and before != self.base:
            words = tr("{0} is shown in {1} by now", self.quantity.name, before.symbol)
            raise ConflictError(words, kept=tr("nothing was changed"))
        show_in_unit(connection, self.quantity, self.unit)
        words = tr("{0} shown in {1}", self.quantity.name, self.unit.symbol)
        return UndoableResult(words, ShowInUnit(self.quantity, before, self.unit))


def _name(series: Series) -> str:
    return f"{series.station.place.name} {series.quantity.name}"
