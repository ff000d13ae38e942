"""The Bench by command: figures as JSON, sentences for people, changes that can be taken back."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from rook_tally.core.timestamps import rfc3339
from rook_tally.store.base import Store
from tests.bench.air_of_rooms import END_US, START_US, keep, keep_shop, moments, noise, shop_air
from tests.processes import rook_tally

SPAN = ("--from", rfc3339(START_US), "--to", rfc3339(END_US))


def asked(store: Store, *words: str) -> dict[str, Any]:
    done = rook_tally("--store", store.url, *words, "--json")
    assert done.returncode == 0, done.stderr
    told: dict[str, Any] = json.loads(done.stdout)
    return told


def refused(store: Store, *words: str) -> str:
    done = rook_tally("--store", store.url, *words)
    assert done.returncode == 2, done.stdout
    return done.stderr


def test_compare_tells_and_corrects_and_is_undone(store: Store) -> None:
    keep_shop(store)
    told = asked(store, "compare", "counter", "shelf", *SPAN)
    assert told["difference"] == pytest.approx(38, abs=1)
    assert told["difference_within"] < 1
    assert told["unit"] == "ppm"
    assert told["pairs"] == 11520
    (step,) = told["proposal"]["steps"]
    assert step["offset"] == pytest.approx(-told["difference"])
    words = rook_tally("--store", store.url, "compare", "counter", "shelf", *SPAN).stdout
    assert words.startswith("shelf reads 38")

    assert asked(store, "compare", "counter", "shelf", *SPAN, "--apply")["applied"] is True
    after = asked(store, "compare", "co2@shop/counter", "co2@shop/shelf", *SPAN)
    assert abs(after["difference"]) < 0.5
    assert "more than chance" in after["refused"]
    newest = json.loads(rook_tally("--store", store.url, "changes", "--json").stdout)[0]
    undone = rook_tally("--store", store.url, "changes", "undo", str(newest["change"]))
    assert undone.returncode == 0, undone.stderr
    again = asked(store, "compare", "counter", "shelf", *SPAN)
    assert again["difference"] == pytest.approx(told["difference"])


def test_compare_refuses_what_it_cannot_mean(store: Store) -> None:
    keep_shop(store, 3)
    assert "no series is called 'nobody'" in refused(store, "compare", "counter", "nobody")
    assert "twice" in refused(store, "compare", "counter", "counter", "--quantity", "co2")
    assert "ends before it begins" in refused(
        store, "compare", "counter", "shelf", "--from", "2026-03-04", "--to", "2026-03-03"
    )
    keep(store, "flat", moments(3), np.full(864, 600.0))
    assert "never changes" in refused(store, "compare", "counter", "flat", *SPAN, "--apply")


def test_calibrate_keeps_points_corrects_and_is_due_again(store: Store, tmp_path: Path) -> None:
    time_us = moments(40)
    keep(store, "probe", time_us, shop_air(time_us))
    at = rfc3339(START_US + 86_400_000_000)
    words = ("calibrate", "probe", "--point", "600", "--at", at, "--uncertainty", "±4")
    told = asked(store, *words, "--meter", "hand meter")
    (point,) = told["points"]
    assert point["reference"] == 600
    assert point["uncertainty"] == 4
    assert told["model"] == "offset"
    file = tmp_path / "points.csv"
    rows = [f"2026-03-{day:02} 08:00,{500 + 3 * day},4,hand meter," for day in (5, 9, 12)]
    file.write_text("\n".join(["time,value,uncertainty,meter,note", *rows]) + "\n")
    assert len(asked(store, "calibrate", "probe", "--csv", str(file))["points"]) == 4
    told = asked(
        store, "calibrate", "probe", "--apply", "--model", "offset", "--from", at, "--due", "6"
    )
    (correction,) = told["corrections"]
    assert correction["offset"] == pytest.approx(told["offset"])
    assert "4 reference points, hand meter" in correction["why"]
    assert told["due"] is not None
    # From then on every value says how sure it is.
    (row,) = json.loads(rook_tally("--store", store.url, "latest", "--json").stdout)
    assert row["uncertainty"] == pytest.approx(told["se_offset"])
    assert " ±" in rook_tally("--store", store.url, "latest").stdout
    gone = asked(store, "calibrate", "probe", "--remove", str(point["id"]))
    assert len(gone["points"]) == 3
    words_of = rook_tally("--store", store.url, "calibrate", "probe").stdout
    assert "Due again" in words_of
    assert "corrected" in words_of


def test_calibrate_says_what_is_wrong_and_keeps_the_rest(store: Store) -> None:
    time_us = moments(3)
    keep(store, "probe", time_us, shop_air(time_us))
    keep(store, "other", time_us, shop_air(time_us))
    assert "was not heard" in refused(store, "calibrate", "probe", "--point", "600")
    assert "there is no model" in refused(store, "calibrate", "probe", "--model", "cubic")
    assert "no reference point yet" in refused(store, "calibrate", "probe", "--apply")
    assert "no reference point 7" in refused(store, "calibrate", "probe", "--remove", "7")
    at = rfc3339(START_US + 3_600_000_000)
    number = asked(store, "calibrate", "probe", "--point", "600", "--at", at)["points"][0]["id"]
    assert "is not one of" in refused(store, "calibrate", "other", "--remove", str(number))
    assert len(asked(store, "calibrate", "probe")["points"]) == 1


def test_respond_profile_air_and_together(store: Store) -> None:
    time_us = moments(40)
    day, hour = (time_us - START_US) // 86_400_000_000, (time_us - START_US) / 3.6e9 % 24
    on = (day % 2 == 0) & (hour >= 9) & (hour < 11)
    keep(store, "mill", time_us, on.astype(float), quantity="switch", place="Mill")
    value = 430 + 500.0 * on + 3 * noise(len(time_us), 3)
    keep(store, "room", time_us, value, place="Room")
    keep(store, "twin", time_us, value + 5 * noise(len(time_us), 4), place="Room")

    told = asked(
        store, "respond", "room", "--to", "on:switch@mill", "--from", SPAN[1], "--until", SPAN[3]
    )
    assert told["events"] == 20
    assert told["peak"] == pytest.approx(500, abs=10)
    assert told["p"] < 0.001
    assert len(told["mean"]) == len(told["offset_s"])
    ranked = asked(
        store, "respond", "all", "--to", "on:switch@mill", "--from", SPAN[1], "--until", SPAN[3]
    )
    assert {one["series"] for one in ranked["series"][:2]} == {"co2@room/room", "co2@room/twin"}
    assert "is no event" in refused(store, "respond", "room", "--to", "whenever")

    usual = asked(store, "profile", "room", "--above", "800", *SPAN)
    assert len(usual["profile"]["median"]) == 48
    assert len(usual["week"]["mean"]) == 168
    assert len(usual["spells"]) == 20
    air = asked(store, "air", "room", *SPAN)
    assert set(air["air_changes_per_h"]) == {"median", "low", "high", "used", "given"}
    assert "volume above 0" in refused(store, "air", "room", "--volume", "0")
    pairs = asked(store, "together", *SPAN)["pairs"]
    assert [(one["first"], one["second"]) for one in pairs] == [("co2@room/room", "co2@room/twin")]
