"""Pages and panes as HTML: Jinja2's templates filled with faces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from functools import cache
from importlib import resources

from jinja2 import Environment, PackageLoader, StrictUndefined

from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.theme import LIGHT, NIGHT, Theme
from rook_tally.core.wall.definitions import WallSheet
from rook_tally.core.wall.tiling import COLUMNS, ROWS
from rook_tally.store.site import Site
from rook_tally.wall.pane_views import LampState, PaneView
from rook_tally.web.svg import arc_path, hand_ends, letters_of, strokes_of, text_width, trace_points
from rook_tally.web.texts import tr


@cache
def _environment() -> Environment:
    made = Environment(
        loader=PackageLoader("rook_tally.web"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    made.globals |= {
        "tr": tr,
        "Level": Level,
        "Freshness": Freshness,
        "LampState": LampState,
        "text_width": text_width,
        "trace_points": trace_points,
        "arc_path": arc_path,
        "hand_ends": hand_ends,
        "letters_of": letters_of,
        "strokes_of": strokes_of,
    }
    return made


def pane_html(face: PaneView) -> str:
    """The inside of a pane."""
    body = "" if face.body is None else type(face.body).__name__.removesuffix("Body").lower()
    return _environment().get_template("pane.html").render(face=face, body=face.body, kind=body)


def page_html(
    site: Site,
    sheets: Sequence[WallSheet],
    sheet: WallSheet | None,
    panes: Sequence[str],
    clock: str,
) -> str:
    """A whole page; without a sheet it says what to do."""
    return (
        _environment()
        .get_template("page.html")
        .render(site=site, sheets=sheets, sheet=sheet, panes=panes, clock=clock)
    )


def closed_html(title: str, words: str) -> str:
    """A page for who is not let in."""
    return _environment().get_template("closed.html").render(title=title, words=words)


@cache
def page_css() -> str:
    """The style sheet: colours from the desk's own themes, the grid from the tiling."""
    return (
        _environment()
        .get_template("page.css")
        .render(light=_colours(LIGHT), night=_colours(NIGHT), columns=COLUMNS, rows=ROWS)
    )


@cache
def page_js() -> str:
    """The script: as little as keeps a page live."""
    return resources.files("rook_tally.web").joinpath("templates/page.js").read_text("utf-8")


def _colours(theme: Theme) -> dict[str, str]:
    """A theme's roles as names of the style sheet."""
    told: dict[str, str] = {}
    for name, value in asdict(theme).items():
        if isinstance(value, str):
            told[name.replace("_", "-")] = value
        else:
            told |= {f"{name.rstrip('s')}-{at}": one for at, one in enumerate(value)}
    return told
