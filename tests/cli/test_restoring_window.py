"""A window that closes to have a copy restored opens again upon it."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from rook_tally.cli import desk
from rook_tally.core.progress import unwatched
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.copies import back_up
from rook_tally.store.site import load_site, set_site


def _name(path: Path) -> str:
    with open_store(path) as store, store.read() as connection:
        return load_site(connection).name


@pytest.fixture
def opened_again(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    words: list[str] = []
    monkeypatch.setattr(os, "execv", lambda _program, told: words.extend(told))
    return words


def test_a_copy_takes_the_place_of_the_store(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, opened_again: list[str]
) -> None:
    place, copy = tmp_path / "site.db", tmp_path / "copy.db"
    with open_store(place) as store:
        with store.write() as connection:
            set_site(connection, name="Before", zone="UTC")
        back_up(store, copy, progress=unwatched)
        with store.write() as connection:
            set_site(connection, name="After", zone="UTC")
    monkeypatch.setenv("ROOK_TALLY_RESTORE", str(copy))
    desk._restore_and_open(str(place))
    assert _name(place) == "Before"
    assert opened_again[1:] == ["-m", "rook_tally", "--store", str(place), "desk"]


def test_a_copy_that_is_none_is_told_by_the_window_that_opens(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, opened_again: list[str]
) -> None:
    place, copy = tmp_path / "site.db", tmp_path / "copy.db"
    open_store(place).close()
    copy.write_text("no store")
    monkeypatch.setenv("ROOK_TALLY_RESTORE", str(copy))
    monkeypatch.delenv("ROOK_TALLY_NOT_RESTORED", raising=False)
    desk._restore_and_open(str(place))
    assert str(copy) in os.environ.pop("ROOK_TALLY_NOT_RESTORED")
    assert opened_again
