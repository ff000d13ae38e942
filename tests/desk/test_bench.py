"""The Bench in a real window: pages answered, corrections taken and taken back, points kept."""

from __future__ import annotations

import csv
import itertools
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog, QPushButton
from pytestqt.qtbot import QtBot

from rook_tally.bench.find import searched
from rook_tally.bench.pair import PairAnswer
from rook_tally.bench.usual import Spell, UsualAnswer
from rook_tally.core.comparing.bench_items import (
    AirItem,
    BenchItem,
    EventItem,
    PairItem,
    SensorItem,
    UsualItem,
)
from rook_tally.desk.app.proposal_look import ProposalLook
from rook_tally.desk.app.views import BENCH, STRIP
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.bench.actions import BenchAction
from rook_tally.desk.bench.dialogs import ItemDialog, PointDialog
from rook_tally.desk.bench.queries import EventAnswer
from rook_tally.desk.bench.view import BenchView
from rook_tally.desk.parts.remark_dialog import RemarkDialog
from rook_tally.store.base import Store
from rook_tally.store.site import correction_entries
from rook_tally.store.site.bench_items import bench_items
from rook_tally.store.site.reference_points import reference_points
from tests.bench.air_of_rooms import END_US, START_US, keep, keep_shop, moments, noise
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened

DAYS_US = END_US - START_US


@pytest.fixture
def workshop(store: Store) -> Store:
    """A shop with two sensors, and a room that a mill fills with CO₂ every other day."""
    keep_shop(store, 40)
    time_us = moments(40)
    day, hour = (time_us - START_US) // 86_400_000_000, (time_us - START_US) / 3.6e9 % 24
    on = (day % 2 == 0) & (hour >= 9) & (hour < 11)
    keep(store, "mill", time_us, on.astype(float), quantity="switch", place="Mill")
    keep(store, "room", time_us, 430 + 500.0 * on + 3 * noise(len(on), 3), place="Room")
    return store


@pytest.fixture
def bench(workshop: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    window = open_desk(clock=lambda: END_US)
    window.state.show_last(DAYS_US)
    window.show_view(BENCH)
    until_answered(qtbot, window)
    return window


def until_answered(qtbot: QtBot, window: DeskWindow) -> None:
    model = window.bench.model

    def answered() -> bool:
        told = model.found if model.shows_found else model.answer
        return window.bench.is_up_to_date and (told is not None or bool(model.mistake))

    qtbot.waitUntil(answered, timeout=PATIENCE_MS)


def pick(qtbot: QtBot, window: DeskWindow, sort: type[BenchItem]) -> None:
    rows = [one.item for one in window.bench.items.rows]
    at = next(number for number, one in enumerate(rows) if isinstance(one, sort))
    window.bench.list.setCurrentIndex(window.bench.items.index(at))
    until_answered(qtbot, window)


def correction_count(store: Store, series_id: int) -> int:
    with store.read() as connection:
        return len(correction_entries(connection, series_id))


def button(window: DeskWindow, words: str) -> QPushButton:
    return next(
        one
        for one in window.bench.side.findChildren(QPushButton)
        if one.text() == words and one.isVisibleTo(window.bench.side)
    )


def test_two_sensors_of_one_room_are_offered_and_their_answer_said_first(bench: DeskWindow) -> None:
    page = bench.bench
    assert isinstance(page.model.picked, PairItem)
    assert "ppm above counter" in page.sentence.text().replace("</b>", "")
    assert page.sentence.accessibleName().startswith("shelf reads 38")
    assert len(page.picture.picture) == 3
    assert not page.model.is_kept


def test_a_proposed_correction_is_taken_with_a_key_and_undone_with_another(
    bench: DeskWindow, workshop: Store, qtbot: QtBot
) -> None:
    answer = bench.bench.model.answer
    assert isinstance(answer, PairAnswer)
    QTest.keyClick(bench.bench.list, Qt.Key.Key_T)
    qtbot.waitUntil(lambda: correction_count(workshop, answer.second.id) == 1, timeout=PATIENCE_MS)

    def difference() -> float:
        told = bench.bench.model.answer
        return told.figures.difference.mean if isinstance(told, PairAnswer) else np.nan

    qtbot.waitUntil(lambda: abs(difference()) < 0.5, timeout=PATIENCE_MS)
    assert "No correction proposed" in bench.bench.side.title.text()
    bench.undo.undo()
    qtbot.waitUntil(lambda: correction_count(workshop, answer.second.id) == 0, timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: abs(difference() - 38) < 1, timeout=PATIENCE_MS)


def test_the_ledger_marks_what_a_correction_is_proposed_for(
    bench: DeskWindow, qtbot: QtBot
) -> None:
    ledger = bench.ledger.model

    def marked() -> list[str]:
        places = itertools.product(range(len(ledger.rows)), range(len(ledger.columns)))
        return [
            ledger.spoken(*where)
            for where in places
            if (cell := ledger.cell(*where)) is not None and cell.is_off
        ]

    assert len(marked()) == 1
    assert "Shop, CO₂" in marked()[0]
    assert "a correction is proposed on the Bench" in marked()[0]
    bench.bench.do(BenchAction.TAKE)
    qtbot.waitUntil(lambda: marked() == [], timeout=PATIENCE_MS)


def test_what_is_offered_is_kept_and_taken_off_again(
    bench: DeskWindow, workshop: Store, qtbot: QtBot
) -> None:
    def kept() -> list[BenchItem]:
        with workshop.read() as connection:
            return bench_items(connection)

    button(bench, "Keep it on the Bench").click()
    qtbot.waitUntil(lambda: len(kept()) == 1, timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: bench.bench.model.is_kept, timeout=PATIENCE_MS)
    QTest.keyClick(bench.bench.list, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: kept() == [], timeout=PATIENCE_MS)
    bench.undo.undo()
    qtbot.waitUntil(lambda: len(kept()) == 1, timeout=PATIENCE_MS)


def test_a_reference_point_is_typed_and_makes_the_sensors_record(
    bench: DeskWindow, workshop: Store, qtbot: QtBot
) -> None:
    shelf = bench.bench.model.sensor
    assert shelf is not None

    def points() -> int:
        with workshop.read() as connection:
            return len(reference_points(connection, shelf.id))

    def type_point(value: str, at: str) -> None:
        bench.bench.do(BenchAction.ADD_POINT)
        dialog = opened(qtbot, bench, PointDialog)
        dialog.value.setText("many")
        dialog.main.click()
        assert dialog.problem.text()
        dialog.value.setText(value)
        dialog.wide.setText("± 5")
        dialog.meter.setText("hand meter")
        dialog.at.setText("2026-01-01")
        dialog.main.click()
        qtbot.waitUntil(lambda: "was not heard" in dialog.problem.text(), timeout=PATIENCE_MS)
        before = points()
        dialog.at.setText(at)
        dialog.main.click()
        qtbot.waitUntil(lambda: points() == before + 1, timeout=PATIENCE_MS)
        qtbot.waitUntil(lambda: isinstance(bench.bench.model.picked, SensorItem))

    type_point("600", "2026-03-10 08:00")
    type_point("590", "2026-03-12 08:00")
    until_answered(qtbot, bench)
    qtbot.waitUntil(lambda: bench.bench.lines.rowCount() == 2, timeout=PATIENCE_MS)
    bench.bench.lines.selectRow(0)
    # The form had the keyboard.
    bench.activateWindow()
    bench.bench.lines.setFocus()
    qtbot.waitUntil(bench.bench.lines.hasFocus, timeout=PATIENCE_MS)
    QTest.keyClick(bench.bench.lines, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: points() == 1, timeout=PATIENCE_MS)
    bench.undo.undo()
    qtbot.waitUntil(lambda: points() == 2, timeout=PATIENCE_MS)


def test_points_of_a_file_and_one_that_cannot_be_read(
    bench: DeskWindow, workshop: Store, qtbot: QtBot, tmp_path: Path
) -> None:
    told: list[str] = []
    bench.bench.told.connect(told.append)
    shelf = bench.bench.model.sensor
    assert shelf is not None
    file = tmp_path / "points.csv"
    file.write_text("time,value\n2026-03-05 08:00,610\nnever,1\n")
    bench.bench.tasks.read_points(file)
    assert "row 3" in told[-1]
    file.write_text("time,value\n2026-03-05 08:00,610\n2026-03-09 08:00,600\n")
    bench.bench.tasks.read_points(file)
    qtbot.waitUntil(lambda: isinstance(bench.bench.model.picked, SensorItem), timeout=PATIENCE_MS)
    with workshop.read() as connection:
        assert len(reference_points(connection, shelf.id)) == 2


def test_what_moves_when_the_mill_goes_on(bench: DeskWindow, qtbot: QtBot) -> None:
    pick(qtbot, bench, EventItem)
    page = bench.bench
    answer = page.model.answer
    assert isinstance(answer, EventAnswer)
    assert [one.series.station.key for one in answer.responses] == ["room"]
    assert "rises by" in page.sentence.accessibleName()
    other = next(
        number
        for number, one in enumerate(answer.ranking.ranked)
        if one.series.station.key == "counter"
    )
    page.lines.selectRow(other)

    def shown() -> list[str]:
        told = page.model.answer
        assert isinstance(told, EventAnswer)
        return [one.series.station.key for one in told.responses]

    qtbot.waitUntil(lambda: shown() == ["counter"], timeout=PATIENCE_MS)
    assert "nothing that chance" in page.sentence.accessibleName()
    page.lines.selectAll()
    qtbot.waitUntil(lambda: len(shown()) == 3, timeout=PATIENCE_MS)
    assert [len(row) for row in page.picture.picture] == [2, 1]


def _spells(answer: object) -> tuple[Spell, ...]:
    assert isinstance(answer, UsualAnswer)
    return answer.spells


def first_key(page: BenchView) -> int:
    item = page.lines.item(0, 0)
    assert item is not None
    return int(item.data(Qt.ItemDataRole.UserRole))


def test_a_spell_opens_the_strip_and_is_named(bench: DeskWindow, qtbot: QtBot) -> None:
    item = ItemDialog(
        bench.theme,
        bench.state,
        (),
        UsualItem(next(one.id for one in bench.state.site.series if one.station.key == "room")),
        lambda one: bench.bench.tasks.keep_item(one, None),
        bench,
    )
    item.above.setText("800")
    item.main.click()
    qtbot.waitUntil(lambda: isinstance(bench.bench.model.picked, UsualItem), timeout=PATIENCE_MS)
    until_answered(qtbot, bench)
    page = bench.bench
    qtbot.waitUntil(lambda: page.lines.rowCount() == 20, timeout=PATIENCE_MS)
    # Ordered by another column, the most first, and the other way round.
    peaks = [one.peak for one in _spells(page.model.answer)]
    page.lines.horizontalHeader().sectionClicked.emit(2)
    assert first_key(page) == int(np.argmax(peaks))
    page.lines.horizontalHeader().sectionClicked.emit(2)
    assert first_key(page) == int(np.argmin(peaks))
    page.lines.selectRow(0)
    page.do(BenchAction.NAME_SPELL)
    dialog = opened(qtbot, bench, RemarkDialog)
    dialog.reject()
    page.lines.line_opened.emit(0)
    assert bench.view == STRIP
    assert not bench.state.window.is_live


def test_air_and_what_moves_together(bench: DeskWindow, qtbot: QtBot) -> None:
    pick(qtbot, bench, AirItem)
    assert bench.bench.sentence.accessibleName()
    QTest.keyClick(bench.bench.list, Qt.Key.Key_F)
    until_answered(qtbot, bench)
    qtbot.waitUntil(lambda: bench.bench.model.found is not None, timeout=PATIENCE_MS)
    assert "pair of series moves together" in bench.bench.sentence.accessibleName()
    assert bench.bench.lines.rowCount() == 1


@pytest.mark.parametrize("suffix", [".csv", ".png", ".svg"])
def test_a_page_is_saved_as_it_is_shown(
    bench: DeskWindow, qtbot: QtBot, tmp_path: Path, suffix: str
) -> None:
    path = tmp_path / f"page{suffix}"
    bench.bench.save(path)
    assert path.stat().st_size > 1000
    if suffix == ".csv":
        rows = list(csv.reader(path.read_text().splitlines()))
        assert rows[0][0].startswith("shelf reads 38")
        assert any(row and row[0] == "Drift a month" for row in rows)
        assert sum(len(row) > 10 for row in rows) > 300
    if suffix == ".svg":
        assert "<svg" in path.read_text()


def test_a_file_that_cannot_be_written_is_said(bench: DeskWindow, tmp_path: Path) -> None:
    told: list[str] = []
    bench.bench.told.connect(told.append)
    bench.bench.save(tmp_path / "none" / "page.png")
    bench.bench.save(tmp_path / "page.doc")
    assert "cannot be written" in told[0]
    assert "end the name in" in told[1]


def item_of(dialog: ItemDialog, sort: type[BenchItem], say: Callable[[], None]) -> str:
    dialog.sort.setCurrentIndex(dialog.sort.findData(sort))
    say()
    dialog.main.click()
    return dialog.problem.text()


def test_the_form_says_what_cannot_be_meant(bench: DeskWindow) -> None:
    taken: list[BenchItem] = []
    dialog = ItemDialog(bench.theme, bench.state, (), None, taken.append, bench)
    dialog.open()
    assert "twice" in item_of(dialog, PairItem, lambda: dialog.second.setCurrentIndex(0))
    assert "is no event" in item_of(dialog, EventItem, lambda: dialog.source.setEditText("soon"))
    assert "no series is called" in item_of(
        dialog, UsualItem, lambda: dialog.series.setEditText("nobody")
    )
    dialog.series.setCurrentIndex(0)
    assert "above 0" in item_of(dialog, AirItem, lambda: dialog.volume.setText("0"))
    assert taken == []
    assert dialog.result() == QDialog.DialogCode.Rejected
    dialog.volume.setText("60")
    dialog.main.click()
    assert len(taken) == 1


def test_a_bench_without_anything_says_what_it_is_for(
    open_desk: OpenDesk, store: Store, qtbot: QtBot
) -> None:
    window = open_desk()
    window.show_view(BENCH)
    qtbot.waitUntil(lambda: window.bench.model.listing is not None, timeout=PATIENCE_MS)
    rows = [one.item for one in window.bench.items.rows]
    assert rows == [None]


def test_a_third_sensor_stands_beside_the_first_as_well(
    workshop: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    time_us = moments(40)
    keep(workshop, "till", time_us, 650 + 100 * np.sin(time_us / 1e10) + noise(len(time_us), 8))
    window = open_desk(clock=lambda: END_US)
    window.state.show_last(DAYS_US)
    window.show_view(BENCH)
    until_answered(qtbot, window)
    page = window.bench
    assert page.lines.rowCount() == 2
    answer = page.model.answer
    assert isinstance(answer, PairAnswer)
    assert [one.series.station.key for one in answer.others] == ["till"]
    page.lines.selectRow(1)

    def second() -> str:
        told = page.model.answer
        return told.second.station.key if isinstance(told, PairAnswer) else ""

    qtbot.waitUntil(lambda: second() == "till", timeout=PATIENCE_MS)


def test_a_proposal_is_marked_without_the_bench_being_open(
    workshop: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    window = open_desk(clock=lambda: END_US)
    look = ProposalLook(window)
    look.look()
    qtbot.waitUntil(lambda: bool(window.state.proposals), timeout=PATIENCE_MS)
    (proposed,) = window.state.proposals
    assert window.state.by_id[proposed].station.key == "shelf"


def test_a_window_that_was_closed_looks_for_none(
    workshop: Store, open_desk: OpenDesk, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Found: twenty seconds after the start its process was asked, which had ended with it."""
    window = open_desk(clock=lambda: END_US)
    look = ProposalLook(window)
    client = window.another_client()
    window.close()
    assert not [one for one in look.findChildren(QTimer) if one.isActive()]
    asked: list[object] = []
    monkeypatch.setattr(client, "read", lambda *words: asked.append(words))
    look._ask(client)
    assert asked == []


def test_a_search_says_how_far_it_is_and_goes_on_where_it_was_left(
    bench: DeskWindow, qtbot: QtBot
) -> None:
    model = bench.bench.model
    said = []
    model.changed.append(lambda: said.append(model.sheet().sentence.text))
    QTest.keyClick(bench.bench.list, Qt.Key.Key_F)
    until_answered(qtbot, bench)
    assert model.found is not None
    assert any("Looking through all series: 0 of" in one for one in said)
    assert model.found.tried == len(searched(bench.state.site))
