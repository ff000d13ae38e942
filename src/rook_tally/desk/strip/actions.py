"""Actions of the Strip."""

from __future__ import annotations

from rook_tally.desk.parts.actions import ViewAction


class StripAction(ViewAction):
    """Keys and words of the Strip's actions."""

    EARLIER = (("Left",), "Move the window earlier")
    LATER = (("Right",), "Move the window later")
    ZOOM_IN = (("+", "="), "Zoom in")
    ZOOM_OUT = (("-",), "Zoom out")
    LANE_ABOVE = (("Up",), "Pick the lane above")
    LANE_BELOW = (("Down",), "Pick the lane below")
    LANE_UP = (("Ctrl+Up",), "Move the lane up")
    LANE_DOWN = (("Ctrl+Down",), "Move the lane down")
    REMOVE = (("Del", "Backspace"), "Delete the picked remark, or remove the lane")
    ADD_LANE = (("A",), "Add a lane by typing a few letters")
    PLACE = (("E",), "Add everything in this place")
    QUANTITY = (("W",), "Add this quantity everywhere, in one lane")
    CURSOR_EARLIER = (("Ctrl+Left",), "Move the cursor earlier")
    CURSOR_LATER = (("Ctrl+Right",), "Move the cursor later")
    MARK_START = (("[",), "Mark a stretch from the cursor on")
    MARK_END = (("]",), "Mark the stretch up to the cursor")
    ZOOM_TO_STRETCH = (("Z",), "Zoom into the marked stretch")
    UNMARK = (("Esc",), "Forget the marked stretch")
    NAME_SPAN = (("N",), "Name a span: the marked stretch, or the window")
    DROP_PIN = (("P",), "Drop a pin at the cursor")
    NEXT_REMARK = (("R",), "Pick the next remark")
    EDIT_REMARK = (("Return", "Enter"), "Edit the picked remark")
    BASE_SPAN = (("B",), "Compare with the picked span as base")
    OVERLAY = (("O",), "Lay earlier days behind: the day before, three days, a week before")
    FIGURES = (("F",), "Figures or spans at the side")
    READINGS = (("T",), "Table of the readings behind the window")
    CORRECT = (("C",), "Correct the picked series")
    LIMITS = (("M",), "Set the limits of the picked series")
    COPY = (("Ctrl+C",), "Copy the window's figures")
    SAVE_CSV = (("Ctrl+E",), "Save the readings shown as CSV")
    SAVE_PICTURE = (("Ctrl+P",), "Save the picture as PNG or SVG")
