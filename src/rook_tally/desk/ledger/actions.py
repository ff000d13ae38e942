"""Actions of the Ledger."""

from __future__ import annotations

from rook_tally.desk.parts.actions import ViewAction


class LedgerAction(ViewAction):
    """Keys and words of the Ledger's actions; the arrow keys move from cell to cell."""

    OPEN = (("Return", "Enter"), "Open the cell in the Strip")
    ORDER = (("S",), "Order by place, or worst first")
    UNIT = (("U",), "Show the quantity in its next unit, everywhere")
    NEXT_STATION = (("X",), "Show the place's next station in the cell")
    PLACE_UP = (("Ctrl+Up",), "Move the place up")
    PLACE_DOWN = (("Ctrl+Down",), "Move the place down")
    QUANTITY_LEFT = (("Ctrl+Left",), "Move the quantity left")
    QUANTITY_RIGHT = (("Ctrl+Right",), "Move the quantity right")
    HIDE_PLACE = (("H",), "Hide the place")
    HIDE_QUANTITY = (("Shift+H",), "Hide the quantity")
    SHOW_ALL = (("Ctrl+H",), "Show hidden places and quantities again")
    FOLD = (("F",), "Fold a floor to the worst of its rooms, or unfold it")
    GROUP = (("L",), "Summary rows: next group")
    READINGS = (("T",), "Table of the day's readings")
    CORRECT = (("C",), "Correct the cell's series")
    COPY = (("Ctrl+C",), "Copy the reading of the cell")
    PLACES = (("F2",), "Arrange places: rename, nest, order, merge, delete")
    LIMITS = (("M",), "Set the limits of the cell")
    PIN = (("P",), "Write down what happened now")
