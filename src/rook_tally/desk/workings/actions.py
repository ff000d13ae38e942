"""Actions of the Workings view, with their keys."""

from __future__ import annotations

from rook_tally.desk.parts.actions import ViewAction


class WorkingsAction(ViewAction):
    """An action; its value is its keys and its words."""

    NEW = (("N",), "Something new: ready-made, a formula, a score, a group")
    KEEP = (("Ctrl+S",), "Save")
    REVERT = (("Ctrl+R",), "Discard changes")
    TAKE_AWAY = (("Del",), "Delete the picked working or group")
    VARIANT = (("V",), "Another way of adding up the picked score")
    WHAT_IF = (("W",), "What if: move the inputs of the picked score")
    RENAME = (("F2",), "Rename the picked working or group")
    LIMITS = (("L",), "Limits of the picked working")
