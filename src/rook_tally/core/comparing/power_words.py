"""Writes the estimate for a battery as plain sentences."""

from __future__ import annotations

import math

from rook_tally.core.comparing.power import CadenceLife, PowerOutlook
from rook_tally.core.comparing.texts import tr
from rook_tally.core.quantities.number_format import duration

_DAY_S = 86_400.0
# Nearer to the cadence there is now, another one says the same.
_ALIKE = 1.3
# Farther from it nobody would go at once, and nothing is known of that.
_FAR = 60.0


def power_lines(outlook: PowerOutlook) -> list[str]:
    """Return one sentence on how long the battery lasts, and one on other cadences."""
    if not math.isfinite(outlook.days_low):
        return [tr("Its battery does not fall, or is not known for long enough to tell.")]
    pace_s = _DAY_S / outlook.messages_per_day
    lines = [
        tr(
            "Empty in {0}, sending every {1}.",
            days_words(outlook.days_low, outlook.days_high),
            duration(pace_s),
        )
    ]
    ratios = [
        (one, max(one.cadence_s / pace_s, pace_s / one.cadence_s)) for one in outlook.cadences
    ]
    others = [one for one, ratio in ratios if _ALIKE <= ratio <= _FAR]
    told = "; ".join(_cadence_words(one) for one in others)
    if not told:
        return lines
    if math.isfinite(outlook.share_low):
        low, high = round(100 * outlook.share_low), round(100 * outlook.share_high)
        share = f"{low}" if low == high else f"{low}–{high}"
        lines.append(tr("Sending takes {0} % of it: {1}.", share, told))
    else:
        lines.append(
            tr(
                "It has always sent as often, so what sending costs lies between nothing and all "
                "of it: {0}.",
                told,
            )
        )
    return lines


def days_words(low: float, high: float) -> str:
    """Days between two bounds, such as `181–192 days`."""
    if not math.isfinite(high):
        return tr("{0} days or more", _round(low))
    if _round(low) == _round(high):
        return tr("{0} days", _round(low))
    return tr("{0}–{1} days", _round(low), _round(high))


def _cadence_words(one: CadenceLife) -> str:
    return tr("every {0} {1}", duration(one.cadence_s), days_words(one.days_low, one.days_high))


def _round(days: float) -> str:
    """Days to two digits, as nobody knows them better."""
    if days < 10:
        return f"{days:.1f}"
    step = 10 ** max(0, math.floor(math.log10(days)) - 1)
    return f"{round(days / step) * step:.0f}"
