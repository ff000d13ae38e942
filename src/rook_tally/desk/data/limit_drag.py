"""A limit dragged on an axis: how far it goes, on how many days it would have been reached, and
saved where the limits in force are set. Decided without Qt."""

from __future__ import annotations

import math
from collections.abc import Callable

import msgspec
from msgspec.structs import replace

from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.quantities.limit_rules import LEVELS
from rook_tally.desk.data.limit_commands import SaveLimits
from rook_tally.desk.data.limits_model import LimitsAnswer, LimitsQuery, days_reached, usual_choice
from rook_tally.desk.data.store_client import ClientScope, StoreClient
from rook_tally.desk.data.texts import tr
from rook_tally.store.site import Series

_STEPS = 200


class LimitLine(msgspec.Struct, frozen=True):
    """One line of limits: its level, and whether it is reached from below."""

    level: Level
    is_upper: bool


def lines_of(limits: Limits) -> list[tuple[LimitLine, float]]:
    """Every line with where it stands."""
    return [
        (LimitLine(level, is_upper), value)
        for is_upper, side in ((True, limits.above), (False, limits.below))
        for level, value in zip(LEVELS, side, strict=True)
        if value is not None
    ]


def stepped(value: float, value_range: tuple[float, float], shown: DisplayUnit) -> float:
    """A value in the base unit, on a round step of the unit shown."""
    span = abs(shown.difference(value_range[1] - value_range[0])) / _STEPS
    if not span > 0:
        return value
    step = 10.0 ** math.floor(math.log10(span))
    told = round(round(float(shown.value(value)) / step) * step, 9)
    return float(shown.unit.to_base(told))


def with_line_at(limits: Limits, line: LimitLine, value: float) -> Limits:
    """The limits with a line moved, no further than its neighbours and the other side let it."""
    side = list(limits.above if line.is_upper else limits.below)
    other = [one for one in (limits.below if line.is_upper else limits.above) if one is not None]
    at = LEVELS.index(line.level)
    inner = [one for one in side[:at] if one is not None]
    outer = [one for one in side[at + 1 :] if one is not None]
    near = [*inner[-1:], *([max(other) if line.is_upper else min(other)] if other else [])]
    low, high = (near, outer[:1]) if line.is_upper else (outer[:1], near)
    bounds = (max(low, default=-math.inf), min(high, default=math.inf))
    if not bounds[0] < value < bounds[1]:
        return limits
    side[at] = value
    four = (side[0], side[1], side[2], side[3])
    return replace(limits, above=four) if line.is_upper else replace(limits, below=four)


class LimitDrag:
    """Reads what is set for a series when a drag begins, and saves what came of it. One for a
    view: only one limit is dragged at a time."""

    def __init__(
        self, client: StoreClient, clock: Callable[[], int], refused: Callable[[str], None]
    ) -> None:
        self._client, self._clock, self._refused = client, clock, refused
        self._scope: ClientScope | None = None
        self._answer: LimitsAnswer | None = None
        self._dropped: Limits | None = None
        self.on_answer: Callable[[], None] = lambda: None
        self.on_refused: Callable[[], None] = lambda: None
        self.on_saved: Callable[[], None] = lambda: None

    def begin(self, series: Series) -> None:
        """A line of this series was taken hold of."""
        self._answer = self._dropped = None
        if self._scope is not None:
            self._scope.close()
        self._scope = self._client.scope()
        self._scope.read(LimitsQuery(series, self._clock()), self._take, self._refuse)

    def _take(self, answer: LimitsAnswer) -> None:
        self._answer = answer
        if self._dropped is not None:
            self.drop(self._dropped)
        else:
            self.on_answer()

    def words(self, limits: Limits, line: LimitLine, shown: DisplayUnit) -> str:
        """The line in words: its level, where it stands, on how many days it was reached."""
        value = (limits.above if line.is_upper else limits.below)[LEVELS.index(line.level)]
        if value is None:
            return ""
        told = f"{tr(line.level.wording)} {shown.limit_text(value)} {shown.symbol}".strip()
        if self._answer is None or not self._answer.days_heard:
            return told
        count = days_reached(limits, self._answer, line.level)
        return tr("{0} · on {1} of {2} days", told, count, self._answer.days_heard)

    def drop(self, limits: Limits) -> None:
        """Save the limits in the scope that those in force are set for, once it is read."""
        if self._answer is None:
            self._dropped = limits
            return
        choice = usual_choice(self._answer)
        command = SaveLimits(choice.scope, choice.words, limits, choice.limits)
        saved = self.on_saved
        self._client.write(command, lambda _answer: saved(), on_error=self._refuse)

    def _refuse(self, why: str) -> None:
        # What is drawn is not so: it goes before anything is said.
        self.on_refused()
        self._refused(why)
