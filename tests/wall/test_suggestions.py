"""Sheets and panes that fit a site by themselves."""

from __future__ import annotations

from rook_tally.core.wall.definitions import PaneKind
from rook_tally.core.wall.tiling import trouble_of
from rook_tally.store.base import Store
from rook_tally.store.readings import latest
from rook_tally.store.site import load_site
from rook_tally.wall.pane_resolver import reference_to
from rook_tally.wall.suggestions import kinds_for, what_matters_now
from tests.builders import begin_series
from tests.wall.studio import Studio


def test_what_matters_now_is_the_worst_what_is_shared_what_runs_and_what_stands(
    studio: Studio,
) -> None:
    with studio.store.read() as connection:
        site, newest = load_site(connection), latest(connection)
    sheet = what_matters_now(site, newest, frozenset(), name="Now", slug="now")
    told = {one.kind: one.shows for one in sheet.panes}
    assert told[PaneKind.RIBBON] == ("pm25@glaze-booth", "pm25@yard")
    assert told[PaneKind.COLUMNS] == (
        "temperature@kiln-room",
        "temperature@damp-store",
        "temperature@yard",
    )
    assert told[PaneKind.LAMPS] == ("switch@glaze-booth", "switch@damp-store")
    assert PaneKind.STANDING in told
    assert trouble_of(sheet.areas) == ""


def test_an_empty_site_has_a_sheet_of_what_stands(store: Store) -> None:
    with store.read() as connection:
        site = load_site(connection)
    sheet = what_matters_now(site, {}, frozenset(), name="Now", slug="now")
    assert [one.kind for one in sheet.panes] == [PaneKind.STANDING]
    assert trouble_of(sheet.areas) == ""


def test_the_fitting_kind_is_proposed_first(studio: Studio) -> None:
    series = studio.series
    with studio.store.read() as connection:
        site = load_site(connection)

    def first(key: str, field: str, *scores: str) -> PaneKind:
        return kinds_for(series[key, field], site, scores)[0]

    assert first("glaze-dust", "pm25") is PaneKind.FIGURE
    assert first("glaze-extractor", "on") is PaneKind.LAMPS
    assert first("damp-probe", "moisture") is PaneKind.DIAL
    assert first("glaze-dust", "pm25", "pm25") is PaneKind.SCORE


def test_a_reference_is_as_short_as_it_is_clear(studio: Studio) -> None:
    begin_series(studio.store, "pm25", key="second", place="Glaze booth")
    with studio.store.read() as connection:
        site = load_site(connection)
    told = {(one.station.key, one.field): reference_to(one, site) for one in site.series}
    assert told["kiln-probe", "temp"] == "temperature@kiln-room"
    assert told["glaze-dust", "pm25"] == "pm25@glaze-booth/glaze-dust"
