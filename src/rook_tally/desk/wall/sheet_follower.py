"""Keeps a `WallModel` at what the store says: its sheets, and the data of the panes in hand."""

from __future__ import annotations

from collections.abc import Callable

from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.wall.model import WallModel
from rook_tally.desk.wall.queries import SheetListing, SheetListingQuery, WallMaterial


class SheetFollower:
    """Asks for one model. Each has its own: a sheet that turns on a spare screen does not turn
    under the person who arranges one.

    Parameters
    ----------
    is_wanted
        True while somebody looks; else nothing is asked.
    """

    def __init__(
        self,
        model: WallModel,
        state: SiteState,
        client: StoreClient,
        *,
        is_wanted: Callable[[], bool],
    ) -> None:
        self._model, self._state = model, state
        self._client = client.scope()
        self._is_wanted = is_wanted
        self._sheet_moves = state.sheet_moves
        # Called once when the sheets were read.
        self.on_listing: Callable[[], None] | None = None
        self._leave = state.subscribe(self._on_state_changed)

    def close(self) -> None:
        """Follow no longer."""
        self._leave()
        self._client.close()

    def ask_listing(self) -> None:
        """Have the sheets read."""
        self._client.read(SheetListingQuery(), self._on_sheets)

    def ask(self) -> None:
        """Have the panes' data read, if what is known will not do."""
        question = self._model.question()
        if question is not None:
            self._client.read(question, self._on_material)

    def tick(self) -> None:
        """A second went by."""
        self._model.tick()
        self.ask()

    def _on_sheets(self, listing: SheetListing) -> None:
        self._model.take_listing(listing)
        if self.on_listing is not None:
            self.on_listing()
        self.ask()

    def _on_material(self, material: WallMaterial) -> None:
        self._model.take_material(material)
        self.ask()

    def _on_state_changed(self, changed: set[int] | None) -> None:
        if not self._is_wanted():
            return
        if self._state.sheet_moves != self._sheet_moves:
            self._sheet_moves = self._state.sheet_moves
            self.ask_listing()
        self._model.on_changed(changed)
        self.ask()
