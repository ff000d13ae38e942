"""Figures over time with its gaps (section H)."""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterator
from math import isfinite, sqrt

from benchmarks.loops.cases import Case, Columns, Loop
from benchmarks.loops.samples import heard, percentile

_MAX_GAP_US = 180_000_000
_CADENCE_S = 60.0


def cases(columns: Columns) -> dict[str, Case]:
    """Each formula of section H."""
    series = {"t_us": columns.t_us, "value": columns.walk}
    gapped = {**series, "max_gap_s": 180.0}
    pieces = {**gapped, "cadence_s": _CADENCE_S}
    end_us = int(columns.t_us[-1])

    def good(count: int) -> Iterator[tuple[int, float]]:
        for moment, value in zip(*columns.series(count), strict=True):
            if isfinite(value):
                yield moment, value

    def straight(count: int) -> Iterator[tuple[float, float, float]]:
        """Length, left and right end of each piece; a lone reading lasts one cadence."""
        before_us, before, was_joined = None, 0.0, False
        for moment, value in zip(*columns.series(count), strict=True):
            if not isfinite(value):
                continue
            if before_us is not None:
                is_joined = moment - before_us <= _MAX_GAP_US
                if is_joined:
                    yield (moment - before_us) / 1e6, before, value
                elif not was_joined:
                    yield _CADENCE_S, before, before
                was_joined = is_joined
            before_us, before = moment, value
        if before_us is not None and not was_joined:
            yield _CADENCE_S, before, before

    def mean(count: int) -> float:
        total = weight = 0.0
        for length, left, right in straight(count):
            total += length * (left + right) / 2
            weight += length
        return total / weight

    def deviation(count: int) -> float:
        middle = mean(count)
        total = weight = 0.0
        for length, left, right in straight(count):
            total += length * ((left - middle) ** 2 + (right - middle) ** 2) / 2
            weight += length
        return sqrt(total / weight)

    def beyond(sign: float, limit: float, figure: Callable[[float, float], float]) -> Loop:
        """The sum over the parts above a limit (or below it, with the sign turned)."""

        def run(count: int) -> float:
            total = 0.0
            for length, left, right in straight(count):
                a, b = sign * left - limit, sign * right - limit
                high, low = max(a, b), min(a, b)
                if low >= 0:
                    total += figure(length, (high + low) / 2) if high > 0 else 0.0
                elif high > 0:
                    total += figure(length * high / (high - low), high / 2)
            return total

        return run

    def lasting(length: float, _: float) -> float:
        return length

    def area_h(length: float, mean: float) -> float:
        return length * mean / 3600

    def runs(count: int) -> list[list[int]]:
        found: list[list[int]] = []
        for moment, _ in good(count):
            if found and moment - found[-1][1] <= _MAX_GAP_US:
                found[-1][1] = moment
                found[-1][2] += 1
            else:
                found.append([moment, moment, 1])
        return found

    def gaps(count: int) -> list[list[int]]:
        found: list[list[int]] = []
        before: int | None = None
        for moment, _ in good(count):
            if before is not None and moment - before > _MAX_GAP_US:
                found.append([before, moment])
            before = moment
        return found

    def extreme(is_better: Callable[[float, float], bool]) -> Loop:
        def run(count: int) -> dict[str, float | int | None]:
            best, at_us = None, None
            for moment, value in good(count):
                if best is None or is_better(value, best):
                    best, at_us = value, moment
            return {"value": best, "time_us": at_us}

        return run

    def percentiles(count: int) -> list[float]:
        given = heard(columns.walk[:count].tolist())
        return [percentile(given, share) for share in (5, 50, 95)]

    def completeness(count: int) -> dict[str, float]:
        number, covered_us, before = 0, 0.0, None
        was_joined = False
        for moment, _ in good(count):
            number += 0 <= moment < end_us
            if before is not None:
                is_joined = moment - before <= _MAX_GAP_US
                if is_joined:
                    covered_us += max(min(moment, end_us) - max(before, 0), 0)
                elif not was_joined and 0 <= before < end_us:
                    covered_us += _CADENCE_S * 1e6
                was_joined = is_joined
            before = moment
        if before is not None and not was_joined and 0 <= before < end_us:
            covered_us += _CADENCE_S * 1e6
        expected = max(1, int(end_us / 1e6 / _CADENCE_S + 0.5))
        return {
            "heard": number,
            "expected": expected,
            "completeness": min(1.0, number / expected),
            "covered_fraction": min(1.0, covered_us / end_us),
        }

    return {
        "find_runs": Case(gapped, runs),
        "find_gaps": Case(gapped, gaps),
        "covered_s": Case(pieces, lambda n: sum(length for length, _, _ in straight(n))),
        "time_weighted_mean": Case(pieces, mean),
        "time_weighted_std": Case(pieces, deviation),
        "exposure": Case(
            pieces, lambda n: sum(area_h(length, (a + b) / 2) for length, a, b in straight(n))
        ),
        "time_above_s": Case({**pieces, "limit": 1.0}, beyond(1, 1.0, lasting)),
        "time_below_s": Case({**pieces, "limit": -1.0}, beyond(-1, 1.0, lasting)),
        "degree_hours_above": Case({**pieces, "limit": 1.0}, beyond(1, 1.0, area_h)),
        "degree_hours_below": Case({**pieces, "limit": -1.0}, beyond(-1, 1.0, area_h)),
        "lowest": Case(series, extreme(operator.lt)),
        "highest": Case(series, extreme(operator.gt)),
        "percentiles": Case({**series, "q": [5, 50, 95]}, percentiles),
        "completeness": Case({**pieces, "start_us": 0, "end_us": end_us}, completeness),
    }
