"""Files of a generated program, written into a folder of a person's choice."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from rook_tally.core.errors import UsageError


def write_program(folder: Path, files: Mapping[str, str]) -> list[Path]:
    """Write the files of a program, by their path in the folder; returns where they are.

    Raises
    ------
    UsageError
        When one is there already, or the folder cannot be written. What is there stays.
    """
    paths = {folder / name: text for name, text in files.items()}
    for path in paths:
        if path.exists():
            raise UsageError(
                f"{path} is there already", kept="nothing was written", remedy="name another folder"
            )
    try:
        for path, text in paths.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
    except OSError as error:
        raise UsageError(
            f"{folder} cannot be written: {error.strerror}", remedy="name another folder"
        ) from None
    return list(paths)
