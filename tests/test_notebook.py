"""The examples for notebooks run as they stand on the page, and nothing can be changed there."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest

import rook_tally
from rook_tally.core.errors import StoreError, UsageError
from rook_tally.store.base import Store
from rook_tally.store.site import set_site
from tests.bench.air_of_rooms import keep, moments

PAGE = Path(__file__).parent.parent / "docs" / "handing-on.md"


@pytest.fixture
def where(store: Store, store_path: Path) -> Path:
    with store.write() as connection:
        set_site(connection, name="Pottery", zone="Europe/London")
    time_us = moments(10)
    keep(store, "booth", time_us, 20 + np.arange(len(time_us)) / 1000, quantity="temperature")
    keep(store, "booth", time_us, np.full(len(time_us), 700.0))
    return store_path


def test_the_examples_of_the_page_run(where: Path, capsys: pytest.CaptureFixture[str]) -> None:
    examples = re.findall(r"```python\n(.*?)```", PAGE.read_text(), re.DOTALL)
    assert len(examples) == 5
    names: dict[str, object] = {"where": where}
    for one in examples:
        exec(compile(one, str(PAGE), "exec"), names)
    told = capsys.readouterr().out
    assert "['booth/temperature', 'booth/co2']" in told
    assert "Shop 700.0" in told


def test_stretches_are_local_and_half_open(where: Path) -> None:
    with rook_tally.open_site(where) as site:
        told = site.series("booth/co2").readings("2026-03-03T06:00", "2026-03-03T07:00")
        assert len(told) == 12
        assert told.time[0] == np.datetime64("2026-03-03T06:00", "us")
        course = site.series("booth/temperature").envelope("2026-03-03", "2026-03-04", 24)
        assert course.mean.shape == (24,) and np.isfinite(course.mean).all()
        assert [one.name for one in site.of(place="Shop", quantity="co2")] == ["booth/co2"]
        with pytest.raises(UsageError, match="there is no series booth/tea"):
            site.series("booth/tea")


def test_one_of_an_older_release_is_left_as_it_is(where: Path, store: Store) -> None:
    with store.write() as connection:
        connection.exec_driver_sql("UPDATE meta SET value = '21' WHERE key = 'format'")
    with pytest.raises(StoreError, match="older rook-tally"):
        rook_tally.open_site(where)
    with pytest.raises(StoreError, match="no store"):
        rook_tally.open_site(where.with_name("nothing.db"))
