"""The page of what moves together among all series."""

from __future__ import annotations

from datetime import tzinfo

from rook_tally.bench.find import FoundAnswer
from rook_tally.bench.wording import Sentence, in_unit, long_name
from rook_tally.core.moment_words import day_words
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.bench.actions import BenchAction
from rook_tally.desk.bench.sheet import Sheet, SheetLine, SideNotes
from rook_tally.desk.bench.texts import tr


def looking_sheet(done: int, of: int) -> Sheet:
    """The page while so many series of all were looked through."""
    words = tr("Looking through all series: {0} of {1}…", done, of)
    return Sheet(tr("What moves together"), Sentence(words))


def found_sheet(found: FoundAnswer, zone: tzinfo) -> Sheet:
    """The strays, then the pairs that move together; a stray's line has a key below 0."""

    def day(time_us: int) -> str:
        return day_words(datetime_from_time_us(time_us).astimezone(zone))

    pairs = [
        SheetLine(
            (
                f"{long_name(one.first)}, {long_name(one.second)}",
                tr("move together"),
                f"r {figure(one.r, 2)}",
                figure(one.hours, 0),
            ),
            number,
        )
        for number, one in enumerate(found.pairs)
    ]
    gone = [
        SheetLine(
            (
                long_name(one.series),
                tr("left its group of {0} since {1}", len(one.group), day(one.since_us)),
                in_unit(one.series.shown, one.now - one.usual, float("nan"), signed=True),
                "",
            ),
            -number - 1,
        )
        for number, one in enumerate(found.strays)
    ]
    return Sheet(
        tr("What moves together · {0} series looked at", found.tried),
        found.sentence,
        side=SideNotes(
            tr("Among all series"),
            tr("Move together"),
            figure(len(found.pairs), 0),
            tr("pairs"),
            tr(
                "By their hourly means, less what every day brings: both what they are and how "
                "they change must go together, more than that many comparisons would by chance."
            ),
            None,
            (
                (BenchAction.OPEN, tr("Set side by side")),
                (BenchAction.WATCH, tr("Watch the picked stray")),
            ),
        ),
        lines_title=tr("Open one to set it side by side"),
        heads=(tr("Series"), "", tr("How much"), tr("Hours")),
        lines=(*gone, *pairs),
    )
