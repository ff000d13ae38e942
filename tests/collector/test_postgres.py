"""The whole path with a PostgreSQL store, named by its URL."""

from __future__ import annotations

import contextlib
import subprocess
from pathlib import Path

import sqlalchemy as sa

from benchmarks.faults.postgres import cluster
from rook_tally.desk.data.store_feed import News, Picture, StoreUnavailable
from rook_tally.store.base import Store, schema
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import load_site, set_site, tallies, total
from tests.builders import append
from tests.collector.test_mqtt_link import free_port, mosquitto
from tests.desks import Desk, now_us
from tests.processes import CollectorProcess, rook_tally, wait_until


def test_a_reading_goes_in_and_comes_out_again(tmp_path: Path) -> None:
    with cluster() as server:
        url = server.new_database()[1]
        with CollectorProcess(tmp_path / "scratch", store_url=url) as collector:
            collector.add_station("a", kind="climate")
            assert collector.post('{"temp": 21.5}', query="?station=a")[1]["kept"] == 1
            collector.publish("a", '{"rh": 55}')
            wait_until(lambda: len(collector.latest()) == 2)
            exported = rook_tally("--store", url, "export", "--quantity", "temperature").stdout
            assert exported.splitlines()[1].endswith(",a,temp,temperature,21.5,°C,good")
            assert collector.stop() == 0
        assert rook_tally("--store", url, "check").returncode == 0
        refused = rook_tally("--store", url, "backup", str(tmp_path / "copy.db"))
        assert refused.returncode == 1
        assert "use the server's own tools" in refused.stderr


def test_two_collectors_and_two_desks_on_one_store(tmp_path: Path) -> None:
    """What goes in at either collector shows on both desks; sealing moves when its holder dies."""
    with contextlib.ExitStack() as stack:
        url = stack.enter_context(cluster()).new_database()[1]
        first = CollectorProcess(tmp_path / "first", store_url=url)
        second = CollectorProcess(tmp_path / "second", store_url=url)
        stack.callback(first.stop)
        stack.callback(second.stop)
        first.add_station("a", kind="climate")
        stores = [open_store(url), open_store(url)]
        desks = [Desk(store) for store in stores]
        for store, desk in zip(stores, desks, strict=True):
            stack.callback(store.close)
            stack.callback(desk.close)

        def is_shown_everywhere(value: float) -> bool:
            return all(value in desk.values() for desk in desks)

        assert first.post('{"temp": 21.5}', query="?station=a")[1]["kept"] == 1
        wait_until(lambda: is_shown_everywhere(21.5))
        assert second.post('{"temp": 22.5}', query="?station=a")[1]["kept"] == 1
        wait_until(lambda: is_shown_everywhere(22.5))
        second.publish("a", '{"temp": 23.5}')
        wait_until(lambda: is_shown_everywhere(23.5))

        sealer, other = _by_duty(first, second)
        sealer.kill()
        with stores[0].read() as connection:
            (series,) = load_site(connection).series
        long_ago_us = now_us() // 86_400_000_000 * 86_400_000_000 - 5 * 86_400_000_000
        append(stores[0], series, (long_ago_us, 1.0), (long_ago_us + 1, 2.0))
        wait_until(lambda: _pages(stores[0]) == 1)
        assert "sealing_is_ours" in other.log.read_text()
        assert other.post('{"temp": 24.5}', query="?station=a")[1]["kept"] == 1
        wait_until(lambda: is_shown_everywhere(24.5))


def _by_duty(*both: CollectorProcess) -> tuple[CollectorProcess, CollectorProcess]:
    def sealers() -> list[CollectorProcess]:
        return [one for one in both if "sealing_is_ours" in one.log.read_text()]

    wait_until(sealers)
    (sealer,) = sealers()
    (other,) = (one for one in both if one is not sealer)
    return sealer, other


def _pages(store: Store) -> int:
    with store.read() as connection:
        return int(connection.scalar(sa.select(sa.func.count()).select_from(schema.page)) or 0)


def test_a_desk_outlives_its_server(tmp_path: Path) -> None:
    """The server goes and comes back: the desk says so both times, and sees what came after."""
    with cluster() as server:
        store = open_store(server.new_database()[1])
        desk = Desk(store)
        wait_until(lambda: any(isinstance(one, Picture) for one in desk.news))
        server.stop()
        wait_until(lambda: any(isinstance(one, StoreUnavailable) and one.text for one in desk.news))
        server.start()
        wait_until(lambda: StoreUnavailable("") in desk.news)
        with contextlib.closing(open_store(store.address)) as again, again.write() as connection:
            set_site(connection, name="Back", zone="UTC")
        wait_until(lambda: _has_name(desk.news, "Back"))
        desk.close()
        store.close()


def _has_name(news: list[News], name: str) -> bool:
    return any(isinstance(one, Picture) and one.site.name == name for one in news)


def test_one_of_two_collectors_takes_in_what_a_broker_brings(tmp_path: Path) -> None:
    """The other stands by, and goes on where that one was when it dies."""
    with contextlib.ExitStack() as stack:
        url = stack.enter_context(cluster()).new_database()[1]
        port = free_port()
        stack.enter_context(mosquitto(port, tmp_path / "broker"))
        broker = f"mqtt://127.0.0.1:{port}"
        first = CollectorProcess(tmp_path / "first", store_url=url, broker=broker)
        second = CollectorProcess(tmp_path / "second", store_url=url, broker=broker)
        stack.callback(first.stop)
        stack.callback(second.stop)
        first.add_station("a", kind="climate")

        def publish(numbers: range) -> None:
            lines = "".join(f'{{"temp": 20.5, "time": {1_790_000_000 + at}}}\n' for at in numbers)
            subprocess.run(
                ["mosquitto_pub", "-p", str(port), "-q", "1", "-t", "rook/a/readings", "-l"],
                input=lines,
                text=True,
                check=True,
                timeout=60,
            )

        def kept() -> tuple[int, int]:
            with open_store(url) as store, store.read() as connection:
                whole = total(tallies(connection))
            return whole.kept, whole.duplicate

        publish(range(200))
        # Each message reached one of the two: nothing came twice.
        wait_until(lambda: kept() == (200, 0))
        first.kill()
        publish(range(200, 300))
        wait_until(lambda: kept()[0] == 300)
