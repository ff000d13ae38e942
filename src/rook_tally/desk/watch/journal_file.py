"""The journal as a CSV file."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from pathlib import Path

from rook_tally.core.alarms.journal import Entry
from rook_tally.core.timestamps import rfc3339


def write_journal_file(path: Path, lines: Sequence[Entry]) -> None:
    """Write lines of the journal, in the order given, with a header; times as RFC 3339 has them.

    Raises
    ------
    OSError
        When the file cannot be written.
    """
    with path.open("w", newline="", encoding="utf-8") as target:
        writer = csv.writer(target)
        writer.writerow(["time", "watch", "place", "level", "what", "words", "who"])
        for one in lines:
            writer.writerow(
                [
                    rfc3339(one.time_us),
                    one.name,
                    one.place,
                    one.level.wording,
                    one.sort.value,
                    one.words,
                    one.who,
                ]
            )
