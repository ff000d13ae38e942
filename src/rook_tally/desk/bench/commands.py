"""Commands of the Bench that can be undone."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
from sqlalchemy.engine import Connection

from rook_tally import clock
from rook_tally.bench.calibrate import CalibrationRecord, PointRow, new_point
from rook_tally.bench.correct import corrections_of_proposal
from rook_tally.bench.find import StraySeries
from rook_tally.bench.pair import PairAnswer
from rook_tally.bench.stray_watch import StrayWatch, watch_stray
from rook_tally.bench.wording import long_name
from rook_tally.core.comparing.bench_items import BenchItem
from rook_tally.core.errors import UsageError
from rook_tally.core.series.corrections import Correction, CorrectionUncertainty
from rook_tally.desk.bench.texts import tr, tr_count
from rook_tally.desk.data.undo import SavedResult, UndoableResult
from rook_tally.login import login_name
from rook_tally.store.alarms import remove_watch
from rook_tally.store.readings.field_meaning import settle_field
from rook_tally.store.site import (
    CorrectionEntry,
    Series,
    add_correction,
    correction_entries,
    load_site,
    withdraw_correction,
)
from rook_tally.store.site.bench_items import bench_items, drop_bench_item, keep_bench_item
from rook_tally.store.site.reference_points import (
    ReferencePoint,
    add_reference_point,
    remove_reference_point,
)
from rook_tally.store.workings import remove_group, remove_working


@dataclass(frozen=True, slots=True)
class KeepItem:
    """Something shall be kept on the Bench, in place of another when it was altered."""

    item: BenchItem
    instead_of: BenchItem | None = None

    def apply(self, connection: Connection) -> SavedResult[BenchItem]:
        """Keep it."""
        before = self.instead_of
        if before is not None and before in bench_items(connection):
            drop_bench_item(connection, before)
        else:
            before = None
        keep_bench_item(connection, self.item)
        inverse = DropItem(self.item) if before is None else KeepItem(before, self.item)
        return SavedResult(tr("kept on the Bench"), inverse, self.item)


@dataclass(frozen=True, slots=True)
class DropItem:
    """Something shall be kept on the Bench no more."""

    item: BenchItem

    def apply(self, connection: Connection) -> UndoableResult:
        """Take it away; nothing but the item goes."""
        drop_bench_item(connection, self.item)
        return UndoableResult(tr("taken off the Bench"), KeepItem(self.item))


Wanted = tuple[tuple[Correction, CorrectionUncertainty | None], ...]


@dataclass(frozen=True, slots=True)
class PutCorrections:
    """A series shall have these corrections besides those before `from_us`; what began from then on
    goes. `base`: the corrections as they stood when the person looked."""

    series: Series
    wanted: Wanted
    why: str
    base: tuple[CorrectionEntry, ...]

    def apply(self, connection: Connection) -> UndoableResult:
        """Write them, in place of those that begin at the same moments or between.

        Raises
        ------
        UsageError
            When other corrections hold by now; nothing was changed then.
        """
        entries = tuple(correction_entries(connection, self.series.id))
        if [one.correction for one in entries] != [one.correction for one in self.base]:
            raise UsageError(
                tr("{0} is corrected otherwise by now", long_name(self.series)),
                kept=tr("nothing was changed"),
                remedy=tr("look at it as it is now"),
            )
        first = min(one.from_us for one, _ in self.wanted)
        for entry in entries:
            if entry.correction.from_us >= first:
                withdraw_correction(connection, entry.id)
        for correction, uncertainty in self.wanted:
            add_correction(
                connection,
                self.series.id,
                correction,
                who=login_name(),
                why=self.why,
                now_us=clock.now_us(),
                uncertainty=uncertainty,
            )
        after = tuple(correction_entries(connection, self.series.id))
        words = tr("{0} corrected", long_name(self.series))
        return UndoableResult(words, _RestoreCorrections(self.series, entries, after))


@dataclass(frozen=True, slots=True)
class _RestoreCorrections:
    """The corrections of a series shall be these again, unless others were made since."""

    series: Series
    entries: tuple[CorrectionEntry, ...]
    base: tuple[CorrectionEntry, ...]

    def apply(self, connection: Connection) -> UndoableResult:
        there = tuple(correction_entries(connection, self.series.id))
        if [one.correction for one in there] != [one.correction for one in self.base]:
            raise UsageError(
                tr("{0} was corrected again since", long_name(self.series)),
                kept=tr("nothing was changed"),
                remedy=tr("take back that one first"),
            )
        for entry in there:
            withdraw_correction(connection, entry.id)
        for entry in self.entries:
            add_correction(
                connection,
                self.series.id,
                entry.correction,
                who=entry.who,
                why=entry.why,
                now_us=entry.made_us,
                uncertainty=entry.uncertainty,
            )
        words = tr("corrections of {0} as they were", long_name(self.series))
        after = tuple(correction_entries(connection, self.series.id))
        return UndoableResult(words, _RestoreCorrections(self.series, self.base, after))


@dataclass(frozen=True, slots=True)
class TakeProposal:
    """The correction that two series carry shall hold for the second, from a moment on if one is
    given, else over all that was compared."""

    answer: PairAnswer
    from_us: int | None = None

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it on top of what holds."""
        series = self.answer.second
        wanted = tuple(corrections_of_proposal(connection, self.answer, self.from_us))
        why = tr("beside {0}", self.answer.first.station.key)
        base = tuple(correction_entries(connection, series.id))
        return PutCorrections(series, wanted, why, base).apply(connection)


@dataclass(frozen=True, slots=True)
class TakeCalibration:
    """The correction that reference points say shall hold from a moment on."""

    record: CalibrationRecord
    from_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it: points are about what the sensor itself says.

        Raises
        ------
        UsageError
            When the points say none.
        """
        record = self.record
        if record.proposal is None:
            raise UsageError(record.refused.rstrip("."), kept=tr("nothing was corrected"))
        meters = ", ".join(sorted({one.meter for one in record.points if one.meter}))
        why = tr_count(record.fit.n, "1 reference point", "{0} reference points")
        correction = Correction(self.from_us, record.proposal.gain, record.proposal.offset)
        return PutCorrections(
            record.series,
            ((correction, record.uncertainty),),
            f"{why}, {meters}" if meters else why,
            record.corrections,
        ).apply(connection)


@dataclass(frozen=True, slots=True)
class AddPoints:
    """Reference points shall be kept, as somebody wrote them down."""

    series_id: int
    rows: tuple[PointRow, ...]
    over_s: float

    def apply(self, connection: Connection) -> UndoableResult:
        """Look up what the sensor said then, and keep both.

        Raises
        ------
        UsageError
            When the sensor was not heard at one of the moments; none was kept then.
        """
        series = next(one for one in load_site(connection).series if one.id == self.series_id)
        made = []
        shaky = 0
        for row in self.rows:
            point, seen = new_point(
                connection, series, row, over_s=self.over_s, who=login_name(), now_us=clock.now_us()
            )
            number = add_reference_point(connection, point)
            made.append(msgspec.structs.replace(point, id=number))
            shaky += not seen.is_steady
        words = tr_count(len(made), "reference point kept", "{0} reference points kept")
        if shaky:
            words += "; " + tr("the sensor was not steady then")
        return UndoableResult(words, _RemovePoints(tuple(made)))


@dataclass(frozen=True, slots=True)
class _RestorePoints:
    points: tuple[ReferencePoint, ...]

    def apply(self, connection: Connection) -> UndoableResult:
        for one in self.points:
            add_reference_point(connection, one)
        words = tr_count(len(self.points), "reference point kept", "{0} reference points kept")
        return UndoableResult(words, _RemovePoints(self.points))


@dataclass(frozen=True, slots=True)
class _RemovePoints:
    points: tuple[ReferencePoint, ...]

    def apply(self, connection: Connection) -> UndoableResult:
        gone = tuple(remove_reference_point(connection, one.id) for one in self.points)
        words = tr_count(len(gone), "reference point taken away", "{0} reference points taken away")
        return UndoableResult(words, _RestorePoints(gone))


@dataclass(frozen=True, slots=True)
class RemovePoint:
    """A reference point shall be taken away."""

    point_id: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Take it away; it comes back when that is undone."""
        gone = remove_reference_point(connection, self.point_id)
        return UndoableResult(tr("reference point taken away"), _RestorePoints((gone,)))


@dataclass(frozen=True, slots=True)
class WatchStray:
    """Whether a series leaves its group shall be watched."""

    stray: StraySeries

    def apply(self, connection: Connection) -> SavedResult[str]:
        """Write down group, working and watch; all three go when that is undone."""
        made = watch_stray(connection, self.stray, now_us=clock.now_us())
        return SavedResult(
            tr("{0} is watched from now on", long_name(self.stray.series)),
            _UnwatchStray(self.stray, made),
            made.watch.slug,
        )


@dataclass(frozen=True, slots=True)
class _UnwatchStray:
    stray: StraySeries
    made: StrayWatch

    def apply(self, connection: Connection) -> UndoableResult:
        remove_watch(connection, self.made.watch.slug)
        remove_working(connection, self.made.working)
        remove_group(connection, self.made.group)
        words = tr("{0} is watched no more", long_name(self.stray.series))
        return UndoableResult(words, WatchStray(self.stray))


@dataclass(frozen=True, slots=True)
class SetDue:
    """A calibration shall be due again after so many months; None for never."""

    series: Series
    months: float | None

    def apply(self, connection: Connection) -> UndoableResult:
        """Settle it."""
        series = next(one for one in load_site(connection).series if one.id == self.series.id)
        before = series.settings.calibration_months
        settings = msgspec.structs.replace(series.settings, calibration_months=self.months)
        settle_field(connection, series, settings)
        words = (
            tr("{0} is never due again", long_name(series))
            if self.months is None
            else tr("{0} is due again after {1} months", long_name(series), f"{self.months:g}")
        )
        return UndoableResult(words, SetDue(series, before))
