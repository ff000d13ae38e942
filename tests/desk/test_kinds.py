"""Kinds of stations edited in the window, and their forms read."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.controls import Control, ControlKind
from rook_tally.core.quantities.kind_files import kind_from_toml
from rook_tally.core.quantities.kinds import KINDS, Field, Kind
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.series_settings import SeriesSettings
from rook_tally.core.things.reading import kind_from_text
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.parts.colour_choice import ColourChoice
from rook_tally.desk.stations.kind_model import KindForm, TypedControl, TypedField, form_of, kind_of
from rook_tally.desk.stations.kinds_dialog import KindsDialog
from rook_tally.store.base import Store
from rook_tally.store.site import add_series, add_station, load_site
from rook_tally.store.site.kinds import keep_kind, own_kinds
from tests.core.things.test_things import OTHERS
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened

BOX = Kind(
    "greenhouse-box",
    "greenhouse box",
    90.0,
    (
        Field("t", "temperature", "°F", accuracy=0.5, believable=(-20.0, 60.0)),
        Field("rh", "humidity", "%"),
    ),
    (
        Control("vent", "Roof vent", ControlKind.SWITCH, confirm_s=20.0),
        Control("flap", "Flap", ControlKind.NUMBER, "°", 0.0, 90.0),
        Control("fan", "Fan", ControlKind.CHOICE, choices=("auto", "off")),
    ),
)


@pytest.mark.parametrize("kind", [BOX, *KINDS.values()], ids=lambda one: one.slug)
def test_a_kind_typed_as_it_stands_is_the_same(kind: Kind) -> None:
    assert kind_of(form_of(kind), kind) == kind


def test_numbers_are_typed_in_the_unit_of_the_field() -> None:
    row = form_of(BOX).fields[0]
    assert (row.accuracy, row.low, row.high) == ("0.9", "−4", "140")
    assert form_of(BOX).cadence == "90 s"


@pytest.mark.parametrize(
    ("form", "why"),
    [
        (KindForm(), "a kind has a name"),
        (KindForm(name="box", cadence="soon"), "no length of time"),
        (KindForm(name="box", fields=(TypedField(),)), "name is missing"),
        (KindForm(name="box", fields=(TypedField("a"), TypedField("a"))), "the same name"),
        (
            KindForm(name="box", fields=(TypedField("a", low="1"),)),
            "field 1: what is believable has",
        ),
        (KindForm(name="box", fields=(TypedField("a", low="9", high="1"),)), "not below its high"),
        (KindForm(name="box", fields=(TypedField("a", accuracy="much"),)), "field 1: .* no number"),
        (KindForm(name="box", fields=(TypedField("a", accuracy="0"),)), "above 0"),
        (KindForm(name="box", controls=(TypedControl("two words"),)), "cannot name a control"),
        (KindForm(name="box", controls=(TypedControl("a", sort=ControlKind.CHOICE),)), "choices"),
    ],
)
def test_what_cannot_be_a_kind_is_said(form: KindForm, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        kind_of(form)


@pytest.fixture
def dialog(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> tuple[DeskWindow, KindsDialog]:
    with store.write() as connection:
        add_station(connection, "loft", place="Loft", kind=KINDS["climate"])
    window = open_desk()
    window.show_view(STATIONS)
    qtbot.waitUntil(lambda: bool(window.stations.fleet.rows), timeout=PATIENCE_MS)
    QTest.keyClick(window.stations, Qt.Key.Key_K)
    shown = opened(qtbot, window, KindsDialog)
    qtbot.waitUntil(lambda: shown.picked == "climate", timeout=PATIENCE_MS)
    return window, shown


def _own(store: Store) -> dict[str, Kind]:
    with store.read() as connection:
        return own_kinds(connection)


def _type(dialog: KindsDialog, row: int, column: int, text: str) -> None:
    item = dialog.fields.item(row, column)
    assert item is not None
    item.setText(text)


def test_a_kind_that_comes_with_the_program_is_changed_and_had_back(
    dialog: tuple[DeskWindow, KindsDialog], store: Store, qtbot: QtBot
) -> None:
    window, shown = dialog
    ours = KINDS["climate"]
    assert shown.list.currentItem().text() == "climate · 1"
    assert not shown.remove.isEnabled()
    _type(shown, 0, 3, "0.25")
    shown.save.click()
    qtbot.waitUntil(lambda: "climate" in _own(store), timeout=PATIENCE_MS)
    made = _own(store)["climate"]
    assert made == replace(ours, fields=(replace(ours.fields[0], accuracy=0.25), *ours.fields[1:]))
    with store.read() as connection:
        assert load_site(connection).stations[0].kind == made
    qtbot.waitUntil(shown.remove.isEnabled, timeout=PATIENCE_MS)
    assert "own, in place of ours" in shown.list.currentItem().text()
    # Deleted, the one that comes with the program is there again.
    shown.remove.click()
    qtbot.waitUntil(lambda: not _own(store), timeout=PATIENCE_MS)
    shown.close()
    window.undo.undo()
    qtbot.waitUntil(lambda: _own(store) == {"climate": made}, timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: not _own(store), timeout=PATIENCE_MS)


def test_a_colour_of_a_kind_is_that_of_its_traces(
    dialog: tuple[DeskWindow, KindsDialog], store: Store, qtbot: QtBot
) -> None:
    _, shown = dialog
    choice = shown.fields.cellWidget(0, 6)
    assert isinstance(choice, ColourChoice)
    assert choice.picked is None
    choice.setCurrentIndex(3)
    shown.save.click()
    qtbot.waitUntil(lambda: "climate" in _own(store), timeout=PATIENCE_MS)
    field = _own(store)["climate"].fields[0]
    assert field.colour == 3
    with store.write() as connection:
        station = load_site(connection).stations[0]
        quantity = QUANTITIES[field.quantity]
        made = add_series(connection, station, field=field.name, quantity=quantity, unit=field.unit)
    assert made.colour == 3
    own = replace(made, settings=SeriesSettings(colour=5))
    assert own.colour == 5
    shown.close()


def test_a_new_kind_is_made_with_what_is_wrong_said_first(
    dialog: tuple[DeskWindow, KindsDialog], store: Store, qtbot: QtBot
) -> None:
    _, shown = dialog
    shown.new.click()
    shown.name.setText("Greenhouse box")
    shown.save.click()
    assert "field 1: name is missing" in shown.problem.text()
    _type(shown, 0, 0, "t")
    shown.add_control.click()
    name = shown.controls.item(0, 0)
    assert name is not None
    name.setText("vent")
    shown.save.click()
    qtbot.waitUntil(lambda: "greenhouse-box" in _own(store), timeout=PATIENCE_MS)
    made = _own(store)["greenhouse-box"]
    assert [one.name for one in made.fields] == ["t"]
    assert made.controls == (Control("vent", "vent", ControlKind.SWITCH, low=-math.inf),)
    qtbot.waitUntil(lambda: shown.picked == "greenhouse-box", timeout=PATIENCE_MS)
    shown.copy.click()
    shown.name.setText("Climate")
    shown.save.click()
    assert "a kind of that name already" in shown.problem.text()
    shown.discard()


def test_a_kind_that_somebody_else_changed_meanwhile_is_not_written_over(
    dialog: tuple[DeskWindow, KindsDialog], store: Store, qtbot: QtBot
) -> None:
    _, shown = dialog
    _type(shown, 0, 3, "0.25")
    theirs = replace(KINDS["climate"], cadence_s=30.0)
    with store.write() as connection:
        keep_kind(connection, theirs)
    shown.save.click()
    qtbot.waitUntil(lambda: bool(shown.problem.text()), timeout=PATIENCE_MS)
    assert _own(store) == {"climate": theirs}
    item = shown.fields.item(0, 3)
    assert item is not None
    # What was typed is there still.
    assert item.text() == "0.25"
    shown.discard()


def test_what_a_file_alone_has_goes_with_a_kind_and_its_copy() -> None:
    """How messages of other shapes are read has no cell in the form."""
    kind = kind_from_toml(
        'slug = "probe"\nname = "probe"\ncadence_s = 60\n'
        '[[layout.field]]\nname = "temp"\nat = 0\ntype = "u8"\n'
        '[[register]]\nname = "power"\nat = 3\n'
    )
    assert kind_of(form_of(kind), kind) == kind
    copied = kind_of(replace(form_of(kind), slug="", name="probe, copy"))
    assert (copied.layout, copied.registers) == (kind.layout, kind.registers)


def test_a_kind_is_read_from_a_description_and_saved_as_one(
    dialog: tuple[DeskWindow, KindsDialog], store: Store, qtbot: QtBot, tmp_path: Path
) -> None:
    _, shown = dialog
    file = tmp_path / "box.json"
    for text, said in (("{", "it is no JSON"), (OTHERS, "Left out: event overheated")):
        file.write_text(text)
        shown.read_file.click()
        chooser = opened(qtbot, shown, QFileDialog)
        chooser.fileSelected.emit(str(file))
        chooser.close()
        assert said in shown.problem.text()
    # It is shown, and not saved before somebody says so.
    assert shown.name.text() == "Bench Air Box"
    assert shown.is_touched
    assert _own(store) == {}
    shown.save.click()
    qtbot.waitUntil(lambda: "bench-air-box" in _own(store), timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: shown.picked == "bench-air-box", timeout=PATIENCE_MS)
    saved = tmp_path / "again.json"
    shown.save_file.click()
    chooser = opened(qtbot, shown, QFileDialog)
    chooser.fileSelected.emit(str(saved))
    chooser.close()
    again, own = kind_from_text(saved.read_text()).kind, _own(store)["bench-air-box"]
    assert again.fields == own.fields
    # Buttons are actions of a model, and come last.
    assert {one.name: one for one in again.controls} == {one.name: one for one in own.controls}
