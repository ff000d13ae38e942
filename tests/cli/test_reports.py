"""Reports and guidelines by command."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from rook_tally.core.timestamps import DAY_US, rfc3339
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import set_site
from tests.bench.air_of_rooms import START_US, keep, moments
from tests.processes import rook_tally


@pytest.fixture
def where(store: Store, store_path: Path) -> str:
    with store.write() as connection:
        set_site(connection, name="Pottery", zone="UTC")
    time_us = moments(40)
    day = (time_us - START_US) // DAY_US
    keep(store, "booth", time_us, np.where(day < 3, 20.0, 5.0), quantity="pm25")
    return str(store_path)


def run(where: str, *words: str) -> str:
    done = rook_tally("--store", where, *words)
    assert done.returncode == 0, done.stderr
    return done.stdout


def test_a_report_from_its_description_to_its_files(where: str, tmp_path: Path) -> None:
    run(where, "report", "add", "month", "--name", "The month", "--folder", str(tmp_path / "out"))
    (told,) = json.loads(run(where, "report", "list", "--json"))
    assert (told["slug"], told["stretch"], told["last"]) == ("month", "month", None)
    shown = json.loads(run(where, "report", "show", "month", "--for", "2026-03", "--json"))
    assert shown["title"] == "March 2026"
    assert "three days" in shown["sections"][0]["text"][0]
    assert "PM2.5, µg/m³" in run(where, "report", "show", "month", "--for", "2026-03")
    files = run(where, "report", "run", "month", "--for", "2026-03").split()
    assert [Path(one).name for one in files] == ["month-2026-03.pdf", "month-2026-03.html"]
    assert all(Path(one).stat().st_size > 1000 for one in files)
    (line,) = json.loads(run(where, "report", "written", "--check", "--json"))
    assert (line["period"], line["state"]) == ("2026-03", "as it is now")
    exported = run(where, "report", "export")
    run(where, "report", "remove", "month")
    file = tmp_path / "reports.toml"
    file.write_text(exported)
    assert run(where, "report", "read", str(file)) == "The month: new\n"
    assert run(where, "report", "export") == exported


def test_own_guidelines_are_held_against(where: str) -> None:
    run(where, "report", "add", "month", "--part", "limits")
    words = ("dust", "pm25", "0.01 mg/m³", "--name", "The guild", "--source", "minutes of May")
    run(where, "guideline", "add", *words)
    shown = run(where, "report", "show", "month", "--for", "2026-03")
    line = next(one for one in shown.splitlines() if "The guild" in one)
    assert "10 µg/m³" in line and "3 of 30 days" in line
    (own,) = [one for one in json.loads(run(where, "guideline", "list", "--json")) if one["own"]]
    assert (own["slug"], own["limit"], own["rule"]) == ("dust", 10.0, "day")
    run(where, "guideline", "remove", "dust")
    assert "dust" not in run(where, "guideline", "list")


def test_a_guideline_follows_what_another_place_says(where: str) -> None:
    """As of a town's air that a poll door asks for: day by day, and only days heard there count."""
    store = open_store(where)
    time_us = moments(5)
    day = (time_us - START_US) // DAY_US
    # Higher than the booth's 20 on one of its three days; after five nothing is heard any more.
    keep(store, "town", time_us, np.where(day == 1, 25.0, 8.0), quantity="pm25", place="Town")
    store.close()
    run(where, "report", "add", "month", "--part", "limits", "--place", "Shop")
    follows = ("--follows", "town.pm25", "--name", "The town")
    run(where, "guideline", "add", "town", "pm25", "0", *follows)
    shown = run(where, "report", "show", "month", "--for", "2026-03")
    line = next(one for one in shown.splitlines() if "The town" in one)
    assert "as there" in line and "2 of 5 days" in line
    assert "The town: the same mean of town pm25" in shown
    assert "town.pm25" in run(where, "guideline", "list")
    stretch = ("--from", rfc3339(START_US), "--to", rfc3339(START_US + 20 * DAY_US))
    answer = json.loads(run(where, "profile", "booth", *stretch, "--json"))
    assert {"title": "The town, mean of a day", "level": pytest.approx(11.4)} in [
        {name: one[name] for name in ("title", "level")} for one in answer["guidelines"]
    ]


def test_guidelines_are_limits_to_choose_from(where: str) -> None:
    run(where, "guideline", "add", "guild", "pm25", "0.01 mg/m³", "--name", "The guild")
    assert "guild " in run(where, "limit", "presets", "pm25")
    run(where, "limit", "set", "pm25", "--preset", "guild")
    (row,) = [
        one
        for one in json.loads(run(where, "limit", "list", "--json"))
        if one["quantity"] == "pm25"
    ]
    assert row["above"][1] == 10.0


@pytest.mark.parametrize(
    ("words", "why"),
    [
        (
            ("guideline", "add", "x", "pm25", "0", "--follows", "town.pm25"),
            "there is no series town.pm25",
        ),
        (("report", "run", "nothing"), "there is no report nothing"),
        (("report", "add", "x", "--place", "Attic"), "there is no place Attic"),
        (("report", "add", "x", "--mail", "nobody"), "there is no mail channel nobody"),
        (("report", "add", "x", "--quantity", "joy"), "there is no quantity joy"),
        (("report", "add", "x", "--stretch", "own"), "a first and a last day"),
        (("guideline", "add", "x", "joy", "5"), "there is no quantity joy"),
        (("guideline", "add", "x", "pm25", "5", "--rule", "tea"), "there is no rule tea"),
        (("guideline", "remove", "who-pm25-day"), "comes with the program"),
    ],
)
def test_what_cannot_be_is_refused_with_a_reason(
    where: str, words: tuple[str, ...], why: str
) -> None:
    done = rook_tally("--store", where, *words)
    assert done.returncode == 2
    assert why in done.stderr
