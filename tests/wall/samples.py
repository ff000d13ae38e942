"""A face of every kind of pane, for tests of what draws them."""

from __future__ import annotations

from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.envelope import Envelope, empty_envelope
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.wall.pane_views import (
    Body,
    ColumnFigure,
    ColumnsBody,
    DayBody,
    DialBody,
    FigureBody,
    Lamp,
    LampsBody,
    LampState,
    Loss,
    PaneView,
    Peak,
    PlanBody,
    PlanMark,
    RibbonBody,
    RibbonTrace,
    ScoreBody,
    StandingBody,
    StandingLine,
    TableBody,
    TableLine,
    ValueText,
    WordsBody,
)

# A ribbon has bands at the heights of its limits and no level of its own.
LEVELLED = tuple(kind for kind in PaneKind if kind is not PaneKind.RIBBON)


def sample(
    kind: PaneKind,
    level: Level = Level.RAISED,
    text: str = "58",
    *,
    name: str = "Glaze booth",
    freshness: Freshness = Freshness.FRESH,
    note: str = "",
) -> PaneView:
    """A face of a kind: one value with its level, one name wherever there are names."""
    body = _body(kind, ValueText(text, "µg/m³", level, freshness), name)
    return PaneView(kind, name, name, body, note, freshness=freshness)


def _body(kind: PaneKind, value: ValueText, name: str) -> Body:
    match kind:
        case PaneKind.FIGURE:
            return FigureBody(value, f"33 over the limit of 25, {name}")
        case PaneKind.DIAL:
            zones = ((0.2, 0.4, Level.RAISED), (0.4, 1.0, Level.HIGH))
            return DialBody(value, 0.58, zones, "0", "100", name)
        case PaneKind.COLUMNS:
            return ColumnsBody(
                (
                    ColumnFigure(name, name, value, 0.6, 0.1, 0.8),
                    ColumnFigure(name, name, ValueText("–"), None, None, None),
                )
            )
        case PaneKind.RIBBON:
            return RibbonBody(
                (RibbonTrace(name, _envelope(), (0, 1, 1)),) * 2,
                0.0,
                100.0,
                ((0.25, 0.5, Level.RAISED),),
                ((0.25, "25"),),
                ((0.5, "06:00"),),
                Peak(0.9, 0.7, f"{value.text} at 14:19"),
            )
        case PaneKind.PLAN:
            mark = PlanMark(name, 0.5, 0.5, (value, value), value.level, value.freshness)
            return PlanBody(1, 800, 500, (mark,))
        case PaneKind.LAMPS:
            return LampsBody(
                (
                    Lamp(name, LampState.NONE, "heard", value.level, value.freshness),
                    Lamp(name, LampState.ON, f"since 13:56, for {name}"),
                    Lamp(name, LampState.OFF, "since 09:00"),
                )
            )
        case PaneKind.SCORE:
            return ScoreBody(
                value, f"{name} is what spoils it", name, (Loss(name, "−51", 1.0, Level.HIGH),)
            )
        case PaneKind.STANDING:
            return StandingBody(
                (
                    StandingLine(name, value.level, "46 min", False),
                    StandingLine(name, Level.NOTICED, "2 h", True),
                ),
                "",
            )
        case PaneKind.WORDS:
            return WordsBody((f"{name} is at ", value, "."))
        case PaneKind.TABLE:
            return TableBody((TableLine(name, value, "now"), TableLine(name, ValueText("–"), "–")))
        case PaneKind.DAY:
            low = ValueText("4", value.unit)
            return DayBody(value, low, "06:10", value, "14:19")


def _envelope() -> Envelope:
    made = empty_envelope(0, 50, 25)
    for time_us in range(50):
        made = made.with_reading(time_us, 1.4 * time_us, is_good=True)
    return made
