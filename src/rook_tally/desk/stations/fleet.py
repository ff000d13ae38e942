"""Remarks on a station, and on a fleet's firmware, in a few words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from rook_tally.core.quantities.number_format import age
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import ClockFault, MessageCounts, Station

_MUCH = 0.02
"""From this share on duplicates, revisions and suspect readings are worth a word."""


def usual_firmware(stations: Iterable[Station]) -> dict[str, str]:
    """The firmware that most stations of a kind have, by the kind's slug; kinds of which only one
    station tells its own are left out."""
    told: dict[str, Counter[str]] = {}
    for one in stations:
        if one.firmware:
            told.setdefault(one.kind.slug, Counter())[one.firmware] += 1
    return {
        slug: counts.most_common(1)[0][0] for slug, counts in told.items() if counts.total() > 1
    }


def firmware_spread(stations: Iterable[Station]) -> str:
    """Number of stations by firmware, the most common first; empty when none tells."""
    counts = Counter(one.firmware for one in stations if one.firmware)
    return ", ".join(f"{count} × {version}" for version, count in counts.most_common())


def station_remark(
    station: Station,
    tally: MessageCounts,
    fault: ClockFault | None,
    usual: dict[str, str],
    *,
    is_offline: bool,
    maintenance: str = "",
    update: str = "",
) -> str:
    """The one thing that is most worth saying; empty when all is well. `maintenance` says until
    when it lasts, `update` how far the station is with new firmware."""
    if maintenance:
        return maintenance
    if update:
        return update
    if is_offline:
        return tr("offline, by its own word")
    if fault is not None:
        apart = age(abs(fault.ahead_s))
        if fault.ahead_s > 0:
            return tr("its clock runs {0} ahead", apart)
        return tr("its clock runs {0} behind", apart)
    sent = tally.kept + tally.duplicate
    for count, whole, words in (
        (tally.suspect, tally.kept, tr("{0} % of its readings are suspect")),
        (tally.duplicate, sent, tr("{0} % comes twice")),
        (tally.revised, tally.kept, tr("{0} % of its readings were revised")),
    ):
        if whole and count / whole >= _MUCH:
            return words.format(f"{100 * count / whole:.0f}")
    expected = usual.get(station.kind.slug)
    if expected is not None and station.firmware and station.firmware != expected:
        return tr("firmware {0}, others have {1}", station.firmware, expected)
    return ""
