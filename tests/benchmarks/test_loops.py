"""Every formula answers what a loop over the readings answers, one after the other.

The loops are what `bench formulas` measures against: they may leave nothing out. They are also a
second opinion on the formulas, written without arrays.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from benchmarks.loops import Case, Columns, every_case
from rook_tally.core.formulas import by_name

_COUNT = 3_000
_NEWER = Path(__file__).parent.parent / "core" / "bench_vectors.json"
# Short lists, and what the Bench and reports reckon: held to vectors that were made by two codes.
_WITHOUT_A_LOOP = {
    "who_guideline",
    "who_guideline_table",
    "nowcast_pm",
    "alarm_replay",
    *(one["function"] for one in json.loads(_NEWER.read_text())),
}


def _quiet() -> Columns:
    """A minute's cadence without a fault, as the bench has it."""
    rng = np.random.default_rng(5)
    walk = rng.normal(0, 0.1, _COUNT).cumsum() + rng.normal(0, 1, _COUNT)
    return Columns(
        np.arange(_COUNT, dtype=np.int64) * 600_000_000 // 10,
        rng.uniform(0, 30, _COUNT),
        rng.uniform(20, 90, _COUNT),
        walk,
    )


def _messy() -> Columns:
    """The same over two weeks, with gaps, lone readings, zeros, ties, steps out of every range and
    values that are missing."""
    rng = np.random.default_rng(6)
    steps_s = rng.choice([20, 60, 60, 60, 90, 179, 180, 181, 900, 7200], _COUNT)
    t_us = steps_s.cumsum().astype(np.int64) * 1_000_000
    warm, damp = rng.uniform(-60, 70, _COUNT), rng.uniform(-10, 120, _COUNT)
    walk = np.round(rng.normal(0, 0.5, _COUNT).cumsum() * 4) / 8
    walk[rng.integers(0, _COUNT, 60)] += 40.0
    walk[rng.integers(0, _COUNT, 60)] = 0.0
    for column in (warm, damp, walk):
        column[rng.integers(0, _COUNT, 90)] = np.nan
        column[rng.integers(0, _COUNT, 20)] = np.inf
        column[rng.integers(0, _COUNT, 20)] = -np.inf
    warm[::97], damp[::89] = 30.0, 90.0
    return Columns(t_us, warm, damp, walk)


_CASES = {"quiet": every_case(_quiet()), "messy": every_case(_messy())}


@pytest.mark.parametrize("kind", list(_CASES))
@pytest.mark.parametrize("name", list(_CASES["quiet"]))
def test_a_formula_answers_as_its_loop_does(name: str, kind: str) -> None:
    case = _CASES[kind][name]
    _same((case.formula or by_name[name])(**case.given), case.loop(_COUNT))


@pytest.mark.parametrize("name", list(_CASES["messy"]))
def test_a_loop_over_the_first_readings_answers_for_those(name: str) -> None:
    case = _CASES["messy"][name]
    count = 2_000
    _same((case.formula or by_name[name])(**_first(case, count)), case.loop(count))


def test_every_formula_that_takes_a_long_list_has_its_loop() -> None:
    assert set(by_name) - set(_CASES["quiet"]) == _WITHOUT_A_LOOP


def _first(case: Case, count: int) -> dict[str, Any]:
    return {
        name: value[:count] if isinstance(value, np.ndarray) else value
        for name, value in case.given.items()
    }


def _same(ours: object, loops: object) -> None:
    """Alike to nine digits, an unknown time being None on both sides."""
    if isinstance(ours, Mapping):
        assert isinstance(loops, Mapping)
        assert set(ours) == set(loops)
        for field in ours:
            _same(ours[field], loops[field])
    elif isinstance(ours, list) and isinstance(loops, list) and ours and not _is_plain(ours[0]):
        assert len(ours) == len(loops)
        for one, other in zip(ours, loops, strict=True):
            _same(one, other)
    else:
        np.testing.assert_allclose(
            _numbers(ours), _numbers(loops), rtol=1e-9, atol=1e-9, equal_nan=True
        )


def _is_plain(one: object) -> bool:
    return one is None or isinstance(one, int | float)


def _numbers(given: Any) -> np.ndarray[Any, np.dtype[np.float64]]:
    if isinstance(given, list):
        given = [math.inf if one is None else one for one in given]
    return np.asarray(math.inf if given is None else given, np.float64)
