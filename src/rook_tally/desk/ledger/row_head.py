"""Works out the head of a place's row; without Qt."""

from __future__ import annotations

import msgspec
import numpy as np

from rook_tally.core.arrays import BoolArray
from rook_tally.core.quantities.number_format import age
from rook_tally.core.series.freshness import Freshness, expected_reports_heard
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_feed import HEARD_REPORTS
from rook_tally.desk.ledger.rows import PlaceRow
from rook_tally.desk.ledger.texts import tr
from rook_tally.store.site import Station

_FROM_BEST = tuple(Freshness)
# Seconds that count up in every head are nothing to look at, and each is painted.
_AGE_STEP_S, _STEPS_UNTIL_S = 5, 100


class RowHead(msgspec.Struct, frozen=True):
    """The head of a place's row."""

    name: str
    age: str
    freshness: Freshness
    heard: BoolArray

    def says(self, other: RowHead | None) -> bool:
        """True if it shows what the other one does."""
        return other is not None and (
            (self.age, self.freshness) == (other.age, other.freshness)
            and bool(np.array_equal(self.heard, other.heard))
        )


def row_head(state: SiteState, line: PlaceRow, stations: list[Station]) -> RowHead:
    """The head of a place that has these stations: of the one that is worst off, with the age of
    the newest word of any."""
    if not stations:
        heard = np.zeros(HEARD_REPORTS, dtype=np.bool_)
        return RowHead(line.place.name, "", Freshness.SILENT, heard)
    ages = [state.station_age_s(one) for one in stations]
    known = [age_s for age_s in ages if age_s is not None]
    states = [state.station_freshness(one) for one in stations]
    shown = max(states, key=_FROM_BEST.index)
    worst = stations[states.index(shown)]
    heard = expected_reports_heard(
        state.reports.get(worst.id, np.empty(0, dtype=np.int64)),
        now_us=state.now_us,
        cadence_s=worst.cadence_s,
        count=HEARD_REPORTS,
    )
    if shown is Freshness.SILENT and any(one.is_telling for one in states):
        shown = Freshness.LATE
    name = f"▸ {line.place.name}" if line.is_folded else line.place.name
    return RowHead(name, _calm_age(min(known)) if known else "", shown, heard)


def _calm_age(age_s: float) -> str:
    """The age of a place's newest word, told in steps as long as it is seconds."""
    if age_s < _AGE_STEP_S:
        return tr("now")
    return age(age_s // _AGE_STEP_S * _AGE_STEP_S if age_s < _STEPS_UNTIL_S else age_s)
