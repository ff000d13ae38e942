"""The base of dialogs that read from the store."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.parts.asking_dialog import AskingDialog


class StoreDialog(AskingDialog):
    """A dialog with a client whose answers are dropped once it is closed."""

    def __init__(self, client: ClientScope, parent: QWidget) -> None:
        super().__init__(parent)
        self._client = client
        self.finished.connect(client.close)

    def read_again(self) -> None:
        """Read what is shown again: a step was undone, or done again."""
