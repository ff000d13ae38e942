"""Scores 0–100 out of several numbers (section D; ours throughout)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import FloatArray
from rook_tally.core.formulas.elementwise import FormulaArgument, elementwise, floats, where

_FEW_POINTS = 12


def checked_curve(
    x_points: Sequence[float], score_points: Sequence[float]
) -> tuple[FloatArray, FloatArray]:
    """A curve's breakpoints as arrays.

    Raises
    ------
    ValueError
        Unless x rises strictly over at least two points, with as many scores of 0…100.
    """
    x, score = floats(x_points), floats(score_points)
    if len(x) < 2 or len(x) != len(score):
        raise ValueError(f"a curve has two or more points, got {len(x)} and {len(score)}")
    if not np.isfinite(x).all() or (np.diff(x) <= 0).any():
        raise ValueError(f"the readings of a curve must rise, got {list(x_points)}")
    if not ((score >= 0) & (score <= 100)).all():
        raise ValueError(f"scores are 0 to 100, got {list(score_points)}")
    return x, score


@elementwise("value")
def piecewise_score(
    value: FloatArray, x_points: Sequence[float], score_points: Sequence[float]
) -> FloatArray:
    """Score of a value: straight between the points, the end scores beyond them; ±∞: NaN."""
    x, score = checked_curve(x_points, score_points)
    along = _along(value, x, score) if len(x) <= _FEW_POINTS else np.interp(value, x, score)
    return where(np.isfinite(value), np.asarray(along))


def _along(value: FloatArray, x: FloatArray, score: FloatArray) -> FloatArray:
    """As `np.interp`, but by the segments: a curve's few take less time than looking up each value.

    What a segment adds is its share of the rise, 0 before it and all of it behind: breakpoints come
    out exact.
    """
    rises = np.diff(score)
    total = np.full(value.shape, score[0])
    for low, high, rise in zip(x[:-1], x[1:], rises, strict=True):
        if rise:
            share = np.clip(value, low, high)
            share -= low
            share /= high - low
            share *= rise
            total += share
    return total


@dataclass(frozen=True, slots=True)
class Composite:
    """Scores at M moments out of I inputs; NaN where too little is known.

    Attributes
    ----------
    score, completeness : (M,) float64
        0…100, and the share 0…1 of the weight that was there.
    sub_scores, contributions, losses : (I, M) float64
        Each input's own score, its part of the score, and what it takes away from 100.
    worst : (M,) int64
        Which input scores lowest, the first of equals; −1 where there is no score.
    """

    score: FloatArray
    completeness: FloatArray
    sub_scores: FloatArray
    contributions: FloatArray
    losses: FloatArray
    worst: np.ndarray[tuple[int, ...], np.dtype[np.int64]]


def composite(
    sub_scores: FloatArray, weights: Sequence[float], *, min_completeness: float, worst_of: bool
) -> Composite:
    """Many moments' scores at once: weighted, or the worst input's.

    Parameters
    ----------
    sub_scores : (I, M) float64, NaN for a missing input
    weights : I numbers ≥ 0, not all 0; ValueError otherwise

    Notes
    -----
    Missing inputs are left out and the other weights count for the whole. Below `min_completeness`
    nothing is said.
    """
    weight = floats(weights)
    if len(weight) != len(sub_scores) or not (weight >= 0).all() or not weight.sum() > 0:
        raise ValueError(f"weights are numbers from 0 with a sum over 0, got {list(weights)}")
    present = np.isfinite(sub_scores) & (weight > 0)[:, None]
    there = np.where(present, weight[:, None], 0.0)
    total = there.sum(axis=0)
    completeness = total / weight.sum()
    # The share is made of the same numbers as the limit; rounding must not decide.
    known = (completeness >= min_completeness - 1e-12) & (total > 0)
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where(known & present, there / total, np.nan)
    contributions, losses = share * sub_scores, share * (100 - sub_scores)
    lowest = np.where(present, sub_scores, np.inf)
    worst = np.where(known, lowest.argmin(axis=0), -1)
    if worst_of:
        score = np.where(known, lowest.min(axis=0), np.nan)
    else:
        score = np.where(known, np.nansum(contributions, axis=0), np.nan)
    return Composite(score, completeness, sub_scores, contributions, losses, worst)


def _given(
    values: FormulaArgument,
    x_points: Sequence[Sequence[float]],
    score_points: Sequence[Sequence[float]],
    weights: Sequence[float],
    min_completeness: float,
    *,
    worst_of: bool,
) -> Composite:
    numbers = floats(values)
    if not len(numbers) == len(x_points) == len(score_points) == len(weights):
        raise ValueError("values, curves and weights run side by side and are equally many")
    sub_scores = [
        piecewise_score(value=number, x_points=x, score_points=score)
        for number, x, score in zip(numbers, x_points, score_points, strict=True)
    ]
    return composite(
        floats(sub_scores).reshape(-1, 1),
        weights,
        min_completeness=min_completeness,
        worst_of=worst_of,
    )


def composite_score(
    values: FormulaArgument,
    x_points: Sequence[Sequence[float]],
    score_points: Sequence[Sequence[float]],
    weights: Sequence[float],
    min_completeness: float = 0.5,
) -> dict[str, object]:
    """One moment's weighted score with its parts, as `composite` has them."""
    found = _given(values, x_points, score_points, weights, min_completeness, worst_of=False)
    return {
        "score": float(found.score[0]),
        "completeness": float(found.completeness[0]),
        "sub_scores": found.sub_scores[:, 0].tolist(),
        "contributions": found.contributions[:, 0].tolist(),
        "losses": found.losses[:, 0].tolist(),
    }


def composite_worst(
    values: FormulaArgument,
    x_points: Sequence[Sequence[float]],
    score_points: Sequence[Sequence[float]],
    weights: Sequence[float],
    min_completeness: float = 0.5,
) -> dict[str, object]:
    """One moment's worst sub-score and whose it is (from 0; NaN when nothing is said)."""
    found = _given(values, x_points, score_points, weights, min_completeness, worst_of=True)
    worst = int(found.worst[0])
    return {
        "score": float(found.score[0]),
        "index": float("nan") if worst < 0 else worst,
        "completeness": float(found.completeness[0]),
    }
