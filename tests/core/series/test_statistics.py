"""Time-weighted statistics against the collected vectors, and laws that must hold."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import asdict

from rook_tally.core.series import statistics as stats
from rook_tally.core.series.gaps import find_gaps, find_runs
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.series.statistics import Window, pieces_of

VECTORS = json.loads((Path(__file__).parent / "statistics_vectors.json").read_text())


def _readings(inputs: dict[str, Any]) -> Readings:
    values = [np.nan if value is None else value for value in inputs["value"]]
    return readings_from(inputs["t_us"], values, inputs.get("quality"))


def _window(inputs: dict[str, Any]) -> Window:
    return Window(inputs.get("start_us"), inputs.get("end_us"))


def _pieces(inputs: dict[str, Any]) -> stats.Pieces:
    return pieces_of(
        _readings(inputs),
        max_gap_s=inputs["max_gap_s"],
        cadence_s=inputs["cadence_s"],
        window=_window(inputs),
    )


def _runs(inputs: dict[str, Any]) -> list[list[int]]:
    runs = find_runs(_readings(inputs), max_gap_s=inputs["max_gap_s"])
    return [
        list(run)
        for run in zip(
            runs.first_us.tolist(), runs.last_us.tolist(), runs.count.tolist(), strict=True
        )
    ]


def _gaps(inputs: dict[str, Any]) -> Any:
    edges = {name: inputs[name] for name in ("start_us", "end_us") if name in inputs}
    return find_gaps(_readings(inputs), max_gap_s=inputs["max_gap_s"], **edges).tolist()


def _completeness(inputs: dict[str, Any]) -> dict[str, Any]:
    names = ("max_gap_s", "cadence_s", "start_us", "end_us")
    return asdict(stats.completeness(_readings(inputs), **{name: inputs[name] for name in names}))


FUNCTIONS: dict[str, Callable[[dict[str, Any]], Any]] = {
    "find_runs": _runs,
    "find_gaps": _gaps,
    "covered_s": lambda i: _pieces(i).covered_s,
    "time_weighted_mean": lambda i: stats.mean_of(_pieces(i)),
    "time_weighted_std": lambda i: stats.std_of(_pieces(i)),
    "lowest": lambda i: asdict(stats.lowest(_readings(i), _window(i))),
    "highest": lambda i: asdict(stats.highest(_readings(i), _window(i))),
    "percentiles": lambda i: stats.percentiles(_readings(i), i["q"], _window(i)).tolist(),
    "time_above_s": lambda i: stats.excess_of(_pieces(i), i["limit"])[0],
    "time_below_s": lambda i: stats.excess_of(stats.mirrored(_pieces(i)), -i["limit"])[0],
    "degree_hours_above": lambda i: stats.excess_of(_pieces(i), i["limit"])[1] / 3600,
    "degree_hours_below": lambda i: (
        stats.excess_of(stats.mirrored(_pieces(i)), -i["limit"])[1] / 3600
    ),
    "exposure": lambda i: stats.exposure_of(_pieces(i)),
    "completeness": _completeness,
}


def _alike(ours: Any, expected: Any, tolerance: float) -> bool:
    match expected:
        case None:
            return ours is None or bool(np.isnan(ours))
        case dict():
            return all(_alike(ours[key], value, tolerance) for key, value in expected.items())
        case list():
            return len(ours) == len(expected) and all(
                _alike(*pair, tolerance) for pair in zip(ours, expected, strict=True)
            )
        case _:
            return bool(abs(ours - expected) <= tolerance)


@pytest.mark.parametrize("vector", VECTORS, ids=[vector["id"] for vector in VECTORS])
def test_vector(vector: dict[str, Any]) -> None:
    ours = FUNCTIONS[vector["function"]](vector["inputs"])
    assert _alike(ours, vector["expected"], vector["tolerance"]), ours


def test_every_function_has_vectors() -> None:
    assert {vector["function"] for vector in VECTORS} == set(FUNCTIONS)


series = st.lists(
    st.tuples(st.integers(0, 10_000), st.floats(-100, 100)), min_size=1, max_size=40
).map(
    lambda rows: readings_from(
        [second * 1_000_000 for second, _ in rows], [value for _, value in rows]
    )
)


@given(series, st.integers(1, 9_999))
def test_adjoining_windows_add_up(readings: Readings, cut_s: int) -> None:
    """What is covered before a moment and after it is what is covered in all."""
    parts = [
        pieces_of(readings, max_gap_s=300, cadence_s=60, window=window).covered_s
        for window in (
            Window(0, cut_s * 1_000_000),
            Window(cut_s * 1_000_000, 20_000_000_000),
            Window(0, 20_000_000_000),
        )
    ]
    assert parts[0] + parts[1] == pytest.approx(parts[2], abs=1e-6)


@given(series)
def test_mean_lies_between_the_extremes(readings: Readings) -> None:
    mean = stats.mean_of(pieces_of(readings, max_gap_s=300, cadence_s=60))
    low, high = stats.lowest(readings).value, stats.highest(readings).value
    assert low is not None and high is not None
    assert low - 1e-9 <= mean <= high + 1e-9


@given(series, st.floats(-90, 90))
def test_above_and_below_share_what_is_covered(readings: Readings, limit: float) -> None:
    pieces = pieces_of(readings, max_gap_s=300, cadence_s=60)
    above = stats.excess_of(pieces, limit)[0]
    below = stats.excess_of(stats.mirrored(pieces), -limit)[0]
    assert above + below <= pieces.covered_s + 1e-6


def test_windows_and_shares_that_cannot_be_are_refused() -> None:
    with pytest.raises(ValueError, match="end_us must be after start_us"):
        Window(5, 5)
    with pytest.raises(ValueError, match="0 to 100"):
        stats.percentiles(readings_from([0], [1.0]), [101])
