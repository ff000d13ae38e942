"""Actions of the Watch view, with their keys."""

from __future__ import annotations

from rook_tally.desk.parts.actions import ViewAction


class WatchAction(ViewAction):
    """An action; its value is its keys and its words."""

    NEW = (("N",), "A new watch")
    KEEP = (("Ctrl+S",), "Save")
    REVERT = (("Ctrl+R",), "Discard changes")
    TAKE_AWAY = (("Del",), "Delete the picked watch")
    RENAME = (("F2",), "Rename the picked watch")
    ACKNOWLEDGE = (("A",), "Acknowledge the picked watch's alarm")
    SHELVE = (("H",), "Shelve the picked watch for an hour, or unshelve it")
    TRIAL = (("T",), "Test the picked watch's alarm")
    SWITCH = (("O",), "Switch the picked watch off or on")
    NEXT_SPAN = (("D",), "Look back over more days, or one again")
    WAYS = (("W",), "Ways of telling: mail, webhooks, topics")
    JOURNAL = (("J",), "The journal of the picked watch, or of all")
    SAVE_JOURNAL = (("Ctrl+E",), "Save the journal as CSV")
