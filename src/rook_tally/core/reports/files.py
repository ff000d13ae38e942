"""Reports and guidelines as tables of TOML files: to keep, to hand on, to write by hand.

format = 1

[[report]]
slug = "month"
name = "The month"
stretch = "month"
at = "06:00"
folder = "/srv/reports"
"""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from typing import Any

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.guidelines import Guideline, checked_guideline
from rook_tally.core.reports.definitions import NOTHING_CHANGED, Report, checked_report

FORMAT = 1
_REMEDY = "see docs/reports.md for what a file holds"


def reports_to_toml(reports: Sequence[Report]) -> str:
    """Reports as the text of a file."""
    import tomlkit

    document = tomlkit.document()
    document["format"] = FORMAT
    document["report"] = [report_table(one) for one in reports]
    return tomlkit.dumps(document)


def report_table(report: Report) -> dict[str, Any]:
    """A report as a table of a file."""
    told: dict[str, Any] = msgspec.to_builtins(report, builtin_types=())
    for name in ("places", "quantities", "parts", "mail", "forms"):
        if name in told:
            told[name] = list(told[name])
    return told


def report_from_table(table: Any) -> Report:
    """The report of a table; UsageError with its name and what is wrong."""
    try:
        return checked_report(msgspec.convert(_plain_dates(table), Report))
    except msgspec.ValidationError as error:
        raise _cannot(table, error) from error


def guideline_table(told: Guideline) -> dict[str, Any]:
    """A guideline as a table of a file."""
    found: dict[str, Any] = msgspec.to_builtins(told)
    return found


def guideline_from_table(table: Any) -> Guideline:
    """The guideline of a table; UsageError with its name and what is wrong."""
    try:
        return checked_guideline(msgspec.convert(table, Guideline))
    except msgspec.ValidationError as error:
        raise _cannot(table, error) from error


def _cannot(table: Any, error: Exception) -> UsageError:
    name = table.get("slug", "?") if isinstance(table, dict) else "?"
    return UsageError(f"{name}: {error}", kept=NOTHING_CHANGED, remedy=_REMEDY)


def _plain_dates(table: Any) -> Any:
    """TOML writes dates as such, people as text: both are meant."""
    if not isinstance(table, dict):
        return table
    return {
        name: value.isoformat()
        if name in ("begin", "end") and hasattr(value, "isoformat")
        else value
        for name, value in table.items()
    }


def reports_from_toml(text: str) -> tuple[Report, ...]:
    """Read a file of reports.

    Raises
    ------
    UsageError
        With the report it is about.
    """
    try:
        document = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise UsageError(f"this is no TOML: {error}", kept=NOTHING_CHANGED) from error
    number = document.pop("format", FORMAT)
    if not isinstance(number, int) or number > FORMAT:
        raise UsageError(
            "this file was written by a newer rook-tally",
            kept=NOTHING_CHANGED,
            remedy="bring this one up to date",
        )
    unknown = set(document) - {"report"}
    if unknown:
        raise UsageError(
            f"a file holds reports, not {', '.join(sorted(unknown))}", kept=NOTHING_CHANGED
        )
    told = document.get("report", [])
    if not isinstance(told, list):
        raise UsageError("reports are written as [[report]]", kept=NOTHING_CHANGED, remedy=_REMEDY)
    return tuple(report_from_table(one) for one in told)
