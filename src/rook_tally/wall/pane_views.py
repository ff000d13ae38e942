"""Views of panes, ready to be drawn: words, figures, levels, and proportions from 0 to 1."""

from __future__ import annotations

import enum
from dataclasses import dataclass, field
from typing import TypeAlias

import msgspec

from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.wall.definitions import PaneKind


@dataclass(frozen=True, slots=True)
class ValueText:
    """A value in words with its level; one that is not fresh fades. `unit` has the value's
    uncertainty before it where a calibration tells it."""

    text: str
    unit: str = ""
    level: Level = Level.SETTLED
    freshness: Freshness = Freshness.FRESH


@dataclass(frozen=True, slots=True)
class FigureBody:
    """One value, how far it is from its limit."""

    value: ValueText
    sentence: str = ""


@dataclass(frozen=True, slots=True)
class DialBody:
    """A value on an arc: `at` along it, None when it is unknown; zones as parts of the arc."""

    value: ValueText
    at: float | None
    zones: tuple[tuple[float, float, Level], ...]
    low: str
    high: str
    sentence: str = ""


@dataclass(frozen=True, slots=True)
class ColumnFigure:
    """One place of several: today's span and now, as heights from 0 to 1; None where unknown.
    `short` is its name where there is little room."""

    name: str
    short: str
    value: ValueText
    at: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True)
class ColumnsBody:
    """One quantity over several places. `against` is the level of a guideline as a height from 0 to
    1, and its words; None where none is drawn."""

    columns: tuple[ColumnFigure, ...]
    against: tuple[float, str] | None = None


@dataclass(frozen=True, slots=True)
class RibbonTrace:
    """One series of a ribbon. Two are the same when they hold as many readings of one window."""

    name: str
    envelope: Envelope = field(compare=False)
    held: tuple[int, int, int]


@dataclass(frozen=True, slots=True)
class Peak:
    """The highest of a ribbon: where it stands (0 to 1, from the left and from the bottom)."""

    x: float
    y: float
    text: str


@dataclass(frozen=True, slots=True)
class RibbonBody:
    """Series over time. `marks` are written along the time axis, `limits` at their heights."""

    traces: tuple[RibbonTrace, ...]
    low: float
    high: float
    bands: tuple[tuple[float, float, Level], ...]
    limits: tuple[tuple[float, str], ...]
    marks: tuple[tuple[float, str], ...]
    peak: Peak | None = None


class LampState(enum.Enum):
    """The look of a lamp: filled, empty, or neither where it is not a matter of on and off."""

    ON = "on"
    OFF = "off"
    NONE = "none"


@dataclass(frozen=True, slots=True)
class Lamp:
    """A switch, somebody's presence, a station: whether it is on, since when and what for."""

    name: str
    state: LampState
    words: str
    level: Level = Level.SETTLED
    freshness: Freshness = Freshness.FRESH


@dataclass(frozen=True, slots=True)
class LampsBody:
    """Lamps, in the order they were chosen."""

    lamps: tuple[Lamp, ...]


@dataclass(frozen=True, slots=True)
class Loss:
    """Points that one input takes from a score: below zero in words, `share` of the longest."""

    name: str
    text: str
    share: float
    level: Level


@dataclass(frozen=True, slots=True)
class ScoreBody:
    """A score, what spoils it and by how much."""

    value: ValueText
    spoils: str
    sentence: str
    losses: tuple[Loss, ...]


@dataclass(frozen=True, slots=True)
class StandingLine:
    """An alarm that stands."""

    name: str
    level: Level
    age: str
    is_seen: bool


@dataclass(frozen=True, slots=True)
class StandingBody:
    """Alarms, the worst first; `calm` is said when there is none."""

    lines: tuple[StandingLine, ...]
    calm: str


@dataclass(frozen=True, slots=True)
class WordsBody:
    """Own text: plain stretches and values among them."""

    parts: tuple[str | ValueText, ...]


@dataclass(frozen=True, slots=True)
class TableLine:
    """A series with its newest reading."""

    name: str
    value: ValueText
    age: str


@dataclass(frozen=True, slots=True)
class TableBody:
    """Newest readings."""

    lines: tuple[TableLine, ...]


@dataclass(frozen=True, slots=True)
class DayBody:
    """The day's lowest and highest, and when."""

    now: ValueText
    low: ValueText
    low_at: str
    high: ValueText
    high_at: str


class PlanMark(msgspec.Struct, frozen=True):
    """A station on a plan.

    Attributes
    ----------
    x, y : shares of the plan's width and height
    values : newest readings, the most telling first; at most two
    level : the worst of all its readings
    note : what is to be said of it: since when nothing came
    """

    station: str
    x: float
    y: float
    values: tuple[ValueText, ...]
    level: Level
    freshness: Freshness
    note: str = ""


class PlanBody(msgspec.Struct, frozen=True):
    """A plan with what hangs on it; `picture_id` is that of its picture in the store."""

    picture_id: int
    width: int
    height: int
    marks: tuple[PlanMark, ...]


Body: TypeAlias = (
    FigureBody
    | DialBody
    | ColumnsBody
    | RibbonBody
    | LampsBody
    | ScoreBody
    | StandingBody
    | WordsBody
    | TableBody
    | DayBody
    | PlanBody
)


@dataclass(frozen=True, slots=True)
class PaneView:
    """Everything a pane shows.

    Attributes
    ----------
    aside : to the right of the title: place, span, unit
    note : in one line below: the age of what is not fresh, a unit that does not fit
    trouble : why it shows nothing
    is_trial : whether a value of it is only tried out
    """

    kind: PaneKind
    title: str
    aside: str = ""
    body: Body | None = None
    note: str = ""
    trouble: str = ""
    freshness: Freshness = Freshness.FRESH
    is_trial: bool = False
    series_ids: frozenset[int] = field(default=frozenset(), compare=False)
