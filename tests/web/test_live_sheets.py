"""What pages are sent, decided without a network."""

from __future__ import annotations

import pytest

from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.store.base import Store
from rook_tally.store.site import load_site, remove_sheet, save_sheet, sheets
from rook_tally.wall.pane_views import RibbonBody
from rook_tally.web.live_sheets import LiveSheets
from rook_tally.web.rendering import page_css, page_html
from rook_tally.web.svg import arc_path, letters_of, text_width, trace_points
from tests.builders import MINUTE_US, NOON_US
from tests.wall.studio import Studio, pane, sheet_of


@pytest.fixture
def studio(store: Store) -> Studio:
    made = Studio(store)
    made.told_everything()
    with store.write() as connection:
        save_sheet(
            connection,
            sheet_of(
                pane(PaneKind.FIGURE, "pm25@glaze-booth"),
                pane(PaneKind.DAY, "pm25@glaze-booth"),
                pane(PaneKind.FIGURE, "temperature@yard"),
            ),
        )
    return made


@pytest.fixture
def board(studio: Studio) -> LiveSheets:
    made = LiveSheets(studio.store)
    made.follow((), NOON_US)
    made.panes_of("now", NOON_US)
    return made


def test_a_page_left_open_for_a_week_is_brought_up_all_along(
    studio: Studio, board: LiveSheets
) -> None:
    sent = 0
    for hour in range(1, 7 * 24):
        at_us = NOON_US + hour * HOUR_US
        value = 10.0 + hour % 24
        studio.told("glaze-dust", "pm25", value, until_us=at_us)
        moved = board.follow({"now"}, at_us)["now"]
        assert f">{value:.0f}<tspan" in moved.panes[0]
        sent += len(moved.panes)
    last_us = NOON_US + (7 * 24 - 1) * HOUR_US
    page = board.panes_of("now", last_us)
    # The day is this one, from its own midnight: a value an hour, the highest just now.
    assert "highest 11:00" in page[1]
    assert "lowest 00:00" in page[1]
    assert sent < 7 * 24 * 3
    board.close()


def test_nothing_is_made_for_sheets_nobody_looks_at(studio: Studio, board: LiveSheets) -> None:
    studio.told("glaze-dust", "pm25", 3.0, until_us=NOON_US + MINUTE_US)
    assert board.follow((), NOON_US + MINUTE_US) == {}
    # Who comes then sees what came meanwhile.
    assert ">3<tspan" in board.panes_of("now", NOON_US + MINUTE_US)[0]
    board.close()


def test_ages_grow_without_a_word_but_not_at_every_look(studio: Studio, board: LiveSheets) -> None:
    quiet = board.follow({"now"}, NOON_US + 1_000_000)
    assert quiet == {}
    late = board.follow({"now"}, NOON_US + 3 * MINUTE_US)["now"]
    assert "3 min since the last word" in late.panes[0]
    board.close()


def test_a_late_reading_shows_in_the_day_it_belongs_to(studio: Studio, board: LiveSheets) -> None:
    studio.told("glaze-dust", "pm25", 90.0, until_us=NOON_US - HOUR_US)
    moved = board.follow({"now"}, NOON_US + MINUTE_US)["now"]
    assert "highest 11:00" in moved.panes[1]
    board.close()


def test_a_sheet_laid_out_otherwise_or_gone_is_told(studio: Studio, board: LiveSheets) -> None:
    with studio.store.write() as connection:
        (sheet,) = sheets(connection)
        save_sheet(connection, sheet.with_panes(sheet.panes[::-1]).with_areas(sheet.areas))
    assert board.follow({"now"}, NOON_US)["now"].is_laid_out_anew
    with studio.store.write() as connection:
        remove_sheet(connection, "now")
    assert board.follow({"now"}, NOON_US + DAY_US)["now"].is_laid_out_anew
    assert board.panes_of("now", NOON_US) == []
    board.close()


def test_a_page_without_a_sheet_says_what_to_do(studio: Studio) -> None:
    with studio.store.read() as connection:
        site = load_site(connection)
    assert "rook-tally wall read" in page_html(site, [], None, [], "12:00")
    css = page_css()
    assert "--level-4: #8C2458" in css
    assert ".x23 { grid-column-start: 24; }" in css


def test_traces_are_broken_at_gaps_and_arcs_go_round(studio: Studio) -> None:
    studio.told("glaze-dust", "pm25", 9.0, 9.0, until_us=NOON_US - HOUR_US)
    face = studio.face(PaneKind.RIBBON, "pm25@glaze-booth", span_s=7200.0)
    assert isinstance(face.body, RibbonBody)
    lines = trace_points(face.body.traces[0].envelope, face.body.low, face.body.high)
    assert len(lines) == 2
    assert all(
        0 <= float(x) <= 1000
        for line in lines
        for x in (point.split(",")[0] for point in line.split())
    )
    assert arc_path(0, 1, 100) == "M-100.00,-0.00 A100,100 0 0 1 100.00,-0.00"
    assert text_width("11") < text_width("mm")
    assert letters_of(("12345678",)) == 8
    assert letters_of(("x" * 999,)) == 160
