"""Words for people, in their language: what a window says goes through `tr`.

Plain Python, so that models, and the process that reads for the window, can speak without Qt.
`scripts/words` gathers the texts into `languages/rook_tally.ts`, which Qt's own tools translate and
compile; whoever opens a window makes Qt's translation into the catalogue that is looked into here.
"""

from __future__ import annotations

from collections.abc import Mapping

CONTEXT = "rook-tally"
"""Under which the texts stand in Qt's files."""

_catalogue: Mapping[str, str] = {}


def tr(text: str, *values: object) -> str:
    """A text in the person's language, with values put in where it says `{0}`, `{1}` …

    Parameters
    ----------
    text : str
        As written in English: a literal, so that it can be gathered.
    """
    told = _catalogue.get(text) or text
    return told.format(*values) if values else told


def speak(catalogue: Mapping[str, str]) -> None:
    """Say every text as it stands in this catalogue from now on; what is not in it as written."""
    global _catalogue
    _catalogue = catalogue


def spoken() -> Mapping[str, str]:
    """The catalogue in use."""
    return _catalogue
