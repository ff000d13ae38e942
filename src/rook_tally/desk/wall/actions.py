"""Actions of the Wall, with their keys."""

from __future__ import annotations

from rook_tally.desk.parts.actions import ViewAction


class WallAction(ViewAction):
    """An action; its value is its keys and its words."""

    SHOW = (("F",), "Show the sheets on the whole screen")
    NEXT_SHEET = (("PgDown",), "The next sheet")
    SHEET_BEFORE = (("PgUp",), "The sheet before")
    ARRANGE = (("E",), "Arrange the sheet: panes, titles, limits")
    ADD = (("N",), "A new pane beside the picked one")
    TAKE_AWAY = (("Del",), "Delete the picked pane")
    TRY_NEXT_LEVEL = (("T",), "Try how the picked pane looks at the next level")
    END_TRIAL = (("Shift+T",), "End the trial")
    MATTERS = (("M",), "A sheet of what matters now")
    EMPTY = (("Ctrl+N",), "An empty sheet")
    COPY = (("Ctrl+D",), "Copy the sheet")
    RENAME = (("F2",), "Rename the sheet")
    REMOVE = (("Ctrl+Del",), "Delete the sheet")
    EARLIER = (("Ctrl+Shift+Left",), "Move the sheet before the one before it")
    LATER = (("Ctrl+Shift+Right",), "Move the sheet after the one after it")
    TURNS = (("O",), "Let the sheet take part when sheets turn, or no longer")
    SAVE = (("Ctrl+E",), "Save the sheets as a file")
    READ = (("Ctrl+R",), "Read sheets from a file")
    SHOWING = (("W",), "How sheets are shown: screen, turning, night")
    POCKET = (("P",), "On a phone or a tablet: a page, links, devices")
