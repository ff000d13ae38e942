"""A report as one HTML file that needs nothing else: no script, no address, drawings inline."""

from __future__ import annotations

from functools import cache

from jinja2 import Environment, PackageLoader, StrictUndefined

from rook_tally.core.reports.definitions import Paper
from rook_tally.core.reports.document import Paragraph, ReportDocument, ReportPicture, ReportTable
from rook_tally.core.reports.drawing import svg_of
from rook_tally.core.reports.paging import runs_of
from rook_tally.core.theme import LIGHT

_PAPER = {Paper.A4: "A4", Paper.LETTER: "letter"}


def html_of(document: ReportDocument, paper: Paper) -> str:
    """The whole file."""
    template = _environment().get_template("report.html")
    return template.render(
        told=document, theme=LIGHT, paper=_PAPER[paper], runs_of=runs_of, svg=_svg, kind=_kind
    )


def _svg(picture: ReportPicture) -> str:
    """Escaped where it is made: texts of a drawing are its only foreign part."""
    return svg_of(picture.drawing, picture.spoken)


def _kind(block: Paragraph | ReportTable | ReportPicture) -> str:
    return type(block).__name__


@cache
def _environment() -> Environment:
    return Environment(
        loader=PackageLoader("rook_tally.reports", "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
