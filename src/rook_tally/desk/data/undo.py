"""Changes of the store that can be taken back: what was done, and what undoes it.

A command that can be undone returns an `UndoableResult`: what happened in words, and the command
that takes it back. Applying that one returns an `UndoableResult` of its own, which is how a step
is done again.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from rook_tally.core.i18n import tr
from rook_tally.desk.data.store_client import Command, Reply, StoreClient

_KEPT_STEPS = 100


@dataclass(frozen=True, slots=True)
class UndoableResult:
    """What came of a change. `words` as in "remark taken away"; no inverse where nothing takes it
    back."""

    words: str
    inverse: Command | None
    result: object = None


class UndoHistory:
    """The steps of one window. `told` is called with a line about each step that was made."""

    def __init__(self, reader: StoreClient, *, told: Callable[[str], None]) -> None:
        self._reader, self._told = reader, told
        self._done: list[UndoableResult] = []
        self._undone: list[UndoableResult] = []
        # Changes under way that take a step back, or make it again.
        self._back: list[UndoableResult] = []
        self._again: list[UndoableResult] = []

    @property
    def can_undo(self) -> bool:
        """Whether there is a step to take back."""
        return bool(self._done)

    def undo(self) -> None:
        """Take the newest step back."""
        if not self._done:
            self._told(tr("There is nothing to undo."))
            return
        step = self._done.pop()
        assert step.inverse is not None  # others are not kept
        self._back.append(step)
        self._reader.change(step.inverse)

    def redo(self) -> None:
        """Make the step again that was taken back last."""
        if not self._undone:
            self._told(tr("There is nothing to do again."))
            return
        step = self._undone.pop()
        assert step.inverse is not None
        self._again.append(step)
        self._reader.change(step.inverse)

    def take_reply(self, reply: Reply) -> None:
        """What came of a change, asked for here or anywhere in the window."""
        change = reply.question
        back = [one for one in self._back if one.inverse is change]
        again = [one for one in self._again if one.inverse is change]
        is_back, is_again = bool(back), bool(again)
        self._back = [one for one in self._back if one.inverse is not change]
        self._again = [one for one in self._again if one.inverse is not change]
        if not isinstance(reply.answer, UndoableResult):
            if reply.error and hasattr(change, "made"):
                # It can be tried again, once what is in the way is gone.
                self._done += back
                self._undone += again
                self._told(reply.error)
            return
        done = reply.answer
        if done.inverse is None:
            self._told(f"{done.words[:1].upper()}{done.words[1:]}.")
            return
        if is_back:
            self._undone.append(done)
            self._told(tr("Undone: {0}. Ctrl+Shift+Z does it again.", done.words))
            return
        self._done = [*self._done[-_KEPT_STEPS:], done]
        if not is_again:
            self._undone.clear()
        self._told(tr("{0}{1}. Ctrl+Z undoes it.", done.words[:1].upper(), done.words[1:]))


def user_name() -> str:
    """Who sits here, for what is written down with a name."""
    # Loaded late: nothing is written down at the start.
    import getpass

    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return tr("somebody")
