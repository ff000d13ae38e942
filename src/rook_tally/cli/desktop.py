"""`rook-tally desktop …`: the desktop's menu entry, the icon, the description, the man page."""

from __future__ import annotations

import os
import shlex
import sys
from importlib import resources
from pathlib import Path

import typer

from rook_tally.core.errors import RookTallyError

_FILES = {
    "rook-tally.desktop": "applications",
    "rook-tally.svg": "icons/hicolor/scalable/apps",
    "app.rook_tally.desk.metainfo.xml": "metainfo",
    "rook-tally.1": "man/man1",
}


def installed_files() -> dict[str, Path]:
    """Where each file lies for this user, by its name."""
    data = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    return {name: Path(data) / folder / name for name, folder in _FILES.items()}


def install() -> None:
    """Put the files where the desktop looks for them."""
    kept = resources.files("rook_tally.cli").joinpath("linux")
    command = f"{shlex.quote(sys.executable)} -m rook_tally"
    for name, path in installed_files().items():
        text = kept.joinpath(name).read_text("utf-8").replace("@command@", command)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
        except OSError as error:
            raise RookTallyError(
                f"{path} cannot be written: {error.strerror}", remedy="look at its folder's rights"
            ) from error
        typer.echo(str(path))


def remove() -> None:
    """Take the files away again."""
    for path in installed_files().values():
        if path.exists():
            path.unlink()
            typer.echo(f"removed {path}")
