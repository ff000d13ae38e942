"""Hostile messages: whatever they are, time and memory stay bounded, and their neighbours are kept.

Each comes with an ordinary reading in the same batch, on both engines.
"""

from __future__ import annotations

import asyncio
import json
import tracemalloc

import cbor2
import pytest
import sqlalchemy as sa

from rook_tally.core.errors import DecodeError
from rook_tally.core.quantities.kinds import KINDS, PLAIN
from rook_tally.intake.bounds import LARGEST_MESSAGE, LONGEST_NAME, MOST_CLAIMED, MOST_TOLD
from rook_tally.intake.decode import decoded
from rook_tally.intake.message import BodyFormat, IntakeResult, Message, Problem
from rook_tally.intake.pipeline.commit_queue import CommitQueue
from rook_tally.intake.take_in import stray_senders, take_in_again
from rook_tally.store.base import Store, schema
from rook_tally.store.readings import latest, seal_all
from rook_tally.store.site import (
    Stray,
    add_station,
    newest_messages,
    newest_strays,
    prune_strays,
    save_strays,
)
from rook_tally.store.site.station_attributes import station_words
from rook_tally.store.site.unassigned_messages import MOST_WRONG_KEYS, WRONG_KEY_WHY
from tests.builders import NOON_US, append, begin_series

DAY_US = 86_400_000_000
LONG = "x" * 400_000


def _shared(levels: int) -> bytes:
    """CBOR that refers back to itself: ten times as much with every level."""
    parts = [b"\xd8\x1c\x8a" + b"\x61a" * 10]
    parts += [b"\xd8\x1c\x8a" + (b"\xd8\x1d" + bytes([at])) * 10 for at in range(levels - 1)]
    return b"\x81\xa2\x00" + bytes([0x80 + len(parts)]) + b"".join(parts) + b"\x02\x61x"


def _json(value: object) -> bytes:
    return json.dumps(value, separators=(",", ":")).encode()


def _nested(depth: int) -> object:
    value: object = 1
    for _ in range(depth):
        value = {"a": value}
    return value


POISON: dict[str, tuple[bytes, BodyFormat | None]] = {
    "NUL in a name": (b'{"te\\u0000mp": 1}', None),
    "a lone surrogate": (b'{"\\ud800": 1, "temp": "\\udfff"}', None),
    "a bignum for a version": (b"\x81\xa1\x20\xc2\x59\x08\x00" + b"\xff" * 2048, None),
    "a bignum for a value": (b"\x81\xa2\x00\x61t\x02\xc2\x59\x08\x00" + b"\xff" * 2048, None),
    "shared references": (_shared(6), None),
    "a cycle": (b"\x81\xa1\x00\xd8\x1c\x81\xd8\x1d\x00", None),
    "a decimal without end": (b"\x81\xa2\x00\x61t\x02\xc4\x82\x1a\x3b\x9a\xca\x00\x01", None),
    "CBOR nested deeply": (b"\x81" * 100_000, None),
    "labels that are lists": (b"\x81\xa1\x82\x01\x02\x03", None),
    "a name of 400 kB": (_json({LONG: 1}), None),
    "a station of 400 kB": (_json({"station": LONG, "temperature": 1}), None),
    "a unit of 400 kB": (
        _json([{"n": "t", "u": LONG, "v": 1, "bt": 1.7e9}]),
        BodyFormat.SENML_JSON,
    ),
    "names within a long name": (_json({LONG[:20_000]: {f"a{n}": 1 for n in range(2_000)}}), None),
    "a long base name": (
        _json([{"bn": LONG[:20_000] + "/", "n": "a", "v": 1}, *[{"n": "a", "v": 1}] * 2_000]),
        BodyFormat.SENML_JSON,
    ),
    "a long column": ((("A" * 20_000) + "\n" + "x\n" * 10_000).encode(), BodyFormat.CSV),
    "many columns": (("a" + ",a" * 50_000 + "\n").encode() * 2, BodyFormat.CSV),
    "nothing but refusals": (_json({f"f{n}": "no" for n in range(50_000)}), None),
    "a thousand stations": (
        _json([{"station": f"s{n}", "temperature": 1} for n in range(1_000)]),
        None,
    ),
    "JSON nested deeply": (_json(_nested(40)), None),
    "brackets": (b"[" * 500_000, None),
    "one word": (b"x" * LARGEST_MESSAGE, None),
    "one word of pairs": (b"a=1 " + b"x" * 500_000, None),
    "quotes": (b'a="' * 100_000, None),
    "digits": (b'{"a": ' + b"9" * 5_000 + b"}", None),
    "headers in Latin-1": ("temp;f\xfcllstand\n1;2\n".encode("latin-1"), BodyFormat.CSV),
    "too large": (b"{" + b" " * LARGEST_MESSAGE, None),
    "a time past all years": (_json({"time": "9999-12-31T23:59:59-12:00", "temperature": 1}), None),
    "controls of nobody": (_json({f"controls.c{n}": 1 for n in range(5_000)}), None),
}


@pytest.mark.parametrize("name", POISON)
def test_decoding_takes_little_memory(name: str) -> None:
    body, form = POISON[name]
    tracemalloc.start()
    try:
        decoded(Message("http", "x", body, NOON_US, form))
    except DecodeError as error:
        assert len(str(error)) < 1_000
    finally:
        peak = tracemalloc.get_traced_memory()[1]
        tracemalloc.stop()
    # Ordinary messages take up to twenty times their size as values; small ones are not counted.
    assert peak < 30 * len(body) + 2_000_000


async def _taken(store: Store, *messages: Message) -> list[IntakeResult]:
    commits = CommitQueue(store)
    answers = await asyncio.gather(*map(commits.take, messages))
    await commits.close()
    return list(answers)


async def test_neighbours_are_kept_and_what_was_kept_of_poison_is_safe(store: Store) -> None:
    with store.write() as connection:
        add_station(connection, "a", place="Yard", kind=PLAIN)
    good = [
        Message("http", "x", _json({"temperature": 20 + at}), NOON_US + at * 1_000_000, station="a")
        for at in range(len(POISON))
    ]
    bad = [
        Message("http", "x" * 70_000, body, NOON_US, form, station="a")
        for body, form in POISON.values()
    ]
    answers = await _taken(store, *(one for pair in zip(good, bad, strict=True) for one in pair))
    assert all(one.kept == 1 for one in answers[::2])
    for name, answer in zip(POISON, answers[1::2], strict=True):
        assert len(answer.refused) <= MOST_TOLD + 1, name
        assert len(answer.strays) <= (MOST_TOLD + 1) * (MOST_CLAIMED + 1), name
    with store.read() as connection:
        assert len(station_words(connection)) == 0
        for line in newest_messages(connection):
            assert len(line.body) <= 2_000
            assert len(line.why) <= LONGEST_NAME + 100
        strays = newest_strays(connection)
        assert all(len(one.address) <= 300 and len(one.why) <= 300 for one in strays)
        assert sum(len(one.body) for one in strays) < 6 * LARGEST_MESSAGE
        # Looking at them, and taking them in again, is as safe.
        stray_senders(connection)
    take_in_again(store, "http", lambda _: True)


async def test_a_wrong_key_that_is_no_text_is_a_wrong_key(store: Store) -> None:
    (answer,) = await _taken(store, Message("http", "x", b"{}", NOON_US, access_key="\udcff"))
    assert answer.problem is Problem.WRONG_KEY


async def test_a_stations_name_that_cannot_be_is_a_stray_of_nobody(store: Store) -> None:
    told = [
        Message("mqtt", f"rook/{name}/readings", b'{"temperature": 1}', NOON_US, station=name)
        for name in ("a\x00b", "\ud800", "x" * 500)
    ]
    answers = await _taken(store, *told)
    assert [one.problem for one in answers] == [Problem.UNREADABLE] * 3
    with store.read() as connection:
        assert [one.station for one in newest_strays(connection)] == [None] * 3


async def test_a_late_reading_into_a_damaged_page_becomes_a_stray_once(store: Store) -> None:
    series = begin_series(store)
    append(store, series, *((NOON_US - 10 * DAY_US + at * 60_000_000, 20.0) for at in range(50)))
    seal_all(store, {series.id: series}, now_us=NOON_US)
    with store.write() as connection:
        connection.execute(sa.update(schema.page_fortnight).values(payload=b"rotten"))
    time_s = (NOON_US - 10 * DAY_US) // 1_000_000 + 7
    late = Message(
        "mqtt",
        "rook/wall/readings",
        b'{"temperature": 22, "time": %d}' % time_s,
        NOON_US,
        station="wall",
    )
    good = [
        Message("http", "x", b'{"temperature": 2%d}' % at, NOON_US + at, station="wall")
        for at in range(5)
    ]
    answers = await _taken(store, *good[:3], late, *good[3:])
    assert [one.kept for one in answers] == [1, 1, 1, 0, 1, 1]
    assert (answers[3].stray, answers[3].problem) == (1, Problem.UNREADABLE)
    with store.read() as connection:
        (stray,) = newest_strays(connection)
        assert stray.body == late.body
        assert latest(connection)[series.id].value == 24.0


def test_wrong_keys_push_no_other_stray_out(store: Store) -> None:
    reasons = ["an honest one", *[WRONG_KEY_WHY] * (MOST_WRONG_KEYS + 50)]
    with store.write() as connection:
        save_strays(
            connection, [Stray(NOON_US, "http", "x", None, None, b"{}", why) for why in reasons]
        )
        assert prune_strays(connection, now_us=NOON_US) == 50
        assert "an honest one" in {one.why for one in newest_strays(connection, 10_000)}


async def test_controls_are_those_of_its_kind(store: Store) -> None:
    with store.write() as connection:
        add_station(connection, "fan", place="Yard", kind=KINDS["switch"])
    control = next(one.name for one in KINDS["switch"].controls)
    body = _json({f"controls.{control}": "on", "controls.other": "on"})
    (answer,) = await _taken(store, Message("http", "x", body, NOON_US, station="fan"))
    assert answer.heard == 1
    assert answer.noted[0].why == "station fan has no control other"


def test_the_largest_message_of_cbor_is_read_as_before() -> None:
    pack = [{-2: "a/", -3: 1.7e9, 0: "t0", 2: 1.5}, *({0: f"t{at}", 2: at} for at in range(999))]
    assert (
        decoded(Message("http", "x", cbor2.dumps(pack), NOON_US, BodyFormat.SENML_CBOR)).count
        == 1000
    )
