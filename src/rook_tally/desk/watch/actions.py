"""Actions of the Watch view, with their keys."""

from __future__ import annotations

from rook_tally.desk.parts.actions import ViewAction


class WatchAction(ViewAction):
    """An action; its value is its keys and its words."""

    NEW = (("N",), "A new watch")
    KEEP = (("Ctrl+S",), "Keep what was changed")
    REVERT = (("Ctrl+R",), "Leave it as it was")
    TAKE_AWAY = (("Del",), "Take the picked watch away")
    ACKNOWLEDGE = (("A",), "Acknowledge what the picked watch rang")
    SHELVE = (("H",), "Shelve the picked watch for an hour, or take it off the shelf")
    TRIAL = (("T",), "Ring the picked watch now, as a trial")
    SWITCH = (("O",), "Switch the picked watch off or on")
    NEXT_SPAN = (("D",), "Rehearse over more days, or one again")
    WAYS = (("W",), "Ways of telling: mail, webhooks, topics")
    JOURNAL = (("J",), "The journal of the picked watch, or of all")
    SAVE_JOURNAL = (("Ctrl+E",), "Save the journal as CSV")
