"""A collector that serves sheets, and what a device does with them."""

from __future__ import annotations

import socket
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from rook_tally import clock
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import PageSetting, add_page_device, collectors, save_sheet, set_page
from tests.processes import CollectorProcess, wait_until
from tests.wall.studio import Studio, pane, sheet_of


def now_us() -> int:
    return clock.now_us()


class Pages:
    """The studio with two sheets, its collector serving them at a free port."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.store: Store = open_store(path)
        self.studio = Studio(self.store)
        self.port = 0
        with self.store.write() as connection:
            save_sheet(
                connection,
                sheet_of(
                    pane(PaneKind.FIGURE, "pm25@glaze-booth"),
                    pane(PaneKind.RIBBON, "pm25@glaze-booth", "pm25@yard"),
                    pane(PaneKind.DIAL, "pm25@yard"),
                    pane(PaneKind.DAY, "pm25@yard"),
                    pane(PaneKind.COLUMNS, "temperature@everywhere/*"),
                    pane(PaneKind.LAMPS, "switch@glaze-booth", "@yard-post"),
                    pane(PaneKind.STANDING),
                    pane(PaneKind.TABLE, "pm25@everywhere/*"),
                    pane(PaneKind.WORDS, text="Dust <b>{pm25@glaze-booth}</b> & more"),
                    pane(PaneKind.FIGURE, "moon@yard"),
                ),
            )
            save_sheet(connection, sheet_of(pane(PaneKind.STANDING), slug="rings", name="Rings"))
        self.collector = CollectorProcess(path)

    def switch_on(self) -> None:
        """Serve the pages where there is room, and where they were before."""
        with self.store.write() as connection:
            set_page(connection, PageSetting(is_on=True, host="127.0.0.1", port=self.port))
        self.until_served()

    def until_served(self) -> None:
        def served() -> bool:
            with self.store.read() as connection:
                for one in collectors(connection, now_us=now_us()):
                    for door in one.doors:
                        if door.name == "page" and door.state.value == "open":
                            self.port = int(door.address.rpartition(":")[2])
                            return self._is_answered()
            return False

        wait_until(served)

    def _is_answered(self) -> bool:
        """True if something listens: for a moment the store still says that a door is open which
        has just been closed."""
        try:
            socket.create_connection(("127.0.0.1", self.port), timeout=5).close()
        except OSError:
            return False
        return True

    def restart_collector(self) -> None:
        self.collector.stop()
        self.collector = CollectorProcess(self.path)
        self.until_served()

    def link(self, device: str = "phone") -> str:
        with self.store.write() as connection:
            key = add_page_device(connection, device, now_us=now_us())
        return f"/link/{key}"

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def told(self, station: str, field: str, value: float) -> None:
        """A reading that a station sends now."""
        status, answer = self.collector.post(f'{{"{field}": {value}}}', query=f"?station={station}")
        assert (status, answer["kept"]) == (200, 1)

    def got(self, path: str, *words: str) -> tuple[int, dict[str, str], str]:
        """Status, headers and body of what curl gets."""
        done = subprocess.run(
            ["curl", "-sS", "-i", "--max-time", "20", *words, f"{self.address}{path}"],
            capture_output=True,
            text=True,
            errors="replace",
            timeout=30,
            check=True,
        )
        head, _, body = done.stdout.replace("\r\n", "\n").partition("\n\n")
        lines = head.splitlines()
        headers = {
            name.strip().lower(): value.strip()
            for name, _, value in (line.partition(":") for line in lines[1:])
        }
        return int(lines[0].split()[1]), headers, body

    def close(self) -> None:
        self.collector.stop()
        self.store.close()


@pytest.fixture
def pages(store_path: Path) -> Iterator[Pages]:
    made = Pages(store_path)
    made.switch_on()
    yield made
    made.close()


@pytest.fixture(scope="module")
def shared_pages(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Pages]:
    """One for the tests of a module that leave it as it was."""
    made = Pages(tmp_path_factory.mktemp("pages") / "site.db")
    made.switch_on()
    yield made
    made.close()
