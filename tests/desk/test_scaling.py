"""The window at 100 to 200 %: pictures are inked in the screen's own pixels, nothing is cut off."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtGui import QImage

_TAKE = """
import sys
from pathlib import Path
from scripts.screenshots.views import take_shots
take_shots(Path(sys.argv[1]), days=0.3, only=("ledger", "strip", "stations"))
"""


@pytest.mark.parametrize("scale", [1.25, 2.0])
def test_pictures_are_as_sharp_as_the_screen(tmp_path: Path, scale: float) -> None:
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen", "QT_SCALE_FACTOR": str(scale)}
    subprocess.run(
        [sys.executable, "-c", _TAKE, str(tmp_path)],
        env=environment,
        timeout=360,
        check=True,
        capture_output=True,
    )
    for name in ("ledger", "strip", "stations"):
        picture = QImage(str(tmp_path / f"{name}.png"))
        assert (picture.width(), picture.height()) == (round(1280 * scale), round(800 * scale))
    strip = QImage(str(tmp_path / "strip.png"))
    # A trace is about a point and a half thick: more pixels of the screen the larger the scale, and
    # each column of a lane holds some of its ink.
    left, right = round(230 * scale), round(960 * scale)
    top, bottom = round(340 * scale), round(448 * scale)
    dark = [
        sum(strip.pixelColor(x, y).lightness() < 110 for y in range(top, bottom))
        for x in range(left, right, round(37 * scale))
    ]
    assert sum(count > 0 for count in dark) >= 0.9 * len(dark)
