"""The Wall decided without a window: sheets in hand, faces that follow, trials, turning."""

from __future__ import annotations

from datetime import datetime

import pytest
from msgspec.structs import replace

from rook_tally.core.quantities.levels import Level
from rook_tally.core.wall.definitions import PaneKind, WallSheet
from rook_tally.core.wall.tiling import Side
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import Command
from rook_tally.desk.data.store_feed import read_picture
from rook_tally.desk.data.undo import SavedResult, UndoableResult
from rook_tally.desk.wall.arranging import SheetEditor
from rook_tally.desk.wall.commands import NewLink, RemoveSheet, SaveSheet
from rook_tally.desk.wall.model import WallModel
from rook_tally.desk.wall.queries import SheetListingQuery
from rook_tally.desk.wall.rotation import is_night, next_sheet
from rook_tally.desk.wall.series_picker import stations_found
from rook_tally.store.base import Store
from rook_tally.store.readings import latest
from rook_tally.store.site import save_sheet
from rook_tally.wall.pane_views import FigureBody
from tests.builders import MINUTE_US, NOON_US
from tests.wall.studio import Studio, pane, sheet_of

DUST = pane(PaneKind.FIGURE, "pm25@glaze-booth")
KILN = pane(PaneKind.FIGURE, "temperature@kiln-room")


class Hand:
    """A person at a Wall: what they wish is made in the store at once, and undone by `undo`."""

    def __init__(self, studio: Studio) -> None:
        self.studio = studio
        self.state = SiteState(held_clock(NOON_US))
        with studio.store.read() as connection:
            self.state.take(read_picture(connection, NOON_US))
        self.model = WallModel(self.state)
        self.arranging = SheetEditor(self.model)
        self.undoing: list[Command[UndoableResult]] = []
        self.moved: list[set[int]] = []
        self.model.wished.append(self._make)
        self.model.faces_changed.append(self.moved.append)
        self.state.subscribe(self.model.on_changed)
        self.read()

    def _make(self, change: Command[UndoableResult]) -> None:
        with self.studio.store.write() as connection:
            done = change.apply(connection)
        assert done.inverse is not None
        self.undoing.append(done.inverse)
        saved = done.saved if isinstance(done, SavedResult) else None
        self.model.on_kept("", saved if isinstance(saved, NewLink) else None)
        self.read()

    def read(self) -> None:
        """Answer what the model asks."""
        with self.studio.store.read() as connection:
            self.model.take_listing(SheetListingQuery().run(connection))
            question = self.model.question()
            if question is not None:
                self.model.take_material(question.run(connection))

    def undo(self) -> None:
        self._make(self.undoing.pop())
        self.undoing.pop()

    @property
    def titles(self) -> list[str]:
        return [face.title for face in self.model.faces]

    def figure(self, at: int = 0) -> str:
        body = self.model.faces[at].body
        assert isinstance(body, FigureBody)
        return body.value.text


@pytest.fixture
def hand(store: Store) -> Hand:
    studio = Studio(store)
    studio.told_everything()
    with store.write() as connection:
        save_sheet(connection, sheet_of(DUST, KILN))
        save_sheet(connection, sheet_of(pane(PaneKind.STANDING), slug="rings", name="Rings"))
    return Hand(studio)


def _news(hand: Hand) -> None:
    """What the feed would tell of the newest readings."""
    with hand.studio.store.read() as connection:
        newest = latest(connection)
    hand.state.live.latest.update(newest)
    hand.model.on_changed(set(newest))


def test_only_panes_that_say_something_else_are_told_of(hand: Hand) -> None:
    assert hand.figure() == "58"
    hand.moved.clear()
    hand.studio.told("glaze-dust", "pm25", 61.0, until_us=NOON_US + MINUTE_US)
    _news(hand)
    assert hand.moved == [{0}]
    assert hand.figure() == "61"
    _news(hand)
    assert hand.moved == [{0}]


def test_panes_are_moved_sized_and_taken_away_and_all_of_it_is_undone(hand: Hand) -> None:
    model = hand.model
    before = model.sheet
    assert before is not None
    hand.arranging.move_edge(Side.RIGHT, 2)
    assert model.sheet is not None
    assert model.sheet.areas[0].wide == before.areas[0].wide + 2
    assert hand.titles == ["PM2.5", "Temperature"]
    hand.undo()
    assert model.sheet == before
    hand.arranging.move_pane(Side.RIGHT)
    assert model.sheet.areas == before.areas[::-1]
    hand.undo()
    hand.arranging.remove_pane()
    assert [one.shows for one in model.sheet.panes] == [KILN.shows]
    hand.undo()
    assert model.sheet == before


def test_the_right_side_of_the_last_pane_moves_its_left_one(hand: Hand) -> None:
    hand.model.pick(1)
    hand.arranging.move_edge(Side.RIGHT, 1)
    assert hand.model.sheet is not None
    assert hand.model.sheet.areas[1].x == 13


def test_a_pane_is_added_beside_the_picked_one_and_altered(hand: Hand) -> None:
    series = hand.studio.series["damp-probe", "moisture"]
    hand.arranging.add_pane(hand.arranging.pane_of(PaneKind.DIAL, series))
    assert hand.model.picked == 2
    assert hand.titles[2] == "Moisture"
    hand.arranging.alter_pane(title="Clay")
    assert hand.titles[2] == "Clay"
    hand.undo()
    hand.undo()
    assert hand.titles == ["PM2.5", "Temperature"]


def test_columns_stand_for_every_place_at_once(hand: Hand) -> None:
    made = hand.arranging.pane_of(PaneKind.COLUMNS, hand.studio.series["kiln-probe", "temp"])
    assert made.shows == ("temperature@everywhere/*",)


def test_a_station_is_a_lamp(hand: Hand) -> None:
    (station,) = stations_found("kiln pro", hand.model.state)
    assert hand.arranging.pane_of(PaneKind.LAMPS, station).shows == ("@kiln-probe",)
    assert stations_found("", hand.model.state) == []


def test_a_pane_that_is_too_small_to_be_halved_is_said(hand: Hand) -> None:
    for _ in range(7):
        hand.model.pick(0)
        hand.arranging.add_pane(pane(PaneKind.STANDING))
    hand.model.picked = 0
    assert hand.model.sheet is not None
    while not hand.model.trouble:
        hand.arranging.add_pane(pane(PaneKind.STANDING))
        hand.model.picked = 0
    assert hand.model.trouble.startswith("There is no room")


def test_sheets_are_made_copied_renamed_moved_and_taken_away(hand: Hand) -> None:
    hand.arranging.copy_sheet()
    hand.arranging.rename_sheet("Rings")
    hand.arranging.add_sheet("Now", is_of_what_matters=True)
    assert [one.slug for one in hand.model.sheets] == ["now", "rings", "rings-2", "now-2"]
    hand.arranging.move_sheet(-3)
    assert [one.slug for one in hand.model.sheets] == ["now-2", "now", "rings", "rings-2"]
    hand.arranging.remove_sheet()
    assert [one.slug for one in hand.model.sheets] == ["now", "rings", "rings-2"]
    hand.undo()
    assert [one.slug for one in hand.model.sheets] == ["now-2", "now", "rings", "rings-2"]
    hand.undo()
    assert [one.slug for one in hand.model.sheets] == ["now", "rings", "rings-2", "now-2"]


def test_a_value_on_trial_is_shown_as_it_would_look_and_marked(hand: Hand) -> None:
    assert hand.model.try_value("3") == ""
    face = hand.model.faces[0]
    assert face.is_trial
    assert hand.figure() == "3"
    seen = []
    while hand.model.try_next_level():
        assert isinstance(face.body, FigureBody)
        body = hand.model.faces[0].body
        assert isinstance(body, FigureBody)
        seen.append(body.value.level)
    assert seen == [Level.NOTICED, Level.RAISED, Level.HIGH, Level.SEVERE]
    hand.model.end_trial()
    assert (hand.figure(), hand.model.faces[0].is_trial) == ("58", False)
    assert "is no number" in hand.model.try_value("warm")


def test_a_trial_of_what_has_no_levels_or_was_never_heard_is_refused(hand: Hand) -> None:
    hand.model.show("rings")
    hand.read()
    assert "no series" in hand.model.try_value("3")
    assert "no such level" in hand.model.try_level(2)


def test_a_draft_under_way_is_not_overrun_by_what_was_kept_before(hand: Hand) -> None:
    """A listing that was read before a change was made must not take it back."""
    model = hand.model
    with hand.studio.store.read() as connection:
        old = SheetListingQuery().run(connection)
    model.wished.clear()
    hand.arranging.move_edge(Side.RIGHT, 3)
    assert model.sheet is not None
    wanted = model.sheet.areas
    model.take_listing(old)
    assert model.sheet.areas == wanted
    model.on_kept("the disk is full", None)
    assert model.trouble == "the disk is full"
    model.take_listing(old)
    assert model.sheet is not None
    assert model.sheet.areas != wanted


def test_words_of_changes_and_their_way_back(hand: Hand) -> None:
    with hand.studio.store.write() as connection:
        done = RemoveSheet("now").apply(connection)
        assert done.words == "sheet Now deleted"
        assert done.inverse is not None
        done.inverse.apply(connection)
        new = SaveSheet(WallSheet(slug="new", name="New")).apply(connection)
    assert isinstance(new.inverse, RemoveSheet)


SHEETS = [WallSheet(slug=slug, name=slug) for slug in ("a", "b", "c")]


def test_sheets_turn_in_order_and_stop_where_something_stands() -> None:
    assert [next_sheet(SHEETS, slug, lambda _: False) for slug in "abc"] == ["b", "c", "a"]
    assert next_sheet(SHEETS, "b", lambda slug: slug == "b") == "b"
    assert next_sheet(SHEETS, "a", lambda slug: slug in "bc") == "b"
    assert next_sheet(SHEETS, "b", lambda slug: slug in "bc") == "c"


def test_a_sheet_that_takes_no_turn_is_passed_over() -> None:
    sheets = [replace(one, turns=one.slug != "b") for one in SHEETS]
    assert next_sheet(sheets, "a", lambda _: False) == "c"
    assert next_sheet(sheets, "b", lambda _: False) == "c"
    assert next_sheet([replace(one, turns=False) for one in SHEETS], "b", bool) == "b"


@pytest.mark.parametrize(
    ("clock", "begins", "ends", "dark"),
    [
        ("23:00", 22 * 60, 390, True),
        ("06:29", 22 * 60, 390, True),
        ("06:30", 22 * 60, 390, False),
        ("12:00", 22 * 60, 390, False),
        ("12:00", 600, 800, True),
        ("13:20", 600, 800, False),
        ("10:00", 600, 600, False),
    ],
)
def test_night_reaches_over_midnight(clock: str, begins: int, ends: int, dark: bool) -> None:
    assert is_night(datetime.fromisoformat(f"2026-11-23T{clock}"), begins, ends) is dark
