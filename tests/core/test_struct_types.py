"""Kinds read by several threads at once, for the first time: each in a fresh interpreter."""

from __future__ import annotations

import subprocess
import sys

from tests.collector.test_serial import PROBE

_READ_AT_ONCE = f"""
import sys, threading
from rook_tally.core.quantities.kind_files import kind_from_toml
sys.setswitchinterval(1e-6)
together, read = threading.Barrier(8), []
def go():
    together.wait()
    read.append(kind_from_toml({PROBE!r}))
threads = [threading.Thread(target=go) for _ in range(8)]
for one in threads: one.start()
for one in threads: one.join()
print(len(read))
"""


def test_threads_that_begin_at_once_end_nothing() -> None:
    """One of twenty-five did, with a segmentation fault, before types were prepared."""
    running = [
        subprocess.Popen([sys.executable, "-c", _READ_AT_ONCE], stdout=subprocess.PIPE, text=True)
        for _ in range(12)
    ]
    assert [(one.communicate()[0].strip(), one.returncode) for one in running] == [("8", 0)] * 12
