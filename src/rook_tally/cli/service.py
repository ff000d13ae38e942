"""`rook-tally service …`: a systemd user unit that keeps the collector running with no desk."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path
from urllib.parse import urlsplit

import typer

from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.store.base.private_files import begin_private, keep_private, private_folder

UNIT = "rook-tally-collector.service"
STORE_VARIABLE, BROKER_VARIABLE = "ROOK_TALLY_STORE", "ROOK_TALLY_BROKER"


def unit_text(where: str, words: list[str], credentials: Path | None = None) -> str:
    """The unit: restarted when it fails, stopped so that everything under way is committed.

    `where` empty: the store's address is in the credentials file, which sets the environment.
    """
    store = ("--store", where) if where else ()
    command = " ".join(
        _quoted(one) for one in (sys.executable, "-m", "rook_tally", *store, "collect", *words)
    )
    file = "" if credentials is None else f"EnvironmentFile={str(credentials).replace('%', '%%')}\n"
    return (
        "[Unit]\n"
        "Description=Rook Tally collector\n"
        "After=network-online.target\n\n"
        "[Service]\n"
        f"{file}"
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
    typer.echo(f"wrote {_write_unit(where, words)}")
    typer.echo(_start())


class UserService:
    """The collector of a store as a service, for a window."""

    def __init__(self, where: str) -> None:
        self._where = where

    @property
    def is_installed(self) -> bool:
        """True if the unit is there."""
        return unit_path().exists()

    def install(self) -> str:
        """Write the unit, and start it where systemd runs; says how that went."""
        _write_unit(self._where, [])
        return _start()

    def remove(self) -> str:
        """Stop the unit and take it away."""
        return f"removed {_take_away()}"


def _start() -> str:
    if _systemctl("daemon-reload") and _systemctl("enable", "--now", UNIT):
        return "the collector runs, and starts again whenever you log in"
    return f"start it with: systemctl --user enable --now {UNIT}"


def _write_unit(where: str, words: list[str]) -> Path:
    path, secret = unit_path(), credentials_path()
    where, words, told = _without_passwords(where, words)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        if told:
            private_folder(secret.parent)
            _write_private(secret, "".join(f"{name}={value}\n" for name, value in told.items()))
        else:
            secret.unlink(missing_ok=True)
        _write_private(path, unit_text(where, words, secret if told else None))
    except OSError as error:
        raise RookTallyError(
            f"{path} cannot be written: {error.strerror or error}", remedy="check its folder"
        ) from error
    return path


def credentials_path() -> Path:
    """The file with what the unit must not show; its owner alone can read it."""
    return unit_path().parents[2] / "rook-tally" / "collector.env"


def _without_passwords(where: str, words: list[str]) -> tuple[str, list[str], dict[str, str]]:
    """Where and words as the unit may show them, and what goes into the credentials file."""
    told: dict[str, str] = {}
    if _holds_password(where):
        told[STORE_VARIABLE], where = where, ""
    shown = list(words)
    for at, word in enumerate(words):
        if at and words[at - 1] == "--broker" and _holds_password(word):
            told[BROKER_VARIABLE] = word
            shown[at - 1 : at + 1] = []
    for name, value in told.items():
        if any(sign in value for sign in "\n\r\"'\\"):
            raise UsageError(
                f"{name} holds a quote, a backslash or a line break",
                remedy="write such letters of a password as %XX",
            )
    return where, shown, told


def _holds_password(address: str) -> bool:
    try:
        return urlsplit(address).password is not None
    except ValueError:
        return False


def _write_private(path: Path, text: str) -> None:
    begin_private(path)
    keep_private(path)
    path.write_text(text, encoding="utf-8")


def remove() -> None:
    """Stop the unit and take it away."""
    typer.echo(f"removed {_take_away()}")


def _take_away() -> Path:
    path = unit_path()
    if not path.exists():
        raise UsageError("there is no such unit", remedy="rook-tally service install makes it")
    _systemctl("disable", "--now", UNIT)
    path.unlink()
    credentials_path().unlink(missing_ok=True)
    _systemctl("daemon-reload")
    return path


def status() -> int:
    """Say how the unit stands; 1 when it is not installed or does not run."""
    if not unit_path().exists():
        typer.echo("not installed")
        return 1
    running = _systemctl("is-active", "--quiet", UNIT)
    typer.echo("running" if running else "installed, not running")
    return 0 if running else 1


def _systemctl(*words: str) -> bool:
    """True if systemd did it; False where none runs."""
    program = shutil.which("systemctl")
    if program is None:
        return False
    done = subprocess.run([program, "--user", *words], capture_output=True, text=True, check=False)
    return done.returncode == 0
