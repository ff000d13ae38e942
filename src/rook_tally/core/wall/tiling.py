"""How panes tile a sheet: a grid of fixed size, covered without gaps and without overlaps.

Every alteration here takes a tiling and gives a tiling: an edge is moved for all panes that meet at
it, a pane is split in two, two change places, what one leaves its neighbours take. Only cuts that
go through from side to side are made, so that there is always a neighbour who can take it.
"""

from __future__ import annotations

import enum
from collections.abc import Sequence
from typing import NamedTuple

COLUMNS, ROWS = 24, 12
LEAST_WIDE, LEAST_TALL = 2, 1
MOST_PANES = 40


class Side(enum.Enum):
    """A direction, and the side of a pane that lies there."""

    LEFT = "left"
    RIGHT = "right"
    UP = "up"
    DOWN = "down"


class Area(NamedTuple):
    """A rectangle of the grid."""

    x: int
    y: int
    wide: int
    tall: int

    @property
    def right(self) -> int:
        """The first column beyond it."""
        return self.x + self.wide

    @property
    def bottom(self) -> int:
        """The first row beyond it."""
        return self.y + self.tall

    @property
    def size(self) -> int:
        """Number of cells it covers."""
        return self.wide * self.tall

    def meets(self, other: Area) -> bool:
        """True if both cover a cell."""
        return (
            self.x < other.right
            and other.x < self.right
            and self.y < other.bottom
            and other.y < self.bottom
        )


WHOLE = Area(0, 0, COLUMNS, ROWS)


def trouble_of(areas: Sequence[Area]) -> str:
    """Why areas are no tiling of the sheet, in words with panes counted from 1; empty when they
    are one."""
    if len(areas) > MOST_PANES:
        return f"a sheet holds at most {MOST_PANES} panes, not {len(areas)}"
    for at, one in enumerate(areas):
        inside = one.x >= 0 and one.y >= 0 and one.right <= COLUMNS and one.bottom <= ROWS
        if not inside:
            return f"pane {at + 1} reaches over the sheet, which is {COLUMNS} × {ROWS}"
        if one.wide < LEAST_WIDE or one.tall < LEAST_TALL:
            return f"pane {at + 1} is smaller than {LEAST_WIDE} × {LEAST_TALL}"
        for other in range(at):
            if one.meets(areas[other]):
                return f"panes {other + 1} and {at + 1} overlap"
    if areas and sum(one.size for one in areas) < WHOLE.size:
        for y in range(ROWS):
            for x in range(COLUMNS):
                if not any(one.meets(Area(x, y, 1, 1)) for one in areas):
                    return f"nothing stands at column {x}, row {y}"
    if areas and not _is_cut_through(areas):
        return "five panes stand around one another like the sails of a mill; let one reach further"
    return ""


def _is_cut_through(areas: Sequence[Area]) -> bool:
    """True if cuts from side to side part the areas, and each part again."""
    if len(areas) <= 1:
        return True
    for low, high in ((0, 2), (1, 3)):
        spans = [(one[low], one[low] + one[high]) for one in areas]
        for cut in {begin for begin, _ in spans} - {min(begin for begin, _ in spans)}:
            if all(end <= cut or begin >= cut for begin, end in spans):
                before = [one for one, span in zip(areas, spans, strict=True) if span[1] <= cut]
                after = [one for one, span in zip(areas, spans, strict=True) if span[0] >= cut]
                return _is_cut_through(before) and _is_cut_through(after)
    return False


def _along(one: Area, side: Side) -> tuple[int, int]:
    """The stretch a side covers, across the direction it looks."""
    if side in (Side.LEFT, Side.RIGHT):
        return one.y, one.bottom
    return one.x, one.right


def _line(one: Area, side: Side) -> int:
    return {Side.LEFT: one.x, Side.RIGHT: one.right, Side.UP: one.y, Side.DOWN: one.bottom}[side]


_AGAINST = {Side.LEFT: Side.RIGHT, Side.RIGHT: Side.LEFT, Side.UP: Side.DOWN, Side.DOWN: Side.UP}


def _edge(areas: Sequence[Area], at: int, side: Side) -> tuple[set[int], set[int]]:
    """All panes that meet at the edge a pane's side lies on: those on its side, those beyond."""
    line = _line(areas[at], side)
    begin, end = _along(areas[at], side)
    here = {i for i, one in enumerate(areas) if _line(one, side) == line}
    beyond = {i for i, one in enumerate(areas) if _line(one, _AGAINST[side]) == line}
    while True:
        touching = [
            _along(areas[i], side)
            for i in here | beyond
            if _along(areas[i], side)[0] < end and _along(areas[i], side)[1] > begin
        ]
        wider = min(one[0] for one in touching), max(one[1] for one in touching)
        if wider == (begin, end):
            break
        begin, end = wider

    def within(several: set[int]) -> set[int]:
        return {
            i
            for i in several
            if _along(areas[i], side)[0] >= begin and _along(areas[i], side)[1] <= end
        }

    return within(here), within(beyond)


def _stretched(one: Area, side: Side, by: int) -> Area:
    """An area with one side moved outwards by so many cells; inwards when negative."""
    if side is Side.LEFT:
        return Area(one.x - by, one.y, one.wide + by, one.tall)
    if side is Side.RIGHT:
        return one._replace(wide=one.wide + by)
    if side is Side.UP:
        return Area(one.x, one.y - by, one.wide, one.tall + by)
    return one._replace(tall=one.tall + by)


def with_edge_moved(areas: Sequence[Area], at: int, side: Side, by: int) -> tuple[Area, ...]:
    """The tiling with a pane's side moved outwards by so many cells, as far as there is room.

    Everybody who meets at that edge follows. At the sheet's own edge nothing moves.
    """
    here, beyond = _edge(areas, at, side)
    if not beyond:
        return tuple(areas)
    step = 1 if by > 0 else -1
    made = tuple(areas)
    for _ in range(abs(by)):
        tried = tuple(
            _stretched(one, side, step)
            if i in here
            else _stretched(one, _AGAINST[side], -step)
            if i in beyond
            else one
            for i, one in enumerate(made)
        )
        if any(one.wide < LEAST_WIDE or one.tall < LEAST_TALL for one in tried):
            break
        if not _is_cut_through(tried):
            break
        made = tried
    return made


def with_split(areas: Sequence[Area], at: int, side: Side) -> tuple[Area, ...] | None:
    """The tiling with a pane halved and a new one, the last, on that side of it; None when it is
    too small to be halved."""
    one = areas[at]
    if side in (Side.LEFT, Side.RIGHT):
        half = one.wide // 2
        if half < LEAST_WIDE:
            return None
        first, second = (
            one._replace(wide=one.wide - half),
            one._replace(x=one.right - half, wide=half),
        )
    else:
        half = one.tall // 2
        if half < LEAST_TALL:
            return None
        first, second = (
            one._replace(tall=one.tall - half),
            one._replace(y=one.bottom - half, tall=half),
        )
    stays, comes = (second, first) if side in (Side.LEFT, Side.UP) else (first, second)
    return (*areas[:at], stays, *areas[at + 1 :], comes)


def without(areas: Sequence[Area], at: int) -> tuple[Area, ...]:
    """The tiling without a pane: whoever stands along a whole side of it takes its room.

    Of several sides that could, the one with the fewest panes behind it is chosen.
    """
    ways: list[tuple[int, Side, set[int]]] = []
    for side in Side:
        here, beyond = _edge(areas, at, side)
        if here == {at} and beyond:
            ways.append((len(beyond), side, beyond))
    kept = [i for i in range(len(areas)) if i != at]
    if not ways:
        # Only the last pane of a sheet has nobody beside it.
        return tuple(areas[i] for i in kept)
    _, side, beyond = min(ways, key=lambda way: way[0])
    reach = areas[at].wide if side in (Side.LEFT, Side.RIGHT) else areas[at].tall
    return tuple(
        _stretched(areas[i], _AGAINST[side], reach) if i in beyond else areas[i] for i in kept
    )


def neighbour(areas: Sequence[Area], at: int, side: Side) -> int | None:
    """The pane beyond a side, the one that shares most of it; None at the sheet's edge."""
    line = _line(areas[at], side)
    begin, end = _along(areas[at], side)

    def shared(i: int) -> int:
        other_begin, other_end = _along(areas[i], side)
        return min(end, other_end) - max(begin, other_begin)

    found = [
        i
        for i, one in enumerate(areas)
        if i != at and _line(one, _AGAINST[side]) == line and shared(i) > 0
    ]
    return max(found, key=lambda i: (shared(i), -i), default=None)


def with_swapped(areas: Sequence[Area], at: int, other: int) -> tuple[Area, ...]:
    """The tiling with two panes in each other's place."""
    made = list(areas)
    made[at], made[other] = made[other], made[at]
    return tuple(made)


def with_moved(areas: Sequence[Area], at: int, target: int, side: Side) -> tuple[Area, ...] | None:
    """The tiling with a pane taken out and set beside another, on a side of it; None when that one
    is too small to be halved."""
    if at == target:
        return tuple(areas)
    rest = without(areas, at)
    split = with_split(rest, target - (target > at), side)
    if split is None:
        return None
    return (*split[:at], split[-1], *split[at:-1])


def tiled(weights: Sequence[float], area: Area = WHOLE) -> tuple[Area, ...]:
    """A tiling for panes in order, each about as large as its weight says.

    Parameters
    ----------
    weights : (N,) positive, N at most `MOST_PANES` for a whole sheet

    Returns
    -------
    (N,) areas in the same order, from the upper left to the lower right.
    """
    if not weights:
        return ()
    if len(weights) == 1:
        return (area,)
    total = sum(weights)
    # Cut where the halves come closest, across the longer side: a cell is about twice as tall.
    sums = [sum(weights[: cut + 1]) for cut in range(len(weights) - 1)]
    ways = [True, False] if area.wide >= 2 * area.tall else [False, True]
    for nearest in sorted(range(len(sums)), key=lambda i: abs(sums[i] - total / 2)):
        cut, share = nearest + 1, sums[nearest] / total
        first, second = weights[:cut], weights[cut:]
        for across in ways:
            whole, least = (area.wide, LEAST_WIDE) if across else (area.tall, LEAST_TALL)
            other = area.tall // LEAST_TALL if across else area.wide // LEAST_WIDE
            # Each half must be able to hold what falls to it; where none can, another cut.
            low = least * -(-len(first) // max(other, 1))
            high = whole - least * -(-len(second) // max(other, 1))
            if low > high:
                continue
            size = min(max(round(whole * share), low), high)
            if across:
                parts = area._replace(wide=size), area._replace(x=area.x + size, wide=whole - size)
            else:
                parts = area._replace(tall=size), area._replace(y=area.y + size, tall=whole - size)
            return (*tiled(first, parts[0]), *tiled(second, parts[1]))
    raise ValueError(f"{len(weights)} panes do not fit into {area.wide} × {area.tall}")
