"""A report as PDF, the same to the byte for the same report."""

from __future__ import annotations

import shutil
import subprocess
from functools import cache
from io import BytesIO
from pathlib import Path

import msgspec
import structlog
from reportlab.lib.colors import HexColor
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFError, TTFont
from reportlab.pdfgen.canvas import Canvas

from rook_tally.core.reports.definitions import Paper
from rook_tally.core.reports.document import ReportDocument
from rook_tally.core.reports.drawing import Box, Item, Shape, Stroke, Text
from rook_tally.core.reports.paging import Page, Pages, laid_out

_PATIENCE_S = 10.0
# In the order in which they are liked; the last one comes with the package that writes PDF.
_FAMILIES = ("Inter", "DejaVu Sans", "Noto Sans", "Liberation Sans")
_LIKE = {"₂": "2", "₃": "3", "−": "-", "…": "...", "\u2009": " ", "≥": ">=", "≤": "<=", "≠": "!="}

_log = structlog.get_logger(__name__)


class Faces(msgspec.Struct, frozen=True):
    """The fonts in use, by the names under which they are registered, and the signs they lack."""

    family: str
    plain: str
    strong: str
    signs: frozenset[int]

    def width(self, text: str, size: float, is_strong: bool) -> float:
        """The width of a text in points."""
        name = self.strong if is_strong else self.plain
        return float(pdfmetrics.stringWidth(self.shown(text), name, size))

    def shown(self, text: str) -> str:
        """The text with what the font does not have written otherwise."""
        if all(ord(one) in self.signs for one in text):
            return text
        return "".join(one if ord(one) in self.signs else _LIKE.get(one, "?") for one in text)


def pages_of(document: ReportDocument, paper: Paper) -> Pages:
    """The report laid out, by the fonts its PDF has."""
    fonts = faces()
    return msgspec.structs.replace(laid_out(document, paper, fonts.width), family=fonts.family)


def pdf_of(document: ReportDocument, pages: Pages) -> bytes:
    """The file."""
    target, fonts = BytesIO(), faces()
    first = pages.pages[0]
    # Invariant: no moment and no number of chance is written into it.
    canvas = Canvas(target, pagesize=(first.width, first.height), invariant=1, pageCompression=1)
    canvas.setTitle(f"{document.title}, {document.subtitle}")
    canvas.setCreator("Rook Tally")
    canvas.setProducer("Rook Tally")
    by_page = dict.fromkeys(range(1, len(pages.pages) + 1), "")
    for section, at in zip(document.sections, pages.begins, strict=True):
        by_page[at] = by_page[at] or section.title
    for number, page in enumerate(pages.pages, start=1):
        if by_page[number]:
            key = f"page-{number}"
            canvas.bookmarkPage(key)
            canvas.addOutlineEntry(by_page[number], key)
        _draw(canvas, page, fonts)
        canvas.showPage()
    canvas.save()
    return target.getvalue()


def _draw(canvas: Canvas, page: Page, fonts: Faces) -> None:
    for item in page.items:
        _draw_item(canvas, item, page.height, fonts)


def _draw_item(canvas: Canvas, item: Item, height: float, fonts: Faces) -> None:
    match item:
        case Box():
            canvas.setFillColor(HexColor(item.fill), alpha=item.opacity)
            bottom = height - item.y - item.height
            canvas.rect(item.x, bottom, item.width, item.height, stroke=0, fill=1)
        case Stroke():
            canvas.setStrokeColor(HexColor(item.ink))
            canvas.setLineWidth(item.thick)
            canvas.setDash(*((3, 2.5) if item.dashed else ()))
            canvas.setLineJoin(1)
            canvas.drawPath(_path(canvas, item.points, height), stroke=1, fill=0)
        case Shape():
            canvas.setFillColor(HexColor(item.fill), alpha=item.opacity)
            path = _path(canvas, item.points, height)
            path.close()
            canvas.drawPath(path, stroke=0, fill=1)
        case Text():
            canvas.setFillColor(HexColor(item.ink), alpha=1)
            canvas.setFont(fonts.strong if item.is_strong else fonts.plain, item.size)
            write = {
                "l": canvas.drawString,
                "m": canvas.drawCentredString,
                "r": canvas.drawRightString,
            }[item.side]
            write(item.x, height - item.y, fonts.shown(item.text))


def _path(canvas: Canvas, points: tuple[float, ...], height: float):  # type: ignore[no-untyped-def]
    path = canvas.beginPath()
    path.moveTo(points[0], height - points[1])
    for at in range(2, len(points) - 1, 2):
        path.lineTo(points[at], height - points[at + 1])
    return path


@cache
def faces() -> Faces:
    """The fonts of this machine, else those that come along. Looked for once."""
    for family in _FAMILIES:
        found = [_font_file(family, style) for style in ("Regular", "SemiBold", "Bold")]
        plain, strong = found[0], found[1] or found[2]
        if plain is None or strong is None:
            continue
        try:
            return _registered(family, plain, strong)
        except TTFError as error:
            # Outlines of another sort, which cannot be put into a PDF by this package.
            _log.debug("font_left_out", family=family, why=str(error))
    return _registered("Bitstream Vera Sans", Path("Vera.ttf"), Path("VeraBd.ttf"))


def _registered(family: str, plain: Path, strong: Path) -> Faces:
    one, other = TTFont("Plain", str(plain)), TTFont("Strong", str(strong))
    pdfmetrics.registerFont(one)
    pdfmetrics.registerFont(other)
    return Faces(
        family,
        "Plain",
        "Strong",
        frozenset(one.face.charToGlyph) & frozenset(other.face.charToGlyph),
    )


def _font_file(family: str, style: str) -> Path | None:
    """The file of a font with TrueType outlines, if this machine has it."""
    program = shutil.which("fc-list")
    if program is None:
        return None
    wanted = f"{family}:style={style}:fontformat=TrueType:slant=0:width=100:variable=False"
    if style == "Regular" and family == "DejaVu Sans":
        wanted = wanted.replace("Regular", "Book")
    try:
        done = subprocess.run(
            [program, wanted, "file"],
            capture_output=True,
            text=True,
            timeout=_PATIENCE_S,
            check=False,
        )
    except (OSError, subprocess.TimeoutExpired):
        return None
    files = sorted(line.rstrip(": ") for line in done.stdout.splitlines() if line.strip())
    return Path(files[0]) if files else None
