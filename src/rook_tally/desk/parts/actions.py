"""What can be done in a view, each with its keys and words: for the keyboard, for finding, for the
sheet of keys."""

from __future__ import annotations

import enum

from rook_tally.desk.parts.texts import tr


class ViewAction(enum.Enum):
    """Base of a view's actions; a member's value is its keys, as Qt writes them, and its words."""

    @property
    def keys(self) -> tuple[str, ...]:
        """The keys that do it, any of them; none for what is only found by name."""
        keys: tuple[str, ...] = self.value[0]
        return keys

    @property
    def words(self) -> str:
        """The action in words."""
        words: str = self.value[1]
        return tr(words)
