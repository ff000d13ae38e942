"""How many examples laws are tried with: few in every run, many times as many when asked.

`ROOK_TALLY_EXAMPLES=10 ./rook test tests/core` tries ten times as many, `scripts/check --quick` a
fifth.
"""

from __future__ import annotations

import os

TIMES = float(os.environ.get("ROOK_TALLY_EXAMPLES", "1"))
USUAL = 40


def examples(few: int = USUAL) -> int:
    """So many, or as many times as many as was asked for."""
    return max(1, round(few * TIMES))
