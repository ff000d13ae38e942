"""Errors in a formula, each with its place."""

from __future__ import annotations

import msgspec

from rook_tally.core.errors import UsageError


class TextRange(msgspec.Struct, frozen=True):
    """Where something stands in a formula: characters [start, end)."""

    start: int
    end: int


class Diagnostic(msgspec.Struct, frozen=True):
    """Something said of a part of a formula, and what could be done about it."""

    at: TextRange
    what: str
    suggestion: str = ""

    def underlined(self, text: str) -> str:
        """The formula with the part underlined, in three lines a person can read."""
        start, end = self.at.start, max(self.at.end, self.at.start + 1)
        told = f"{self.what}; {self.suggestion}" if self.suggestion else self.what
        return f"{text}\n{' ' * start}{'^' * (end - start)}\n{told}"


class FormulaError(UsageError):
    """A formula that cannot be worked out; `mistake` says where and why."""

    def __init__(self, mistake: Diagnostic) -> None:
        super().__init__(mistake.what, remedy=mistake.suggestion)
        self.mistake = mistake


def wrong(at: TextRange, what: str, suggestion: str = "") -> FormulaError:
    """The error to raise for a part of a formula."""
    return FormulaError(Diagnostic(at, what, suggestion))
