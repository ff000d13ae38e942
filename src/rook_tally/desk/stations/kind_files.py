"""Kinds out of files and into them, as a person chooses them in the window; without Qt."""

from __future__ import annotations

from pathlib import Path

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kind_files import kind_to_toml
from rook_tally.core.quantities.kinds import Kind
from rook_tally.core.things.reading import ThingReading, kind_from_text
from rook_tally.core.things.writing import thing_model
from rook_tally.desk.stations.texts import tr

_MODEL = (".json", ".jsonld")


def kind_from_file(path: Path) -> ThingReading:
    """The kind of a file: TOML of our own, or a W3C Thing Description.

    Raises
    ------
    UsageError
        When it cannot be read, or is neither.
    """
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(
            tr("{0} cannot be read: {1}", path, error), remedy=tr("name another file")
        ) from None
    return kind_from_text(text)


def save_kind_file(kind: Kind, path: Path) -> list[str]:
    """Write a kind as a Thing Model where the name of the file says JSON, as TOML else; what of it
    the file cannot say.

    Raises
    ------
    UsageError
        When it cannot be written.
    """
    text, left_out = thing_model(kind) if path.suffix in _MODEL else (kind_to_toml(kind), [])
    try:
        path.write_text(text, encoding="utf-8")
    except OSError as error:
        raise UsageError(
            tr("{0} cannot be written: {1}", path, error.strerror), remedy=tr("name another folder")
        ) from None
    return left_out
