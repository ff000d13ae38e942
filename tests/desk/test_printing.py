"""What a view shows, on paper."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from pytestqt.qtbot import QtBot

from rook_tally.desk.app.printing import paint_page
from rook_tally.store.base import Store
from tests.builders import begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import opened


def test_the_view_is_offered_to_a_printer_and_fills_a_page(
    store: Store, open_desk: OpenDesk, qtbot: QtBot, tmp_path: Path
) -> None:
    begin_series(store)
    window = open_desk()
    window.dialogs.print_view()
    dialog = opened(qtbot, window, QPrintDialog)
    assert "Ledger" in dialog.printer().docName()
    dialog.reject()
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    file = tmp_path / "page.pdf"
    printer.setOutputFileName(str(file))
    paint_page(printer, window.shown_picture(), "A heading")
    body = file.read_bytes()
    assert body.startswith(b"%PDF")
    assert len(body) > 5_000
