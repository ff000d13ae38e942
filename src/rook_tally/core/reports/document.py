"""A written report: sections of paragraphs, tables and pictures, before anybody draws them."""

from __future__ import annotations

import hashlib

import msgspec

from rook_tally.core.quantities.levels import Level
from rook_tally.core.reports.drawing import Drawing

EDITION = 2
"""Raised when the program words or draws the same report otherwise than before."""


class Paragraph(msgspec.Struct, frozen=True, tag="words"):
    """A paragraph; `strong` are the parts of it that stand out."""

    text: str
    strong: tuple[str, ...] = ()
    is_quiet: bool = False


class ReportCell(msgspec.Struct, frozen=True):
    """A cell of a table."""

    text: str
    is_strong: bool = False
    level: Level = Level.SETTLED


class ReportTable(msgspec.Struct, frozen=True, tag="table"):
    """A table: a head, rows, and of each column its share of the width and its side (`l`, `r`)."""

    head: tuple[str, ...]
    rows: tuple[tuple[ReportCell, ...], ...]
    widths: tuple[float, ...]
    sides: str


class ReportPicture(msgspec.Struct, frozen=True, tag="picture"):
    """A drawing with its title; `spoken` says in words what it shows."""

    title: str
    drawing: Drawing
    spoken: str


ReportBlock = Paragraph | ReportTable | ReportPicture


class ReportSection(msgspec.Struct, frozen=True):
    """A part of a report with its heading."""

    part: str
    title: str
    blocks: tuple[ReportBlock, ...]


class ReportDocument(msgspec.Struct, frozen=True):
    """A report as it was worked out. `aside` stands at the right of the title."""

    slug: str
    period: str
    title: str
    subtitle: str
    aside: tuple[str, ...]
    sections: tuple[ReportSection, ...]
    language: str = "en"

    @property
    def digest(self) -> str:
        """The edition and the SHA-256 of all that it says: the same for the same report."""
        return f"{EDITION}:{hashlib.sha256(msgspec.json.encode(self)).hexdigest()}"


def is_comparable(one: str, other: str) -> bool:
    """True if two digests are of one edition: else the program tells the same otherwise, and nobody
    can say whether the readings have changed."""
    return one.partition(":")[0] == other.partition(":")[0]
