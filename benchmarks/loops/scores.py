"""A score moment by moment (section D): by name it is of one, over history of all of them."""

from __future__ import annotations

from itertools import pairwise
from math import isfinite, nan
from typing import Any

import numpy as np

from benchmarks.loops.cases import Case, Columns, lists_of
from rook_tally.core.arrays import FloatArray
from rook_tally.core.workings.definitions import Aggregation, Score, ScoreInput
from rook_tally.core.workings.scores import added_up

Curve = tuple[tuple[float, float], ...]
_CURVES: tuple[Curve, ...] = (
    ((5.0, 0.0), (18.0, 100.0), (24.0, 100.0), (35.0, 0.0)),
    ((20.0, 0.0), (40.0, 100.0), (60.0, 100.0), (90.0, 0.0)),
    ((-10.0, 100.0), (40.0, 0.0)),
)
_WEIGHTS = (3.0, 2.0, 1.0)
_LEAST = 0.5


def along(curve: Curve, value: float) -> float:
    """Straight between the points, the end scores beyond them."""
    if not isfinite(value):
        return nan
    if value <= curve[0][0]:
        return curve[0][1]
    for (x0, y0), (x1, y1) in pairwise(curve):
        if value <= x1:
            return y0 + (y1 - y0) * (value - x0) / (x1 - x0)
    return curve[-1][1]


def _moment(values: tuple[float, ...], way: Aggregation) -> dict[str, Any]:
    subs = [along(curve, value) for curve, value in zip(_CURVES, values, strict=True)]
    present = [isfinite(one) for one in subs]
    there = sum(weight for weight, is_there in zip(_WEIGHTS, present, strict=True) if is_there)
    completeness = there / sum(_WEIGHTS)
    contributions, losses, score, worst = [nan] * len(subs), [nan] * len(subs), nan, -1
    if completeness >= _LEAST and there > 0:
        for at, (one, weight) in enumerate(zip(subs, _WEIGHTS, strict=True)):
            if present[at]:
                contributions[at] = weight / there * one
                losses[at] = weight / there * (100 - one)
                if worst < 0 or one < subs[worst]:
                    worst = at
        weighted = sum(one for one in contributions if isfinite(one))
        score = subs[worst] if way is Aggregation.WORST else weighted
    return {
        "score": score,
        "completeness": completeness,
        "sub_scores": subs,
        "contributions": contributions,
        "losses": losses,
        "worst": worst,
    }


def _case(columns: Columns, way: Aggregation) -> Case:
    inputs = tuple(
        ScoreInput(name=f"input {at}", formula="", points=curve, weight=weight)
        for at, (curve, weight) in enumerate(zip(_CURVES, _WEIGHTS, strict=True))
    )
    score = Score(inputs=inputs, way=way, least=_LEAST)

    def over_history(warm: FloatArray, damp: FloatArray, walk: FloatArray) -> dict[str, Any]:
        found = added_up(score, np.stack((warm, damp, walk)))
        return {name: getattr(found, name) for name in found.__slots__}

    def loop(count: int) -> dict[str, Any]:
        rows = zip(*lists_of(count, columns.warm, columns.damp, columns.walk), strict=True)
        moments = [_moment(row, way) for row in rows]
        plain = ("score", "completeness", "worst")
        parts = ("sub_scores", "contributions", "losses")
        return {
            **{name: [one[name] for one in moments] for name in plain},
            **{
                name: list(map(list, zip(*(one[name] for one in moments), strict=True)))
                for name in parts
            },
        }

    given = {"warm": columns.warm, "damp": columns.damp, "walk": columns.walk}
    return Case(given, loop, over_history)


def cases(columns: Columns) -> dict[str, Case]:
    """Both ways of adding up."""
    return {
        "composite_score": _case(columns, Aggregation.WEIGHTED),
        "composite_worst": _case(columns, Aggregation.WORST),
    }
