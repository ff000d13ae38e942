"""What makes it a citizen of a Linux desktop, looked over by the tools that check such files."""

from __future__ import annotations

import gc
import subprocess
import xml.etree.ElementTree as ElementTree
from pathlib import Path
from typing import cast

import pytest
from PySide6.QtGui import QImage

from rook_tally.cli import desktop_integration, logs
from rook_tally.desk.app.window import DeskWindow
from tests.processes import rook_tally


@pytest.fixture
def installed(tmp_path: Path) -> dict[str, Path]:
    """The files, by their endings, as a person's desktop would find them."""
    done = rook_tally("desktop", "install", env={"XDG_DATA_HOME": str(tmp_path)})
    assert done.returncode == 0, done.stderr
    return {
        Path(line).suffix if Path(line).suffix != ".png" else Path(line).parts[-3]: Path(line)
        for line in done.stdout.splitlines()
    }


def checked(*words: str) -> str:
    done = subprocess.run(words, capture_output=True, text=True, timeout=60, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout


def test_the_desktop_entry(installed: dict[str, Path]) -> None:
    entry = installed[".desktop"]
    checked("desktop-file-validate", str(entry))
    (command,) = (line for line in entry.read_text().splitlines() if line.startswith("Exec="))
    assert command.endswith("-m rook_tally desk")
    assert "@" not in entry.read_text()


def test_the_description(installed: dict[str, Path]) -> None:
    checked("appstreamcli", "validate", "--no-net", str(installed[".xml"]))
    launched = ElementTree.parse(installed[".xml"]).findtext("launchable")
    assert launched == installed[".desktop"].name


def test_the_icon_is_named_in_the_entry(installed: dict[str, Path]) -> None:
    icon = installed[".svg"]
    assert f"Icon={icon.stem}" in installed[".desktop"].read_text()
    assert ElementTree.parse(icon).getroot().get("viewBox") == "0 0 128 128"


@pytest.mark.parametrize("size", [16, 22, 24, 32, 48, 64, 128, 256])
def test_the_icon_in_every_size(installed: dict[str, Path], size: int) -> None:
    picture = QImage(str(installed[f"{size}x{size}"]))
    assert (picture.width(), picture.height()) == (size, size)
    # Something is drawn, and its corners are not.
    assert picture.pixelColor(size // 2, size // 2).alpha() == 255
    assert picture.pixelColor(0, 0).alpha() < 255


def test_the_man_page(installed: dict[str, Path]) -> None:
    page = checked("man", "--warnings", "-l", str(installed[".1"]))
    assert "rook-tally - readings from small networked sensors" in " ".join(page.split())


def test_it_is_taken_away_again(installed: dict[str, Path], tmp_path: Path) -> None:
    done = rook_tally("desktop", "remove", env={"XDG_DATA_HOME": str(tmp_path)})
    assert done.returncode == 0
    assert not any(path.exists() for path in installed.values())


def test_garbage_is_looked_for_again_whatever_fails_after_the_first_picture(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    def fails(_path: object) -> None:
        raise OSError("no room for a log")

    monkeypatch.setattr(logs, "log_to_file", fails)
    gc.disable()
    try:
        with pytest.raises(OSError, match="no room"):
            desktop_integration._settle_in(cast("DeskWindow", None))
        assert gc.isenabled()
    finally:
        gc.enable()
        gc.unfreeze()
