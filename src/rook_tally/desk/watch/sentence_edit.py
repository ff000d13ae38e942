"""The sentence: words that run on like text, those that can be changed as buttons among them."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QAction, QHideEvent, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QFrame,
    QLayout,
    QLayoutItem,
    QLineEdit,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.alarms.sentences import Part, Piece
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import MEDIUM, colour, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.watch.model import WatchModel
from rook_tally.desk.watch.part_choices import PartChoice
from rook_tally.desk.watch.texts import tr

_LINE = 34
_GAP = 8


class _Flow(QLayout):
    """Words in lines that break where the width ends; a new sentence begins a new line."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self.breaks: set[int] = set()
        # Words that begin with a comma stand close to what comes before.
        self.close: set[int] = set()
        # By width: Qt asks for each dozens of times whenever anything in the view is laid out.
        self._heights: dict[int, int] = {}

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)
        self._heights.clear()

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, at: int) -> QLayoutItem | None:
        return self._items[at] if 0 <= at < len(self._items) else None

    def takeAt(self, at: int) -> QLayoutItem | None:
        self._heights.clear()
        return self._items.pop(at) if 0 <= at < len(self._items) else None

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        if width not in self._heights:
            self._heights[width] = self._laid_out(QRect(0, 0, width, 0), is_real=False)
        return self._heights[width]

    def invalidate(self) -> None:
        """Something in it is of another size."""
        self._heights.clear()
        super().invalidate()

    def sizeHint(self) -> QSize:
        return QSize(400, self.heightForWidth(680))

    def minimumSize(self) -> QSize:
        return QSize(200, _LINE)

    def setGeometry(self, area: QRect) -> None:
        super().setGeometry(area)
        self._laid_out(area, is_real=True)

    def _laid_out(self, area: QRect, *, is_real: bool) -> int:
        x, y = area.left(), area.top()
        for at, item in enumerate(self._items):
            size = item.sizeHint()
            if at in self.close:
                x -= _GAP - 2
            if x > area.left() and (at in self.breaks or x + size.width() > area.right()):
                x, y = area.left(), y + _LINE
            if is_real:
                item.setGeometry(QRect(QPoint(x, y + (_LINE - size.height()) // 2), size))
            x += size.width() + _GAP
        return y + _LINE - area.top()


class _Typing(QFrame):
    """A line to type a part into, right under it. Enter takes it, Escape leaves it; `left` is sent
    when it is closed in any other way, as by a click beside it."""

    left = Signal()

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.is_done = False
        self.line = QLineEdit()
        self.line.setFont(face(14))
        self.why = Label()
        self.why.setWordWrap(True)
        self.why.setMaximumWidth(280)
        tint(self.why, theme.level(Level.HIGH))
        self.setStyleSheet(f"QFrame {{ background: {theme.sheet}; }}")
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.addWidget(self.line)
        column.addWidget(self.why)
        self.why.hide()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        self.is_done = self.is_done or event.key() == Qt.Key.Key_Escape
        super().keyPressEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        if not self.is_done:
            self.is_done = True
            self.left.emit()

    def refuse(self, why: str) -> None:
        self.why.setText(why)
        self.why.show()
        self.adjustSize()


def _parts_of(lines: list[list[Piece]]) -> list[list[str]]:
    """The parts of a sentence that do not change with the words chosen."""
    return [
        [piece.text if piece.part is None else piece.part.value for piece in line] for line in lines
    ]


class SentenceEdit(QWidget):
    """Shows the model's sentence; a part is changed where it stands."""

    edited = Signal()
    ways_wanted = Signal()

    def __init__(self, theme: Theme, model: WatchModel) -> None:
        super().__init__()
        self._theme, self._model = theme, model
        self._flow = _Flow(self)
        self._shown: list[list[Piece]] = []
        self._level: Level | None = None
        self._buttons: list[QPushButton] = []
        self.parts: dict[Part, QPushButton] = {}
        self.typing: _Typing | None = None
        self.menu: QMenu | None = None

    def refresh(self) -> None:
        """Write the sentence anew, if it says something else."""
        lines = self._model.lines_of_sentence()
        if lines == self._shown:
            return
        if _parts_of(lines) == _parts_of(self._shown) and not self._is_coloured_otherwise():
            # A limit that is dragged changes a word a frame.
            self._shown = lines
            told = [piece for line in lines for piece in line if piece.part is not None]
            for button, piece in zip(self._buttons, told, strict=True):
                self._write(button, piece)
            return
        focused = next((part for part, one in self.parts.items() if one.hasFocus()), None)
        self._shown = lines
        while (item := self._flow.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.parts.clear()
        self._buttons.clear()
        self._flow.breaks, self._flow.close = set(), set()
        count = 0
        for line in lines:
            self._flow.breaks.add(count)
            for piece in line:
                if piece.text[:1] in ",;":
                    self._flow.close.add(count)
                self._flow.addWidget(self._made(piece))
                count += 1
        if focused in self.parts:
            self.parts[focused].setFocus()
        self._keep_room()

    @staticmethod
    def _write(button: QPushButton, piece: Piece) -> None:
        if button.text() != tr(piece.text):
            assert piece.part is not None
            button.setText(tr(piece.text))
            button.setAccessibleName(f"{tr(piece.part.value)}: {piece.text}")

    def _is_coloured_otherwise(self) -> bool:
        level = None if self._model.draft is None else self._model.draft.level
        is_so = level is not self._level
        self._level = level
        return is_so

    def _made(self, piece: Piece) -> QWidget:
        if piece.part is None:
            word = Label(tr(piece.text))
            word.setFont(face(14))
            return word
        button = QPushButton()
        self._write(button, piece)
        button.setFont(face(14, MEDIUM))
        button.setObjectName("part")
        theme = self._theme
        shade = colour(theme.sheen)
        ink = theme.sheen
        ground = f"rgba({shade.red()}, {shade.green()}, {shade.blue()}, 34)"
        if piece.part in (Part.LIMIT, Part.LOW, Part.LEVEL):
            draft = self._model.draft
            level = Level.HIGH if draft is None or not draft.level else draft.level
            ink, ground = theme.level(level), theme.tint(level)
        elif piece.part is Part.CLEAR:
            ink = theme.level(Level.NOTICED)
            shade = colour(ink)
            ground = f"rgba({shade.red()}, {shade.green()}, {shade.blue()}, 34)"
        button.setStyleSheet(
            f"QPushButton#part {{ border: none; border-bottom: 1px dotted {ink}; color: {ink};"
            f" background: {ground}; border-radius: 3px; padding: 3px 8px; }}"
            f"QPushButton#part:focus {{ border: 1px solid {ink}; padding: 2px 7px; }}"
        )
        button.clicked.connect(partial(self.open, piece.part))
        self.parts[piece.part] = button
        self._buttons.append(button)
        return button

    def open(self, part: Part) -> None:
        """Let a part be changed: by a menu of choices, or a line to type into."""
        choices = self._model.choices(part)
        if choices:
            self._offer(part, choices)
            return
        text = self._model.typed(part)
        typing = _Typing(self._theme, self)
        self.typing = typing
        typing.line.setText(text)
        typing.line.selectAll()
        typing.line.setAccessibleName(tr(part.value))
        typing.line.returnPressed.connect(partial(self._take, part))
        typing.left.connect(partial(self._on_left, part, text))
        typing.move(self._under(part))
        typing.show()
        typing.line.setFocus()

    def _under(self, part: Part) -> QPoint:
        button = self.parts.get(part)
        if button is None:
            return self.mapToGlobal(QPoint(0, _LINE))
        return button.mapToGlobal(QPoint(0, button.height() + 2))

    def _offer(self, part: Part, choices: list[PartChoice]) -> None:
        menu = QMenu(self)
        self.menu = menu
        for one in choices:
            action = QAction(one.words, menu)
            action.setCheckable(True)
            action.setChecked(one.is_chosen)
            action.triggered.connect(partial(self._choose, one))
            menu.addAction(action)
        if part in (Part.TELL, Part.ESCALATE_TO):
            menu.addSeparator()
            menu.addAction(tr("Set up another way…")).triggered.connect(self.ways_wanted)
        menu.popup(self._under(part))

    def _choose(self, choice: PartChoice, _checked: bool = False) -> None:
        self._model.choose(choice.watch)
        self.edited.emit()

    def _take(self, part: Part) -> None:
        if self.typing is None:
            return
        why = self._model.type_over(part, self.typing.line.text())
        if why:
            self.typing.refuse(why)
            return
        self.typing.is_done = True
        self.typing.close()
        self.typing = None
        self.edited.emit()

    def _on_left(self, part: Part, before: str) -> None:
        """A click beside the line: what was typed is taken, or it is said why it cannot be."""
        if self.typing is None:
            return
        text, self.typing = self.typing.line.text(), None
        if text == before:
            return
        why = self._model.type_over(part, text)
        if why:
            self._model.refused(tr("{0} was not taken: {1}", text, why))
        else:
            self.edited.emit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Every line keeps its room, however narrow the window."""
        super().resizeEvent(event)
        self._keep_room()

    def _keep_room(self) -> None:
        self.setMinimumHeight(self._flow.heightForWidth(self.width()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right go from part to part."""
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        parts = list(self.parts.values())
        at = next((at for at, one in enumerate(parts) if one.hasFocus()), None)
        if step is None or at is None:
            super().keyPressEvent(event)
            return
        parts[(at + step) % len(parts)].setFocus()
