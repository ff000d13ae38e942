"""Watches on the command line: written, backtested, handed on, rung, acknowledged."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import pytest

from rook_tally import clock
from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.core.alarms.definitions import Guard, RunControl, Scope, Watch, WatchKind
from rook_tally.core.alarms.files import watches_from_toml, watches_to_toml
from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.levels import Level
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from tests.builders import append, begin_series
from tests.processes import CollectorProcess, rook_tally, wait_until

FILE = """
format = 1

[[way]]
name = "the workshop"
sort = "mail"
host = "mail.fennel.example"
sender = "rook@fennel.example"
to = ["wren@fennel.example"]
quiet = {begin = "22:00", end = "06:00"}

[[watch]]
slug = "stuffy"
name = "Stuffy class"
sort = "above"
scope = {quantity = "co2", group = "indoors"}
limit = 1000
clear = 800
unit = "ppm"
for = "5 min"
level = "raised"
hours = {begin = "08:00", end = "20:00", days = [0, 1, 2, 3, 4]}
tell = ["this desktop", "the workshop"]
"""


def _run(store: Store, *words: str) -> subprocess.CompletedProcess[str]:
    return rook_tally("--store", store.address, *words)


def _said(store: Store, *words: str) -> str:
    done = _run(store, *words)
    assert done.returncode == 0, done.stderr
    return done.stdout


@pytest.fixture
def throwing_room(store: Store) -> Store:
    """Two hours up to now: an hour of good air, half an hour of a class, and good air again."""
    series = begin_series(store, "co2")
    now_us = clock.now_us()
    values = [600.0] * 60 + [1400.0] * 30 + [600.0] * 30
    append(
        store,
        series,
        *((now_us - (120 - at) * 60_000_000, value) for at, value in enumerate(values)),
    )
    return store


def test_a_watch_is_added_listed_shown_and_backtested(throwing_room: Store) -> None:
    store = throwing_room
    added = _said(
        store,
        "watch",
        "add",
        "Stuffy class",
        "co2",
        "throwing-room",
        "--above",
        "1000 ppm",
        "--clear",
        "800",
        "--for",
        "5 min",
    )
    assert added == "stuffy-class: watched from now on\n"
    assert "never rang       CO₂ over 1000 ppm at Throwing room" in _said(store, "watch", "list")
    shown = _said(store, "watch", "show", "stuffy-class")
    assert "When CO₂ at Throwing room stays above 1000 ppm for 5 min\n" in shown
    told = _said(store, "watch", "backtest", "stuffy-class", "--last", "3 h")
    # As it was called before.
    assert _said(store, "watch", "rehearse", "stuffy-class", "--last", "3 h") == told
    assert "rang 1 times, stood 25 min, at most 25 min, 0 likely nuisances" in told
    (row,) = json.loads(_said(store, "watch", "backtest", "stuffy-class", "--json"))
    assert (row["rang"], row["standing_s"], len(row["rings"])) == (1, 1500, 1)
    assert _said(store, "watch", "remove", "stuffy-class").startswith("Stuffy class is gone")


def test_what_cannot_be_meant_is_said(throwing_room: Store) -> None:
    store = throwing_room
    for words, why in (
        (("Hot", "heat", "throwing-room", "--above", "3"), "nothing here measures heat"),
        (("Hot", "co2", "attic", "--above", "3"), "there is no place attic"),
        (("Hot", "co2", "throwing-room"), "a watch needs one limit"),
        (("Hot", "co2", "throwing-room", "--above", "3 °C"), "is no amount of CO₂"),
        (("Hot", "co2", "throwing-room", "--above", "3", "--clear", "5"), "clear beyond the limit"),
        (("Hot", "co2", "throwing-room", "--above", "3", "--tell", "moon"), "no way of telling"),
    ):
        done = _run(store, "watch", "add", *words)
        assert done.returncode == 2
        assert why in done.stderr
    assert _said(store, "watch", "list") == ""
    assert "there is no watch hot; there are: none" in _run(store, "ack", "hot").stderr


def test_a_file_is_read_and_printed_again_without_secrets(
    throwing_room: Store, tmp_path: Path
) -> None:
    store = throwing_room
    file = tmp_path / "watches.toml"
    file.write_text(FILE + 'password = "x"\n'.replace("password", "word"))
    assert "there is no word" in _run(store, "watch", "read", str(file)).stderr
    file.write_text(FILE.replace('sort = "mail"', 'sort = "mail"\npassword = "clay"'))
    assert _said(store, "watch", "read", str(file)) == "1 watches and 1 ways of telling kept\n"
    told = _said(store, "watch", "export")
    assert "clay" not in told
    assert 'for = "5 min"' in told
    file.write_text(told)
    _said(store, "watch", "read", str(file))
    with store.read() as connection:
        from rook_tally.store.alarms import ways

        (way,) = [one for one in ways(connection) if one.name == "the workshop"]
    assert way.password == "clay"
    assert "the workshop             mail" in _said(store, "way", "list")
    refused = _run(store, "way", "remove", "the workshop")
    assert "used by Stuffy class" in refused.stderr


def test_a_file_says_all_that_a_watch_can_say() -> None:
    watch = Watch(
        slug="booth",
        name="Booth",
        sort=WatchKind.RISING,
        scope=Scope(quantity="pm25", group="indoors"),
        limit=20,
        clear=5,
        unit="µg/m³",
        for_s=90,
        calm_s=120,
        window_s=600,
        level=Level.HIGH,
        guards=(Guard(scope=Scope(quantity="presence"), settle_s=60),),
        remark_s=600,
        hours=HoursOfDay(begin_min=450, end_min=1080, days=(0, 1)),
        tell=("this desktop",),
        repeat_s=1200,
        escalate_s=3600,
        escalate_to=("a sound",),
        run=RunControl(station="extractor", control="on", at_least_s=900, at_most_s=10_800),
    )
    way = Channel(name="hook", sort=ChannelKind.WEBHOOK, url="https://h/", digest_min=420)
    text = watches_to_toml([watch], [way])
    assert 'at_least = "15 min"' in text
    assert 'digest = "07:00"' in text
    told = watches_from_toml(text)
    assert told.watches == (watch,)
    assert told.ways == (way,)


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("[[watch]", "no TOML"),
        ("format = 9", "newer rook-tally"),
        ("[[fish]]", "not fish"),
        ('[[watch]]\nname = "A"\nfor = "soon"', "no length of time"),
        ('[[watch]]\nname = "A"\nlevel = "awful"', "no level"),
        ('[[watch]]\nname = "A"\nhours = {begin = "25:00"}', "no time of day"),
        ('[[watch]]\nname = "A"\nsort = "odd"', "A: "),
        ('[[watch]]\nname = "A"\nscope = {plaice = "x"}', "there is no plaice"),
    ],
)
def test_a_file_that_cannot_be_meant_says_where(text: str, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        watches_from_toml(text)


def test_alarms_are_shown_acknowledged_and_shelved_by_a_collector(
    collector: CollectorProcess,
) -> None:
    collector.add_station("counter")
    store = open_store(collector.address)
    collector.publish("counter", '{"pm25": 4}')
    wait_until(lambda: bool(collector.latest()))
    _said(store, "watch", "add", "Dust", "pm25", "kiln-room", "--above", "25", "--tell", "a voice")
    assert _said(store, "alarms") == "nothing stands\n"
    collector.publish("counter", '{"pm25": 40}')
    wait_until(lambda: "Dust" in _said(store, "alarms"))
    (row,) = json.loads(_said(store, "alarms", "--json"))
    assert (row["watch"], row["state"], row["value"]) == ("dust", "unacknowledged", 40)
    assert _said(store, "ack", "dust", "--word", "spraying") == "dust: 1 acknowledged\n"
    again = _run(store, "ack", "dust")
    assert (again.returncode, "nothing to acknowledge" in again.stderr) == (2, True)
    assert _said(store, "shelve", "dust", "--for", "2 h") == "dust: 1 shelved\n"
    assert _said(store, "shelve", "dust", "--for", "0 s") == "dust: 1 taken off the shelf\n"
    told = json.loads(_said(store, "journal", "--watch", "dust", "--json"))
    assert {"rang", "acknowledged", "shelved", "unshelved"} <= {one["what"] for one in told}
    assert "spraying" in _said(store, "journal")
    assert _said(store, "watch", "try", "dust") == "dust: rung as a trial\n"
    store.close()
