"""Who sits here."""

from __future__ import annotations


def login_name() -> str:
    """Who sits here, for what is written down with a name."""
    # Loaded late: nothing is written down at the start.
    import getpass

    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return "somebody"
