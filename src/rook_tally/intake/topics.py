"""Topics: our own, and other people's by patterns with named parts.

`plant/{place}/{station}/{field}` takes `plant/glass-house/bed-3/moisture`. A name takes one whole
part; `+` one part without a name; `#` at the end all that follows.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from rook_tally.core.errors import UsageError

READINGS_TOPIC = "rook/{station}/readings"
STATUS_TOPIC = "rook/{station}/status"
CONTROL_TOPIC = "rook/{station}/controls/{control}"
_NAMES = ("station", "place", "field")
_NAMED = re.compile(r"\{([a-z]+)\}")


@dataclass(frozen=True, slots=True)
class TopicPattern:
    """A pattern of topics, part by part."""

    text: str
    parts: tuple[str, ...]

    @property
    def filter(self) -> str:
        """The MQTT filter to subscribe to."""
        return "/".join("+" if _NAMED.fullmatch(part) else part for part in self.parts)

    def filter_of(self, station: str) -> str:
        """The MQTT filter of what one station may publish."""
        return "/".join(
            station if part == "{station}" else "+" if _NAMED.fullmatch(part) else part
            for part in self.parts
        )

    def names_in(self, topic: str) -> dict[str, str] | None:
        """The named parts of a topic; None when it does not fit."""
        told = topic.split("/")
        parts = self.parts
        if parts[-1] == "#":
            parts, told = parts[:-1], told[: len(parts) - 1]
        if len(told) != len(parts):
            return None
        names: dict[str, str] = {}
        for part, word in zip(parts, told, strict=True):
            named = _NAMED.fullmatch(part)
            if named:
                if not word:
                    return None
                names[named[1]] = word
            elif part not in ("+", word):
                return None
        return names


def topic_pattern_from(text: str) -> TopicPattern:
    """The pattern a person wrote.

    Raises
    ------
    UsageError
        When no part names the station, a name is not known or stands twice, or a wildcard stands
        where none can.
    """
    parts = tuple(text.strip().split("/"))
    names = [found[1] for part in parts if (found := _NAMED.fullmatch(part))]
    wrong = [name for name in names if name not in _NAMES]
    if wrong:
        raise UsageError(
            f"{{{wrong[0]}}} is no part we know", remedy="known: {station}, {place}, {field}"
        )
    if names.count("station") != 1:
        raise UsageError(
            f"{text!r} does not say which part is the station",
            remedy="write {station} once, as in plant/{place}/{station}/{field}",
        )
    if len(set(names)) != len(names):
        raise UsageError(f"{text!r} has a name twice", remedy="use each name once")
    for at, part in enumerate(parts):
        is_end = at == len(parts) - 1
        if part == "#" and is_end:
            continue
        if not _NAMED.fullmatch(part) and part != "+" and any(one in part for one in "{}+#\0"):
            raise UsageError(
                f"{part!r} cannot be a part of a topic",
                remedy="a name in braces takes the whole part, # stands at the end only",
            )
    if parts[0] == "rook":
        raise UsageError("topics under rook/ are taken in already", remedy="name others")
    return TopicPattern(text.strip(), parts)
