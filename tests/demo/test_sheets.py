"""The pottery's own sheets hang without a word of trouble."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from rook_tally.cli.demo_site import make_demo_site, work_out_demo
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.core.timestamps import HOUR_US, time_us_from_text
from rook_tally.core.wall.definitions import PaneKind, WallSheet
from rook_tally.core.wall.files import sheets_from_toml, sheets_to_toml
from rook_tally.demo.pottery import site_text
from rook_tally.store.alarms import standing
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import latest
from rook_tally.store.site import load_site, sheets
from rook_tally.store.workings import groups
from rook_tally.wall.pane_context import PaneContext
from rook_tally.wall.pane_data import read_material
from rook_tally.wall.pane_parts import faces_of
from rook_tally.wall.pane_resolver import resolved
from rook_tally.wall.pane_views import LampsBody, LampState, PaneView, WordsBody
from rook_tally.wall.site_snapshot import SiteSnapshot

SHEETS = site_from_toml(site_text()).sheets or ()
END_US = time_us_from_text("2026-11-23T14:32:08Z")


@pytest.fixture(scope="module")
def pottery(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Store]:
    """The demo's store, a quarter of a day long."""
    store = open_store(Path(tmp_path_factory.mktemp("pottery")) / "store.db")
    make_demo_site(store, end_us=END_US, days=0.25)
    work_out_demo(store, now_us=END_US)
    yield store
    store.close()


def faces_on(store: Store, sheet: WallSheet, *, at_us: int = END_US) -> tuple[PaneView, ...]:
    with store.read() as connection:
        site = load_site(connection)
        material = read_material(connection, site, resolved(sheet, site, groups(connection)), at_us)
        snapshot = SiteSnapshot(
            site, at_us, latest(connection, until_us=at_us), standing(connection)
        )
        known = PaneContext(snapshot, material)
        return tuple(faces_of(material.panes, known))


@pytest.mark.parametrize("sheet", SHEETS, ids=[one.slug for one in SHEETS])
def test_every_pane_has_something_to_say(pottery: Store, sheet: WallSheet) -> None:
    for face in faces_on(pottery, sheet):
        assert face.title or face.kind is PaneKind.WORDS
        assert not face.trouble, face
        assert face.body is not None
        assert not face.note or "since the last word" in face.note, face.note


def test_own_words_hold_the_kilns_warmth(pottery: Store) -> None:
    (words,) = (
        face.body for face in faces_on(pottery, SHEETS[0]) if isinstance(face.body, WordsBody)
    )
    assert words.parts[0] == "Firing today, kiln at "
    assert len(words.parts) == 2


def test_the_sheets_show_every_kind_of_pane() -> None:
    assert {pane.kind for sheet in SHEETS for pane in sheet.panes} == set(PaneKind)


def test_they_go_into_a_file_and_hang_the_same_again(pottery: Store) -> None:
    with pottery.read() as connection:
        kept = sheets(connection)
    again = sheets_from_toml(sheets_to_toml(kept))
    assert list(again) == kept == list(SHEETS)
    for before, after in zip(SHEETS, again, strict=True):
        assert faces_on(pottery, before) == faces_on(pottery, after)


def test_an_hour_earlier_they_say_what_was_so_then(pottery: Store) -> None:
    """The extractor runs by now and did not before the dust rose: the past is not the present."""
    now = faces_on(pottery, SHEETS[0])
    then = faces_on(pottery, SHEETS[0], at_us=END_US - HOUR_US)
    assert [face.kind for face in now] == [face.kind for face in then]
    (lamps_now,), (lamps_then,) = (
        [face.body for face in faces if isinstance(face.body, LampsBody)] for faces in (now, then)
    )
    assert lamps_now.lamps[0].state is LampState.ON
    assert lamps_then.lamps[0].state is LampState.OFF
    assert lamps_then.lamps[0].name == lamps_now.lamps[0].name
