"""The sums of workings and watches written out by hand in NumPy: the least that a reading costs."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from rook_tally.core.arrays import FloatArray

_SECONDS, _STATIONS = 60, 10
_SLUGS = ("temperature", "humidity", "co2", "pm25", "sound_level")
_USUAL = {"temperature": 20, "humidity": 50, "co2": 700, "pm25": 9, "sound_level": 60}
_WINDOW = 600


class _Newest:
    """The newest value of each series, and the last ten minutes of it."""

    def __init__(self) -> None:
        self.value = {(at, slug): float(_USUAL[slug]) for at in range(_STATIONS) for slug in _SLUGS}
        self.tail = {key: np.full(_WINDOW, value) for key, value in self.value.items()}

    def take(self, key: tuple[int, str], value: float) -> None:
        self.value[key] = value
        tail = self.tail[key]
        tail[:-1] = tail[1:]
        tail[-1] = value


def _vapour_hpa(celsius: float) -> float:
    return 6.1094 * float(np.exp(17.625 * celsius / (celsius + 243.04)))


def _dew_point(celsius: float, humidity: float) -> float:
    gamma = np.log(humidity / 100) + 17.625 * celsius / (243.04 + celsius)
    return float(243.04 * gamma / (17.625 - gamma))


def _slope(tail: FloatArray) -> float:
    at = np.arange(len(tail)) - (len(tail) - 1) / 2
    return float(at @ tail / (at @ at))


def _sums(here: int) -> list[tuple[set[tuple[int, str]], Callable[[_Newest], float]]]:
    """What each of ten workings of a place rests on, and its sum."""
    other = (here + 3) % _STATIONS
    warm, damp, air, dust, loud = ((here, slug) for slug in _SLUGS)
    warm_there, damp_there, loud_there = ((other, slug) for slug in (*_SLUGS[:2], _SLUGS[4]))
    dust_there = other, "pm25"
    return [
        ({warm, damp}, lambda known: _dew_point(known.value[warm], known.value[damp])),
        ({air}, lambda known: known.value[air] - 420),
        ({dust}, lambda known: float(known.tail[dust].mean())),
        ({warm, warm_there}, lambda known: known.value[warm] - known.value[warm_there]),
        (
            {air, loud, loud_there},
            lambda known: known.value[loud if known.value[air] > 1000 else loud_there],
        ),
        ({warm}, lambda known: _slope(known.tail[warm])),
        (
            {warm, damp},
            lambda known: _vapour_hpa(known.value[warm]) * (1 - known.value[damp] / 100),
        ),
        ({dust, dust_there}, lambda known: known.value[dust] / known.value[dust_there]),
        ({loud}, lambda known: float(known.tail[loud][-300:].max())),
        (
            {warm, damp_there},
            lambda known: (
                2.1667
                * _vapour_hpa(known.value[warm])
                * known.value[damp_there]
                / (273.15 + known.value[warm])
            ),
        ),
    ]


def bare_workings_share(workings: int) -> float:
    """Share of a core that the sums of so many workings take on fifty readings a second."""
    known = _Newest()
    by_key: dict[tuple[int, str], list[Callable[[_Newest], float]]] = {}
    for at in range(workings):
        needs, of = _sums(at % _STATIONS)[at // _STATIONS % 10]
        for key in needs:
            by_key.setdefault(key, []).append(of)

    def take(key: tuple[int, str], value: float) -> None:
        known.take(key, value)
        for of in by_key.get(key, ()):
            of(known)

    return _share(take)


def bare_watches_share(watches: int) -> float:
    """Share of a core that comparing fifty readings a second with the limits of so many watches
    takes."""
    rng = np.random.default_rng(4)
    limits: dict[tuple[int, str], FloatArray] = {}
    for at in range(_STATIONS):
        for slug in _SLUGS:
            several = watches // (_STATIONS * len(_SLUGS))
            limits[at, slug] = np.asarray(_USUAL[slug] + rng.uniform(0.05, 0.7, several))
    since = {key: np.zeros(len(one)) for key, one in limits.items()}
    is_on = {key: np.zeros(len(one), dtype=bool) for key, one in limits.items()}

    def take(key: tuple[int, str], value: float) -> None:
        is_past = value > limits[key]
        since[key] = np.where(is_past, since[key] + 1, 0)
        turned = (since[key] >= 5) != is_on[key]
        if turned.any():
            is_on[key] = is_on[key] ^ turned

    return _share(take)


def _share(take: Callable[[tuple[int, str], float], None]) -> float:
    rng = np.random.default_rng(3)
    keys = [(at % _STATIONS, _SLUGS[at // _STATIONS]) for at in range(_STATIONS * len(_SLUGS))]
    values = rng.normal(0, 0.1, (_SECONDS, len(keys))).tolist()
    began = time.process_time()
    for row in values:
        for key, away in zip(keys, row, strict=True):
            take(key, _USUAL[key[1]] + away)
    return (time.process_time() - began) / _SECONDS
