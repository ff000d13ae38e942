"""Lines in nobody's form: a pattern with a named group a field, made by example from such lines."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rook_tally.core.errors import DecodeError, UsageError
from rook_tally.intake.bounds import RejectedValues, check_count
from rook_tally.intake.decode.text_value import value_and_unit
from rook_tally.intake.message import Decoded, DecodedValue

_NUMBER = re.compile(r"[+\-−]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d{1,3})?")
_GROUP = r"[+\-−]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?"
_WORD_BEFORE = re.compile(r"([A-Za-z_][A-Za-z0-9_]*)[^A-Za-z0-9]*$")
_LONGEST_LINE = 2_000
_LONGEST_PATTERN = 1_000
_MOST_MEMORY = 4 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class LinePattern:
    """A pattern and the fields it names. `compiled` is re2's: it takes a time that grows with the
    line and never faster, whatever the pattern."""

    text: str
    compiled: Any

    @property
    def fields(self) -> tuple[str, ...]:
        """The fields, in the order they stand."""
        index: dict[str, int] = self.compiled.groupindex
        return tuple(sorted(index, key=index.__getitem__))

    def values_in(self, line: str) -> dict[str, str] | None:
        """The text of each field in a line; None when the line does not fit."""
        found = self.compiled.search(line[:_LONGEST_LINE])
        if found is None:
            return None
        return {name: told for name, told in found.groupdict().items() if told is not None}


def line_pattern_from(text: str) -> LinePattern:
    """The pattern a person wrote.

    Raises
    ------
    UsageError
        When it is no pattern, is too long, or names nothing.
    """
    # Loaded late: few have a door with a pattern.
    import re2

    if len(text) > _LONGEST_PATTERN:
        raise UsageError(
            f"a pattern of more than {_LONGEST_PATTERN} characters", remedy="write a shorter one"
        )
    options = re2.Options()
    options.max_mem, options.log_errors = _MOST_MEMORY, False
    try:
        compiled = re2.compile(text, options)
    except re2.error as error:
        raise UsageError(
            f"{text!r} is no pattern: {_told(error)}",
            remedy="see docs/wire.md; nothing may look ahead, look behind or refer back",
        ) from None
    if not compiled.groupindex:
        raise UsageError(f"{text!r} names no field", remedy="name one, as in T=(?P<temp>[-0-9.]+)")
    return LinePattern(text, compiled)


def _told(error: Exception) -> str:
    """The message of an re2 error."""
    said = error.args[0] if error.args else ""
    return said.decode("utf-8", "replace") if isinstance(said, bytes) else str(said)


def pattern_by_example(lines: Sequence[str], names: Mapping[int, str]) -> LinePattern:
    """A pattern for lines like these: every number in them becomes a field.

    `names` are by the number's place in a line, from 1; a number that is left out gets the word
    that stands before it, else `valueN`. What stands between the numbers has to be the same in all
    lines; blanks may differ.

    Raises
    ------
    UsageError
        When there is no line, no number, or the lines are too unlike.
    """
    told = [line.strip() for line in lines if line.strip()]
    if not told:
        raise UsageError("there is no line to make a pattern from", remedy="let the station speak")
    between = [_NUMBER.split(line) for line in told]
    alike = [parts for parts in between if _plain(parts) == _plain(between[0])]
    if len(between[0]) == 1:
        raise UsageError(f"no number stands in {told[0]!r}", remedy="show a line with values")
    if len(alike) < len(told):
        raise UsageError(
            f"{len(told) - len(alike)} of {len(told)} lines are not like {told[0]!r}",
            remedy="show lines of one sort, or write the pattern yourself",
        )
    parts = between[0]
    taken: set[str] = set()
    text = _literal(parts[0])
    for at in range(1, len(parts)):
        name = names.get(at) or _name_before(parts[at - 1], at)
        while name in taken:
            name = f"{name}_{at}"
        taken.add(name)
        text += f"(?P<{name}>{_GROUP})" + _literal(parts[at])
    return line_pattern_from(f"^{text}$")


def _plain(parts: Sequence[str]) -> tuple[str, ...]:
    return tuple(" ".join(part.split()) for part in parts)


def _literal(part: str) -> str:
    return r"\s*".join(re.escape(word) for word in re.split(r"\s+", part))


def _name_before(part: str, at: int) -> str:
    found = _WORD_BEFORE.search(part)
    return found[1].lower() if found else f"value{at}"


def decode(text: str, pattern: LinePattern) -> Decoded:
    """The values of lines that fit a pattern.

    Raises
    ------
    DecodeError
        When no line fits.
    """
    items: list[DecodedValue] = []
    refused = RejectedValues()
    for at, line in enumerate(one for one in text.splitlines() if one.strip()):
        told = pattern.values_in(line)
        if told is None:
            refused.add(at, "", "the line does not fit the pattern")
            continue
        for field, word in told.items():
            try:
                value, unit = value_and_unit(word)
            except ValueError as error:
                refused.add(at, field, f"{field}: {error}")
            else:
                items.append(DecodedValue(at, field, value, None, unit))
    if not items:
        raise DecodeError(
            "the line does not fit the pattern", remedy=f"lines have to be like {pattern.text}"
        )
    check_count(len(items))
    return Decoded(tuple(items), refused.told())
