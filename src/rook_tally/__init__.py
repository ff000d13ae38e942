"""Readings from small networked sensors, kept and watched on your own machine."""

from __future__ import annotations

from typing import TYPE_CHECKING

__version__ = "0.1.0"
__all__ = ["__version__", "open_site"]

if TYPE_CHECKING:
    from pathlib import Path

    from rook_tally.notebook import OpenSite


def open_site(where: str | Path) -> OpenSite:
    """Open a site by the path or the address of its store, to read only; for notebooks."""
    # Loaded with the first use: no command needs it.
    from rook_tally.notebook import open_site as opened

    return opened(where)
