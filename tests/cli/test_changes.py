"""What was changed, by command."""

from __future__ import annotations

import json

from rook_tally.store.base import Store
from tests.processes import rook_tally


def _said(store: Store, *words: str) -> tuple[int, str]:
    done = rook_tally("--store", store.url, *words)
    return done.returncode, done.stdout if done.returncode == 0 else done.stderr


def test_changes_are_listed_and_taken_back(store: Store) -> None:
    assert "nothing was changed yet" in _said(store, "changes")[1]
    assert _said(store, "place", "add", "Shop")[0] == 0
    assert _said(store, "place", "rename", "Shop", "Showroom")[0] == 0
    told = json.loads(_said(store, "changes", "--json")[1])
    assert [(one["change"], one["what"]) for one in told] == [
        (2, "place Shop: name Shop → Showroom"),
        (1, "place Shop added"),
    ]
    assert _said(store, "changes", "undo", "2")[0] == 0
    assert [one["place"] for one in json.loads(_said(store, "place", "list", "--json")[1])] == [
        "Shop"
    ]
    listed = _said(store, "changes")[1].splitlines()
    assert "(taken back by 3)" in listed[1]
    code, why = _said(store, "changes", "undo", "2")
    assert (code, "taken back already" in why) == (2, True)


def test_keys_of_stations_are_not_told(store: Store) -> None:
    assert _said(store, "station", "add", "till", "--place", "Shop")[0] == 0
    told = _said(store, "changes", "--json")[1]
    assert "till" in told
    assert "_hash" not in told
