"""The loop closed: what the extractor and the mister do to the simulated air while they run.

Live stations read as they would have, and this on top: now and then somebody sprays, dust hangs in
the booth until the extractor takes it out, and clay dries until the mister wets it.
"""

from __future__ import annotations

import math
import threading
from dataclasses import dataclass, field

EXTRACTOR, MISTER = ("glaze-extractor", "on"), ("damp-probe", "mister")
_SPRAY_EVERY_S, _SPRAY_S = 900.0, 75.0
_FIRST_SPRAY_S = 30.0
_DUST_PER_S = 0.9
_DUST_HANGS_S, _DUST_CLEARS_S = 900.0, 60.0
_AS_FINE = {"pm1": 0.62, "pm25": 1.0, "pm10": 1.45}
_DRIES_PER_S, _WETS_PER_S = 0.02, 0.15
_DRIEST, _WETTEST = -8.0, 2.0
_LONGEST_STEP_S = 5.0


@dataclass(slots=True)
class _Set:
    """The value of a control, and until when; None for ever."""

    value: str
    until_s: float | None = None


@dataclass
class Loop:
    """The requests to controls, and their effects. Any thread may ask.

    The air goes `pace` times as fast as the clock; what was asked holds by the clock.
    """

    began_s: float
    pace: float = 1.0
    _dust: float = 0.0
    _wetness: float = 0.0
    _reached_s: float = 0.0
    _set: dict[tuple[str, str], _Set] = field(default_factory=dict)
    _limits: dict[tuple[str, str], float] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def __post_init__(self) -> None:
        self._reached_s = self.began_s

    def limit(self, station: str, control: str, for_s: float) -> None:
        """The next value of a control holds for so long at most."""
        with self._lock:
            self._limits[station, control] = for_s

    def set(self, station: str, control: str, value: str, now_s: float) -> None:
        """Set a control."""
        with self._lock:
            self._go_on(now_s)
            for_s = self._limits.pop((station, control), None)
            until_s = None if for_s is None else now_s + for_s
            self._set[station, control] = _Set(value, until_s)

    def expired(self, now_s: float) -> list[tuple[str, str]]:
        """Controls whose time is up: they are off from now on."""
        with self._lock:
            self._go_on(now_s)
            gone = [
                key
                for key, one in self._set.items()
                if one.until_s is not None and one.until_s <= now_s
            ]
            for key in gone:
                self._set[key] = _Set("off")
            return gone

    def changed(self, station: str, values: dict[str, float], now_s: float) -> dict[str, float]:
        """The readings of a station under the controls as they are."""
        with self._lock:
            self._go_on(now_s)
            if station == "glaze-dust":
                return {
                    name: value + self._dust * _AS_FINE.get(name, 0.0)
                    for name, value in values.items()
                }
            if station == EXTRACTOR[0] and EXTRACTOR in self._set:
                return {**values, "on": float(self._is_on(EXTRACTOR))}
            if station == MISTER[0]:
                moisture = values.get("moisture", 0.0) + self._wetness
                changed = {**values, "moisture": moisture}
                if MISTER in self._set:
                    changed["switch"] = float(self._is_on(MISTER))
                return changed
            return values

    def _is_on(self, key: tuple[str, str]) -> bool:
        one = self._set.get(key)
        return one is not None and one.value == "on"

    def _go_on(self, now_s: float) -> None:
        """Let the time pass, in steps small enough for what happens in it."""
        while self._reached_s < now_s:
            step_s = min(_LONGEST_STEP_S, (now_s - self._reached_s) * self.pace)
            since_s = (self._reached_s - self.began_s) * self.pace - _FIRST_SPRAY_S
            is_spraying = since_s >= 0 and since_s % _SPRAY_EVERY_S < _SPRAY_S
            hangs_s = _DUST_CLEARS_S if self._is_on(EXTRACTOR) else _DUST_HANGS_S
            self._dust *= math.exp(-step_s / hangs_s)
            self._dust += _DUST_PER_S * step_s if is_spraying else 0.0
            moves = _WETS_PER_S if self._is_on(MISTER) else -_DRIES_PER_S
            self._wetness = min(max(self._wetness + moves * step_s, _DRIEST), _WETTEST)
            self._reached_s += step_s / self.pace
