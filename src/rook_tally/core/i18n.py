"""Words for people, in their language: what a window says goes through `tr`.

Plain Python, so that models, and the process that reads for the window, can speak without Qt.
`scripts/words` gathers the texts into `languages/rook_tally.ts`, which Qt's own tools translate and
compile; whoever opens a window makes Qt's translation into the catalogue that is looked into here.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeAlias

CONTEXT = "rook-tally"
"""Under which the texts stand in Qt's files."""

Catalogue: TypeAlias = Mapping[str, "str | tuple[str, ...]"]
"""The other language's text by the English one. A text with a count has its form for each count up
to `COUNTS`; from a hundred on forms recur with the last two digits in every language Qt knows."""

COUNTS = 200
_catalogue: Catalogue = {}


def tr(text: str, *values: object) -> str:
    """A text in the person's language, with values put in where it says `{0}`, `{1}` …

    Parameters
    ----------
    text : str
        As written in English: a literal, so that it can be gathered.
    """
    told = _catalogue.get(text)
    shown = told if isinstance(told, str) else text
    return shown.format(*values) if values else shown


def tr_count(count: int, one: str, many: str, *values: object) -> str:
    """A text with a count, in the form that the person's language has for it.

    Parameters
    ----------
    one, many : str
        As written in English, literals; `many` is what is translated. `{0}` is the count, `{1}` …
        the values.
    """
    told = _catalogue.get(many)
    if isinstance(told, tuple):
        text = told[count if count < 100 else 100 + count % 100]
    else:
        text = one if count == 1 else many
    return text.format(count, *values)


def speak(catalogue: Catalogue) -> None:
    """Say every text as it stands in this catalogue from now on; what is not in it as written."""
    global _catalogue
    _catalogue = catalogue


def spoken() -> Catalogue:
    """The catalogue in use."""
    return _catalogue
