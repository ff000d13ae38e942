"""Faults of one machine: killed, out of power, out of room, out of time, asleep, frozen."""

from __future__ import annotations

import errno
import json
import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

from benchmarks.faults.senders import (
    FolderSender,
    HttpSender,
    ImportSender,
    MqttSender,
    SerialSender,
)
from benchmarks.faults.shim import Shim
from benchmarks.faults.waiting import repeat_until, wait_s
from benchmarks.faults.world import Row, World
from rook_tally.core.errors import StoreError
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.copies import back_up
from rook_tally.store.site.door_settings import FolderSetting, add_door

_DAY_S, _SLEPT_S = 86_400.0, 7200.0
_FROZEN_S, _WRONG_S, _SOAK_WITHIN_S = 60.0, 20.0, 900.0


def killed(folder: Path, rounds: int) -> Row:
    """SIGKILL at random moments, over HTTP, MQTT, serial, watched folder and import at once."""
    inbox = folder / "inbox"
    inbox.mkdir(parents=True, exist_ok=True)
    chance = random.Random(9)
    with World(folder / "site") as world:
        store = open_store(world.where)
        with store.write() as connection:
            add_door(connection, FolderSetting(str(inbox), "folder"))
        store.close()
        serial, files = SerialSender(), FolderSender(inbox)
        words = ("--serial", f"{serial.path}=serial")
        world.start(words=words)
        imports = ImportSender(folder, world.where)
        world.send_usual()
        world.send(serial, files, imports)
        for _ in range(rounds):
            wait_s(chance.uniform(0.05, 1.2))
            world.kill()
            world.start(words=words)
        files.enough.set()
        files.join()
        repeat_until(files.look, 60.0)
        return world.row(
            "killed",
            rounds,
            note=f"{serial.sent} lines written as well, {imports.killed} imports killed",
        )


def power_cut(folder: Path, rounds: int) -> Row:
    """The power goes: of what was not synced, any sectors are lost. Over HTTP alone: what a broker
    holds unsaved for five seconds is told in docs/wire.md."""
    folder.mkdir(parents=True, exist_ok=True)
    chance = random.Random(11)
    shim = Shim(folder, folder / "site", knows_synced=True)
    lost = 0
    with World(folder / "site", environment=shim.environment) as world:
        # What was written before anybody looked is on disk.
        (folder / "synced" / "site.db").write_bytes(Path(world.where).read_bytes())
        world.start(broker="off")
        world.send(HttpSender(world.collector.http))
        for _ in range(rounds):
            wait_s(chance.uniform(0.05, 1.0))
            world.kill()
            lost += shim.cut_power(Path(world.where), chance)
            world.start(broker="off")
        row = world.row("power cut", rounds, note=f"{lost} sectors that were not synced lost")
    shim.close()
    return row


def full_disk(folder: Path, rounds: int) -> Row:
    """No room for any write: readings, an import, a copy, a setting, sealing."""
    return _unwritable(folder, "disk full", errno.ENOSPC, rounds)


def read_only(folder: Path, rounds: int) -> Row:
    """The disk becomes read-only under a running collector."""
    return _unwritable(folder, "read-only disk", errno.EROFS, rounds)


def _unwritable(folder: Path, fault: str, error: int, rounds: int) -> Row:
    folder.mkdir(parents=True, exist_ok=True)
    shim = Shim(folder, folder / "site")
    # Our own broker's files stand in the same folder; somebody else's is what people have then.
    with World(folder / "site", environment=shim.environment) as world:
        world.start(broker="off")
        poster = HttpSender(world.collector.http)
        world.send(poster)
        refused = 0
        for at in range(rounds):
            world.sent(20)
            before = poster.refused
            shim.fail_writes(error)
            if not repeat_until(partial(poster.was_refused, before + 5), 30.0):
                world.wrong.append("senders were not refused")
            if world.health(world.collector) == "ok":
                world.wrong.append("health says ok while nothing can be written")
            refused += poster.refused - before
            if not at:
                _check_commands(world, folder, works=False)
            shim.fail_writes(0)
            if not world.sent(20):
                world.wrong.append("nothing is taken once there is room again")
        _check_commands(world, folder, works=True)
        row = world.row(fault, rounds, note=f"{refused} refused, to be sent again")
    shim.close()
    return row


def _check_commands(world: World, folder: Path, *, works: bool) -> None:
    """An import, a copy and a setting: done, or refused with one line that says what to do."""
    file = folder / "few.csv"
    file.write_text("time,temperature (°C)\n2026-01-01T00:00:00Z,20\n2026-01-01T00:01:00Z,21\n")
    for words in (
        ("import", str(file), "--station", "import"),
        ("site", "set", "--name", "Quay"),
        ("backup", str(folder / "site" / f"copy-{works}.db")),
    ):
        done = subprocess.run(
            [sys.executable, "-m", "rook_tally", "--store", world.where, *words],
            capture_output=True,
            text=True,
            env=os.environ | world.environment,
            check=False,
        )
        told = done.stderr.strip()
        if (done.returncode == 0) != works or "Traceback" in told or (not works and not told):
            world.wrong.append(f"{words[0]} ended with {done.returncode}: {told[-200:]}")


def wrong_clock(folder: Path, ahead_s: float, told: str) -> Row:
    """A collector is started with a wrong clock, which is set right after a while."""
    folder.mkdir(parents=True, exist_ok=True)
    shim = Shim(folder, folder / "site")
    with World(folder / "site", environment=shim.environment) as world:
        world.start()
        world.send_usual()
        world.sent(100)
        world.kill()
        shim.set_clock(ahead_s)
        world.start()
        wait_s(_WRONG_S)
        shim.set_clock(0.0)
        if not world.sent(100):
            world.wrong.append("nothing is taken once the clock is right")
        row = world.row(f"clock {told}", 1)
    shim.close()
    return row


def suspended(folder: Path) -> Row:
    """The machine sleeps for two hours: all stands, and the clock has moved on when it wakes."""
    folder.mkdir(parents=True, exist_ok=True)
    shim = Shim(folder, folder / "site")
    with World(folder / "site", environment=shim.environment) as world:
        world.start()
        world.send_usual()
        world.sent(100)
        os.kill(world.collector.process.pid, signal.SIGSTOP)
        wait_s(2.0)
        shim.set_clock(_SLEPT_S)
        for one in world.senders:
            one.ahead_s = _SLEPT_S
        os.kill(world.collector.process.pid, signal.SIGCONT)
        if not world.sent(100):
            world.wrong.append("nothing is taken after it woke")
        row = world.row("suspended for two hours", 1)
    shim.close()
    return row


def frozen_holder(folder: Path, where: str = "", fault: str = "frozen holder, SQLite") -> Row:
    """Of two collectors the one with the duties is frozen, and goes on a minute later."""
    with World(folder / "site", where) as world:
        first = world.start(broker="off")
        if not repeat_until(lambda: _holder(world) == first.process.pid, 30.0):
            world.wrong.append("the first collector does not hold its duties")
        second = world.start(broker="off")
        world.send(HttpSender(second.http))
        os.kill(first.process.pid, signal.SIGSTOP)
        taken_over = repeat_until(lambda: _holder(world) == second.process.pid, _FROZEN_S)
        if not taken_over:
            world.wrong.append("nobody took the frozen one's duties over")
        world.sent(100)
        os.kill(first.process.pid, signal.SIGCONT)
        wait_s(10.0)
        if _holder(world) != second.process.pid:
            world.wrong.append("the frozen one took its duties back")
        world.check_health(first)
        return world.row(fault, 1)


def _holder(world: World) -> int:
    """The process that holds sealing."""
    store = open_store(world.where)
    try:
        with store.read() as connection:
            found = connection.exec_driver_sql("SELECT pid FROM duty WHERE number = 1").scalar()
    except StoreError:
        return 0
    finally:
        store.close()
    return int(found or 0)


def broker_restarted(folder: Path, rounds: int) -> Row:
    """Our broker is ended in an orderly way, and begun again by its collector."""
    return _broker_gone(folder, "broker ended", signal.SIGTERM, rounds, lost_s=0.0)


def broker_killed(folder: Path, rounds: int) -> Row:
    """Our broker is killed. What it had acknowledged within five seconds before may be lost, as
    docs/wire.md says; nothing else is."""
    return _broker_gone(folder, "broker killed", signal.SIGKILL, rounds, lost_s=6.0)


def _broker_gone(folder: Path, fault: str, number: int, rounds: int, *, lost_s: float) -> Row:
    with World(folder / "site") as world:
        world.start()
        world.send_usual()
        (publisher,) = (one for one in world.senders if isinstance(one, MqttSender))
        forgiven: set[int] = set()
        for _ in range(rounds):
            world.sent(100)
            at_s = time.monotonic()
            os.kill(_broker_pid(Path(world.where)), number)
            wait_s(1.0)
            forgiven |= {
                one
                for one, told_s in dict(publisher.promised).items()
                if at_s - lost_s <= told_s <= at_s + 0.2 and lost_s
            }
        if not world.sent(100):
            world.wrong.append("nothing is taken once the broker is back")
        kept_of = f"{len(forgiven)} acknowledged within five seconds before may be lost"
        return world.row(fault, rounds, forgiven={"mqtt": forgiven}, note=kept_of if lost_s else "")


def _broker_pid(database: Path) -> int:
    told = json.loads((database.with_suffix(".broker") / "running.json").read_bytes())
    return int(told["pid"])


def soak(folder: Path, readings: int) -> Row:
    """A day of a busy site, as fast as it goes, beside a paused reader: memory, descriptors,
    threads and the log stay."""
    with World(folder / "site") as world:
        world.start()
        assert world.collector.mqtt is not None
        world.send(HttpSender(world.collector.http, 0.0), MqttSender(world.collector.mqtt, 0.0))
        pid = world.collector.process.pid
        first = partial(world.has_been_promised, readings // 3)
        repeat_until(first, _SOAK_WITHIN_S)
        # Somebody who looks at an export page by page, and went away: nobody reads on.
        paused = subprocess.Popen(
            [sys.executable, "-m", "rook_tally", "--store", world.where, "export"],
            stdout=subprocess.PIPE,
        )
        before = _measured(pid, Path(world.where))
        copy = folder / "copy.db"
        store = open_store(world.where)
        back_up(store, copy, progress=lambda _share: None)
        store.close()
        if not repeat_until(partial(world.has_been_promised, readings), _SOAK_WITHIN_S):
            world.wrong.append("it took too long")
        after = _measured(pid, Path(world.where))
        if paused.poll() is not None:
            world.wrong.append("the export that nobody reads ended")
        paused.kill()
        paused.communicate()
        for name, most in (("MB", 1.15), ("descriptors", 1.2), ("threads", 1.2)):
            if after[name] > before[name] * most + 2:
                world.wrong.append(f"{name}: {before[name]:.0f}, later {after[name]:.0f}")
        if after["log MB"] > 64:
            world.wrong.append(f"the log of the store grew to {after['log MB']:.0f} MB")
        told = ", ".join(f"{after[one]:.0f} {one} (before {before[one]:.0f})" for one in before)
        return world.row("soak", 1, note=told)


def _measured(pid: int, database: Path) -> dict[str, float]:
    status = Path(f"/proc/{pid}/status").read_text()
    told = dict(line.split(":", 1) for line in status.splitlines() if ":" in line)
    log = Path(f"{database}-wal")
    return {
        "MB": int(told["VmRSS"].split()[0]) / 1024,
        "descriptors": float(len(list(Path(f"/proc/{pid}/fd").iterdir()))),
        "threads": float(told["Threads"]),
        "log MB": log.stat().st_size / 1e6 if log.exists() else 0.0,
    }


def machine_rows(folder: Path) -> dict[str, Callable[[], Row]]:
    """The faults of one machine, by what they are called."""
    return {
        "killed": lambda: killed(folder / "killed", 200),
        "power": lambda: power_cut(folder / "power", 40),
        "full": lambda: full_disk(folder / "full", 10),
        "read-only": lambda: read_only(folder / "read-only", 10),
        "clock-back": lambda: wrong_clock(folder / "back", -_DAY_S, "a day back"),
        "clock-ahead": lambda: wrong_clock(folder / "ahead", 365 * _DAY_S, "a year ahead"),
        "clock-1970": lambda: wrong_clock(folder / "1970", 60.0 - time.time(), "at 1970"),
        "suspended": lambda: suspended(folder / "suspended"),
        "frozen": lambda: frozen_holder(folder / "frozen"),
        "broker-ended": lambda: broker_restarted(folder / "ended", 10),
        "broker-killed": lambda: broker_killed(folder / "broker-killed", 10),
        "soak": lambda: soak(folder / "soak", 600_000),
    }
