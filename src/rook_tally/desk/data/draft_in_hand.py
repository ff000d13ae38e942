"""Holds the thing of a list that a person edits: their draft, what is saved, and what somebody else
saves meanwhile; without Qt."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Generic, Protocol, TypeVar

from rook_tally.desk.data.conflict import differences, rebased, retaken
from rook_tally.desk.data.drafts import NEW, DraftBook
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import LocalStep, StepSink


class Named(Protocol):
    """A thing with a name."""

    @property
    def name(self) -> str:
        """The name that people read."""


T = TypeVar("T", bound=Named)


class DraftInHand(Generic[T]):
    """One thing of a kind, picked to be looked at and changed.

    Attributes
    ----------
    key : its slug or name, or what a new one is called in the book; empty with nothing in hand
    draft : the thing as the person has it; None with nothing in hand
    saved : as it stands in the store, and the draft is based on; None for a new one
    notice : who else changed it meanwhile, and to what, in words; empty when nobody did
    """

    def __init__(self, book: DraftBook[T], steps: StepSink, pick: Callable[[str], None]) -> None:
        """`pick` is called with the key of what a step is about, to have it in hand again; with an
        empty one to have nothing."""
        self.book = book
        self._steps = steps
        self._pick = pick
        self.key = ""
        self.draft: T | None = None
        self.saved: T | None = None
        self.notice = ""
        # The key that a thing has now, by one that it had when a step was made.
        self._renamed: dict[str, str] = {}

    @property
    def is_altered(self) -> bool:
        """True if there is something to save."""
        return self.draft != self.saved

    def let_go(self) -> None:
        """Have nothing in hand; what is not saved stays in the book."""
        self.key, self.notice = "", ""
        self.draft = self.saved = None

    def take(self, key: str, found: T | None) -> None:
        """Take a thing in hand as it was left when it was not saved.

        Parameters
        ----------
        found : as it stands in the store; None where it is not there
        """
        self.key, self.notice = key, ""
        self.draft = self.saved = found
        left = self.book.get(key)
        if left is not None and (found is not None or key.startswith(NEW)):
            self.draft, self.saved = left.value, left.base

    def begin(self, draft: T) -> None:
        """Take something new in hand."""
        self.key, self.notice = self.book.free_key(), ""
        self.draft, self.saved = draft, None
        self._note()

    def hold(self, draft: T) -> None:
        """Have it in hand so, without a step to take back."""
        self.draft = draft
        self._note()

    def follow(self, fresh: T | None) -> None:
        """See what the store says of it now. What was not touched follows it; a draft lies on top
        of what somebody else saved meanwhile, and that is said.

        Parameters
        ----------
        fresh : as it stands in the store; None when it was deleted
        """
        draft, saved = self.draft, self.saved
        if draft is None or saved is None or fresh == saved:
            return
        if fresh is None:
            if draft == saved:
                self.let_go()
                return
            self.book.drop(self.key)
            self._rename(self.key, self.book.free_key())
            self.saved = None
            self.notice = tr("Deleted by somebody else meanwhile; Save brings it back.")
        elif draft == saved:
            self.draft = self.saved = fresh
        else:
            self.draft, self.saved = rebased(draft, saved, fresh), fresh
            told = "; ".join(differences(saved, fresh))
            self.notice = tr("Changed by somebody else meanwhile: {0}.", told)
        self._note()

    def alter(self, after: T, words: str, merge: Hashable, hold: Callable[[T], None]) -> None:
        """Change the draft, as a step to take back.

        Parameters
        ----------
        words : as in "name typed"
        merge : steps in a row with the same are one; None for a step of its own
        hold : has the draft so, and tells whoever shows it
        """
        before, key, base = self.draft, self.key, self.saved
        if before is None or after == before:
            return

        def put(to: T, since: T) -> Callable[[], None]:
            def put_it() -> None:
                now = self._renamed.get(key, key)
                if self.key != now:
                    self._pick(now)
                if self.key == now and self.draft is not None:
                    hold(retaken(to, since, base, self.draft, self.saved))

            return put_it

        hold(after)
        merged = None if merge is None else (id(self), key, merge)
        self._steps.add_local(LocalStep(words, put(before, after), put(after, before), merged))

    def discard(self) -> None:
        """Drop what is not saved; it can be taken back."""
        key, left = self.key, self.book.get(self.key)
        if left is None:
            return

        def drop() -> None:
            self.book.drop(key)
            if self.key == key:
                self._pick("" if left.base is None else key)

        def bring_back() -> None:
            self.book.put(key, left.value, left.base)
            self._pick(key)

        drop()
        words = tr("changes of {0} discarded", left.value.name)
        self._steps.add_local(LocalStep(words, bring_back, drop))

    def took(self, key: str, since: T, saved: T, saved_key: str) -> None:
        """Something was saved; what was changed since stays a draft on top of it.

        Parameters
        ----------
        key : what it was called when it was sent
        since : what was sent; or what the draft was based on, when it was not the draft
        saved, saved_key : as it stands in the store now, and its key
        """
        is_in_hand = self.draft is not None and self.key == key
        self._rename(key, saved_key)
        if self.draft is None or not is_in_hand:
            self.book.saved(key, since, saved, saved_key)
            return
        self.book.drop(key)
        self.draft = rebased(self.draft, since, saved)
        self.saved, self.notice = saved, ""
        self._note()

    def _rename(self, key: str, to: str) -> None:
        """Let a thing have another key, also in the steps that are about it."""
        if key == to:
            return
        if self.key == key:
            self.key = to
        for before, now in self._renamed.items():
            if now == key:
                self._renamed[before] = to
        self._renamed[key] = to
        self._renamed.pop(to, None)

    def _note(self) -> None:
        if self.draft is not None and self.key:
            self.book.put(self.key, self.draft, self.saved)
