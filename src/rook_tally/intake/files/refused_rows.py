"""Rows of a file that were refused, listed in a file beside it: to be mended and read again."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from pathlib import Path

from rook_tally.intake.files.csv_table import Refused


def write_refused(file: Path, refused: Sequence[Refused]) -> Path | None:
    """Write every refused row with its line and why; returns where to, or None when there is none,
    or nothing can be written there."""
    if not refused:
        return None
    target = file.with_name(f"{file.stem}.refused.csv")
    try:
        text = file.read_bytes().decode("utf-8-sig", errors="replace")
        lines = text.splitlines()
        with target.open("w", encoding="utf-8", newline="") as written:
            rows = csv.writer(written)
            rows.writerow(("line", "why", "row"))
            for one in refused:
                row = lines[one.line - 1] if one.line <= len(lines) else ""
                rows.writerow((one.line, one.why, row))
    except OSError:
        return None
    return target
