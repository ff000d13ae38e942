"""The dialog that chooses a file, beginning where the last one for the same purpose was."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QFileDialog, QWidget

from rook_tally.desk.data.file_names import FILE_NAMES, FilePurpose


def file_to_save(
    parent: QWidget,
    purpose: FilePurpose,
    title: str,
    name: str,
    filters: str,
    *,
    is_new: bool = False,
) -> QFileDialog:
    """Chooses a file to be written; not yet open. `is_new` says that the name is another each
    time, so that only the folder is remembered."""
    dialog = QFileDialog(parent, title, FILE_NAMES.begin(purpose, name, is_new=is_new), filters)
    dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
    dialog.fileSelected.connect(partial(FILE_NAMES.choose, purpose))
    return dialog


def file_to_read(
    parent: QWidget, purpose: FilePurpose, title: str, filters: str, *, at: str = ""
) -> QFileDialog:
    """Chooses a file that is there; not yet open. `at` is one that was named already."""
    dialog = QFileDialog(parent, title, at or FILE_NAMES.begin(purpose, ""), filters)
    dialog.setFileMode(QFileDialog.FileMode.ExistingFile)
    dialog.fileSelected.connect(partial(FILE_NAMES.choose, purpose))
    return dialog


def folder_to_fill(parent: QWidget, purpose: FilePurpose, title: str) -> QFileDialog:
    """Chooses a folder that files are written into; not yet open."""
    dialog = QFileDialog(parent, title, FILE_NAMES.begin(purpose, ""))
    dialog.setFileMode(QFileDialog.FileMode.Directory)
    dialog.fileSelected.connect(partial(FILE_NAMES.choose, purpose))
    return dialog
