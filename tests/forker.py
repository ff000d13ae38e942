"""The process that `tests/started.py` begins: it imports the program and forks for each command."""

from __future__ import annotations

import gc
import importlib
import os
import select
import socket
import sys
import time

import msgspec

from rook_tally.cli import main
from tests.started import Order

# What commands and collectors load late. Nothing of Qt: a window is always a process of its own.
_LOADED = (
    "rook_tally.cli.collect",
    "rook_tally.cli.export",
    "rook_tally.cli.latest",
    "rook_tally.cli.station",
    "rook_tally.cli.strays",
    "rook_tally.cli.watches",
    "rook_tally.cli.workings",
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


if __name__ == "__main__":
    for name in _LOADED:
        importlib.import_module(name)
    gc.collect()
    gc.freeze()
    sys.argv = _wanted(socket.socket(fileno=int(sys.argv[1])))
    main()
