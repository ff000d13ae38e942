"""Changes the arrangement of the Ledger: hide, move, fold, pick; without Qt."""

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
    """Changes the arrangement of a Ledger by hand; each change is a step that can be undone."""

    def __init__(self, model: LedgerModel, steps: StepSink) -> None:
        self._model = model
        self._steps = steps

    def show_next_group(self) -> str:
        """Let the group lines speak for another group; returns what they speak for."""
        names = ["", *(one.name for one in self._model.state.groups if len(one.places) > 1)]
        shown = self._model.arrangement.group
        at = names.index(shown) if shown in names else 0
        group = names[(at + 1) % len(names)]
        self._change(tr("group of the lines below changed"), group=group)
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

    def _change(self, words: str, **values: object) -> None:
        """Change these members of the arrangement."""
        self.arrange(replace(self._model.arrangement, **values), words)

    def fold(self, floor: str) -> None:
        """Let a floor be one row that shows the worst of its rooms; or all its rooms again."""
        if not floor:
            return
        folded = self._model.arrangement.folded
        is_folded = floor in folded
        names = tuple(one for one in folded if one != floor) if is_folded else (*folded, floor)
        words = tr("{0} unfolded", floor) if is_folded else tr("{0} folded", floor)
        self._change(words, folded=names)

    def move_place(self, row: int, by: int) -> None:
        """Move a place up or down; ordered worst first, the order is not a person's."""
        line = self._model.rows[row]
        if isinstance(line, PlaceRow) and self._model.arrangement.order is LedgerOrder.PLACES:
            shown = [one.place.name for one in self._model.rows if isinstance(one, PlaceRow)]
            names = moved(shown, line.place.name, by)
            self._change(tr("{0} moved", line.place.name), places=names)

    def move_quantity(self, quantity: Quantity, by: int) -> None:
        """Move a quantity left or right; out of the last cells it becomes the last column."""
        order = [one.slug for one in (*self._model.columns, *self._model.also)]
        if quantity in self._model.also:
            by = len(self._model.columns) - 1 - order.index(quantity.slug) if by < 0 else 0
        names = moved(order, quantity.slug, by)
        self._change(tr("{0} moved", quantity.name), quantities=names)

    def hide_place(self, row: int) -> str:
        """Hide a place; returns its name."""
        line = self._model.rows[row]
        if not isinstance(line, PlaceRow):
            return ""
        hidden = (*self._model.arrangement.hidden_places, line.place.name)
        self._change(tr("{0} hidden", line.place.name), hidden_places=hidden)
        return line.place.name

    def hide_quantity(self, quantity: Quantity) -> str:
        """Hide a quantity, wherever it stands; returns its name."""
        hidden = (*self._model.arrangement.hidden_quantities, quantity.slug)
        self._change(tr("{0} hidden", quantity.name), hidden_quantities=hidden)
        return quantity.name

    def show_all(self) -> None:
        """Show what was hidden."""
        self._change(tr("everything shown"), hidden_places=(), hidden_quantities=())

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
            self._change(tr("another station shown"), stations=stations)
