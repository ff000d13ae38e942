"""Actions of the Stations view, with their keys."""

from __future__ import annotations

from rook_tally.desk.parts.actions import ViewAction


class StationsAction(ViewAction):
    """An action; its value is its keys and its words."""

    ADD = (("Ctrl+N",), "Connect a station")
    TAKE_IN = (("A",), "Take in the first stray sender")
    CONNECTION = (("C",), "The picked station's connection sheet")
    SETTINGS = (("S",), "The picked station's settings: place, kind, cadence")
    NOTES = (("N",), "Notes on the picked station")
    NEW_KEY = ((), "A new access key for the picked station")
    RENAME = (("F2",), "Rename the picked station")
    REPLACE = ((), "Replace the picked station by another box")
    MAINTAIN = (("M",), "Put the picked station under maintenance, or end that")
    RETIRE = ((), "Take the picked station out of use")
    REMOVE = (("Del",), "Remove the picked station")
    OUT_OF_USE = ((), "Stations out of use")
    FIELD = (("D",), "The picked field: what it measures, its name, how it is shown")
    LIMITS = (("L",), "Limits of the picked field")
    READINGS = (("R",), "Readings of the picked field")
    IN_STRIP = (("Return",), "The picked field in the Strip")
    KINDS = (("K",), "Kinds of stations: what their fields measure, what they can be told")
    FIRMWARE = (("U",), "Firmware of stations: images, and giving one out in steps")
    HOLD = (("H",), "Let the message tape stand still, or go on")
    PLAN = (("P",), "Where everything hangs, or the fleet again")
