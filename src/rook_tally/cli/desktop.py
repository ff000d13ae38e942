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


# Desktops that do not scale drawings look for pictures of these sizes.
_ICON_SIZES = (16, 22, 24, 32, 48, 64, 128, 256)


def _data_folder() -> Path:
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def installed_files() -> dict[str, Path]:
    """Where each file lies for this user, by its name."""
    return {name: _data_folder() / folder / name for name, folder in _FILES.items()}


def installed_icons() -> dict[int, Path]:
    """Where the icon lies in each size, in pixels."""
    return {
        size: _data_folder() / f"icons/hicolor/{size}x{size}/apps" / "rook-tally.png"
        for size in _ICON_SIZES
    }


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
    for path in _draw_icons():
        typer.echo(str(path))


def _draw_icons() -> list[Path]:
    """The icon as pictures, drawn from its SVG."""
    from PySide6.QtCore import Qt
    from PySide6.QtGui import QImage, QPainter
    from PySide6.QtSvg import QSvgRenderer

    drawing = QSvgRenderer(str(installed_files()["rook-tally.svg"]))
    for size, path in installed_icons().items():
        picture = QImage(size, size, QImage.Format.Format_ARGB32)
        picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(picture)
        drawing.render(painter)
        painter.end()
        path.parent.mkdir(parents=True, exist_ok=True)
        if not picture.save(str(path)):
            raise RookTallyError(f"{path} cannot be written", remedy="look at its folder's rights")
    return list(installed_icons().values())


def remove() -> None:
    """Take the files away again."""
    for path in (*installed_files().values(), *installed_icons().values()):
        if path.exists():
            path.unlink()
            typer.echo(f"removed {path}")
