"""`rook-tally tape`."""

from __future__ import annotations

import threading

import typer

from rook_tally.core.timestamps import rfc3339
from rook_tally.store.base import ChangeTail, Store, Subject
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import MessageLogEntry, newest_messages

_SHOWN = 160
_POLL_S = 0.1


def print_tape(where: str, station: str | None, *, most: int, follow: bool) -> None:
    """Print the last messages, oldest first, raw beside what became of them; then what comes."""
    store = existing_store(where)
    try:
        tail = ChangeTail(store) if follow else None
        seen = _print_since(store, station, 0, most)
        if tail is None:
            return
        pause = threading.Event()
        while True:
            if tail.has_news() and any(one.subject is Subject.TAPE for one in tail.changes()):
                seen = _print_since(store, station, seen, 1_000)
            pause.wait(_POLL_S)
    except KeyboardInterrupt:
        return
    finally:
        store.close()


def _print_since(store: Store, station: str | None, seen: int, most: int) -> int:
    with store.read() as connection:
        lines = newest_messages(connection, station, most=most, after_id=seen)
    for line in reversed(lines):
        typer.echo(
            f"{rfc3339(line.arrived_us)[11:23]}  {line.station or '–':<16}  "
            f"{shown_body(line, _SHOWN)}{_read(line)}  → {line.fate}"
        )
    return lines[0].id if lines else seen


def _read(line: MessageLogEntry) -> str:
    """The values of a message whose body does not show them by itself."""
    is_plain = line.body[:1] in (b"{", b"[")
    return f"  = {line.decoded}" if line.decoded and not is_plain else ""


def shown_body(line: MessageLogEntry, most: int) -> str:
    """A body as one line of text; bytes that are no text are shown in hexadecimal."""
    try:
        text = " ".join(line.body.decode().split())
    except UnicodeDecodeError:
        text = line.body.hex(" ")
    return text if len(text) <= most else text[: most - 1] + "…"
