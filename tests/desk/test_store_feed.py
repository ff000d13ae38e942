"""What a window hears of its store, also after a fault of ours."""

from __future__ import annotations

import pytest

from rook_tally.desk.data import store_feed as feed
from rook_tally.desk.data.store_feed import Picture, StoreUnavailable
from rook_tally.store.base import Store
from tests.builders import begin_series
from tests.desks import Desk
from tests.processes import wait_until


def test_a_fault_of_ours_is_said_and_the_window_hears_on(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    begin_series(store)
    read, failures = feed.read_picture, [ZeroDivisionError("by nothing"), KeyError("site")]

    def fail_first(*told: object, **more: object) -> Picture:
        if failures:
            raise failures.pop()
        return read(*told, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(feed, "read_picture", fail_first)
    with Desk(store) as desk:
        wait_until(lambda: any(isinstance(one, Picture) for one in desk.news))
        troubles = [one.text for one in desk.news if isinstance(one, StoreUnavailable)]
    assert [one.partition("(")[0] for one in troubles[:2]] == [
        "a fault of ours: KeyError",
        "a fault of ours: ZeroDivisionError",
    ]
