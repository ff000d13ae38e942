"""The score in hand: over the window, at the cursor, and tried out; without Qt."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray
from rook_tally.core.formulas.scoring import Composite
from rook_tally.core.moment_words import clock_words, moment_words
from rook_tally.core.quantities.number_format import duration
from rook_tally.core.timestamps import SECOND_US, datetime_from_time_us
from rook_tally.core.workings.definitions import Working
from rook_tally.core.workings.scores import added_up, parted_stretches, parted_us
from rook_tally.desk.data.draft_in_hand import DraftInHand
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.workings.queries import ScorePreview
from rook_tally.desk.workings.texts import tr
from rook_tally.desk.workings.what_if import WhatIf, WhatIfQuery

PART_BY = 15.0
"""So many points apart, two ways of adding up disagree."""


class WhyPart(msgspec.Struct, frozen=True):
    """Points that an input takes away from a score at a moment."""

    name: str
    loss: float


class DraftScore:
    """The draft in hand as a score, where it is one.

    Attributes
    ----------
    preview : its inputs over the window; None until they are there
    cursor : where a person looks, from the window's start at 0 to its end at 1
    what_if : the inputs as they are tried; None while nothing is
    series : the series of every working that is saved, by its slug: pairs of place and id
    """

    def __init__(
        self, state: SiteState, hand: DraftInHand[Working], tell: Callable[[], None]
    ) -> None:
        """`tell` is called when something is shown otherwise."""
        self._state = state
        self._hand = hand
        self._tell = tell
        self.preview: ScorePreview | None = None
        self.cursor = 1.0
        self.what_if: list[float] | None = None
        self.series: Mapping[str, Sequence[tuple[str, int]]] = {}
        self._tried: dict[int, float] = {}
        self._tried_for: dict[int, float] = {}

    def forget(self) -> None:
        """Something else is in hand."""
        self.preview, self.cursor = None, 1.0
        self.end_trial()

    def take(self, preview: ScorePreview) -> None:
        """Take the score's inputs over the window."""
        draft = self._hand.draft
        if draft is not None and draft.slug == preview.slug:
            self.preview = preview
            self._tell()

    def ways(self) -> list[tuple[str, Composite]]:
        """Every way of adding up with its scores over the window, the draft's first."""
        preview, draft = self.preview, self._hand.draft
        if preview is None or draft is None or draft.score is None or not preview.ways:
            return []
        found = []
        for at, one in enumerate(preview.ways):
            working = draft if at == 0 else one.working
            score = working.score
            if score is None or len(score.inputs) != len(one.readings):
                continue
            name = (
                score.way.value if at == 0 or working.name.startswith(draft.name) else working.name
            )
            found.append((name, added_up(score, one.readings)))
        return found

    def parted(self) -> tuple[str, list[tuple[int, int]]]:
        """Where two ways of adding up disagree, in words and as stretches."""
        ways, preview = self.ways(), self.preview
        if len(ways) < 2 or preview is None or preview.times is None:
            return "", []
        one, other = ways[0][1].score, ways[1][1].score
        times = preview.times
        length_s = parted_us(times, one, other, by=PART_BY) / SECOND_US
        whole_s = (int(times[-1]) - int(times[0])) / SECOND_US
        words = (
            tr(
                "they differ by more than {0:.0f} points for {1} of {2}",
                PART_BY,
                duration(length_s),
                duration(whole_s),
            )
            if length_s
            else tr("they never differ by more than {0:.0f} points", PART_BY)
        )
        return words, list(parted_stretches(times, one, other, by=PART_BY))

    def moment(self) -> int:
        """The position of the cursor among the moments shown."""
        preview = self.preview
        count = 0 if preview is None or preview.times is None else len(preview.times)
        return min(max(0, round(self.cursor * (count - 1))), max(count - 1, 0))

    def when(self) -> str:
        """When it was that the inputs read as they do at the cursor, in words."""
        preview, window = self.preview, self._state.window
        if self.what_if is not None:
            return tr("on trial")
        if preview is None or preview.times is None or (window.is_live and self.cursor >= 1.0):
            return tr("now")
        zone = self._state.zone
        moment = datetime_from_time_us(int(preview.times[self.moment()])).astimezone(zone)
        today = datetime_from_time_us(self._state.clock()).astimezone(zone).date()
        return tr(
            "at {0}",
            clock_words(moment) if moment.date() == today else moment_words(moment, weekday=True),
        )

    def readings_at_cursor(self) -> FloatArray | None:
        """The draft's inputs at the cursor, or as they are tried."""
        preview = self.preview
        if preview is None or not preview.ways:
            return None
        if self.what_if is not None:
            return np.array(self.what_if)
        return np.asarray(preview.ways[0].readings[:, self.moment()], np.float64)

    def at_cursor(self) -> Composite | None:
        """The draft's score at the cursor, with its parts."""
        readings = self.readings_at_cursor()
        if readings is None or self._hand.draft is None or self._hand.draft.score is None:
            return None
        if len(readings) != len(self._hand.draft.score.inputs):
            return None
        return added_up(self._hand.draft.score, readings.reshape(-1, 1))

    def why(self) -> list[WhyPart]:
        """Points that each input takes away at the cursor, the most first."""
        found = self.at_cursor()
        if found is None:
            return []
        draft = self._hand.draft
        assert draft is not None
        assert draft.score is not None
        inputs = draft.score.inputs
        parts = [
            WhyPart(one.name, float(loss))
            for one, loss in zip(inputs, found.losses[:, 0], strict=True)
            if np.isfinite(loss)
        ]
        return sorted(parts, key=lambda part: -part.loss)

    def begin_trial(self) -> None:
        """Let the inputs be moved, to see what the score would be."""
        readings = self.readings_at_cursor()
        if readings is not None:
            # What is missing stays so until somebody moves it.
            self.what_if = readings.tolist()
            self.try_out()

    def try_input(self, at: int, value: float) -> None:
        """Say that an input read so much."""
        if self.what_if is not None:
            self.what_if[at] = value
            self.try_out()

    def try_out(self) -> None:
        """Show the trial's score wherever the score appears."""
        found, preview = self.at_cursor(), self.preview
        if found is None or preview is None or self._hand.saved is None:
            self._tell()
            return
        series = dict(self.series.get(self._hand.saved.slug, ()))
        series_id = series.get(preview.place)
        if series_id is not None and np.isfinite(found.score[0]):
            # What rests on the score keeps what it was tried at until that is worked out anew.
            self._tried = {series_id: float(found.score[0])}
            self._state.try_out(self._state.trial | self._tried)
        self._tell()

    def trial_question(self) -> WhatIfQuery | None:
        """Asks what rests on the score that is tried out; None when nothing is, or it is known."""
        if self.what_if is None or not self._tried or self._tried == self._tried_for:
            return None
        self._tried_for = dict(self._tried)
        return WhatIfQuery(self._tried_for, self._state.now_us)

    def take_trial(self, trial: WhatIf) -> None:
        """Take the values of what rests on the score."""
        if self.what_if is not None and trial.said == self._tried:
            known = {
                series_id: value for series_id, value in trial.values.items() if np.isfinite(value)
            }
            self._state.try_out(trial.said | known)

    def end_trial(self) -> None:
        """Show what is really so again."""
        if self.what_if is not None:
            self.what_if = None
            self._tried, self._tried_for = {}, {}
            self._state.try_out({})
            self._tell()
