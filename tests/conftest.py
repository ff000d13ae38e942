"""Fixtures shared by all tests. Nothing here talks to a network or needs a screen."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import Phase, settings

from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from tests.examples import examples
from tests.processes import CollectorProcess, wait_until

os.environ["QT_QPA_PLATFORM"] = "offscreen"
# A new site is in the zone of its machine.
os.environ["TZ"] = "UTC"

# The machine may be busy: no example is judged by its time. On CI the examples are the same every
# time, so that a change is judged and not its luck; everywhere else they are new at every run.
# What fails is shrunk and not explained as well: for a whole site that takes minutes.
_PHASES = [one for one in Phase if one is not Phase.explain]
settings.register_profile("here", deadline=None, max_examples=examples(), phases=_PHASES)
settings.register_profile("ci", settings.get_profile("here"), derandomize=True)
settings.load_profile("ci" if os.environ.get("CI") else "here")


@pytest.fixture(autouse=True)
def clean_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Every test has folders of its own where people keep data and state."""
    for name in ("DATA", "STATE", "CONFIG", "CACHE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(tmp_path / "home" / name.lower()))


@pytest.fixture
def store_path(tmp_path: Path) -> Path:
    return tmp_path / "site.db"


@pytest.fixture(scope="session")
def empty_store(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """An empty store to copy: making one takes ten times as long."""
    path = tmp_path_factory.mktemp("empty") / "site.db"
    open_store(path).close()
    return path


def _begin(store_path: Path, empty_store: Path) -> None:
    """An empty store at a path, unless another fixture has made one there: a collector that has it
    open must not have it written over."""
    if not store_path.exists():
        shutil.copyfile(empty_store, store_path)


@pytest.fixture
def store(store_path: Path, empty_store: Path) -> Iterator[Store]:
    _begin(store_path, empty_store)
    opened = open_store(store_path)
    yield opened
    opened.close()


@pytest.fixture
def collector(store_path: Path, empty_store: Path) -> Iterator[CollectorProcess]:
    """A real collector with both doors open, its broker a real Mosquitto."""
    _begin(store_path, empty_store)
    with CollectorProcess(store_path) as process:
        yield process


@pytest.fixture(scope="module")
def shared_collector(tmp_path_factory: pytest.TempPathFactory) -> Iterator[CollectorProcess]:
    """One collector for the tests of a module that only ask and keep little."""
    path = tmp_path_factory.mktemp("shared") / "site.db"
    with CollectorProcess(path) as process:
        process.add_station("a")
        yield process


def _is_listened_to(path: Path) -> bool:
    with socket.socket(socket.AF_UNIX) as asked:
        return path.exists() and asked.connect_ex(str(path)) == 0


@pytest.fixture
def session_bus(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """A session bus of this test's own, on which it may put the desktop's services."""
    address = f"unix:path={tmp_path}/bus"
    command = ["dbus-daemon", "--session", "--nofork", "--nopidfile", f"--address={address}"]
    process = subprocess.Popen(command)
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", address)
    # Its socket is there a moment before it is listened to.
    wait_until(lambda: _is_listened_to(tmp_path / "bus"))
    yield
    process.terminate()
    process.wait()


_PROCESSES = frozenset({"CollectorProcess", "rook_tally", "mosquitto", "started"})


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Mark what a test costs: `scripts/check --quick` leaves out windows and processes."""
    for item in items:
        if not isinstance(item, pytest.Function):
            continue
        fixtures = set(item.fixturenames)
        if "qtbot" in fixtures:
            item.add_marker("window")
        server = "[postgresql" in item.name or "postgres" in fixtures
        if server or _PROCESSES & set(vars(item.module)) or "collector" in fixtures:
            item.add_marker("real_process")
