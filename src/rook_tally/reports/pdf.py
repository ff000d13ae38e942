"""A report as PDF, the same to the byte for the same report."""

from __future__ import annotations

import shutil
import subprocess
from functools import cache
from io import BytesIO
from pathlib import Path

import msgspec
import structlog
from reportlab import rl_config
from reportlab.lib.colors import HexColor
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFError, TTFont
from reportlab.pdfgen.canvas import Canvas

from rook_tally.core.reports.definitions import Paper
from rook_tally.core.reports.document import ReportDocument
from rook_tally.core.reports.drawing import Box, Boxes, Item, Lines, Shape, Stroke, Text
from rook_tally.core.reports.paging import Pages, laid_out

_PATIENCE_S = 10.0
# In the order in which they are liked; the last one comes with the package that writes PDF.
_FAMILIES = ("Inter", "DejaVu Sans", "Noto Sans", "Liberation Sans")
_LIKE = {"₂": "2", "₃": "3", "−": "-", "…": "...", "\u2009": " ", "≥": ">=", "≤": "<=", "≠": "!="}

# Letters in place of bytes: a fifth larger, and half of the time.
rl_config.useA85 = 0

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
        canvas.setLineJoin(1)
        pen = _Pen(canvas, page.height, fonts)
        for item in page.items:
            pen.draw(item)
        canvas.showPage()
    canvas.save()
    return target.getvalue()


class _Pen:
    """Draws the items of a page; colours are told only when they change."""

    def __init__(self, canvas: Canvas, height: float, fonts: Faces) -> None:
        self._canvas, self._height, self._fonts = canvas, height, fonts
        self._fill: tuple[str, float] | None = None
        self._stroke: tuple[str, float, bool] | None = None

    def draw(self, item: Item) -> None:
        """Draw one item."""
        match item:
            case Box():
                self._fill_with(item.fill, item.opacity)
                bottom = self._height - item.y - item.height
                where = f"{item.x:.2f} {bottom:.2f} {item.width:.2f} {item.height:.2f}"
                self._canvas.addLiteral(f"{where} re f")
            case Boxes():
                self._fill_with(item.fill, item.opacity)
                told, height = list(item.rects), self._height
                told[1::4] = [
                    height - y - tall for y, tall in zip(told[1::4], told[3::4], strict=True)
                ]
                path = "%.2f %.2f %.2f %.2f re " * (len(told) // 4) % tuple(told)
                self._canvas.addLiteral(f"{path}f")
            case Lines():
                self._stroke_with(item.ink, item.thick, dashed=False)
                ends, height = list(item.ends), self._height
                ends[1::2] = [height - y for y in ends[1::2]]
                path = "%.2f %.2f m %.2f %.2f l " * (len(ends) // 4) % tuple(ends)
                self._canvas.addLiteral(f"{path}S")
            case Stroke():
                self._stroke_with(item.ink, item.thick, item.dashed)
                self._canvas.addLiteral(f"{self._path(item.points)} S")
            case Shape():
                self._fill_with(item.fill, item.opacity)
                self._canvas.addLiteral(f"{self._path(item.points)} h f")
            case Text():
                self._text(item)

    def _text(self, item: Text) -> None:
        fonts, canvas = self._fonts, self._canvas
        self._fill_with(item.ink, 1.0)
        canvas.setFont(fonts.strong if item.is_strong else fonts.plain, item.size)
        write = {
            "l": canvas.drawString,
            "m": canvas.drawCentredString,
            "r": canvas.drawRightString,
        }[item.side]
        write(item.x, self._height - item.y, fonts.shown(item.text))

    def _fill_with(self, colour: str, opacity: float) -> None:
        if self._fill != (colour, opacity):
            self._fill = colour, opacity
            self._canvas.setFillColor(HexColor(colour), alpha=opacity)

    def _stroke_with(self, colour: str, thick: float, dashed: bool) -> None:
        if self._stroke != (colour, thick, dashed):
            self._stroke = colour, thick, dashed
            self._canvas.setStrokeColor(HexColor(colour))
            self._canvas.setLineWidth(thick)
            self._canvas.setDash(*((3, 2.5) if dashed else ()))

    def _path(self, points: tuple[float, ...]) -> str:
        """The operators of a path, as the package writes them one call a point."""
        height, told = self._height, list(points)
        told[1::2] = [height - y for y in points[1::2]]
        return f"%.2f %.2f m{' %.2f %.2f l' * (len(points) // 2 - 1)}" % tuple(told)


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
