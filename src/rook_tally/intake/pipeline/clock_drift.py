"""Senders' clocks: one that is steadily ahead or behind is a fault of its station.

A station that stores and forwards is late by this much and that; a wrong clock is wrong by the same
time and again. So the verdict needs several messages that agree.
"""

from __future__ import annotations

import statistics
from collections import defaultdict, deque

from rook_tally.core.timestamps import MINUTE_US, SECOND_US

AGREEING = 8
"""So many messages in a row have to agree."""

_FAULT_US = 2 * MINUTE_US
_SPREAD_US = 30 * SECOND_US
# A fault that grows or shrinks is told anew by steps of this.
_STEP_US = 30 * SECOND_US


class Clocks:
    """Offsets of the stations' clocks against ours. Used by one thread."""

    def __init__(self) -> None:
        self._ahead_us: dict[int, deque[int]] = defaultdict(lambda: deque(maxlen=AGREEING))
        self._told_us: dict[int, int] = {}

    def verdict(self, station_id: int, *, sent_us: int, arrived_us: int) -> float | None:
        """Hear of a message's newest time; what is to be told of its station's clock, if anything.

        Returns
        -------
        float or None
            Seconds ahead (behind when negative), 0 when it is right again, None for no news.
        """
        ahead = self._ahead_us[station_id]
        ahead.append(sent_us - arrived_us)
        if len(ahead) < AGREEING:
            return None
        if (
            not self._told_us.get(station_id, 1)
            and -_FAULT_US <= min(ahead) <= max(ahead) <= _FAULT_US
        ):
            # Nearly always: it is right, and has been told to be.
            return None
        typical_us = round(statistics.median(ahead))
        is_steady = max(ahead) - min(ahead) <= _SPREAD_US
        fault_us = typical_us if is_steady and abs(typical_us) > _FAULT_US else 0
        told_us = self._told_us.get(station_id)
        is_same = told_us is not None and (told_us == 0) == (fault_us == 0)
        if is_same and abs((told_us or 0) - fault_us) < _STEP_US:
            return None
        # The first verdict is told even when all is well: a fault may stand in the store.
        self._told_us[station_id] = fault_us
        return fault_us / SECOND_US

    def forget(self) -> None:
        """Tell everything anew: what was told last is not in the store."""
        self._told_us.clear()
