"""The process that `tests/started.py` begins: it imports the program and forks for each command."""

from __future__ import annotations

import atexit
import gc
import importlib
import os
import select
import socket
import sys
import threading
import time
import traceback
from collections.abc import Callable

import msgspec

from rook_tally.cli import main
from tests.started import Order

# What commands and collectors load late. Nothing of Qt: a window is always a process of its own.
_LOADED = (
    "rook_tally.cli.app_care",
    "rook_tally.cli.app_doors",
    "rook_tally.cli.app_fields",
    "rook_tally.cli.app_limits",
    "rook_tally.cli.app_places",
    "rook_tally.cli.app_plans",
    "rook_tally.cli.app_site",
    "rook_tally.cli.app_stations",
    "rook_tally.cli.app_wall",
    "rook_tally.cli.app_watches",
    "rook_tally.cli.app_workings",
    "rook_tally.cli.site_file",
    "rook_tally.cli.places",
    "rook_tally.cli.fields",
    "rook_tally.cli.limits",
    "rook_tally.cli.plans",
    "rook_tally.cli.wall",
    "rook_tally.cli.collect",
    "rook_tally.cli.export",
    "rook_tally.cli.latest",
    "rook_tally.cli.station",
    "rook_tally.cli.strays",
    "rook_tally.cli.watches",
    "rook_tally.cli.workings",
    "rook_tally.cli.add_doors",
    "rook_tally.cli.doors",
    "rook_tally.collector.run",
    "rook_tally.intake.files.csv_table",
    "rook_tally.cli.import_file",
    "rook_tally.store.maintenance.upgrade",
)


def _wanted(ours: socket.socket) -> list[str]:
    """Serve until told to end; returns in a forked process, with the command's words."""
    # By a descriptor of the process: where its exit code is wanted.
    at_work: dict[int, tuple[int, int]] = {}
    while True:
        for ready in select.select([ours.fileno(), *at_work], [], [])[0]:
            if ready != ours.fileno():
                pid, tell = at_work.pop(ready)
                code = os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1])
                os.write(tell, str(code).encode())
                os.close(tell)
                os.close(ready)
                continue
            length, files, _, _ = socket.recv_fds(ours, 4, 3)
            if not length:
                os._exit(0)
            body = b""
            while len(body) < int.from_bytes(length):
                body += ours.recv(65536)
            pid = os.fork()
            if not pid:
                for one, (_, tell) in at_work.items():
                    os.close(one)
                    os.close(tell)
                ours.close()
                return _become(msgspec.json.decode(body, type=Order), *files)
            os.close(files[0])
            os.close(files[1])
            at_work[os.pidfd_open(pid)] = pid, files[2]
            ours.sendall(pid.to_bytes(4))


def _become(order: Order, stdout: int, stderr: int, tell: int) -> list[str]:
    os.dup2(stdout, 1)
    os.dup2(stderr, 2)
    for one in (stdout, stderr, tell):
        if one > 2:
            os.close(one)
    os.environ.clear()
    os.environ.update(order.environment)
    time.tzset()
    os.chdir(order.folder)
    return ["rook-tally", *order.words]


def _code_of(program: Callable[[], None]) -> int:
    """Run the program; its exit code as the interpreter would have it."""
    try:
        program()
    except SystemExit as end:
        if end.code is None or isinstance(end.code, int):
            return end.code or 0
        sys.stderr.write(f"{end.code}\n")
        return 1
    except BaseException:  # noqa: BLE001 told as the interpreter tells it
        traceback.print_exc()
        return 1
    return 0


def _end(code: int) -> None:
    """End as the interpreter does, but for taking a thousand modules apart, which takes twice as
    long as most commands: threads are waited for, and what was registered for the end is done."""
    threading._shutdown()  # type: ignore[attr-defined]
    atexit._run_exitfuncs()
    for stream in (sys.stdout, sys.stderr):
        if stream is not None:
            try:
                stream.flush()
            except OSError:
                code = code or 120
    os._exit(code)


if __name__ == "__main__":
    for name in _LOADED:
        importlib.import_module(name)
    gc.collect()
    gc.freeze()
    sys.argv = _wanted(socket.socket(fileno=int(sys.argv[1])))
    _end(_code_of(main))
