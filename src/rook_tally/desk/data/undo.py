"""Changes of the store that can be taken back: what was done, and what undoes it.

A command that can be undone returns an `UndoableResult`: what happened in words, and the command
that takes it back. Applying that one returns an `UndoableResult` of its own, which is how a step
is done again.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Generic, TypeVar

from rook_tally.core.i18n import tr
from rook_tally.desk.data.event import Event
from rook_tally.desk.data.store_client import Command, Failure, Outcome, StoreClient

_KEPT_STEPS = 100

T_co = TypeVar("T_co", covariant=True)


@dataclass(frozen=True, slots=True)
class UndoableResult:
    """The result of a command. `words` as in "remark deleted"; no inverse where nothing takes it
    back."""

    words: str
    inverse: Command[UndoableResult] | None


@dataclass(frozen=True, slots=True)
class SavedResult(UndoableResult, Generic[T_co]):
    """As that, of a command that saved something; `saved` as it stands in the store now."""

    saved: T_co


class UndoHistory:
    """The steps of one window. `told` is called with a line about each step that was made, `moved`
    after a step was undone or done again."""

    def __init__(self, client: StoreClient, *, told: Callable[[str], None]) -> None:
        self._client, self._told = client, told
        self._done: list[UndoableResult] = []
        self._undone: list[UndoableResult] = []
        self.moved = Event[[]]()
        client.on_written = self.take

    @property
    def can_undo(self) -> bool:
        """True if there is a step to take back."""
        return bool(self._done)

    def undo(self) -> None:
        """Take the newest step back."""
        if not self._done:
            self._told(tr("There is nothing to undo."))
            return
        step = self._done.pop()
        self._move(step, self._on_undone, self._done)

    def redo(self) -> None:
        """Make the step again that was taken back last."""
        if not self._undone:
            self._told(tr("There is nothing to do again."))
            return
        step = self._undone.pop()
        self._move(step, self._add, self._undone)

    def take(self, command: Command[object], outcome: Outcome[object]) -> None:
        """Hear of a command that was written anywhere in the window."""
        if isinstance(outcome, Failure):
            self._told(outcome.error)
        elif isinstance(outcome.result, UndoableResult):
            if outcome.result.inverse is not None:
                self._undone.clear()
            self._add(outcome.result)

    def _move(
        self,
        step: UndoableResult,
        on_moved: Callable[[UndoableResult], None],
        origin: list[UndoableResult],
    ) -> None:
        assert step.inverse is not None  # others are not kept

        def moved(done: UndoableResult) -> None:
            on_moved(done)
            self.moved()

        def put_back(error: str) -> None:
            # It can be tried again, once what is in the way is gone.
            origin.append(step)
            self._told(error)

        self._client.write_untold(step.inverse, moved, put_back)

    def _add(self, done: UndoableResult) -> None:
        words = f"{done.words[:1].upper()}{done.words[1:]}"
        if done.inverse is None:
            self._told(f"{words}.")
            return
        self._done = [*self._done[-_KEPT_STEPS:], done]
        self._told(tr("{0}{1}. Ctrl+Z undoes it.", done.words[:1].upper(), done.words[1:]))

    def _on_undone(self, done: UndoableResult) -> None:
        if done.inverse is None:
            self._told(f"{done.words[:1].upper()}{done.words[1:]}.")
            return
        self._undone.append(done)
        self._told(tr("Undone: {0}. Ctrl+Shift+Z does it again.", done.words))


def user_name() -> str:
    """Who sits here, for what is written down with a name."""
    # Loaded late: nothing is written down at the start.
    import getpass

    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return tr("somebody")
