"""Actions of the Reports view, with their keys."""

from __future__ import annotations

from rook_tally.desk.parts.actions import ViewAction


class ReportsAction(ViewAction):
    """An action; its value is its keys and its words."""

    NEW = (("N",), "Describe a new report")
    EDIT = (("F2",), "Change the picked report: parts, places, when it goes out")
    REMOVE = (("Del",), "Delete the picked report; what was written stays")
    RUN = (("R",), "Write it now, into its folder")
    EARLIER = (("[",), "The stretch before")
    LATER = (("]",), "The stretch after")
    SAVE_PDF = (("E",), "Save as PDF")
    SAVE_HTML = (("H",), "Save as HTML")
    COPY = (("Ctrl+C",), "Copy the sentences and tables as text")
