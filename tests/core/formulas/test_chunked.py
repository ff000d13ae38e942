"""Blocks of a long array meet, whoever works through them."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import pytest

from rook_tally.core.arrays import FloatArray
from rook_tally.core.formulas import chunked as blocks

_COUNTS = [1, blocks.BLOCK, blocks.BLOCK + 1, 3 * blocks.BLOCK, 250_007]


@pytest.fixture(params=[1, 2, 3], ids=lambda threads: f"{threads} threads")
def threads(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> int:
    blocks._helpers.cache_clear()
    monkeypatch.setattr(blocks, "_threads", lambda: request.param)
    request.addfinalizer(blocks._helpers.cache_clear)
    return int(request.param)


@pytest.mark.parametrize("count", _COUNTS)
def test_every_element_is_worked_out_once(threads: int, count: int) -> None:
    a, b = np.arange(count, dtype=np.float64), np.full(count, 2.0)

    def formula(block: Mapping[str, FloatArray]) -> FloatArray:
        assert block["a"].shape == block["b"].shape
        return block["a"] * block["b"] + block["one"]

    found = blocks.in_blocks(formula, {"a": a, "b": b, "one": np.asarray(1.0)}, count, dear=True)
    assert np.array_equal(found, 2 * a + 1)


def test_what_goes_wrong_in_a_block_is_told(threads: int) -> None:
    last = 10 * blocks.BLOCK - 1

    def formula(block: Mapping[str, FloatArray]) -> FloatArray:
        if block["a"].max() == last:
            raise ValueError("of the last block")
        return block["a"]

    with pytest.raises(ValueError, match="of the last block"):
        blocks.in_blocks(
            formula, {"a": np.arange(10.0 * blocks.BLOCK)}, 10 * blocks.BLOCK, dear=True
        )
