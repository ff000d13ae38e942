"""Arranging the Ledger by hand: hide, move, fold and pick, each a step to take back; without Qt."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace

from rook_tally.core.quantities.quantity import Quantity
from rook_tally.desk.data.settings import LedgerArrangement, LedgerOrder
from rook_tally.desk.data.undo import LocalStep, StepSink
from rook_tally.desk.ledger.model import LedgerModel
from rook_tally.desk.ledger.ordering import cell_name, moved
from rook_tally.desk.ledger.rows import PlaceRow
from rook_tally.desk.ledger.texts import tr


class LedgerArranging:
    """What a person does to the arrangement of a Ledger."""

    def __init__(self, model: LedgerModel, steps: StepSink) -> None:
        self._model = model
        self._steps = steps

    def show_next_group(self) -> str:
        """Let the group lines speak for another group; returns what they speak for."""
        names = ["", *(one.name for one in self._model.state.groups if len(one.places) > 1)]
        at = (
            names.index(self._model.arrangement.group)
            if self._model.arrangement.group in names
            else 0
        )
        group = names[(at + 1) % len(names)]
        self.arrange(
            replace(self._model.arrangement, group=group), tr("group of the lines below changed")
        )
        return group

    def arrange(self, arrangement: LedgerArrangement, words: str) -> None:
        """Arrange it so, as a step that can be taken back."""
        before = self._model.arrangement
        if arrangement != before:
            apply = self._model.arrange
            apply(arrangement)
            self._steps.add_local(
                LocalStep(words, partial(apply, before), partial(apply, arrangement))
            )

    def fold(self, floor: str) -> None:
        """Let a floor be one row that shows the worst of its rooms; or all its rooms again."""
        if not floor:
            return
        folded = self._model.arrangement.folded
        is_folded = floor in folded
        names = tuple(one for one in folded if one != floor) if is_folded else (*folded, floor)
        words = tr("{0} unfolded", floor) if is_folded else tr("{0} folded", floor)
        self.arrange(replace(self._model.arrangement, folded=names), words)

    def move_place(self, row: int, by: int) -> None:
        """Move a place up or down; ordered worst first, the order is not a person's."""
        line = self._model.rows[row]
        if isinstance(line, PlaceRow) and self._model.arrangement.order is LedgerOrder.PLACES:
            shown = [one.place.name for one in self._model.rows if isinstance(one, PlaceRow)]
            names = moved(shown, line.place.name, by)
            self.arrange(
                replace(self._model.arrangement, places=names), tr("{0} moved", line.place.name)
            )

    def move_quantity(self, quantity: Quantity, by: int) -> None:
        """Move a quantity left or right; out of the last cells it becomes the last column."""
        order = [one.slug for one in (*self._model.columns, *self._model.also)]
        if quantity in self._model.also:
            by = len(self._model.columns) - 1 - order.index(quantity.slug) if by < 0 else 0
        names = moved(order, quantity.slug, by)
        self.arrange(
            replace(self._model.arrangement, quantities=names), tr("{0} moved", quantity.name)
        )

    def hide_place(self, row: int) -> str:
        """Hide a place; returns its name."""
        line = self._model.rows[row]
        if not isinstance(line, PlaceRow):
            return ""
        hidden = (*self._model.arrangement.hidden_places, line.place.name)
        self.arrange(
            replace(self._model.arrangement, hidden_places=hidden),
            tr("{0} hidden", line.place.name),
        )
        return line.place.name

    def hide_quantity(self, quantity: Quantity) -> str:
        """Hide a quantity, wherever it stands; returns its name."""
        hidden = (*self._model.arrangement.hidden_quantities, quantity.slug)
        self.arrange(
            replace(self._model.arrangement, hidden_quantities=hidden),
            tr("{0} hidden", quantity.name),
        )
        return quantity.name

    def show_all(self) -> None:
        """Show what was hidden."""
        self.arrange(
            replace(self._model.arrangement, hidden_places=(), hidden_quantities=()),
            tr("everything shown"),
        )

    def show_next_station(self, row: int, column: int) -> None:
        """Where several stations of a place tell the same, show the next one's value; in a last
        cell pick the next line."""
        several = self._model.series_at(row, column)
        if self._model.is_also(column) and len(several) > 1:
            lines = self._model.lines_of(row)
            at = [one.id for one in lines].index(several[0].id)
            self._model.pick_also(row, lines[(at + 1) % len(lines)])
        elif len(several) > 1:
            one = several[1]
            name = cell_name(one.station.place.name, one.quantity.slug)
            stations = {**self._model.arrangement.stations, name: one.station.key}
            self.arrange(
                replace(self._model.arrangement, stations=stations), tr("another station shown")
            )
