"""Sheets as TOML files: to keep, to hand on, to write by hand.

format = 1

[[sheet]]
slug = "booth"
name = "Glaze booth"

[[sheet.pane]]
kind = "figure"
at = [0, 0]
size = [8, 6]
shows = ["pm25@glaze-booth"]
"""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from typing import Any

import msgspec

from rook_tally.core.alarms.files import seconds_of, written_span
from rook_tally.core.errors import UsageError
from rook_tally.core.wall.definitions import Pane, WallSheet
from rook_tally.core.wall.tiling import trouble_of

FORMAT = 1
_KEPT = "no sheet was changed"
_REMEDY = "see docs/wall.md for what a file holds"


def sheets_to_toml(sheets: Sequence[WallSheet]) -> str:
    """Sheets as the text of a file."""
    import tomlkit

    document = tomlkit.document()
    document["format"] = FORMAT
    document["sheet"] = [sheet_table(one) for one in sheets]
    return tomlkit.dumps(document)


def sheet_table(sheet: WallSheet) -> dict[str, Any]:
    """A sheet as a table of a file."""
    told: dict[str, Any] = msgspec.to_builtins(sheet)
    panes = told.pop("panes", [])
    for pane in panes:
        for name in ("at", "size", "shows"):
            if name in pane:
                pane[name] = list(pane[name])
        if "span_s" in pane:
            pane["span"] = written_span(pane.pop("span_s"))
    if panes:
        told["pane"] = panes
    return told


def sheets_from_toml(text: str) -> tuple[WallSheet, ...]:
    """Read a file of sheets.

    Raises
    ------
    UsageError
        With the sheet and the pane it is about.
    """
    try:
        document = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise UsageError(f"this is no TOML: {error}", kept=_KEPT) from error
    number = document.pop("format", FORMAT)
    if not isinstance(number, int) or number > FORMAT:
        raise UsageError(
            "this file was written by a newer rook-tally",
            kept=_KEPT,
            remedy="bring this one up to date",
        )
    unknown = set(document) - {"sheet"}
    if unknown:
        raise UsageError(f"a file holds sheets, not {', '.join(sorted(unknown))}", kept=_KEPT)
    told = document.get("sheet", [])
    if not isinstance(told, list):
        raise UsageError("sheets are written as [[sheet]]", kept=_KEPT, remedy=_REMEDY)
    return tuple(sheet_from_table(one) for one in told)


def sheet_from_table(table: Any) -> WallSheet:
    """The sheet of a table.

    Raises
    ------
    UsageError
        With its name, the pane and what is wrong.
    """
    name = (table.get("name") or table.get("slug") or "?") if isinstance(table, dict) else "?"
    if not isinstance(table, dict):
        raise UsageError("sheets are written as [[sheet]]", kept=_KEPT, remedy=_REMEDY)
    panes = table.get("pane", [])
    try:
        _check_names(table, WallSheet, "pane", "panes")
        made = []
        for at, one in enumerate(panes if isinstance(panes, list) else [panes]):
            made.append(_pane(one, at + 1))
        rest = {key: value for key, value in table.items() if key != "pane"}
        sheet = msgspec.convert(rest | {"panes": made}, type=WallSheet)
    except (msgspec.ValidationError, ValueError) as error:
        raise UsageError(f"{name}: {error}", kept=_KEPT, remedy=_REMEDY) from error
    trouble = trouble_of(sheet.areas)
    if trouble:
        raise UsageError(f"{name}: {trouble}", kept=_KEPT, remedy=_REMEDY)
    return sheet


def _pane(table: Any, number: int) -> Pane:
    if not isinstance(table, dict):
        raise ValueError("panes are written as [[sheet.pane]]")
    try:
        _check_names(table, Pane, "span", "span_s")
        told = dict(table)
        if "span" in told:
            told["span_s"] = seconds_of(told.pop("span"))
        return msgspec.convert(told, type=Pane)
    except (msgspec.ValidationError, ValueError) as error:
        raise ValueError(f"pane {number}: {error}") from error


def _check_names(table: dict[str, Any], struct: type, written: str, kept: str) -> None:
    known = [written if name == kept else name for name in struct.__struct_fields__]  # type: ignore[attr-defined]
    for name in table:
        if name not in known:
            raise ValueError(f"there is no {name}; it can have {', '.join(known)}")
