"""Panes inked: only what moved is inked again, and comes out as if all of it were."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import pytest
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter
from pytestqt.qtbot import QtBot

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import LIGHT
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.desk.wall.painter import PanePainter
from rook_tally.desk.wall.painter_frame import changed_part, draw_pane
from rook_tally.wall.pane_views import ColumnFigure, ColumnsBody, PaneView, ValueText
from tests.wall.samples import LEVELLED, sample

AREA = QRectF(0, 0, 640, 200)


def _face(*texts: str) -> PaneView:
    columns = tuple(
        ColumnFigure(
            f"Place {at}", f"P{at}", ValueText(text, "°C", Level(at % 3)), at / 9, 0.1, 0.7
        )
        for at, text in enumerate(texts)
    )
    return PaneView(PaneKind.COLUMNS, "Temperature", "°C", ColumnsBody(columns))


def _image() -> QImage:
    made = QImage(640, 200, QImage.Format.Format_RGB32)
    made.fill(0)
    return made


def _inked(image: QImage, face: PaneView, part: QRectF) -> QImage:
    painter = QPainter(image)
    painter.setClipRect(part.toAlignedRect())
    draw_pane(painter, LIGHT, face, AREA, 1.0)
    painter.end()
    return image


@pytest.mark.parametrize(
    ("before", "after", "is_all"),
    [
        (("20.1", "19.9", "8.0", "11.1"), ("20.1", "19.9", "8.1", "11.1"), False),
        (("20.1", "19.9", "18.0", "11.1"), ("20.4", "19.9", "18.1", "11.1"), False),
        # Longer letters make all of them smaller.
        (("2.1", "9.9", "8.0", "1.1"), ("2.1", "9.9", "1018.1", "1.1"), True),
        (("2.1", "9.9"), ("2.1", "9.9", "8.0"), True),
    ],
)
def test_only_columns_that_moved_are_inked_again(
    qtbot: QtBot, before: tuple[str, ...], after: tuple[str, ...], is_all: bool
) -> None:
    old, new = _face(*before), _face(*after)
    part = changed_part(old, new, AREA, 1.0)
    assert (part == AREA) is is_all
    again = _inked(_inked(_image(), old, AREA), new, part)
    assert again == _inked(_image(), new, AREA)


def test_another_title_or_note_is_inked_with_all_of_it(qtbot: QtBot) -> None:
    face = _face("2.1", "9.9")
    assert changed_part(face, replace(face, note="late"), AREA, 1.0) == AREA


@pytest.fixture
def ink(qtbot: QtBot) -> Iterator[PanePainter]:
    """Ink on a picture of its own, lifted in time whatever the test finds."""
    image = _image()
    painter = QPainter(image)
    yield PanePainter(painter, LIGHT, 1.0)
    painter.end()


@pytest.mark.parametrize("width", [400.0, 90.0, 30.0, 9.0])
def test_letters_fit_their_room_or_are_cut_short(ink: PanePainter, width: float) -> None:
    assert ink.text(QRectF(0, 0, width, 30), "Surface temperature") <= width + 1
    assert ink.text(QRectF(0, 0, 0, 30), "x") == 0.0


@pytest.mark.parametrize("width", [300.0, 80.0, 50.0])
def test_a_figure_fits_its_room_and_goes_before_its_unit(ink: PanePainter, width: float) -> None:
    taken = ink.value(QRectF(0, 0, width, 80), ValueText("153.8", "°C", Level.HIGH))
    assert taken.width() <= width + 3


# A theme in which every level has one colour: what differs then is told without it.
_GREY = replace(LIGHT, levels=(LIGHT.ink,) * 5, tints=(LIGHT.sheet,) * 5)


@pytest.mark.parametrize("kind", LEVELLED, ids=lambda kind: kind.value)
def test_a_level_is_told_by_strokes_and_not_by_colour_alone(qtbot: QtBot, kind: PaneKind) -> None:
    pictures = []
    for level in Level:
        image = _image()
        painter = QPainter(image)
        draw_pane(painter, _GREY, sample(kind, level), AREA, 1.0)
        painter.end()
        pictures.append(image)
    for at, one in enumerate(pictures):
        assert all(one != other for other in pictures[at + 1 :]), Level(at)


@pytest.mark.parametrize("kind", list(PaneKind), ids=lambda kind: kind.value)
@pytest.mark.parametrize("size", [(640, 200), (320, 90), (160, 90), (90, 160)])
def test_nothing_is_inked_outside_a_pane(
    qtbot: QtBot, kind: PaneKind, size: tuple[int, int]
) -> None:
    """However long its names are; the canvas clips what is smaller than these."""
    area = QRectF(40, 30, *size)
    image = QImage(760, 280, QImage.Format.Format_RGB32)
    image.fill(0)
    painter = QPainter(image)
    long = "Surface temperature of the second kiln's outer shell"
    draw_pane(painter, LIGHT, sample(kind, text="1\u2009013.25", name=long), area, 1.0)
    painter.end()
    inside = area.toAlignedRect()
    outside = [
        (x, y)
        for x in range(0, 760, 2)
        for y in range(0, 280, 2)
        if not inside.contains(x, y) and image.pixel(x, y) & 0xFFFFFF
    ]
    assert not outside
