"""Our formulas once more, as the loop anybody would write first: one reading after the other.

`bench formulas` measures against them, and a test holds that they answer what the formulas answer,
for readings with gaps, missing values and values out of range as well: a loop that left out what is
hard would be no measure.

Left out are those that no long list goes into: look-ups (`who_guideline`, `who_guideline_table`),
the twelve values of a NowCast, and the few events of an alarm.
"""

from __future__ import annotations

from benchmarks.loops import (
    air,
    gases,
    oddities,
    pairs,
    samples,
    scores,
    stretches,
    watched,
    windows,
)
from benchmarks.loops.cases import Case, Columns

__all__ = ["Case", "Columns", "every_case"]


def every_case(columns: Columns) -> dict[str, Case]:
    """By the name of the formula, its loop and what both are given."""
    return {
        name: case
        for part in (air, gases, scores, samples, stretches, windows, oddities, pairs, watched)
        for name, case in part.cases(columns).items()
    }
