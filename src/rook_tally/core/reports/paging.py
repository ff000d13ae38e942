"""A report laid out on pages: every line of text and every picture at its place."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import msgspec

from rook_tally.core.quantities.levels import Level
from rook_tally.core.reports.definitions import Paper
from rook_tally.core.reports.document import (
    Paragraph,
    ReportCell,
    ReportDocument,
    ReportPicture,
    ReportSection,
    ReportTable,
)
from rook_tally.core.reports.drawing import DIM, INK, RULE, Box, Item, Stroke, Text
from rook_tally.core.theme import LIGHT

Measure = Callable[[str, float, bool], float]
"""Width of a text in points, of a size, plain or strong."""

SIZES = {Paper.A4: (595.28, 841.89), Paper.LETTER: (612.0, 792.0)}
MARGIN_X, MARGIN_TOP, MARGIN_FOOT = 54.0, 50.0, 52.0
CONTENT_WIDTH = 487.0
"""The width of pictures; the narrower of the two papers has room for it."""
_BODY, _LEADING, _ROW = 10.0, 14.5, 15.0


class Page(msgspec.Struct, frozen=True):
    """A page and what stands on it."""

    width: float
    height: float
    items: tuple[Item, ...]


class Pages(msgspec.Struct, frozen=True):
    """All pages, on which one each section begins, counted from 1, and the family of the letters
    they are laid out for."""

    pages: tuple[Page, ...]
    begins: tuple[int, ...]
    family: str = ""


def laid_out(document: ReportDocument, paper: Paper, measure: Measure) -> Pages:
    """Lay a report out."""
    made = _Layout(document, paper, measure)
    made.title()
    begins = []
    for section in document.sections:
        begins.append(made.section(section))
    return Pages(made.finished(), tuple(begins))


class _Layout:
    """Pages that fill from the top."""

    def __init__(self, document: ReportDocument, paper: Paper, measure: Measure) -> None:
        self._document, self._measure = document, measure
        self._width, self._height = SIZES[paper]
        self._left = (self._width - CONTENT_WIDTH) / 2
        self._pages: list[list[Item]] = [[]]
        self._y = MARGIN_TOP

    @property
    def _room(self) -> float:
        return self._height - MARGIN_FOOT - self._y

    def _put(self, *items: Item) -> None:
        self._pages[-1].extend(items)

    def _need(self, height: float) -> None:
        """Go on with a new page where there is no room left."""
        if height > self._room and self._y > MARGIN_TOP:
            self._pages.append([])
            self._y = MARGIN_TOP

    def title(self) -> None:
        """The head of the first page."""
        told, right = self._document, self._left + CONTENT_WIDTH
        self._put(Text(self._left, self._y + 18, told.title, 20, True))
        for number, one in enumerate(told.aside):
            self._put(Text(right, self._y + 10 + 13 * number, one, 9, ink=DIM, side="r"))
        self._put(Text(self._left, self._y + 34, told.subtitle, 9.5, ink=DIM))
        self._y += 50
        self._put(Stroke((self._left, self._y, right, self._y), INK, 1.0))
        self._y += 14

    def section(self, section: ReportSection) -> int:
        """A section; the number of the page on which it begins."""
        self._need(70)
        if section.title:
            self._put(Text(self._left, self._y + 11, section.title, 11.5, True))
            self._y += 20
        page = len(self._pages)
        for block in section.blocks:
            match block:
                case Paragraph():
                    self._words(block)
                case ReportTable():
                    self._table(block)
                case ReportPicture():
                    self._picture(block)
        self._y += 8
        return page

    def _words(self, block: Paragraph) -> None:
        size = _BODY if block.is_quiet else _BODY + 1
        for line in self._lines(block, size):
            self._need(_LEADING)
            x, ink = self._left, DIM if block.is_quiet else INK
            for at, one in enumerate(line):
                if at and not one.is_glued:
                    x += self._measure(" ", size, False)
                self._put(Text(x, self._y + size, one.text, size, one.is_strong, ink))
                x += self._measure(one.text, size, one.is_strong)
            self._y += _LEADING + (0 if block.is_quiet else 1.5)
        self._y += 5

    def _lines(self, block: Paragraph, size: float) -> Iterator[list[Word]]:
        line: list[Word] = []
        used = 0.0
        for one in words_of(block):
            width = self._measure(one.text, size, one.is_strong)
            space = 0.0 if one.is_glued or not line else self._measure(" ", size, False)
            if line and not one.is_glued and used + space + width > CONTENT_WIDTH:
                yield line
                line, used, space = [], 0.0, 0.0
            line.append(one)
            used += space + width
        if line:
            yield line

    def _table(self, block: ReportTable) -> None:
        self._need(3 * _ROW)
        self._head(block)
        for row in block.rows:
            if self._room < _ROW:
                self._need(self._height)
                self._head(block)
            self._row(block, row)
        self._y += 8

    def _columns(self, block: ReportTable) -> list[tuple[float, float]]:
        """Left and right edge of each column."""
        whole = sum(block.widths)
        edges, x = [], self._left
        for one in block.widths:
            edges.append((x, x + CONTENT_WIDTH * one / whole))
            x = edges[-1][1]
        return edges

    def _head(self, block: ReportTable) -> None:
        self._cells(block, tuple(ReportCell(one) for one in block.head), ink=DIM)

    def _row(self, block: ReportTable, row: tuple[ReportCell, ...]) -> None:
        self._cells(block, row, ink=INK)

    def _cells(self, block: ReportTable, row: tuple[ReportCell, ...], *, ink: str) -> None:
        size = 8.5
        for cell, side, (left, right) in zip(row, block.sides, self._columns(block), strict=True):
            shade = LIGHT.levels[cell.level] if cell.level > Level.SETTLED else ink
            text = self._fitted(cell.text, size, cell.is_strong, right - left - 6)
            x = right - 2 if side == "r" else left + 1
            self._put(Text(x, self._y + 10.5, text, size, cell.is_strong, shade, side))
        self._y += _ROW
        self._put(Stroke((self._left, self._y, self._left + CONTENT_WIDTH, self._y), RULE, 0.6))

    def _fitted(self, text: str, size: float, strong: bool, room: float) -> str:
        if self._measure(text, size, strong) <= room:
            return text
        while text and self._measure(f"{text}…", size, strong) > room:
            text = text[:-1]
        return f"{text}…"

    def _picture(self, block: ReportPicture) -> None:
        self._need(block.drawing.height + (18 if block.title else 4))
        if block.title:
            self._put(Text(self._left, self._y + 10, block.title, 9.5, True))
            self._y += 16
        self._put(*block.drawing.moved(self._left, self._y))
        self._y += block.drawing.height + 10

    def finished(self) -> tuple[Page, ...]:
        """The pages, each with its foot."""
        told, count = [], len(self._pages)
        foot = f"{self._document.title} · {self._document.subtitle}"
        y = self._height - 26
        for number, items in enumerate(self._pages, start=1):
            right = self._left + CONTENT_WIDTH
            of = f"{number} / {count}"
            room = CONTENT_WIDTH - 50
            told.append(
                Page(
                    self._width,
                    self._height,
                    (
                        Box(0, 0, self._width, self._height, "#FFFFFF"),
                        *items,
                        Text(self._left, y, self._fitted(foot, 8, False, room), 8, ink=DIM),
                        Text(right, y, of, 8, ink=DIM, side="r"),
                    ),
                )
            )
        return tuple(told)


class Word(msgspec.Struct, frozen=True):
    """A word of a paragraph; one that is glued follows the word before it without a space."""

    text: str
    is_strong: bool
    is_glued: bool


def words_of(block: Paragraph) -> Iterator[Word]:
    """The words of a paragraph in their order."""
    is_open = False
    for text, strong in runs_of(block):
        for at, word in enumerate(text.split()):
            yield Word(word, strong, is_glued=at == 0 and is_open and not text[0].isspace())
        is_open = not text[-1].isspace()


def runs_of(block: Paragraph) -> list[tuple[str, bool]]:
    """A paragraph in pieces that stand out and pieces that do not."""
    pieces = [(block.text, False)]
    for one in block.strong:
        for at, (text, strong) in enumerate(pieces):
            begin = -1 if strong else text.find(one)
            if begin >= 0:
                pieces[at : at + 1] = [
                    (text[:begin], False),
                    (one, True),
                    (text[begin + len(one) :], False),
                ]
                break
    return [(text, strong) for text, strong in pieces if text]
