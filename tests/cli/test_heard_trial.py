"""Doors that hear are tried by command: what comes is shown, and nothing is taken in."""

from __future__ import annotations

import os
import pty
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from rook_tally.core.door_settings import TopicSetting
from rook_tally.core.in_reach import Reachable, ReachSort
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site.in_reach import put_in_reach
from tests.builders import add_room_air
from tests.processes import rook_tally

HALF = "time,temperature (°C),humidity\n2026-11-02T10:00:00Z,21.5,43\n2026-11-02T10:05:00Z,cold,"


@pytest.fixture
def site(store_path: Path) -> Iterator[Store]:
    """A store with a station `logger`."""
    with open_store(str(store_path)) as store:
        add_room_air(store, "logger")
        yield store


def tried(store_path: Path, *words: str) -> tuple[int, str, str]:
    """Exit code and both outputs of a trial; no door is set up by it."""
    done = rook_tally("--store", str(store_path), "door", "add", *words, "--try")
    assert rook_tally("--store", str(store_path), "door", "list").stdout.count("\n") == 0
    return done.returncode, done.stdout, done.stderr


def test_a_folder_shows_what_its_newest_file_would_bring(
    site: Store, store_path: Path, tmp_path: Path
) -> None:
    folder = tmp_path / "exports"
    words = ("folder", str(folder), "--station", "logger")
    assert "is no folder" in tried(store_path, *words)[2]
    folder.mkdir()
    assert "no CSV file is in" in tried(store_path, *words)[2]
    (folder / "week.csv").write_text(HALF)
    code, out, said = tried(store_path, *words)
    assert code == 0
    assert out == (
        "week.csv\n    temperature (°C) = 21.5 °C, 1 in all  is read\n"
        "    humidity = 43 %, 1 in all  is read\n"
    )
    assert "line 3: " in said
    assert [one.name for one in folder.iterdir()] == ["week.csv"]
    (folder / "next.csv").write_text("a,b\n1,2\n")
    os.utime(folder / "week.csv", (0, 0))
    code, out, said = tried(store_path, *words)
    assert code != 0
    assert "what" in said
    assert out == ""


def test_coap_says_who_reaches_it_or_who_has_its_port(store_path: Path) -> None:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
        code, _, said = tried(store_path, "coap", "--listen", f"127.0.0.1:{port}")
        assert code != 0
        assert "cannot be opened: Address already in use" in said
    code, out, _ = tried(store_path, "coap", "--listen", f"127.0.0.1:{port}")
    assert code == 0
    assert f"stations send to = coap://127.0.0.1:{port}/v1/readings" in out
    assert "it answers for = /v1/readings" in out
    code, out, _ = tried(store_path, "coap", "--listen", f"0.0.0.0:{port}")
    assert "protected by OSCORE" in out
    assert "cannot be opened" in tried(store_path, "coap", "--listen", "203.0.113.9:5683")[2]


def test_topics_that_were_heard_are_held_against_a_pattern(site: Store) -> None:
    from rook_tally.cli.door_trial import try_door

    pattern = TopicSetting("plant/{station}/{field}")
    assert "was heard yet" in try_door(site, pattern).why
    with site.write() as connection:
        put_in_reach(
            connection,
            [
                Reachable(ReachSort.TOPIC, "hall/lamp", "on"),
                Reachable(ReachSort.TOPIC, "plant/bed-3/moisture", "41.2"),
            ],
        )
    trial = try_door(site, pattern)
    assert trial.why == ""
    assert [(one.name, one.value, one.is_read) for one in trial.values] == [
        ("plant/bed-3/moisture", "station bed-3, field moisture: 41.2", True),
        ("hall/lamp", "on", False),
    ]
    assert "fits none" in try_door(site, TopicSetting("yard/{station}")).why


@contextmanager
def talking(line: bytes) -> Iterator[str]:
    """A serial port on which somebody says a line again and again."""
    ours, theirs = pty.openpty()
    done = threading.Event()

    def talk() -> None:
        while not done.wait(0.1):
            os.write(ours, line)

    speaker = threading.Thread(target=talk, daemon=True)
    speaker.start()
    yield os.ttyname(theirs)
    done.set()
    speaker.join()
    os.close(ours)
    os.close(theirs)


def test_a_port_that_was_never_opened_is_listened_to(store_path: Path) -> None:
    with talking(b"Temp> 21.5 Hum> 43\r\n") as port:
        code, out, said = tried(
            store_path, "serial", port, "--station", "bench", "--pattern", "auto"
        )
    assert code == 0, said
    assert "(?P<temp>" in out
    assert "temp = 21.5" in out
    gone = tried(store_path, "serial", port, "--station", "bench")
    assert gone[0] != 0
    assert port in gone[2]
