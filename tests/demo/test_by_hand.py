"""The whole pottery made by hand from an empty store, in the window with mouse and keyboard alone:
what it exports then is the demo's own site file. Only its stations are not hands: they send."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QMimeData, QPointF, Qt
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox, QFileDialog
from pytestqt.qtbot import QtBot

from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.alarms.edits import typed_text
from rook_tally.core.alarms.sentences import Part, guard_words, run_words, scope_words
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.site_file.content import StationEntry
from rook_tally.core.workings.definitions import Placement, Working
from rook_tally.desk.app.views import REPORTS, STATIONS, WALL, WATCH, WORKINGS
from rook_tally.desk.dialogs.limits import LimitsDialog
from rook_tally.desk.dialogs.places import PlacesDialog
from rook_tally.desk.dialogs.site_settings import SiteDialog
from rook_tally.desk.plan.canvas import STATION_MIME
from rook_tally.desk.plan.where_dialog import WhereDialog
from rook_tally.desk.reports.dialog import ReportDialog
from rook_tally.desk.stations.connection_sheet_dialog import ConnectionSheetDialog
from rook_tally.desk.stations.new_station import NewStationDialog
from rook_tally.desk.stations.settings_dialog import StationSettingsDialog
from rook_tally.desk.stations.take_in_dialog import TakeInDialog
from rook_tally.desk.stations.take_in_state import TakeInStep
from rook_tally.desk.watch.part_choices import KIND_WORDS
from rook_tally.desk.workings.actions import WorkingsAction
from rook_tally.desk.workings.rows import WorkingKind
from rook_tally.store.base import Store
from tests.demo.hands import CONTROL, Hands
from tests.demo.sending import POTTERY, first_message
from tests.demo.sheets_by_hand import make_sheets
from tests.desk.conftest import OpenDesk, open_desk
from tests.desk.driving import press
from tests.processes import CollectorProcess

__all__ = ["open_desk"]
# These were never added: they sent, and somebody took them in.
_TAKEN_IN = ("pug-gearbox", "quay-gate")


@pytest.fixture
def hands(
    collector: CollectorProcess, open_desk: OpenDesk, qtbot: QtBot, store: Store
) -> Iterator[Hands]:
    window = open_desk()
    window.resize(1280, 800)
    made = Hands(window, qtbot, store)
    yield made
    made.close()


def test_the_pottery_by_hand(hands: Hands, collector: CollectorProcess, tmp_path: Path) -> None:
    _make_the_site(hands)
    _make_places(hands)
    for station in POTTERY.stations or ():
        _make_station(hands, collector, station)
    _set_limits(hands)
    _draw_the_plan(hands, tmp_path)
    _name_groups(hands)
    _make_workings(hands)
    _make_watches(hands)
    hands.window.show_view(WALL)
    make_sheets(hands, {one.slug: one for one in POTTERY.sheets or ()})
    hands.until(lambda: hands.made().sheets == POTTERY.sheets)
    _describe_reports(hands)
    made = hands.made()
    for name in made.__struct_fields__:
        assert getattr(made, name) == getattr(POTTERY, name), name


def _describe_reports(hands: Hands) -> None:
    hands.window.show_view(REPORTS)
    for report in POTTERY.reports or ():
        hands.key(hands.window.reports.list, Qt.Key.Key_N)
        dialog = hands.opened(ReportDialog)
        hands.write(dialog.name, report.name)
        dialog.stretch.setCurrentIndex(dialog.stretch.findData(report.stretch))
        for names, wanted in ((dialog.places, report.places),):
            for at in range(names.count()):
                if names.item(at).text() in wanted:
                    names.setCurrentRow(at)
                    hands.key(names, Qt.Key.Key_Space)
        for part, box in dialog.parts.items():
            if box.isChecked() is not (part in report.parts):
                hands.key(box, Qt.Key.Key_Space)
        for form, box in dialog.forms.items():
            if box.isChecked() is not (form in report.forms):
                hands.key(box, Qt.Key.Key_Space)
        hands.write(dialog.at, report.at)
        hands.write(dialog.folder, report.folder)
        if report.begin is not None and report.end is not None:
            hands.write(dialog.begin, report.begin.isoformat())
            hands.write(dialog.end, report.end.isoformat())
        press(dialog, QDialogButtonBox.StandardButton.Save)
        hands.gone(dialog)
    hands.until(lambda: hands.made().reports == POTTERY.reports)


def _make_the_site(hands: Hands) -> None:
    site = POTTERY.site
    assert site is not None
    hands.key(hands.window, Qt.Key.Key_Comma, CONTROL)
    dialog = hands.opened(SiteDialog)
    hands.until(dialog.isEnabled)
    hands.write(dialog.name, site.name)
    hands.write(dialog.zone, site.zone)
    hands.click(dialog.save)
    hands.until(lambda: hands.made().site == site)


def _make_places(hands: Hands) -> None:
    hands.key(hands.window.ledger, Qt.Key.Key_F2)
    dialog = hands.opened(PlacesDialog)
    for place in POTTERY.places or ():
        hands.key(dialog.tree, Qt.Key.Key_Insert)
        hands.answer(dialog, place.name)
        hands.until(lambda: dialog.picked is not None and dialog.picked.name == place.name)  # noqa: B023
        if place.outdoors:
            hands.key(dialog.tree, Qt.Key.Key_I, CONTROL)
            hands.until(lambda: (hands.made().places or ())[-1].outdoors)
    dialog.close()


def _make_station(hands: Hands, collector: CollectorProcess, station: StationEntry) -> None:
    view = hands.window.stations
    hands.window.show_view(STATIONS)
    if station.key in _TAKEN_IN:
        collector.publish(station.key, json.dumps(first_message(station)))
        _take_in(hands, station)
    else:
        _add(hands, station)
        status, answer = collector.post(
            json.dumps(first_message(station)), query=f"?station={station.key}"
        )
        assert (status, answer["kept"]) == (200, len(station.fields)), answer
    hands.until(
        lambda: (
            [len(one.fields) for one in hands.made().stations or () if one.key == station.key]
            == [len(station.fields)]
        )
    )
    hands.until(lambda: hands.window.state.site.station(station.key))
    if station.cadence_s is not None:
        view.pick(station.key)
        hands.key(view.list, Qt.Key.Key_S)
        dialog = hands.opened(StationSettingsDialog)
        hands.until(dialog.isEnabled)
        hands.write(dialog.cadence, f"{station.cadence_s:g} s")
        press(dialog, QDialogButtonBox.StandardButton.Save)


def _add(hands: Hands, station: StationEntry) -> None:
    hands.key(hands.window.stations, Qt.Key.Key_N, CONTROL)
    dialog = hands.opened(NewStationDialog)
    hands.until(dialog.kind.count)
    hands.write(dialog.key, station.key)
    hands.choose(dialog.place, station.place)
    dialog.kind.setCurrentIndex(dialog.kind.findData(station.kind))
    press(dialog, QDialogButtonBox.StandardButton.Save)
    hands.opened(ConnectionSheetDialog).close()


def _take_in(hands: Hands, station: StationEntry) -> None:
    view = hands.window.stations
    hands.until(view.note.isVisible)
    hands.key(view.list, Qt.Key.Key_A)
    dialog = hands.opened(TakeInDialog)
    hands.until(lambda: dialog.taken.step is TakeInStep.DECIDING)
    hands.choose(dialog.place, station.place)
    dialog.kind.setCurrentIndex(dialog.kind.findData(station.kind))
    hands.click(dialog.take_in)
    hands.until(lambda: dialog.taken.step is TakeInStep.DONE)
    hands.click(dialog.close_button)


def _set_limits(hands: Hands) -> None:
    view = hands.window.stations
    for station in POTTERY.stations or ():
        for at, one in enumerate(station.fields):
            if one.limits is None:
                continue
            view.pick(station.key)
            fields = view.page.fields
            hands.until(lambda: fields.item(at, 0) and fields.item(at, 0).text() == one.name)  # noqa: B023
            fields.setCurrentCell(at, 0)
            fields.setFocus()
            hands.key(fields, Qt.Key.Key_L)
            _type_limits(hands, one.limits)


def _type_limits(hands: Hands, limits: Limits) -> None:
    dialog = hands.opened(LimitsDialog)
    hands.until(dialog.isEnabled)
    hands.choose(dialog.scope, dialog.scope.itemText(0))
    for side, values in (("above", limits.above), ("below", limits.below)):
        for edit, value in zip(dialog.fields[side], values, strict=True):
            hands.write(edit, "" if value is None else f"{value:g}")
    press(dialog, QDialogButtonBox.StandardButton.Save)
    hands.gone(dialog)


def _draw_the_plan(hands: Hands, folder: Path) -> None:
    hands.window.show_view(STATIONS)
    hands.key(hands.window.stations, Qt.Key.Key_P)
    page = hands.window.stations.plan
    hands.until(page.isVisible)
    (plan,) = POTTERY.plans or ()
    file = folder / f"{plan.name.lower().replace(' ', '-')}.png"
    file.write_bytes(plan.picture)
    hands.click(page.new)
    chooser = hands.opened(QFileDialog)
    chooser.fileSelected.emit(str(file))
    chooser.close()
    hands.until(lambda: page.model.plan is not None)
    # Each is dragged from the list to where it hangs.
    for mark in plan.marks:
        carried = QMimeData()
        carried.setData(STATION_MIME, mark.station.encode())
        inside = page.canvas.inside
        x, y = mark.at[0] * inside.width(), mark.at[1] * inside.height()
        page.canvas.dropEvent(
            QDropEvent(
                QPointF(inside.left() + x, inside.top() + y),
                Qt.DropAction.MoveAction,
                carried,
                Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
            )
        )
        hands.until(lambda: _marks(hands).get(mark.station) == mark.at)  # noqa: B023
    for station in POTTERY.stations or ():
        if station.hangs:
            page.pick(station.key)
            hands.click(page.where)
            dialog = hands.opened(WhereDialog)
            hands.write(dialog.words, station.hangs)
            press(dialog, QDialogButtonBox.StandardButton.Save)
            hands.gone(dialog)


def _marks(hands: Hands) -> dict[str, tuple[float, float]]:
    return {mark.station: mark.at for plan in hands.made().plans or () for mark in plan.marks}


def _name_groups(hands: Hands) -> None:
    hands.window.show_view(WORKINGS)
    view = hands.window.workings
    for group in POTTERY.groups or ():
        hands.until(lambda: view.is_up_to_date)
        view.do(WorkingsAction.NEW)
        hands.click(view.offers_page.own[WorkingKind.GROUP])
        page = view.group_page
        hands.write(page.name, group.name)
        for at in range(page.places.count()):
            if page.places.item(at).text() in group.places:
                page.places.setCurrentRow(at)
                hands.key(page.places, Qt.Key.Key_Space)
        hands.key(view, Qt.Key.Key_S, CONTROL)
        hands.until(lambda: group in (hands.made().groups or ()))  # noqa: B023


def _make_workings(hands: Hands) -> None:
    for working in POTTERY.workings or ():
        _make_working(hands, working)
        hands.until(lambda: _working(hands, working.slug) == replace(working, limits=None))  # noqa: B023
        if working.limits is not None:
            hands.until(
                lambda: (
                    working.slug  # noqa: B023
                    in {one.quantity.slug for one in hands.window.state.site.series}
                )
            )
            hands.click(hands.window.workings.formula_page.foot.limits_button)
            _type_limits(hands, working.limits)


def _working(hands: Hands, slug: str) -> Working | None:
    return next((one for one in hands.made().workings or () if one.slug == slug), None)


def _make_working(hands: Hands, working: Working) -> None:
    view = hands.window.workings
    hands.until(lambda: view.is_up_to_date)
    variant_of = "" if working.score is None else working.score.variant_of
    if variant_of:
        view.pick(WorkingKind.SCORE, variant_of)
        hands.click(view.score_page.variant)
        for name in (working.slug.replace("_", " ").capitalize(), working.name):
            hands.write(view.score_page.head.name, name)
            hands.until(lambda: view.is_up_to_date)
            hands.key(view, Qt.Key.Key_S, CONTROL)
            hands.until(lambda: view.is_up_to_date and not view.model.is_altered)
        return
    view.do(WorkingsAction.NEW)
    hands.until(lambda: view.is_up_to_date)
    page = view.offers_page
    hands.until(lambda: not page.is_adding)
    offered = page.buttons.get(working.slug)
    if offered is not None:
        offered.click()
        hands.until(lambda: _working(hands, working.slug) is not None)
        hands.until(lambda: view.is_up_to_date and view.model.kept is not None)
    else:
        hands.click(page.own[WorkingKind.FORMULA])
    head, edit = view.formula_page.head, view.formula_page.edit
    if view.model.draft is not None and view.model.draft.score is not None:
        return
    if edit.toPlainText() != working.formula:
        edit.setFocus()
        edit.selectAll()
        QTest.keyClicks(edit, working.formula)
        edit.popup.hide()
    if offered is None:
        # What formulas call it comes from its first name; called otherwise, it keeps that.
        hands.write(head.name, working.slug.replace("_", " ").capitalize())
        hands.until(lambda: view.is_up_to_date)
        hands.key(view, Qt.Key.Key_S, CONTROL)
        hands.until(lambda: _working(hands, working.slug) is not None)
        hands.until(lambda: view.is_up_to_date and not view.model.is_altered)
    hands.write(head.name, working.name)
    made = "made once" if working.made is Placement.ONCE else "each place"
    hands.choose(head.made, f"{made}: {working.group}" if working.group else made)
    if working.place:
        hands.choose(head.stands, working.place)
    hands.choose(
        head.decimals, "usual decimals" if working.decimals is None else str(working.decimals)
    )
    hands.until(lambda: view.is_up_to_date)
    hands.key(view, Qt.Key.Key_S, CONTROL)


def _make_watches(hands: Hands) -> None:
    hands.window.show_view(WATCH)
    view = hands.window.watch
    for watch in POTTERY.watches or ():
        hands.until(lambda: view.is_up_to_date)
        hands.click(view.new)
        hands.write(view.name, watch.name)
        draft = view.model.draft
        assert draft is not None
        for name in (*draft.tell, *watch.tell):
            if (name in draft.tell) != (name in watch.tell):
                _change_part(hands, Part.TELL, name)
        for part, words in _parts(watch):
            _change_part(hands, part, words)
        hands.until(lambda: view.is_up_to_date)
        hands.key(view, Qt.Key.Key_S, CONTROL)
        hands.until(lambda: watch.slug in {one.slug for one in hands.made().watches or ()})  # noqa: B023
        assert [one for one in hands.made().watches or () if one.slug == watch.slug] == [watch]


def _parts(watch: Watch) -> Iterator[tuple[Part, str]]:
    """What is chosen or typed for each part of the sentence, in an order in which each can be."""
    if watch.scope.quantity:
        yield Part.QUANTITY, QUANTITIES[watch.scope.quantity].name
    yield Part.SORT, KIND_WORDS[watch.sort]
    yield Part.SCOPE, scope_words(watch.scope)
    for guard in watch.guards:
        yield Part.GUARD, guard_words(guard, QUANTITIES[guard.scope.quantity].name)
    yield Part.LEVEL, watch.level.wording
    if watch.run is not None:
        yield Part.CONTROL, run_words(watch.run)
    for part in (
        *(Part.LIMIT, Part.CLEAR, Part.WINDOW, Part.EXCLUDE, Part.FOR, Part.CALM),
        *(Part.REPEAT, Part.AT_LEAST, Part.AT_MOST),
    ):
        words = typed_text(watch, part)
        if words:
            yield part, words


def _change_part(hands: Hands, part: Part, words: str) -> None:
    edit, model = hands.window.watch.sentence, hands.window.watch.model
    if part not in edit.parts:
        return
    hands.key(edit.parts[part], Qt.Key.Key_Space)
    choices = model.choices(part)
    if choices:
        assert edit.menu is not None
        (wanted,) = [one for one in edit.menu.actions() if one.text() == words]
        wanted.trigger()
        edit.menu.close()
        return
    assert edit.typing is not None
    hands.write(edit.typing.line, words)
    hands.key(edit.typing.line, Qt.Key.Key_Return)
    assert edit.typing is None, (part, words)
