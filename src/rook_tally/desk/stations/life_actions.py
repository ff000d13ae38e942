"""Actions on the picked station: rename it, replace it, take it out of use, remove it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from rook_tally.core.theme import Theme
from rook_tally.core.time_input import typed_end
from rook_tally.desk.data.store_client import Command, StoreClient
from rook_tally.desk.data.undo import SavedResult, UndoableResult
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.stations.life_commands import (
    ChangeLife,
    LifeStep,
    MaintainStation,
    RenameStation,
    ReplaceStation,
)
from rook_tally.desk.stations.model import StationsModel
from rook_tally.desk.stations.put_away_dialog import PutAwayDialog
from rook_tally.desk.stations.texts import tr


class LifeActions:
    """Asks what is to be asked, and has it done; `show_key` shows the key of a new box."""

    def __init__(
        self,
        theme: Theme,
        model: StationsModel,
        client: StoreClient,
        parent: QWidget,
        *,
        say_not_done: Callable[[str], None],
        show_key: Callable[[str, str], None],
    ) -> None:
        self._theme, self._model, self._client, self._parent = theme, model, client, parent
        self._say_not_done, self._show_key = say_not_done, show_key

    def rename(self) -> None:
        """Let the picked station go by another key."""
        station = self._model.picked
        if station is not None:
            self._ask(
                tr("Rename {0}", station.key),
                tr("New key"),
                station.key,
                lambda text: RenameStation(station.key, text.strip()),
            )

    def replace(self) -> None:
        """Let another box take the place of the picked station."""
        station = self._model.picked
        if station is None:
            return

        def wanted(text: str) -> ReplaceStation:
            return ReplaceStation(station.key, text.strip(), self._model.now_us)

        self._ask(
            tr("Replace {0} by another box", station.key),
            tr("Key of the new box"),
            "",
            wanted,
            on_saved=self._on_replaced,
        )

    def maintain(self) -> None:
        """Expect nothing of the picked station until a moment, or expect it again."""
        station = self._model.picked
        if station is None:
            return
        now_us = self._model.now_us
        if station.is_maintained(now_us):
            command = MaintainStation(station.key, None, now_us)
            self._client.write(command, on_error=self._say_not_done)
            return
        self._ask(
            tr("{0} under maintenance", station.key),
            tr("Until"),
            "2 h",
            lambda text: MaintainStation(
                station.key, typed_end(text, now_us=now_us, zone=self._model.zone), now_us
            ),
        )

    def retire(self) -> None:
        """Expect nothing of the picked station any more."""
        self._step(LifeStep.RETIRE)

    def remove(self) -> None:
        """Remove the picked station with its readings; undone, they are back."""
        self._step(LifeStep.REMOVE)

    def show_put_away(self) -> None:
        """Show the stations that are out of use."""
        PutAwayDialog(self._theme, self._client, self._parent).open()

    def _step(self, step: LifeStep) -> None:
        station = self._model.picked
        if station is not None:
            command = ChangeLife(step, station.key, self._model.now_us)
            self._client.write(command, on_error=self._say_not_done)

    def _ask(
        self,
        title: str,
        label: str,
        value: str,
        take: Callable[[str], Command[UndoableResult]],
        on_saved: Callable[[UndoableResult], None] | None = None,
    ) -> None:
        ValueDialog(
            self._theme,
            self._parent,
            title=title,
            label=label,
            value=value,
            take=take,
            client=self._client.scope(),
            on_saved=on_saved,
        ).open()

    def _on_replaced(self, done: UndoableResult) -> None:
        if isinstance(done, SavedResult) and done.saved:
            key, access_key = done.saved
            self._show_key(key, access_key)
