"""Panes as HTML: what is a name stays a name, and a level is told without colour."""

from __future__ import annotations

import itertools
import re
from html.parser import HTMLParser

import pytest

from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.store.base import Store
from rook_tally.store.site import Site, load_site, set_site
from rook_tally.wall.pane_views import PaneView
from rook_tally.web.rendering import closed_html, page_css, page_html, pane_html
from tests.wall.samples import LEVELLED, sample
from tests.wall.studio import pane, sheet_of

EVERY_KIND = pytest.mark.parametrize("kind", list(PaneKind), ids=lambda kind: kind.value)
NASTY = """<script>alert(1)</script>"' onload=x & <b>"""
# Those that HTML closes by itself.
_VOID = {"meta", "link", "br"}


class Reading(HTMLParser):
    """Reads markup as a browser does, and holds what stood in it."""

    def __init__(self, markup: str) -> None:
        super().__init__()
        self.open: list[str] = []
        self.tags: list[str] = []
        self.names: set[str] = set()
        self.links: list[str] = []
        self.words = ""
        self.feed(markup)
        self.close()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append(tag)
        self.names |= {name for name, _ in attrs}
        self.links += [value or "" for name, value in attrs if name in ("href", "src")]
        if tag not in _VOID:
            self.open.append(tag)

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.handle_starttag(tag, attrs)
        if tag not in _VOID:
            self.open.pop()

    def handle_endtag(self, tag: str) -> None:
        assert self.open, f"{tag} ends what was never begun"
        assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        self.words += data


@pytest.fixture
def site(store: Store) -> Site:
    with store.write() as connection:
        set_site(connection, name=NASTY, zone="Europe/London")
    with store.read() as connection:
        return load_site(connection)


@EVERY_KIND
def test_every_kind_is_well_formed_and_says_its_words(kind: PaneKind) -> None:
    read = Reading(pane_html(sample(kind, note="3 min since the last word")))
    assert read.open == []
    assert "Glaze booth" in read.words
    assert "3 min since the last word" in read.words
    if kind not in (PaneKind.STANDING, PaneKind.LAMPS):
        assert "58" in read.words


@EVERY_KIND
def test_a_name_is_never_markup(kind: PaneKind) -> None:
    read = Reading(pane_html(sample(kind, text=NASTY, name=NASTY, note=NASTY)))
    assert read.open == []
    assert not {"script", "img"} & set(read.tags)
    # The table of readings has its own bold letters; none come from a name.
    plain = Reading(pane_html(sample(kind, note="note")))
    assert read.tags == plain.tags
    assert not any(name.startswith("on") for name in read.names)
    assert NASTY in read.words


@pytest.mark.parametrize("kind", LEVELLED, ids=lambda kind: kind.value)
def test_a_level_is_told_by_strokes_and_not_by_colour_alone(kind: PaneKind) -> None:
    def without_colour(level: Level) -> str:
        return re.sub(r"\bl[0-4]\b|aria-label=\"[^\"]*\"", "", pane_html(sample(kind, level)))

    pages = [without_colour(level) for level in Level]
    assert len(set(pages)) == len(Level)
    # One stroke more at each level, wherever the strokes are drawn.
    strokes = [page.count("<line") for page in pages]
    steps = {later - earlier for earlier, later in itertools.pairwise(strokes)}
    assert len(steps) == 1
    assert steps.pop() >= 1


@pytest.mark.parametrize(
    "kind", [PaneKind.FIGURE, PaneKind.SCORE, PaneKind.DAY], ids=lambda kind: kind.value
)
def test_who_cannot_see_the_strokes_hears_the_level(kind: PaneKind) -> None:
    assert re.search(r'aria-label="58[^"]*high"', pane_html(sample(kind, Level.HIGH)))


@pytest.mark.parametrize(
    "kind",
    [kind for kind in LEVELLED if kind is not PaneKind.STANDING],
    ids=lambda kind: kind.value,
)
def test_what_is_silent_is_marked_for_the_style_sheet_to_fade(kind: PaneKind) -> None:
    fresh, silent = (
        pane_html(sample(kind, Level.SETTLED, freshness=one))
        for one in (Freshness.FRESH, Freshness.SILENT)
    )
    assert 'silent"' not in fresh
    assert 'silent"' in silent
    assert ".silent" in page_css()


def test_what_is_wrong_with_a_pane_stands_in_its_place() -> None:
    read = Reading(pane_html(PaneView(PaneKind.DIAL, "Moon", trouble=f"nothing measures {NASTY}")))
    assert read.tags == ["h2", "span", "p"]
    assert f"nothing measures {NASTY}" in read.words


@EVERY_KIND
def test_nothing_comes_from_elsewhere_and_nothing_is_styled_or_scripted_in_place(
    kind: PaneKind, site: Site
) -> None:
    sheet = sheet_of(pane(kind), slug="now", name=NASTY)
    read = Reading(page_html(site, [sheet], sheet, [pane_html(sample(kind))], "14:32"))
    assert read.open == []
    assert all(link.startswith("/") for link in read.links)
    assert read.tags.count("script") == 1
    assert not {"style", "form", "input", "button", "iframe", "object"} & set(read.tags)
    # What the content policy would refuse: styles and handlers written into elements.
    assert "style" not in read.names
    assert not any(name.startswith("on") for name in read.names)


def test_a_page_names_the_site_and_the_sheet_it_shows(site: Site) -> None:
    one, other = sheet_of(slug="now", name="Now"), sheet_of(slug="kilns", name="Kilns")
    markup = page_html(site, [one, other], other, [], "14:32")
    assert Reading(markup).links.count("/sheet/kilns") == 1
    assert '<a href="/sheet/kilns" aria-current="page">Kilns</a>' in markup
    assert NASTY in Reading(markup).words
    assert 'data-live="/live/kilns"' in markup


def test_who_is_not_let_in_is_told_so_in_words() -> None:
    read = Reading(closed_html("Not let in", NASTY))
    assert read.open == []
    assert "script" not in read.tags
    assert NASTY in read.words


def test_both_themes_stand_in_the_style_sheet_with_every_role() -> None:
    css = page_css()
    used = set(re.findall(r"var\(--([a-z0-9-]+)", css))
    given = set(re.findall(r"--([a-z0-9-]+):", css))
    assert used <= given
    assert "prefers-color-scheme" in css
    assert "url(" not in css
    assert "@import" not in css
