"""The Wall and its pages on the command line."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from rook_tally.core.wall.definitions import PaneKind
from rook_tally.store.base import Store
from rook_tally.store.site import page_devices, page_setting, save_sheet, sheets
from rook_tally.wall.links import link_to, own_address
from tests.processes import CollectorProcess, rook_tally, wait_until
from tests.wall.studio import Studio, pane, sheet_of


@pytest.fixture
def studio(store: Store) -> Studio:
    made = Studio(store)
    with store.write() as connection:
        save_sheet(connection, sheet_of(pane(PaneKind.FIGURE, "pm25@glaze-booth")))
        save_sheet(connection, sheet_of(pane(PaneKind.FIGURE, "moon@yard"), slug="b", name="B"))
    return made


def test_sheets_are_listed_with_what_is_not_there(studio: Studio, store_path: Path) -> None:
    done = rook_tally("--store", str(store_path), "wall", "list")
    assert done.stdout.splitlines() == [
        f"{'now':<24}  1 panes, turns          Now",
        f"{'b':<24}  1 panes, turns          B",
        "  nothing measures moon; did you mean ozone",
    ]
    rows = json.loads(rook_tally("wall", "--store", str(store_path), "list", "--json").stdout)
    assert [row["slug"] for row in rows] == ["now", "b"]


def test_sheets_are_exported_altered_and_read_again(
    studio: Studio, store_path: Path, tmp_path: Path
) -> None:
    place = ("--store", str(store_path))
    text = rook_tally(*place, "wall", "export", "--sheet", "Now").stdout
    file = tmp_path / "sheets.toml"
    file.write_text(
        text.replace('name = "Now"', 'name = "Then"') + '\n[[sheet]]\nslug = "c"\nname = "C"\n'
    )
    done = rook_tally(*place, "wall", "read", str(file))
    assert done.stdout.splitlines() == ["Then: replaced, 1 panes", "C: new, 0 panes"]
    with studio.store.read() as connection:
        assert [one.name for one in sheets(connection)] == ["Then", "B", "C"]
    file.write_text(text.replace("24, 12", "23, 12"))
    done = rook_tally(*place, "wall", "read", str(file))
    assert done.returncode == 2
    assert "Now: nothing stands at column 23, row 0; no sheet was changed" in done.stderr
    assert rook_tally(*place, "wall", "read", str(tmp_path / "none")).returncode == 2
    done = rook_tally(*place, "wall", "export", "--sheet", "moon")
    assert "sheets: now, b, c" in done.stderr


def test_an_unknown_sheet_is_said_before_anything_opens(studio: Studio, store_path: Path) -> None:
    done = rook_tally(
        "--store",
        str(store_path),
        "wall",
        "--sheet",
        "moon",
        "--full-screen",
        env={"QT_QPA_PLATFORM": "offscreen"},
    )
    assert (done.returncode, "there is no sheet moon" in done.stderr) == (2, True)


def test_a_link_is_made_listed_and_revoked(studio: Studio, store_path: Path) -> None:
    place = ("--store", str(store_path))
    on = rook_tally(*place, "page", "on", "--address", "127.0.0.1:4999")
    assert "served at 127.0.0.1:4999" in on.stdout
    assert "no collector runs" in on.stdout
    made = rook_tally(*place, "page", "link", "phone")
    link = made.stdout.splitlines()[-1]
    assert link.startswith("http://127.0.0.1:4999/link/")
    # The code stands over it, in half blocks.
    assert "█▀" in made.stdout
    told = json.loads(rook_tally(*place, "page", "list", "--json").stdout)
    assert (told["on"], [one["name"] for one in told["devices"]]) == (True, ["phone"])
    assert "phone                    never looked" in rook_tally(*place, "page", "list").stdout
    assert rook_tally(*place, "page", "link", "phone").returncode == 2
    assert rook_tally(*place, "page", "revoke", "phone").returncode == 0
    assert "with a link: none" in rook_tally(*place, "page", "revoke", "phone").stderr
    rook_tally(*place, "page", "off")
    with studio.store.read() as connection:
        assert not page_setting(connection).is_on
        assert page_devices(connection) == []
    assert rook_tally(*place, "page", "on", "--address", "here").returncode == 2


def test_a_link_for_a_free_port_names_the_one_that_was_found(
    studio: Studio, store_path: Path
) -> None:
    place = ("--store", str(store_path))
    rook_tally(*place, "page", "on", "--address", "127.0.0.1:0")
    with CollectorProcess(store_path) as collector:

        def link() -> str:
            rook_tally(*place, "page", "revoke", "phone")
            return rook_tally(*place, "page", "link", "phone").stdout.splitlines()[-1]

        wait_until(lambda: ":0/" not in link())
        assert collector.process.poll() is None


def test_links_name_an_address_others_can_reach() -> None:
    assert own_address("10.1.2.3") == "10.1.2.3"
    assert own_address("0.0.0.0").count(".") == 3
    assert link_to("::1", 4780, "k", is_secure=True) == "https://[::1]:4780/link/k"
