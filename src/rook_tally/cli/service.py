"""`rook-tally service …`: a systemd user unit that keeps the collector running with no desk."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import typer

from rook_tally.core.errors import RookTallyError, UsageError

UNIT = "rook-tally-collector.service"


def unit_text(where: str, words: list[str]) -> str:
    """The unit: restarted when it fails, stopped so that everything under way is committed."""
    command = " ".join(
        _quoted(one)
        for one in (sys.executable, "-m", "rook_tally", "--store", where, "collect", *words)
    )
    return (
        "[Unit]\n"
        "Description=Rook Tally collector\n"
        "After=network-online.target\n\n"
        "[Service]\n"
        f"ExecStart={command}\n"
        "Restart=on-failure\n"
        "RestartSec=2\n"
        "TimeoutStopSec=30\n\n"
        "[Install]\n"
        "WantedBy=default.target\n"
    )


def _quoted(word: str) -> str:
    """A word as systemd reads it (systemd.service(5), quoting)."""
    escaped = word.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return f'"{escaped}"'


def unit_path() -> Path:
    """Where the units of this user lie."""
    config = os.environ.get("XDG_CONFIG_HOME") or str(Path.home() / ".config")
    return Path(config) / "systemd" / "user" / UNIT


def install(where: str, words: list[str]) -> None:
    """Write the unit, and start it where systemd runs."""
    if "://" in where and "@" in where and ":" in where.split("@")[0].split("://")[1]:
        raise UsageError(
            "the store's address holds a password, which the unit would show",
            remedy="keep it in ~/.pgpass and leave it out of the address",
        )
    path = unit_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(unit_text(where, words), encoding="utf-8")
    except OSError as error:
        raise RookTallyError(
            f"{path} cannot be written: {error.strerror or error}", remedy="check its folder"
        ) from error
    typer.echo(f"wrote {path}")
    if _systemctl("daemon-reload") and _systemctl("enable", "--now", UNIT):
        typer.echo("the collector runs, and starts again whenever you log in")
    else:
        typer.echo(f"start it with: systemctl --user enable --now {UNIT}")


def remove() -> None:
    """Stop the unit and take it away."""
    path = unit_path()
    if not path.exists():
        raise UsageError("there is no such unit", remedy="rook-tally service install makes it")
    _systemctl("disable", "--now", UNIT)
    path.unlink()
    _systemctl("daemon-reload")
    typer.echo(f"removed {path}")


def status() -> int:
    """Say how the unit stands; 1 when it is not installed or does not run."""
    if not unit_path().exists():
        typer.echo("not installed")
        return 1
    running = _systemctl("is-active", "--quiet", UNIT)
    typer.echo("running" if running else "installed, not running")
    return 0 if running else 1


def _systemctl(*words: str) -> bool:
    """Whether systemd did it; False where none runs."""
    program = shutil.which("systemctl")
    if program is None:
        return False
    done = subprocess.run([program, "--user", *words], capture_output=True, text=True, check=False)
    return done.returncode == 0
