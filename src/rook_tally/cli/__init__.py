"""The commands. May import everything; imports late, so that each command starts with what it
needs and no more."""

from rook_tally.cli.app import main

__all__ = ["main"]
