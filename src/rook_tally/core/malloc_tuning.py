"""Tunes what a process does with memory it has let go of."""

from __future__ import annotations

import ctypes

_TRIM_THRESHOLD, _MMAP_THRESHOLD = -1, -3  # glibc's malloc.h
_OWN_PAGES_BYTES = 8 << 20
FOR_WORK_MB = 16
FOR_A_WINDOW_MB = 8
"""A window, and the process that reads for it, stand open all day beside other programs."""


def keep_freed_memory(megabytes: int = FOR_WORK_MB) -> None:
    """Let this process hold so much memory it has freed, for the next array.

    Left alone, glibc hands memory back as soon as a few hundred kilobytes lie free, and the kernel
    clears it page by page for the next array: over 100,000 readings, whose columns are 800 kB each,
    that takes as long as the calculation. A C library without these settings goes on as it was.
    """
    adjust = getattr(ctypes.CDLL(None), "mallopt", None)
    if adjust is not None:
        adjust(_TRIM_THRESHOLD, megabytes << 20)
        adjust(_MMAP_THRESHOLD, _OWN_PAGES_BYTES)
