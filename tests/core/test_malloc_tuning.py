"""Memory that is let go of is kept for the next array."""

from __future__ import annotations

import subprocess
import sys

_WORK = """
import resource
import sys
import numpy as np
from rook_tally.core.malloc_tuning import keep_freed_memory

if sys.argv[1] == "kept":
    keep_freed_memory()

def pages_asked_for():
    return resource.getrusage(resource.RUSAGE_SELF).ru_minflt

def work():
    value = np.arange(100_000.0)
    return ((value + 1) * (value + 2) * (value + 3)).sum()

work()
before = pages_asked_for()
for _ in range(50):
    work()
print(pages_asked_for() - before)
"""


def _pages_asked_for(how: str) -> int:
    done = subprocess.run(
        [sys.executable, "-c", _WORK, how], capture_output=True, text=True, check=True
    )
    return int(done.stdout)


def test_arrays_of_a_hundred_thousand_ask_the_kernel_for_no_pages_again() -> None:
    left_alone, kept = _pages_asked_for("left-alone"), _pages_asked_for("kept")
    assert kept < 50
    assert left_alone > 100 * max(kept, 1)
