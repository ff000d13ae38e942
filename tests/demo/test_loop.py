"""The extractor clears the dust it is run for, and the mister wets the clay."""

from __future__ import annotations

import pytest

from rook_tally.demo.loop import EXTRACTOR, MISTER, Loop


def _dust(loop: Loop, now_s: float) -> float:
    return loop.changed("glaze-dust", {"pm25": 6.0}, now_s)["pm25"]


def test_dust_hangs_until_the_extractor_takes_it_out() -> None:
    hanging, cleared = Loop(0.0), Loop(0.0)
    assert _dust(hanging, 20) == 6.0
    assert _dust(hanging, 110) > 50
    assert _dust(cleared, 110) == pytest.approx(_dust(hanging, 110))
    cleared.set(*EXTRACTOR, "on", 110)
    assert _dust(cleared, 300) < 10 < 40 < _dust(hanging, 300)
    assert cleared.changed("glaze-extractor", {"on": 0.0}, 301) == {"on": 1.0}


def test_clay_dries_until_it_is_misted() -> None:
    loop = Loop(0.0)
    dry = loop.changed("damp-probe", {"moisture": 36.0, "switch": 0.0}, 300)
    assert dry == {"moisture": pytest.approx(30.0), "switch": 0.0}
    loop.set(*MISTER, "on", 300)
    wet = loop.changed("damp-probe", {"moisture": 36.0, "switch": 0.0}, 340)
    assert wet == {"moisture": pytest.approx(36.0), "switch": 1.0}


def test_a_station_that_nobody_tells_to_go_on_stops_by_itself() -> None:
    loop = Loop(0.0)
    loop.limit(*EXTRACTOR, 60.0)
    loop.set(*EXTRACTOR, "on", 0)
    assert loop.expired(59) == []
    assert loop.expired(60) == [EXTRACTOR]
    assert loop.changed("glaze-extractor", {"on": 1.0}, 61) == {"on": 0.0}
    # A limit holds for the value it was told with.
    loop.set(*EXTRACTOR, "on", 62)
    assert loop.expired(1000) == []
