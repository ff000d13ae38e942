"""A lane of the model made into what its plot draws."""

from __future__ import annotations

from rook_tally.core.quantities.levels import NO_LIMITS
from rook_tally.core.series.envelope import Envelope
from rook_tally.desk.parts.drawing import peak_column
from rook_tally.desk.strip.lane_painter import LaneContent
from rook_tally.desk.strip.model import StripModel
from rook_tally.store.site import Series


def lane_content(model: StripModel, at: int) -> LaneContent:
    """The content of a lane from what was read. Limits are shown for a lane of one series only."""
    lane = model.lanes[at]
    drawn = [one for one in lane.series if one.id in model.traces]
    shown = [one.id for one in drawn]
    crop = tuple(model.envelopes[one] for one in shown)
    return LaneContent(
        model.made,
        tuple(model.traces[one] for one in shown),
        crop,
        tuple(_peak(one) for one in crop),
        lane.series[0].limits if len(lane.series) == 1 else NO_LIMITS,
        model.value_range(at),
        lane.series[0].shown,
        model.note(at),
        tuple(ring for one in shown for ring in model.traces[one].rings),
        tuple(trace_colour(one, at) for at, one in enumerate(drawn)),
        tuple({one.station.maintenance for one in drawn if one.station.maintenance is not None}),
    )


def trace_colour(series: Series, at: int) -> int:
    """The place among the theme's colours of the trace that is drawn as a lane's next."""
    picked = series.colour
    return at if picked is None else picked - 1


def _peak(envelope: Envelope) -> tuple[float, float] | None:
    at = peak_column(envelope)
    return None if at is None else (float(envelope.centres_us[at]), float(envelope.high[at]))
