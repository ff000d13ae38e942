"""Words for people, in their language: what a window says goes through `tr`.

Plain Python, so that models, and the process that reads for the window, can speak without Qt.
`scripts/words` gathers the texts into `languages/rook_tally.ts`, which Qt's own tools translate and
compile; whoever opens a window makes Qt's translation into the catalogue that is looked into here.

Each folder of the window has a context of its own, made in its `texts.py`: one English word may be
two in another language, as "open" on a button and "open" of a door.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeAlias

Texts: TypeAlias = Mapping[str, "str | tuple[str, ...]"]
"""The other language's text by the English one. A text with a count has its form for each count up
to `COUNTS`; from a hundred on forms recur with the last two digits in every language Qt knows."""

Catalogue: TypeAlias = Mapping[str, Texts]
"""Texts by their context."""

COUNTS = 200
_catalogue: Catalogue = {}
# What a model names in one folder is said in another: by text alone, the first context wins.
_anywhere: dict[str, str | tuple[str, ...]] = {}


class Context:
    """A context of translation, by its name in Qt's files."""

    def __init__(self, name: str) -> None:
        self.name = name

    def tr(self, text: str, *values: object) -> str:
        """A text in the person's language, with values put in where it says `{0}`, `{1}` …

        Parameters
        ----------
        text : str
            As written in English: a literal, so that it can be gathered.
        """
        told = self._told(text)
        shown = told if isinstance(told, str) else text
        return shown.format(*values) if values else shown

    def tr_count(self, count: int, one: str, many: str, *values: object) -> str:
        """A text with a count, in the form that the person's language has for it.

        Parameters
        ----------
        one, many : str
            As written in English, literals; `many` is what is translated. `{0}` is the count,
            `{1}` … the values.
        """
        told = self._told(many)
        if isinstance(told, tuple):
            text = told[count if count < 100 else 100 + count % 100]
        else:
            text = one if count == 1 else many
        return text.format(count, *values)

    def _told(self, text: str) -> str | tuple[str, ...] | None:
        own = _catalogue.get(self.name)
        told = None if own is None else own.get(text)
        return _anywhere.get(text) if told is None else told


def speak(catalogue: Catalogue) -> None:
    """Say every text as it stands in this catalogue from now on; what is not in it as written."""
    global _catalogue, _anywhere
    _catalogue, _anywhere = catalogue, {}
    for texts in catalogue.values():
        for text, told in texts.items():
            _anywhere.setdefault(text, told)


def spoken() -> Catalogue:
    """The catalogue in use."""
    return _catalogue
