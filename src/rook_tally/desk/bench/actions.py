"""Actions of the Bench, with their keys."""

from __future__ import annotations

from rook_tally.desk.parts.actions import ViewAction


class BenchAction(ViewAction):
    """An action; its value is its keys and its words."""

    NEW = (("N",), "Something new on the Bench")
    KEEP = (("K",), "Keep the picked proposal on the Bench")
    REMOVE = (("Del",), "Take the picked item, or reference point, away")
    TAKE = (("T",), "Take the proposed correction")
    TAKE_FROM = (("Shift+T",), "Take the proposed correction from a moment on")
    ADD_POINT = (("P",), "Add a reference point")
    READ_POINTS = ((), "Read reference points from a CSV file")
    DUE = ((), "When the calibration is due again")
    FIND = (("F",), "Find series that move together, and strays")
    WATCH = (("W",), "Watch the picked stray: ring when it leaves its group")
    OPEN = (("S",), "Look at it in the Strip")
    NAME_SPELL = (("M",), "Name the picked spell as a span")
    COPY = (("Ctrl+C",), "Copy the figures")
    SAVE = (("E",), "Save what is shown: CSV, PNG or SVG")
