"""The pottery's sheets made at the window: panes picked by letters, dropped and dragged to where
they stand."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox, QLineEdit

from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.wall.definitions import Pane, PaneKind, WallSheet
from rook_tally.core.wall.tiling import COLUMNS, ROWS, Side
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.wall.series_picker import SeriesPicker
from rook_tally.store.site import Series, Station
from tests.demo.hands import CONTROL, Hands
from tests.desk.driving import press

_LEFT = Qt.MouseButton.LeftButton
_Step = Callable[["_SheetHands"], None]


class _SheetHands:
    """Hands on one sheet that is being arranged."""

    def __init__(self, hands: Hands) -> None:
        self._hands = hands
        self._wall = hands.window.wall

    def begin(self, sheet: WallSheet) -> None:
        """An empty sheet with its first pane, called as it is to be."""
        before = len(self._wall.model.sheets)
        if before:
            self._hands.key(self._wall.canvas, Qt.Key.Key_N, CONTROL)
        else:
            self._hands.click(self._wall.blank)
        self._hands.until(lambda: len(self._wall.model.sheets) == before + 1)
        self._choose(sheet.panes[0])
        self._finish(sheet.panes[0])
        self._hands.key(self._wall.canvas, Qt.Key.Key_F2)
        asked = self._hands.opened(ValueDialog, self._wall)
        assert isinstance(asked.field, QLineEdit)
        self._hands.write(asked.field, sheet.name)
        press(asked, QDialogButtonBox.StandardButton.Save)
        self._until_saved(lambda one: one.name == sheet.name)

    def add(self, beside: int, pane: Pane) -> None:
        """Another pane beside one that is picked."""
        self._pick(beside)
        count = len(self._panes)
        self._hands.key(self._wall.canvas, Qt.Key.Key_N)
        self._choose(pane)
        self._until_saved(lambda one: len(one.panes) == count + 1)
        self._finish(pane)

    def drop(self, at: int, onto: int, side: Side) -> None:
        """Carry a pane onto the side of another."""
        canvas = self._wall.canvas
        rect = canvas.rect_of(self._panes[onto].area)
        to = QPoint(rect.center().x(), rect.bottom() - 4)
        assert side is Side.DOWN
        begin = canvas.rect_of(self._panes[at].area).center()
        QTest.mousePress(canvas, _LEFT, pos=begin)
        QTest.mouseMove(canvas, begin + QPoint(30, 0))
        QTest.mouseMove(canvas, to)
        QTest.mouseRelease(canvas, _LEFT, pos=to)
        self._hands.until(lambda: self._wall.is_up_to_date)

    def drag(self, at: int, side: Side, to: int) -> None:
        """Drag a pane's left or upper edge to a line of the grid."""
        canvas = self._wall.canvas
        rect = canvas.rect_of(self._panes[at].area)
        if side is Side.LEFT:
            begin = QPoint(rect.left(), rect.center().y())
            end = QPoint(round(to * canvas.width() / COLUMNS), begin.y())
        else:
            begin = QPoint(rect.center().x(), rect.top())
            end = QPoint(begin.x(), round(to * canvas.height() / ROWS))
        QTest.mousePress(canvas, _LEFT, pos=begin)
        QTest.mouseMove(canvas, end)
        QTest.mouseRelease(canvas, _LEFT, pos=end)
        self._hands.until(lambda: self._wall.is_up_to_date)

    def swap_right(self, at: int, times: int) -> None:
        """Let a pane change places with those to its right."""
        self._pick(at)
        for _ in range(times):
            self._hands.key(self._wall.canvas, Qt.Key.Key_Right, CONTROL)
            self._hands.until(lambda: self._wall.is_up_to_date)

    @property
    def _panes(self) -> tuple[Pane, ...]:
        sheet = self._wall.model.sheet
        assert sheet is not None
        return sheet.panes

    def _pick(self, at: int) -> None:
        canvas = self._wall.canvas
        QTest.mouseClick(canvas, _LEFT, pos=canvas.rect_of(self._panes[at].area).center())
        assert self._wall.model.picked == at
        canvas.setFocus()

    def _until_saved(self, is_so: Callable[[WallSheet], bool]) -> None:
        self._hands.until(lambda: any(is_so(one) for one in self._hands.made().sheets or ()))
        self._hands.until(
            lambda: (
                self._wall.is_up_to_date
                and self._wall.model.sheet is not None
                and is_so(self._wall.model.sheet)
            )
        )

    def _choose(self, pane: Pane) -> None:
        """What the pane shows first, by its letters, and its kind."""
        picker = self._hands.opened(SeriesPicker, self._wall)
        self._pick_entry(picker, pane.shows[0] if pane.shows else pane.kind)
        kinds = [
            picker.kinds.item(at).data(Qt.ItemDataRole.UserRole)
            for at in range(9)[: picker.kinds.count()]
        ]
        picker.kinds.setFocus()
        for _ in range(kinds.index(pane.kind)):
            self._hands.key(picker.kinds, Qt.Key.Key_Down)
        self._hands.key(picker.kinds, Qt.Key.Key_Return)

    def _pick_entry(self, picker: SeriesPicker, wanted: str | PaneKind) -> None:
        if isinstance(wanted, str):
            letters = wanted.replace("everywhere/*", "").replace("@", " ").replace("-", " ")
            QTest.keyClicks(picker.typed, letters)
        found = [
            picker.series.item(at).data(Qt.ItemDataRole.UserRole)
            for at in range(picker.series.count())
        ]
        at = next(at for at, one in enumerate(found) if _is(one, wanted))
        steps = at - picker.series.currentRow()
        for _ in range(abs(steps)):
            self._hands.key(picker.typed, Qt.Key.Key_Down if steps > 0 else Qt.Key.Key_Up)
        assert picker.series.currentRow() == at

    def _finish(self, pane: Pane) -> None:
        """All else that is said of the picked pane, on its page beside."""
        panel, hands = self._wall.panel, self._hands
        hands.until(panel.isVisible)
        for reference in pane.shows[1:]:
            count = len(self._wall.model.pane.shows) if self._wall.model.pane else 0
            hands.click(panel.more)
            picker = hands.opened(SeriesPicker, self._wall)
            self._pick_entry(picker, reference)
            hands.key(picker.typed, Qt.Key.Key_Return)
            hands.until(
                lambda: self._wall.model.pane and len(self._wall.model.pane.shows) == count + 1  # noqa: B023
            )
        typed = [
            (panel.title, pane.title),
            (panel.low, "" if pane.low is None else f"{pane.low:g}"),
            (panel.high, "" if pane.high is None else f"{pane.high:g}"),
        ]
        if pane.above is not None:
            typed += [
                (panel.limits["above"][name], f"{getattr(pane.above, name):g}")
                for name in ("noticed", "raised", "high", "severe")
            ]
        for field, text in typed:
            if text:
                hands.write(field, text)
                hands.key(field, Qt.Key.Key_Tab)
        if pane.kind is PaneKind.RIBBON and pane.span_s != 86_400:
            hands.choose(panel.span, f"{pane.span_s / 86_400:g} d")
            line = panel.span.lineEdit()
            assert line is not None
            hands.key(line, Qt.Key.Key_Return)
        if pane.text:
            panel.words.setFocus()
            QTest.keyClicks(panel.words, pane.text)
        self._wall.canvas.setFocus()
        hands.until(lambda: self._wall.model.pane and _says(self._wall.model.pane, pane))


def _is(found: object, wanted: str | PaneKind) -> bool:
    if isinstance(found, Series) and isinstance(wanted, str):
        place = slug_of(found.station.place.name)
        return wanted in (f"{found.quantity.slug}@{place}", f"{found.quantity.slug}@everywhere/*")
    if isinstance(found, Station):
        return wanted == f"@{found.key}"
    return found is wanted


def _says(made: Pane, wanted: Pane) -> bool:
    return made.placed(wanted.area) == wanted


def make_sheets(hands: Hands, sheets: dict[str, WallSheet]) -> None:
    """Make the four sheets."""
    one = _SheetHands(hands)
    _studios(one, sheets["studios"])
    _kiln(one, sheets["kiln-and-loft"])
    _yard(one, sheets["yard-and-mill"])
    _plan(one, sheets["plan"])


def _studios(hands: _SheetHands, sheet: WallSheet) -> None:
    hands.begin(sheet)
    hands.add(0, sheet.panes[1])
    hands.drag(1, Side.LEFT, 8)
    hands.add(1, sheet.panes[2])
    hands.drop(2, 1, Side.DOWN)
    hands.add(0, sheet.panes[3])
    hands.drag(3, Side.UP, 8)
    hands.add(2, sheet.panes[4])
    hands.drop(4, 2, Side.DOWN)
    hands.drag(4, Side.UP, 8)
    hands.drag(2, Side.UP, 5)
    hands.add(4, sheet.panes[5])
    hands.drag(5, Side.LEFT, 17)
    hands.add(5, sheet.panes[6])
    hands.drop(6, 5, Side.DOWN)
    hands.drag(6, Side.UP, 11)


def _kiln(hands: _SheetHands, sheet: WallSheet) -> None:
    hands.begin(sheet)
    hands.add(0, sheet.panes[1])
    hands.add(1, sheet.panes[2])
    hands.drop(2, 0, Side.DOWN)
    hands.add(1, sheet.panes[3])
    hands.drop(3, 1, Side.DOWN)
    hands.drag(1, Side.LEFT, 10)
    hands.add(3, sheet.panes[4])
    hands.add(2, sheet.panes[5])
    hands.swap_right(5, 2)


def _yard(hands: _SheetHands, sheet: WallSheet) -> None:
    hands.begin(sheet)
    hands.add(0, sheet.panes[1])
    hands.drag(1, Side.LEFT, 8)
    hands.add(0, sheet.panes[2])
    hands.add(1, sheet.panes[3])
    hands.drop(3, 1, Side.DOWN)
    hands.add(3, sheet.panes[4])
    hands.drag(4, Side.LEFT, 17)


def _plan(hands: _SheetHands, sheet: WallSheet) -> None:
    hands.begin(sheet)
    hands.add(0, sheet.panes[1])
    hands.drag(1, Side.LEFT, 18)
    hands.add(1, sheet.panes[2])
