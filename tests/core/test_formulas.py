"""Every formula against its collected vectors."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from rook_tally.core.formulas import by_name


def _vectors(name: str) -> list[dict[str, Any]]:
    told: list[dict[str, Any]] = json.loads((Path(__file__).parent / name).read_text())
    return told


VECTORS = _vectors("formula_vectors.json") + _vectors("bench_vectors.json")
MEANINGLESS = _vectors("bench_error_vectors.json")


def _check(found: Any, expected: Any, tolerance: float) -> None:
    if expected is None:
        assert found is None or np.isnan(found)
    elif isinstance(expected, dict):
        assert set(found) == set(expected)
        for name, value in expected.items():
            _check(found[name], value, tolerance)
    elif isinstance(expected, list):
        assert len(found) == len(expected)
        for one, value in zip(found, expected, strict=True):
            _check(one, value, tolerance)
    elif isinstance(expected, str):
        assert found == expected
    else:
        assert abs(float(found) - float(expected)) <= tolerance


@pytest.mark.parametrize("vector", VECTORS, ids=lambda vector: vector["id"])
def test_a_formula_gives_what_its_vector_says(vector: dict[str, Any]) -> None:
    found = by_name[vector["function"]](**vector["inputs"])
    _check(found, vector["expected"], vector["tolerance"])


@pytest.mark.parametrize("vector", MEANINGLESS, ids=lambda vector: vector["function"])
def test_what_means_nothing_is_refused(vector: dict[str, Any]) -> None:
    with pytest.raises(ValueError, match=r"\w"):
        by_name[vector["function"]](**vector["inputs"])


def _poisoned() -> list[Any]:
    """Each vector of a formula that works element by element, with one input that is no number."""
    return [
        pytest.param(vector, name, poison, id=f"{vector['id']}-{name}-{poison}")
        for vector in VECTORS
        for name in getattr(by_name[vector["function"]], "elements", ())
        if isinstance(vector["expected"], int | float)
        for poison in (np.nan, np.inf, -np.inf)
    ]


@pytest.mark.parametrize(("vector", "name", "poison"), _poisoned())
def test_no_number_comes_of_what_is_none(vector: dict[str, Any], name: str, poison: float) -> None:
    inputs = vector["inputs"]
    formula = by_name[vector["function"]]
    assert np.isnan(formula(**{**inputs, name: poison}))
    if name in inputs:
        given, lost, again = formula(**{**inputs, name: [inputs[name], poison, inputs[name]]})
        assert given == again == pytest.approx(vector["expected"], abs=vector["tolerance"])
        assert np.isnan(lost)


def test_all_formulas_are_there_and_say_what_they_do() -> None:
    assert {vector["function"] for vector in VECTORS} == set(by_name)
    assert len(VECTORS) == 347
    assert all(function.__doc__ for name, function in by_name.items())
