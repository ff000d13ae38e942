"""Query options of SensorThings: what of a set is wanted, how ordered, with what beside it."""

from __future__ import annotations

import re
from collections.abc import Mapping

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.serving.things.filters import filter_of

USUAL_TOP, MOST_TOP = 100, 1000
_DEEPEST = 4
_NAMES = frozenset(
    ("$filter", "$orderby", "$top", "$skip", "$count", "$select", "$expand", "$resultFormat")
)


class Options(msgspec.Struct, frozen=True):
    """Options of one set; `expand` holds those of what is told beside each entity."""

    filter: str = ""
    orderby: tuple[tuple[tuple[str, ...], bool], ...] = ()
    top: int | None = None
    skip: int = 0
    count: bool = False
    select: tuple[str, ...] = ()
    expand: Mapping[str, Options] = {}
    data_array: bool = False

    @property
    def limit(self) -> int:
        """How many are told at once."""
        return min(USUAL_TOP if self.top is None else self.top, MOST_TOP)


def options_of(query: Mapping[str, str], depth: int = 0) -> Options:
    """The options of a query.

    Raises
    ------
    UsageError
        For one that is unknown, or cannot be meant.
    """
    unknown = [one for one in query if one.startswith("$") and one not in _NAMES]
    if unknown:
        raise UsageError(
            f"{unknown[0]} is not served", remedy=f"served: {', '.join(sorted(_NAMES))}"
        )
    if depth > _DEEPEST:
        raise UsageError(f"$expand goes {_DEEPEST} deep at most")
    text = query.get("$filter", "").strip()
    if text:
        filter_of(text)
    form = query.get("$resultFormat", "")
    if form not in ("", "dataArray"):
        raise UsageError(f"there is no $resultFormat {form}", remedy="dataArray is served")
    return Options(
        text,
        _order(query.get("$orderby", "")),
        _whole(query, "$top", None),
        _whole(query, "$skip", 0) or 0,
        _yes(query.get("$count", "false")),
        tuple(one.strip() for one in query.get("$select", "").split(",") if one.strip()),
        _expanded(query.get("$expand", ""), depth),
        form == "dataArray",
    )


def _whole(query: Mapping[str, str], name: str, usual: int | None) -> int | None:
    text = query.get(name)
    if text is None:
        return usual
    if not re.fullmatch(r"\d{1,9}", text.strip()):
        raise UsageError(f"{name} is a whole number, not {text!r}")
    return int(text)


def _yes(text: str) -> bool:
    if text not in ("true", "false"):
        raise UsageError(f"$count is true or false, not {text!r}")
    return text == "true"


def _order(text: str) -> tuple[tuple[tuple[str, ...], bool], ...]:
    found = []
    for one in text.split(","):
        words = one.split()
        if not words:
            continue
        if len(words) > 2 or (len(words) == 2 and words[1] not in ("asc", "desc")):
            raise UsageError(f"$orderby is a property and asc or desc, not {one!r}")
        found.append((tuple(words[0].split("/")), words[1:] == ["desc"]))
    return tuple(found)


def _expanded(text: str, depth: int) -> dict[str, Options]:
    """`Datastreams($top=3;$expand=Observations),Locations/Things` by its first names."""
    found: dict[str, Options] = {}
    for one in _parted(text, ","):
        name, _, inner = one.strip().partition("(")
        if inner and not inner.endswith(")"):
            raise UsageError(f"$expand is not closed: {one}")
        told = dict(
            part.partition("=")[::2] for part in _parted(inner[:-1] if inner else "", ";") if part
        )
        first, _, further = name.strip().partition("/")
        if further:
            told["$expand"] = f"{further}({inner}" if inner else further
            inner_options = options_of({"$expand": told["$expand"]}, depth + 1)
        else:
            inner_options = options_of(
                {key.strip(): value for key, value in told.items()}, depth + 1
            )
        if first:
            found[first] = inner_options
    return found


def _parted(text: str, by: str) -> list[str]:
    """A text at a sign, but not within parentheses or quotes."""
    parts, depth, quoted, begin = [], 0, False, 0
    for at, sign in enumerate(text):
        if sign == "'":
            quoted = not quoted
        elif quoted:
            continue
        elif sign == "(":
            depth += 1
        elif sign == ")":
            depth -= 1
        elif sign == by and not depth:
            parts.append(text[begin:at])
            begin = at + 1
    last = text[begin:]
    return [*parts, last] if last.strip() else parts
