"""Faults of a store at a server: it goes, it fails over, the network between goes."""

from __future__ import annotations

import contextlib
import ctypes
import os
import shutil
import socket
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path

from benchmarks.faults.postgres import Cluster, cluster
from benchmarks.faults.rows import frozen_holder
from benchmarks.faults.senders import HttpSender, MqttSender
from benchmarks.faults.waiting import wait_s
from benchmarks.faults.world import Row, World

_GONE_S = 600.0
_PARTED_S = 90.0
_PORT = 47123
# Addresses for examples, which are nobody's; they are told in namespaces of our own alone.
_HERE, _THERE = "192.0.2.1", "192.0.2.2"
_NEAR, _FAR = "rook-near", "rook-far"
_BACK_WITHIN_S, _CAUGHT_UP_S = 30.0, 180.0
_NETWORK = 0x40000000
"""Linux's CLONE_NEWNET."""


def server_gone(folder: Path, gone_s: float) -> Row:
    """Two collectors at one broker; the server is stopped, and comes back much later."""
    with cluster() as server, _broker(folder) as broker:
        world = World(folder / "site", server.new_database()[1])
        with world:
            world.start(broker=f"mqtt://{broker}")
            first = world.collector
            world.start(broker=f"mqtt://{broker}")
            world.send(HttpSender(first.http), MqttSender(broker))
            world.sent(100)
            server.stop()
            wait_s(gone_s)
            for one in world.collectors:
                if world.health(one) == "ok":
                    world.wrong.append("health says ok while the server is gone")
            server.start()
            # What the broker took meanwhile comes in at the same time.
            if not world.sent(100, _CAUGHT_UP_S):
                world.wrong.append("nothing is taken once the server is back")
            world.check_health(first)
            return world.row(f"PostgreSQL gone for {gone_s:.0f} s", 1)


def failed_over(folder: Path) -> Row:
    """The server dies, and its standby, which had to confirm every commit, takes over."""
    with contextlib.ExitStack() as stack:
        first = Cluster()
        url = first.new_database()[1]
        second = Cluster(like=first)
        stack.callback(second.close)
        stack.callback(shutil.rmtree, first.folder, ignore_errors=True)
        with first.connected() as owner:
            owner.execute("ALTER SYSTEM SET synchronous_standby_names = '*'")
            owner.execute("SELECT pg_reload_conf()")
        both = url.partition("?")[0] + f"?host={first.folder}&host={second.folder}"
        world = World(folder / "site", both + "&target_session_attrs=read-write")
        with world:
            world.start(broker="off")
            world.send(HttpSender(world.collector.http))
            world.sent(100)
            first.process.kill()
            first.process.wait()
            wait_s(3.0)
            second.promote()
            if not world.sent(100):
                world.wrong.append("nothing is taken after the standby took over")
            return world.row("PostgreSQL failed over", 1)


def parted(folder: Path) -> Row:
    """The network between a collector and its server drops everything for a while. All of it stands
    in two network namespaces made for this."""
    with contextlib.ExitStack() as stack:
        cut = stack.enter_context(_network())
        stack.enter_context(_inside(_NEAR))
        server = Cluster(addresses=_HERE, port=_PORT)
        stack.callback(server.close)
        name = server.new_database()[1].partition("?")[0].rpartition("/")[2]
        socket_url = f"postgresql://postgres@/{name}?host={server.folder}&port={_PORT}"
        with World(folder / "site", socket_url) as world:
            near = world.start(broker="off")
            with _inside(_FAR):
                far = world.start(
                    broker="off", where=f"postgresql://postgres@{_HERE}:{_PORT}/{name}"
                )
            world.send(HttpSender(near.http))
            world.sent(100)
            cut(is_cut=True)
            wait_s(_PARTED_S)
            if not world.sent(100):
                world.wrong.append("the collector on the server's side was held up")
            cut(is_cut=False)
            wait_s(_BACK_WITHIN_S)
            if far.process.poll() is not None:
                world.wrong.append("the collector beyond the network ended")
            world.collectors.remove(far)
            told = _health_beyond(far.http)
            far.ended()
            if told != "ok":
                world.wrong.append(f"the collector beyond the network is not well: {told}")
            return world.row("network parted", 1)


@contextlib.contextmanager
def _network() -> Iterator[Callable[..., None]]:
    """Two namespaces that reach each other alone, until that is cut."""
    _ip("netns", "add", _NEAR)
    _ip("netns", "add", _FAR)
    try:
        _ip(
            "link",
            "add",
            "rook0",
            "netns",
            _NEAR,
            "type",
            "veth",
            "peer",
            "name",
            "rook1",
            "netns",
            _FAR,
        )
        for name, device, address in ((_NEAR, "rook0", _HERE), (_FAR, "rook1", _THERE)):
            _ip("-n", name, "addr", "add", f"{address}/24", "dev", device)
            _ip("-n", name, "link", "set", device, "up")
            _ip("-n", name, "link", "set", "lo", "up")

        def cut(*, is_cut: bool) -> None:
            _ip("-n", _FAR, "link", "set", "rook1", "down" if is_cut else "up")

        yield cut
    finally:
        _ip("netns", "del", _NEAR)
        _ip("netns", "del", _FAR)


@contextlib.contextmanager
def _inside(name: str) -> Iterator[None]:
    """Move this thread, and what it starts, into a namespace."""
    here = os.open("/proc/thread-self/ns/net", os.O_RDONLY)
    there = os.open(f"/run/netns/{name}", os.O_RDONLY)
    try:
        _enter(there)
        yield
    finally:
        _enter(here)
        os.close(here)
        os.close(there)


def _enter(namespace: int) -> None:
    if ctypes.CDLL(None, use_errno=True).setns(namespace, _NETWORK):
        number = ctypes.get_errno()
        raise OSError(number, os.strerror(number))


def _health_beyond(address: str) -> str:
    done = subprocess.run(
        [
            "ip",
            "netns",
            "exec",
            _FAR,
            "curl",
            "-sS",
            "--max-time",
            "15",
            f"http://{address}/v1/health",
        ],
        capture_output=True,
        text=True,
        check=False,
    )
    return "ok" if '"status":"ok"' in done.stdout else done.stdout + done.stderr


def _ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True, capture_output=True)


@contextlib.contextmanager
def _broker(folder: Path) -> Iterator[str]:
    """Somebody else's broker, which keeps on disk what it holds."""
    folder.mkdir(parents=True, exist_ok=True)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    told = folder / "mosquitto.conf"
    told.write_text(
        f"listener {port} 127.0.0.1\nallow_anonymous true\nmax_queued_messages 0\n"
        + ("user root\n" if os.geteuid() == 0 else "")
    )
    with subprocess.Popen(["mosquitto", "-c", str(told)], stderr=subprocess.DEVNULL) as process:
        wait_s(1.0)
        try:
            yield f"127.0.0.1:{port}"
        finally:
            process.terminate()


def server_rows(folder: Path) -> dict[str, Callable[[], Row]]:
    """The faults of a server, by what they are called."""

    def frozen() -> Row:
        with cluster() as server:
            return frozen_holder(
                folder / "frozen-server", server.new_database()[1], "frozen holder, PostgreSQL"
            )

    return {
        "server-gone": lambda: server_gone(folder / "gone", _GONE_S),
        "failed-over": lambda: failed_over(folder / "over"),
        "parted": lambda: parted(folder / "parted"),
        "frozen-server": frozen,
    }
