"""Processes whose clock can be set, whose writes can fail and whose power can go: `shim.c`."""

from __future__ import annotations

import mmap
import random
import shutil
import struct
import subprocess
from pathlib import Path

from rook_tally.core.errors import RookTallyError

_SECTOR = 512
_SIZE = 16


class Shim:
    """Built into a folder, for processes that work in `site`.

    `environment` is what such a process is to be started with.
    """

    def __init__(self, folder: Path, site: Path, *, knows_synced: bool = False) -> None:
        compiler = shutil.which("cc") or shutil.which("gcc")
        if compiler is None:
            raise RookTallyError("there is no C compiler", remedy="apt-get install gcc libc6-dev")
        library, control = folder / "shim.so", folder / "control"
        subprocess.run(
            [
                compiler,
                "-O2",
                "-shared",
                "-fPIC",
                "-o",
                library,
                Path(__file__).with_name("shim.c"),
                "-ldl",
                "-pthread",
            ],
            check=True,
        )
        control.write_bytes(bytes(_SIZE))
        self._file = control.open("r+b")
        self._control = mmap.mmap(self._file.fileno(), _SIZE)
        self._site, self._synced = site, folder / "synced"
        self.environment = {
            "LD_PRELOAD": str(library),
            "ROOK_FAULTS_CONTROL": str(control),
            "ROOK_FAULTS_FOLDER": str(site.resolve()),
        }
        if knows_synced:
            self._synced.mkdir()
            self.environment["ROOK_FAULTS_SYNCED"] = str(self._synced)

    def set_clock(self, ahead_s: float) -> None:
        """Set the clock of the processes so far ahead of the real one."""
        self._control[:8] = struct.pack("<q", round(ahead_s * 1e9))

    def fail_writes(self, error: int) -> None:
        """Let every write fail with this error number; 0 lets them succeed again."""
        self._control[8:] = struct.pack("<q", error)

    def cut_power(self, database: Path, chance: random.Random) -> int:
        """Leave on disk what a power cut would, the processes being dead: of every sector that was
        not synced, either what is there or what was there before; returns how many were lost."""
        lost = 0
        for suffix in ("", "-wal"):
            now, synced = Path(f"{database}{suffix}"), self._synced / f"{database.name}{suffix}"
            there = now.read_bytes() if now.exists() else b""
            before = synced.read_bytes() if synced.exists() else b""
            size = chance.choice((len(there), len(before)))
            left = bytearray(there[:size].ljust(size, b"\0"))
            for at in range(0, size, _SECTOR):
                sector = before[at : at + _SECTOR]
                if sector != left[at : at + _SECTOR] and chance.random() < 0.5:
                    left[at : at + _SECTOR] = sector.ljust(len(left[at : at + _SECTOR]), b"\0")
                    lost += 1
            now.write_bytes(left)
            synced.write_bytes(left)
        Path(f"{database}-shm").unlink(missing_ok=True)
        return lost

    def close(self) -> None:
        """Let go of the control file."""
        self._control.close()
        self._file.close()
