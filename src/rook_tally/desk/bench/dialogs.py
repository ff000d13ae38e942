"""What a person says to the Bench: something new, a reference point, when due again."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QFormLayout, QLineEdit, QWidget

from rook_tally.bench.calibrate import PointRow
from rook_tally.bench.events import EventSource, source_from
from rook_tally.bench.wording import long_name
from rook_tally.core.comparing.bench_items import (
    AirItem,
    BenchItem,
    EventItem,
    PairItem,
    SensorItem,
    UsualItem,
)
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.theme import Theme
from rook_tally.core.time_input import typed_time
from rook_tally.desk.bench.rows import event_words, heading_of
from rook_tally.desk.bench.texts import tr
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.store.site import Series

_SORTS: tuple[BenchItem, ...] = (
    PairItem(0, 0),
    SensorItem(0),
    EventItem(""),
    UsualItem(0),
    AirItem(0),
)
_FIELDS = {
    PairItem: ("first", "second", "third"),
    SensorItem: ("series",),
    EventItem: ("event", "before", "after"),
    UsualItem: ("series", "above"),
    AirItem: ("series", "volume", "cleaner"),
}


class ItemDialog(SavingDialog):
    """Puts something on the Bench, or alters what is there. `take` gets it once it can be meant."""

    def __init__(
        self,
        theme: Theme,
        state: SiteState,
        sources: Sequence[EventSource],
        begun: BenchItem | None,
        take: Callable[[BenchItem], None],
        parent: QWidget,
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Put on the Bench"))
        self._state, self._take = state, take
        # Further series beside the first of what is altered.
        self._more: tuple[int, ...] = ()
        self.setWindowTitle(tr("Something new on the Bench"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setMinimumWidth(470)
        self._series = [
            one for one in state.site.series_in_use if one.quantity.scale is not QuantityScale.STATE
        ]
        self._states = [
            one for one in state.site.series_in_use if one.quantity.scale is QuantityScale.STATE
        ]
        self.sort = QComboBox()
        for one in _SORTS:
            self.sort.addItem(heading_of(one), type(one))
        self.first, self.second, self.series = (self._picker(self._series) for _ in range(3))
        self.cleaner = self._picker(self._states, tr("none"))
        self.third = self._picker(self._series, tr("none"))
        self.source = QComboBox()
        self.source.setEditable(True)
        for source in sources:
            self.source.addItem(", ".join(event_words(source.text, state)), source.text)
        self.source.setToolTip(tr("on:switch@booth, pin:words, alarm:watch, co2@shop>900"))
        self.before, self.after = QLineEdit("30"), QLineEdit("120")
        self.above, self.volume = QLineEdit(), QLineEdit()
        self.above.setPlaceholderText(tr("the limit in force, where there is one"))
        self.volume.setPlaceholderText(tr("m³, for the clean air of a cleaner"))
        self.form = QFormLayout(self)
        self.form.setContentsMargins(24, 16, 24, 16)
        self.form.addRow(tr("What"), self.sort)
        rows: tuple[tuple[str, str, QWidget], ...] = (
            ("first", tr("Believed"), self.first),
            ("second", tr("Tried against it"), self.second),
            ("third", tr("and also"), self.third),
            ("series", tr("Series"), self.series),
            ("event", tr("When"), self.source),
            ("before", tr("Minutes before"), self.before),
            ("after", tr("Minutes after"), self.after),
            ("above", tr("Above"), self.above),
            ("volume", tr("Volume of the room"), self.volume),
            ("cleaner", tr("Switch of a cleaner"), self.cleaner),
        )
        self._rows = {name: widget for name, _, widget in rows}
        for _, words, widget in rows:
            widget.setAccessibleName(words)
            self.form.addRow(words, widget)
        self.form.addRow("", self.problem)
        self.form.addRow(self.buttons)
        self.sort.currentIndexChanged.connect(self._on_sort)
        self.buttons.accepted.connect(self._try)
        if begun is not None:
            self._begin_with(begun)
        self._on_sort()

    def _picker(self, series: Sequence[Series], none: str = "") -> QComboBox:
        made = QComboBox()
        made.setEditable(True)
        made.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        completer = made.completer()
        if completer is not None:
            completer.setFilterMode(Qt.MatchFlag.MatchContains)
            completer.setCompletionMode(completer.CompletionMode.PopupCompletion)
        if none:
            made.addItem(none, 0)
        for one in series:
            made.addItem(long_name(one), one.id)
        return made

    def _begin_with(self, item: BenchItem) -> None:
        self.sort.setCurrentIndex([type(one) for one in _SORTS].index(type(item)))

        def pick(picker: QComboBox, series_id: int) -> None:
            picker.setCurrentIndex(max(0, picker.findData(series_id)))

        match item:
            case PairItem():
                pick(self.first, item.first)
                pick(self.second, item.second)
                pick(self.third, item.others[0] if item.others else 0)
                self._more = item.others[1:]
            case SensorItem():
                pick(self.series, item.sensor)
            case EventItem():
                at = self.source.findData(item.source)
                self.source.setCurrentIndex(at)
                if at < 0:
                    self.source.setEditText(item.source)
                self.before.setText(f"{item.before_min:g}")
                self.after.setText(f"{item.after_min:g}")
            case UsualItem():
                pick(self.series, item.of)
                one = self._state.by_id.get(item.of)
                if item.threshold is not None and one is not None:
                    self.above.setText(one.shown.limit_text(item.threshold))
            case AirItem():
                pick(self.series, item.by)
                pick(self.cleaner, item.cleaner or 0)
                self.volume.setText("" if item.volume_m3 is None else f"{item.volume_m3:g}")

    def _on_sort(self) -> None:
        shown = _FIELDS[self.sort.currentData()]
        for name, widget in self._rows.items():
            self.form.setRowVisible(widget, name in shown)
        self.adjustSize()

    def item(self) -> BenchItem:
        """What was said.

        Raises
        ------
        UsageError
            While something is missing or cannot be meant.
        """
        sort = self.sort.currentData()
        if sort is PairItem:
            first, second = self._picked(self.first), self._picked(self.second)
            if first.id == second.id:
                raise UsageError("that is one series twice", remedy="choose another beside it")
            third = self.third.currentData() or 0
            others = (third,) if third not in (0, first.id, second.id) else ()
            return PairItem(first.id, second.id, (*others, *self._more))
        if sort is EventItem:
            source = source_from(self._event_text())
            before, after = typed_number(self.before.text()), typed_number(self.after.text())
            if not (before > 0 and after > 0):
                raise UsageError("nothing is looked at", remedy="give minutes above 0")
            return EventItem(source.text, before, after)
        one = self._picked(self.series)
        if sort is SensorItem:
            return SensorItem(one.id)
        if sort is UsualItem:
            typed = self.above.text().strip()
            level = float(one.shown.unit.to_base(typed_number(typed))) if typed else None
            return UsualItem(one.id, level)
        typed = self.volume.text().strip()
        volume = typed_number(typed) if typed else None
        if volume is not None and not volume > 0:
            raise UsageError("a room has a volume above 0", remedy="give it in m³, or leave it out")
        return AirItem(one.id, volume, self.cleaner.currentData() or None)

    def _event_text(self) -> str:
        """The event as commands say it: of the list, or as typed."""
        typed = self.source.currentText()
        at = self.source.findText(typed)
        return str(self.source.itemData(at)) if at >= 0 else typed

    def _picked(self, picker: QComboBox) -> Series:
        at = picker.findText(picker.currentText())
        found = self._state.by_id.get(picker.itemData(at)) if at >= 0 else None
        if found is None:
            raise UsageError(
                f"no series is called {picker.currentText()!r}", remedy="choose one of the list"
            )
        return found

    def _try(self) -> None:
        try:
            item = self.item()
        except UsageError as error:
            self.say(str(error))
            return
        self._take(item)
        self.saved()


class PointDialog(SavingDialog):
    """Takes a reference point: what a better meter says. `take` gets it, with the dialog
    that is to hear what came of it."""

    def __init__(
        self,
        theme: Theme,
        state: SiteState,
        series: Series,
        take: Callable[[PointRow, float, SavingDialog], None],
        parent: QWidget,
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Keep this point"))
        self._state, self._series, self._take = state, series, take
        self.setWindowTitle(tr("A reference point: {0}", long_name(series)))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setMinimumWidth(430)
        unit = series.shown.symbol
        self.value, self.wide, self.meter, self.note = (QLineEdit() for _ in range(4))
        self.at, self.over = QLineEdit("now"), QLineEdit("5")
        newest = state.latest.get(series.id)
        says = (
            tr("not heard yet")
            if newest is None
            else f"{series.shown.text(newest.value)} {unit}".rstrip()
        )
        self.says = Label(says)
        self.wide.setPlaceholderText(tr("±, one standard deviation; may be left out"))
        self.at.setPlaceholderText(tr("now, yesterday 14:00, 2026-08-12 …"))
        form = QFormLayout(self)
        form.setContentsMargins(24, 16, 24, 16)
        for words, widget in (
            (tr("The sensor shows now"), self.says),
            (tr("The meter says, {0}", unit), self.value),
            (tr("sure to, ± {0}", unit), self.wide),
            (tr("At"), self.at),
            (tr("Averaged over, minutes"), self.over),
            (tr("Meter"), self.meter),
            (tr("Note"), self.note),
        ):
            widget.setAccessibleName(words)
            form.addRow(words, widget)
        form.addRow("", self.problem)
        form.addRow(self.buttons)
        self.buttons.accepted.connect(self._try)

    def _try(self) -> None:
        try:
            told = typed_time(self.at.text(), now_us=self._state.clock(), zone=self._state.zone)
            wide = self.wide.text().strip().lstrip("±+ ")
            row = PointRow(
                told.start_us,
                typed_number(self.value.text()),
                typed_number(wide) if wide else None,
                self.meter.text().strip(),
                self.note.text().strip(),
            )
            over_min = typed_number(self.over.text())
            if not over_min > 0:
                raise UsageError("a stretch is longer than nothing", remedy="give minutes above 0")
        except UsageError as error:
            self.say(str(error))
            return
        self.begin_saving()
        self._take(row, over_min * 60, self)
