"""A page of the Bench as plain values: sentence, picture, list, and what stands at its side."""

from __future__ import annotations

import math

import msgspec

from rook_tally.bench.wording import Sentence
from rook_tally.desk.bench.actions import BenchAction
from rook_tally.desk.bench.plots import Picture, Plot


class SheetLine(msgspec.Struct, frozen=True):
    """A line of a page's list: its cells, what picking it means, and whether it is a quiet one.

    `order`: the number of each cell to order by; what has none is ordered by its words.
    """

    cells: tuple[str, ...]
    key: int
    is_quiet: bool = False
    order: tuple[float, ...] = ()


def ordered(lines: tuple[SheetLine, ...], column: int, *, falling: bool) -> tuple[SheetLine, ...]:
    """Lines by one of their columns; those without a number there come last."""

    def key(line: SheetLine) -> tuple[bool, float, str]:
        number = line.order[column] if column < len(line.order) else math.nan
        if line.order:
            known = math.isfinite(number)
            return (not known, (-number if falling else number) if known else 0.0, "")
        return (False, 0.0, line.cells[column].casefold())

    told = sorted(lines, key=key)
    return tuple(reversed(told)) if falling and not any(one.order for one in lines) else tuple(told)


class SideNotes(msgspec.Struct, frozen=True):
    """What stands beside the picture: `big` with `after_big` behind it, words, a small plot,
    buttons, figures, and what to know before believing them."""

    over: str = ""
    title: str = ""
    big: str = ""
    after_big: str = ""
    words: str = ""
    plot: Plot | None = None
    buttons: tuple[tuple[BenchAction, str], ...] = ()
    facts: tuple[tuple[str, str], ...] = ()
    notes: tuple[str, ...] = ()


class Sheet(msgspec.Struct, frozen=True):
    """A page: the answer in one sentence first, then the picture that shows it, then the figures.

    `figure`: the few words that the list at the left shows of it. `lines` is the list below the
    picture, under `heads`; `lines_title` above it.
    """

    over: str
    sentence: Sentence
    picture: Picture = ()
    side: SideNotes = SideNotes()
    figure: str = ""
    lines_title: str = ""
    heads: tuple[str, ...] = ()
    lines: tuple[SheetLine, ...] = ()
    picks_several: bool = False
