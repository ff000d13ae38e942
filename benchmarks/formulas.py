"""Formulas over whole arrays against the loop anybody would write first.

Both are given the same arrays; the loop makes lists of them first, which is part of its time.

Loops that take longer than a few seconds are run over a part of the readings and counted up, which
is fair, as each takes as long for one reading as for the next.
"""

from __future__ import annotations

import gc
import statistics
import time
from collections.abc import Callable

import numpy as np

from benchmarks.loops import Case, Columns, every_case
from rook_tally.core.formulas import by_name

_READINGS = 100_000
_PART = 20
_TURNS = 5
_ROUNDS = 7
_LONGEST_LOOP_MS = 2000.0
_MINUTE_US = 60_000_000
# Grows faster than its readings up to 2,000 of them, and not at all beyond: never counted up.
_NEVER_IN_PART = frozenset({"theil_sen", "drift_per_month"})


def formula_times_ms() -> dict[str, tuple[float, float]]:
    """By name, our time and the loop's over 100,000 readings, ms."""
    return {name: _times_ms(name, case) for name, case in every_case(_columns()).items()}


def _columns() -> Columns:
    rng = np.random.default_rng(1)
    return Columns(
        np.arange(_READINGS, dtype=np.int64) * _MINUTE_US,
        rng.uniform(0, 30, _READINGS),
        rng.uniform(20, 90, _READINGS),
        rng.normal(0, 0.1, _READINGS).cumsum() + rng.normal(0, 1, _READINGS),
    )


def _times_ms(name: str, case: Case) -> tuple[float, float]:
    """Medians of both, taken in turn, so that both meet whatever else the machine is doing."""
    formula = case.formula or by_name[name]
    count = _READINGS if name in _NEVER_IN_PART else _affordable(case)
    ours, loops = [], []
    # As `timeit` does: what is collected now and then is not what is asked about.
    gc.disable()
    try:
        formula(**case.given)
        for _ in range(_TURNS):
            ours += [_took_ms(lambda: formula(**case.given)) for _ in range(_ROUNDS)]
            loops.append(_took_ms(lambda: case.loop(count)))
    finally:
        gc.enable()
    return statistics.median(ours), statistics.median(loops) * _READINGS / count


def _affordable(case: Case) -> int:
    """Over how many readings a loop ends within seconds."""
    part = _READINGS // _PART
    return _READINGS if _took_ms(lambda: case.loop(part)) * _PART < _LONGEST_LOOP_MS else part


def _took_ms(call: Callable[[], object]) -> float:
    began = time.perf_counter()
    call()
    return 1000 * (time.perf_counter() - began)
