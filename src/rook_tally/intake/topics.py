"""Topics: our own, and other people's by patterns with named parts.

`plant/{place}/{station}/{field}` takes `plant/glass-house/bed-3/moisture`, `pre-{station}/data`
takes `pre-bed-3/data`. A name takes a part or what is left of one; `+` one part without a name;
`#` at the end all that follows.
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
    """A pattern of topics, part by part. `station` is who speaks by all of them, empty where the
    topic says it."""

    text: str
    parts: tuple[str, ...]
    station: str = ""

    @property
    def filter(self) -> str:
        """The MQTT filter to subscribe to."""
        return "/".join("+" if _NAMED.search(part) else part for part in self.parts)

    def filter_of(self, station: str) -> str:
        """The MQTT filter of what one station may publish; empty where it is another's."""
        if self.station and station != self.station:
            return ""
        told = (part.replace("{station}", station) for part in self.parts)
        return "/".join("+" if _NAMED.search(part) else part for part in told)

    def names_in(self, topic: str) -> dict[str, str] | None:
        """The named parts of a topic; None when it does not fit."""
        told = topic.split("/")
        parts = self.parts
        if parts[-1] == "#":
            parts, told = parts[:-1], told[: len(parts) - 1]
        if len(told) != len(parts):
            return None
        names: dict[str, str] = {"station": self.station} if self.station else {}
        for part, word in zip(parts, told, strict=True):
            named = _NAMED.search(part)
            if named:
                before, behind = part[: named.start()], part[named.end() :]
                name = word[len(before) : len(word) - len(behind)]
                if not name or word != f"{before}{name}{behind}":
                    return None
                names[named[1]] = name
            elif part not in ("+", word):
                return None
        return names


def topic_pattern_from(text: str, station: str = "") -> TopicPattern:
    """The pattern a person wrote, and who speaks by it where they said so.

    Raises
    ------
    UsageError
        When no part names the station, a name is not known or stands twice, or a wildcard stands
        where none can.
    """
    parts = tuple(text.strip().split("/"))
    found = [_NAMED.findall(part) for part in parts]
    names = [name for several in found for name in several]
    wrong = [name for name in names if name not in _NAMES]
    if wrong:
        raise UsageError(
            f"{{{wrong[0]}}} is no part we know", remedy="known: {station}, {place}, {field}"
        )
    if station and "station" in names:
        raise UsageError(
            f"{text!r} says which part is the station, and {station} is one already",
            remedy="leave out one of them",
        )
    if not station and names.count("station") != 1:
        raise UsageError(
            f"{text!r} does not say which part is the station",
            remedy="write {station} once, as in plant/{place}/{station}/{field}, or name it with "
            "--station",
        )
    if len(set(names)) != len(names):
        raise UsageError(f"{text!r} has a name twice", remedy="use each name once")
    for at, (part, several) in enumerate(zip(parts, found, strict=True)):
        is_end = at == len(parts) - 1
        if part == "#" and is_end:
            continue
        rest = _NAMED.sub("", part)
        if len(several) > 1 or (part != "+" and any(one in rest for one in "{}+#\0")):
            raise UsageError(
                f"{part!r} cannot be a part of a topic",
                remedy="a part has one name in braces at most, # stands at the end only",
            )
    if parts[0].partition("{")[0] == "rook" and "{" not in parts[0]:
        raise UsageError("topics under rook/ are taken in already", remedy="name others")
    return TopicPattern(text.strip(), parts, station)
