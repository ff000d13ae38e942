"""Changes of the store that can be taken back: what was done, and what undoes it.

A command that can be undone returns an `UndoableResult`: what happened in words, and the command
that takes it back. Applying that one returns an `UndoableResult` of its own, which is how a step
is done again.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Hashable
from typing import Generic, Protocol, TypeVar

import msgspec
from msgspec.structs import replace

from rook_tally.desk.data.event import Event
from rook_tally.desk.data.store_client import Command, Failure, Outcome, StoreClient
from rook_tally.desk.data.texts import tr

_KEPT_STEPS = 100
_MERGED_WITHIN_S = 1.0

T_co = TypeVar("T_co", covariant=True)


class UndoableResult(msgspec.Struct, frozen=True):
    """The result of a command. `words` as in "remark deleted"; no inverse where nothing takes it
    back."""

    words: str
    inverse: Command[UndoableResult] | None


class SavedResult(UndoableResult, Generic[T_co], frozen=True):
    """As that, of a command that saved something; `saved` as it stands in the store now."""

    saved: T_co


class LocalStep(msgspec.Struct, frozen=True):
    """A step that changed nothing in the store: lanes, an order, a draft.

    Attributes
    ----------
    words : as in "lane added"
    undo, redo : put it as it was before, and as it was after
    merge : steps in a row that share this are one, as long as they follow within a second
    """

    words: str
    undo: Callable[[], None]
    redo: Callable[[], None]
    merge: Hashable = None


class StepSink(Protocol):
    """Takes steps that changed nothing in the store."""

    def add_local(self, step: LocalStep) -> None:
        """A step was made."""


class NoSteps:
    """Takes steps nobody wants to take back."""

    def add_local(self, step: LocalStep) -> None:
        """Forget it."""


class UndoHistory:
    """The steps of one window. `told` is called with a line about each step that was made, `moved`
    with what came of a step that was undone or done again in the store."""

    def __init__(
        self,
        client: StoreClient,
        *,
        told: Callable[[str], None],
        clock_s: Callable[[], float] = time.monotonic,
    ) -> None:
        self._client, self._told, self._clock_s = client, told, clock_s
        self._done: list[UndoableResult | LocalStep] = []
        self._undone: list[UndoableResult | LocalStep] = []
        # A step that was refused once: asked for again it is left out.
        self._refused: UndoableResult | None = None
        self._merged_s = 0.0
        self.moved = Event[[UndoableResult]]()
        client.on_written = self.take

    def go_on_from(self, before: UndoHistory) -> None:
        """Take over the steps of a window whose place this one's takes; those that changed nothing
        in the store were that window's own."""
        self._done = [one for one in before._done if isinstance(one, UndoableResult)]
        self._undone = [one for one in before._undone if isinstance(one, UndoableResult)]

    @property
    def can_undo(self) -> bool:
        """True if there is a step to take back."""
        return bool(self._done)

    def undo(self) -> None:
        """Take the newest step back; what is being written is a step too, once it is."""
        self._client.after_writes(self._undo)

    def redo(self) -> None:
        """Make the step again that was taken back last."""
        self._client.after_writes(self._redo)

    def _undo(self) -> None:
        if not self._done:
            self._told(tr("There is nothing to undo."))
            return
        step = self._done.pop()
        if isinstance(step, LocalStep):
            step.undo()
            self._undone.append(step)
            self._told(tr("Undone: {0}. Ctrl+Shift+Z does it again.", step.words))
        else:
            self._move(step, self._on_undone, self._done)

    def _redo(self) -> None:
        if not self._undone:
            self._told(tr("There is nothing to do again."))
            return
        step = self._undone.pop()
        if isinstance(step, LocalStep):
            step.redo()
            self._done.append(step)
            self._told(tr("Done again: {0}. Ctrl+Z undoes it.", step.words))
        else:
            self._move(step, self._add, self._undone)

    def add_local(self, step: LocalStep) -> None:
        """A step was made that changed nothing in the store."""
        self._undone.clear()
        now_s = self._clock_s()
        newest = self._done[-1] if self._done else None
        is_more = (
            isinstance(newest, LocalStep)
            and step.merge is not None
            and newest.merge == step.merge
            and now_s - self._merged_s < _MERGED_WITHIN_S
        )
        self._merged_s = now_s
        if is_more and isinstance(newest, LocalStep):
            self._done[-1] = replace(step, undo=newest.undo)
        else:
            self._done = [*self._done[-_KEPT_STEPS:], step]

    def add(self, done: UndoableResult) -> None:
        """Something was done beside the store's client, such as a file read."""
        self._undone.clear()
        self._add(done)

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
        origin: list[UndoableResult | LocalStep],
    ) -> None:
        assert step.inverse is not None  # others are not kept

        def moved(done: UndoableResult) -> None:
            on_moved(done)
            self.moved(done)

        def put_back(error: str) -> None:
            if step is self._refused:
                # Refused twice it stands in the way of those before it no longer.
                self._refused = None
                self._told(tr("Left out: {0} ({1}).", step.words, error))
                return
            # It can be tried again, once what is in the way is gone.
            origin.append(step)
            self._refused = step
            self._told(tr("Not undone: {0}. If it cannot be, asking again leaves it out.", error))

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
