"""Places and where stations stand, by command."""

from __future__ import annotations

import json

from rook_tally.store.base import Store
from rook_tally.store.site import load_site
from tests.builders import NOON_US, append, begin_series
from tests.processes import rook_tally


def _said(store: Store, *words: str) -> tuple[int, str]:
    done = rook_tally("--store", store.url, *words)
    return done.returncode, done.stdout if done.returncode == 0 else done.stderr


def test_a_site_is_arranged_from_nothing(store: Store) -> None:
    for words in (
        ("place", "add", "House"),
        ("place", "add", "Kitchen", "--under", "House"),
        ("place", "add", "Yard", "--outdoors"),
        ("station", "add", "sill", "--place", "Kitchen", "--kind", "climate"),
        ("station", "set", "sill", "--place", "Yard", "--cadence", "600"),
        ("place", "rename", "Kitchen", "Scullery"),
        ("place", "order", "Yard", "House"),
        ("place", "set", "Yard", "--indoors"),
    ):
        code, told = _said(store, *words)
        assert code == 0, told
    told = json.loads(_said(store, "place", "list", "--json")[1])
    assert told == [
        {"place": "Yard", "under": None, "indoors": True, "stations": ["sill"]},
        {"place": "House", "under": None, "indoors": True, "stations": []},
        {"place": "Scullery", "under": "House", "indoors": True, "stations": []},
    ]
    assert "  Scullery" in _said(store, "place", "list")[1]
    with store.read() as connection:
        assert load_site(connection).stations[0].cadence_s == 600
    assert _said(store, "place", "merge", "Yard", "Scullery")[0] == 0
    assert _said(store, "place", "move", "Scullery")[0] == 0
    assert _said(store, "place", "remove", "House")[0] == 0
    told = json.loads(_said(store, "place", "list", "--json")[1])
    assert [one["place"] for one in told] == ["Scullery"]


def test_what_cannot_be_is_said(store: Store) -> None:
    append(store, begin_series(store, "co2", key="shelf", place="Shop"), (NOON_US, 900.0))
    for words, why in (
        (("place", "remove", "Shop"), "Shop is not empty: shelf"),
        (("place", "add", "shop"), "could not tell"),
        (("station", "set", "shelf"), "nothing was told"),
        (("station", "set", "shelf", "--kind", "toaster"), "there is no kind 'toaster'"),
        (("station", "set", "till", "--place", "Shop"), "there is no station 'till'"),
    ):
        code, told = _said(store, *words)
        assert (code, why in told) == (2, True), told
