"""A report has a stretch of time, places, parts, a schedule and receivers."""

from __future__ import annotations

import enum
import re
from datetime import date

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import slug_of

NOTHING_CHANGED = "no report was changed"
_AT = re.compile(r"([01]?\d|2[0-3]):[0-5]\d")
_MOST_PARTS = 40


class ReportStretch(enum.StrEnum):
    """The length of the stretch of time that a report covers."""

    DAY = "day"
    WEEK = "week"
    MONTH = "month"
    QUARTER = "quarter"
    YEAR = "year"
    OWN = "own"


class ReportPart(enum.StrEnum):
    """A part of a report, in the order in which they stand."""

    SENTENCES = "sentences"
    FIGURES = "figures"
    LIMITS = "limits"
    HOURS = "hours"
    CHARTS = "charts"
    PROFILE = "profile"
    WEEK = "week"
    WIND = "wind"
    TOTALS = "totals"
    ALARMS = "alarms"
    SCORES = "scores"
    CORRECTIONS = "corrections"
    REMARKS = "remarks"
    NOT_HEARD = "not-heard"
    SEASON = "season"


class ReportForm(enum.StrEnum):
    """The file format of a report."""

    PDF = "pdf"
    HTML = "html"


class Paper(enum.StrEnum):
    """The size of its pages."""

    A4 = "a4"
    LETTER = "letter"


USUAL_PARTS = (
    ReportPart.SENTENCES,
    ReportPart.FIGURES,
    ReportPart.LIMITS,
    ReportPart.HOURS,
    ReportPart.CHARTS,
    ReportPart.ALARMS,
    ReportPart.SCORES,
    ReportPart.CORRECTIONS,
    ReportPart.REMARKS,
    ReportPart.NOT_HEARD,
)


class Report(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A report as a document.

    `places` and `quantities`: none means all; `begin` and `end` are the first and the last day of
    an own stretch. `at` is the local time at which it goes out once its stretch is over, empty for
    by hand only; `folder` (beside the store unless it begins with a /) and `mail` (names of
    channels) are whereto.
    """

    slug: str
    name: str
    stretch: ReportStretch = ReportStretch.MONTH
    places: tuple[str, ...] = ()
    quantities: tuple[str, ...] = ()
    parts: tuple[ReportPart, ...] = USUAL_PARTS
    begin: date | None = None
    end: date | None = None
    at: str = ""
    folder: str = ""
    mail: tuple[str, ...] = ()
    forms: tuple[ReportForm, ...] = (ReportForm.PDF, ReportForm.HTML)
    paper: Paper = Paper.A4

    @property
    def at_minutes(self) -> int | None:
        """Minutes after midnight at which it goes out; None for by hand."""
        if not self.at:
            return None
        hours, minutes = self.at.split(":")
        return 60 * int(hours) + int(minutes)


def checked_report(report: Report) -> Report:
    """The report, if it can be.

    Raises
    ------
    UsageError
        When its name, its days, its parts or its time cannot be; it says which.
    """
    name = report.name.strip() or report.slug
    if not report.slug or report.slug != slug_of(report.slug):
        raise UsageError(
            f"{report.slug or report.name!r} cannot be a report's name",
            kept=NOTHING_CHANGED,
            remedy="use letters or digits; the slug in lower case, with hyphens",
        )
    if report.stretch is ReportStretch.OWN:
        if report.begin is None or report.end is None:
            raise _cannot(name, "an own stretch has a first and a last day")
        if report.end < report.begin:
            raise _cannot(name, f"{report.end} comes before {report.begin}")
        if report.at:
            raise _cannot(name, "an own stretch does not come again, so it has no time to go out")
    elif report.begin is not None or report.end is not None:
        raise _cannot(name, f"a {report.stretch} has no days of its own")
    if report.at and not _AT.fullmatch(report.at):
        raise _cannot(name, f"{report.at!r} is no time of day such as 06:00")
    if report.at and not (report.folder or report.mail):
        raise _cannot(name, "it has a time to go out, and neither a folder nor a mail channel")
    if not report.parts or len(report.parts) > _MOST_PARTS:
        raise _cannot(name, "it has no part")
    if not report.forms:
        raise _cannot(name, "it is written neither as PDF nor as HTML")
    return report


def _cannot(name: str, why: str) -> UsageError:
    return UsageError(f"{name}: {why}", kept=NOTHING_CHANGED)
