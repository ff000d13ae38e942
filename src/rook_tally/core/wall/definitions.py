"""The definition of a sheet of the Wall: its panes, where they stand, what they show."""

from __future__ import annotations

import enum
from collections.abc import Callable

import msgspec

from rook_tally.core.quantities.levels import Four, Level, Limits
from rook_tally.core.wall.tiling import Area

USUAL_SPAN_S = 86_400.0


class PaneKind(enum.Enum):
    """A kind of pane."""

    FIGURE = "figure"
    DIAL = "dial"
    COLUMNS = "columns"
    RIBBON = "ribbon"
    LAMPS = "lamps"
    SCORE = "score"
    STANDING = "standing"
    WORDS = "words"
    TABLE = "table"
    DAY = "day"
    PLAN = "plan"

    @property
    def takes_several(self) -> bool:
        """True if it shows more than one series."""
        return self in _OF_SEVERAL

    @property
    def needs_series(self) -> bool:
        """True if it shows nothing without one."""
        return self not in (PaneKind.STANDING, PaneKind.WORDS, PaneKind.PLAN)


_OF_SEVERAL = frozenset({PaneKind.COLUMNS, PaneKind.RIBBON, PaneKind.LAMPS, PaneKind.TABLE})


class LevelLimits(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where levels begin on one side, in the pane's unit; None leaves a level out."""

    noticed: float | None = None
    raised: float | None = None
    high: float | None = None
    severe: float | None = None

    @property
    def four(self) -> Four:
        """From noticed to severe."""
        return self.noticed, self.raised, self.high, self.severe


class Pane(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A pane of a sheet. What is left empty is the series' own.

    Attributes
    ----------
    at : column and row of its upper left corner
    size : columns and rows it covers
    shows : references as formulas write them, `pm25@glaze-booth`, `temperature@indoors/*`; of lamps
        also stations, `@quay-gate`
    unit : a symbol; `low`, `high` and the limits are told in it, else in the quantity's base unit
    span_s : how far back a ribbon reaches
    guideline : of columns, the one whose level is drawn across them, by its slug
    text : of a words pane; `{temperature@kiln-room}` stands for a value. Of a plan's its name, the
        first plan when empty
    """

    kind: PaneKind
    at: tuple[int, int]
    size: tuple[int, int]
    shows: tuple[str, ...] = ()
    title: str = ""
    unit: str = ""
    low: float | None = None
    high: float | None = None
    above: LevelLimits | None = None
    below: LevelLimits | None = None
    span_s: float = USUAL_SPAN_S
    guideline: str = ""
    text: str = ""

    def with_numbers(self, convert: Callable[[float], float]) -> Pane:
        """The same with its range and limits converted, as into another unit."""

        def several(limits: LevelLimits | None) -> LevelLimits | None:
            if limits is None:
                return None
            return LevelLimits(*(None if x is None else convert(x) for x in limits.four))

        return msgspec.structs.replace(
            self,
            low=None if self.low is None else convert(self.low),
            high=None if self.high is None else convert(self.high),
            above=several(self.above),
            below=several(self.below),
        )

    @property
    def area(self) -> Area:
        """The cells it covers."""
        return Area(*self.at, *self.size)

    def placed(self, area: Area) -> Pane:
        """The same at another place."""
        return msgspec.structs.replace(self, at=(area.x, area.y), size=(area.wide, area.tall))


class WallSheet(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A sheet: `slug` is what commands and addresses call it; `turns` says whether it is shown when
    sheets turn by themselves."""

    slug: str
    name: str
    panes: tuple[Pane, ...] = ()
    turns: bool = True

    def with_panes(self, panes: tuple[Pane, ...]) -> WallSheet:
        """The same with other panes."""
        return msgspec.structs.replace(self, panes=panes)

    def with_areas(self, areas: tuple[Area, ...]) -> WallSheet:
        """The same panes, each at its area of these."""
        return self.with_panes(
            tuple(pane.placed(area) for pane, area in zip(self.panes, areas, strict=True))
        )

    @property
    def areas(self) -> tuple[Area, ...]:
        """The areas of its panes."""
        return tuple(pane.area for pane in self.panes)


def limits_in_base(pane: Pane, own: Limits, to_base: Callable[[float], float]) -> Limits:
    """A pane's limits where it has its own, the series' elsewhere.

    Parameters
    ----------
    to_base
        From the pane's unit to the base unit.

    Raises
    ------
    ValueError
        When they do not rise, or fall, from level to level.
    """

    def told(several: LevelLimits | None, mine: Four) -> Four:
        if several is None:
            return mine
        one, two, three, four = (None if x is None else to_base(x) for x in several.four)
        return one, two, three, four

    return Limits(told(pane.above, own.above), told(pane.below, own.below))


def zones_of(limits: Limits, low: float, high: float) -> tuple[tuple[float, float, Level], ...]:
    """Where each level above settled lies between two values: (from, to, level), as parts of the
    way from `low` to `high`, without overlap, in no order."""
    width = high - low
    if not width > 0:
        return ()

    def part(value: float) -> float:
        return min(1.0, max(0.0, (value - low) / width))

    found = []
    for bounds, to_end in ((limits.above, 1.0), (limits.below, 0.0)):
        edge = to_end
        for level in (Level.SEVERE, Level.HIGH, Level.RAISED, Level.NOTICED):
            bound = bounds[level - 1]
            if bound is None:
                continue
            at = part(bound)
            if at != edge:
                found.append((min(at, edge), max(at, edge), level))
                edge = at
    return tuple(found)
