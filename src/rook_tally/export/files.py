"""Readings into a file, whole or not at all, with a manifest beside it."""

from __future__ import annotations

import hashlib
import json
import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import IO, Any, cast

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally import __version__
from rook_tally.core.errors import RookTallyError
from rook_tally.core.quantities.open_units import ucum_unit
from rook_tally.core.timestamps import rfc3339
from rook_tally.export.pieces import ExportPiece, ExportWish, Reading, checked_wish, pieces
from rook_tally.export.texts import tr
from rook_tally.export.writers import writer_for
from rook_tally.store.readings import gaps_between
from rook_tally.store.site import Series, Site, correction_entries, load_site

_MOST_GAPS = 1000
_CHUNK = 1 << 20


class _Tally:
    """Counts what was written of each series."""

    def __init__(self, count: int) -> None:
        self.readings, self.suspect = np.zeros(count, np.int64), np.zeros(count, np.int64)
        self.first_us, self.last_us = [0] * count, [0] * count

    def add(self, piece: ExportPiece) -> None:
        """Count a piece."""
        size = len(self.readings)
        self.suspect += np.bincount(piece.which[piece.quality != 0], minlength=size)
        heard = np.bincount(piece.which, minlength=size)
        for at in np.flatnonzero(heard).tolist():
            mine = piece.time_us[piece.which == at]
            if not self.readings[at]:
                self.first_us[at] = int(mine[0])
            self.last_us[at] = int(mine[-1])
        self.readings += heard


def export_into(
    reading: Reading,
    wish: ExportWish,
    target: IO[bytes],
    progress: Callable[[float], None] | None = None,
) -> dict[str, Any]:
    """Write readings into an open file; returns the manifest, without a checksum."""
    checked_wish(wish)
    with reading() as connection:
        site = load_site(connection)
        about = _about(connection, site, wish)
    writer, tally = writer_for(wish, target, about), _Tally(len(wish.series))
    for piece in pieces(reading, wish, progress):
        writer.write(piece)
        tally.add(piece)
    writer.end()
    with reading() as connection:
        told = [_series_row(connection, one, wish, tally, at) for at, one in enumerate(wish.series)]
    return about | {
        "readings": int(tally.readings.sum()),
        "left_out": writer.left_out,
        "series": told,
    }


def export_file(
    reading: Reading,
    wish: ExportWish,
    output: Path,
    *,
    with_manifest: bool = True,
    progress: Callable[[float], None] | None = None,
) -> dict[str, Any]:
    """Write readings into a file, which is put in place once it is whole, and the manifest beside
    it; what breaks it off, `progress` too, leaves what was there.

    Raises
    ------
    UsageError
        When it cannot be meant.
    RookTallyError
        When it cannot be written.
    """
    manifest: dict[str, Any] = {}

    def put(target: IO[bytes]) -> None:
        nonlocal manifest
        manifest = export_into(reading, wish, target, progress)

    digest = _put_whole(output, put)
    manifest = {"file": output.name, "sha256": digest, **manifest}
    if with_manifest:
        text = json.dumps(manifest, ensure_ascii=False, indent=2) + "\n"
        _put_whole(manifest_beside(output), lambda target: _write(target, text.encode()))
    return manifest


def manifest_beside(output: Path) -> Path:
    """Where the manifest of a file lies."""
    return output.with_name(f"{output.name}.manifest.json")


def _write(target: IO[bytes], content: bytes) -> None:
    target.write(content)


def _put_whole(output: Path, put: Callable[[IO[bytes]], None]) -> str:
    """Have a file written beside and put in place; its SHA-256."""
    try:
        with tempfile.NamedTemporaryFile(
            "wb", dir=output.parent, prefix=f".{output.name}.", delete=False
        ) as unfinished:
            path = Path(unfinished.name)
            try:
                put(cast("IO[bytes]", unfinished))
                unfinished.flush()
                os.fsync(unfinished.fileno())
                digest = _digest(path)
                path.chmod(0o644)
                path.replace(output)
            except BaseException:
                path.unlink(missing_ok=True)
                raise
    except OSError as error:
        raise RookTallyError(
            tr("{0} cannot be written: {1}", output, error.strerror or error),
            kept=tr("what was there before stays"),
            remedy=tr("make room there, or name another file"),
        ) from error
    return digest


def _digest(path: Path) -> str:
    told = hashlib.sha256()
    with path.open("rb") as file:
        while chunk := file.read(_CHUNK):
            told.update(chunk)
    return told.hexdigest()


def _about(connection: Connection, site: Site, wish: ExportWish) -> dict[str, Any]:
    """What the readings are, as far as that is known before any is written."""
    return {
        "site": site.name,
        "zone": site.zone,
        "program": f"rook-tally {__version__}",
        "format": wish.form.value,
        "layout": "wide" if wish.wide else "long",
        "values": "raw" if wish.raw else "corrected",
        "every_s": wish.every_s,
        "from": None if wish.start_us is None else rfc3339(wish.start_us),
        "to": None if wish.end_us is None else rfc3339(wish.end_us),
        "columns": {
            f"{one.station.key}.{one.field}": {
                "place": one.station.place.name,
                "quantity": one.quantity.slug,
                "unit": one.quantity.base.symbol,
                "ucum": ucum_unit(one.quantity.base.symbol),
            }
            for one in wish.series
        },
    }


def _series_row(
    connection: Connection, one: Series, wish: ExportWish, tally: _Tally, at: int
) -> dict[str, Any]:
    count = int(tally.readings[at])
    told: dict[str, Any] = {
        "station": one.station.key,
        "field": one.field,
        "readings": count,
        "suspect": int(tally.suspect[at]),
    }
    if not count:
        return told
    first_us, last_us = tally.first_us[at], tally.last_us[at]
    gaps = gaps_between(connection, one, first_us, last_us + 1)
    return told | {
        "first": rfc3339(first_us),
        "last": rfc3339(last_us),
        "gaps": [[rfc3339(int(begin)), rfc3339(int(end))] for begin, end in gaps[:_MOST_GAPS]],
        "further_gaps": max(0, len(gaps) - _MOST_GAPS),
        "corrections": []
        if wish.raw
        else [
            {
                "from": rfc3339(entry.correction.from_us),
                "gain": entry.correction.gain,
                "offset": entry.correction.offset,
                "who": entry.who,
                "why": entry.why,
            }
            for entry in correction_entries(connection, one.id)
            if entry.correction.from_us <= last_us
        ],
    }
