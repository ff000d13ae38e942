"""Remarks written in the Strip: a span named, a pin dropped, one altered or deleted."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

from rook_tally.core.remarks import Remark, next_shade
from rook_tally.core.theme import Theme
from rook_tally.desk.data.commands import SaveRemark
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.parts.remark_dialog import RemarkDialog
from rook_tally.desk.strip.model import StripModel
from rook_tally.desk.strip.remarks import span_of_window
from rook_tally.login import login_name


class RemarkTasks:
    """Opens the dialog of a remark, and has written down what comes of it."""

    def __init__(
        self,
        theme: Theme,
        model: StripModel,
        client: StoreClient,
        parent: QWidget,
        *,
        on_span: Callable[[], None],
    ) -> None:
        self._theme, self._model, self._client = theme, model, client
        self._parent, self._on_span = parent, on_span

    def name_span(self) -> None:
        """Let the person name the marked stretch, or the window where none is marked."""
        window, now_us = self._model.window, self._model.state.clock()
        stretch = self._model.stretch or (window.start_us, window.end_us)
        start_us, end_us = span_of_window(*stretch, now_us)
        self.edit(self._new_remark(start_us, end_us))

    def drop_pin(self) -> None:
        """Let the person say what happened at the cursor."""
        at_us = span_of_window(self._model.pin_us, 0, 0)[0]
        self.edit(self._new_remark(at_us, None))

    def _new_remark(self, start_us: int, end_us: int | None) -> Remark:
        one = self._model.picked_series
        place = None if one is None else one.station.place.name
        shade = next_shade(self._model.state.remarks)
        return Remark("remark", start_us, end_us, shade, place, login_name())

    def edit(self, remark: Remark) -> None:
        """Let the person write, or alter, a remark."""
        dialog = RemarkDialog(self._theme, self._model.state, self._client, remark, self._parent)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.written.connect(self._on_written)
        dialog.open()

    def _on_written(self, remark: Remark) -> None:
        self._model.mark(None)
        if remark.is_span:
            self._on_span()

    def move(self, moved: Remark, begun: Remark) -> None:
        """Have a remark at another time, unless somebody else changed it while it was dragged."""
        self._client.write(SaveRemark(moved, begun))
