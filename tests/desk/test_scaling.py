"""The window at 100 to 200 %: pictures are inked in the screen's own pixels, nothing is cut off."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtGui import QImage

pytestmark = pytest.mark.window

_TAKE = """
import sys
from pathlib import Path
from scripts.screenshots.views import take_shots
take_shots(Path(sys.argv[1]), days=0.3, only=("ledger", "strip", "stations"))
"""

# Lanes whose edges lie anywhere in a row of pixels, over what nothing of ours is painted in.
_RENDER_LANES = """
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QColor, QPixmap
from PySide6.QtWidgets import QApplication, QWidget
from rook_tally.core.theme import LIGHT
from rook_tally.desk.strip.lane_plot import LanePlot
application = QApplication([])
before, left = QColor(Qt.magenta), 0
for top in range(8):
    for high in range(40, 44):
        ground, lane = QWidget(), LanePlot(LIGHT)
        ground.resize(64, 64)
        lane.setParent(ground)
        lane.setGeometry(0, top, 61, high)
        ground.show()
        picture = QPixmap(QSize(80, 80))
        picture.setDevicePixelRatio(1.25)
        picture.fill(before)
        ground.render(picture)
        image = picture.toImage()
        left += sum(image.pixelColor(30, y) == before for y in range(80))
print(left, "rows")
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


def test_no_row_of_pixels_is_left_to_what_was_there_before() -> None:
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen", "QT_SCALE_FACTOR": "1.25"}
    done = subprocess.run(
        [sys.executable, "-c", _RENDER_LANES],
        env=environment,
        timeout=120,
        check=True,
        capture_output=True,
        text=True,
    )
    assert done.stdout.splitlines() == ["0 rows"]
