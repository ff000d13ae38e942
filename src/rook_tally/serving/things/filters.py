"""`$filter` and `$orderby` of SensorThings (18-088, 9.3.3), over one entity or over whole arrays.

An expression is worked out against anything that knows values by path: a plain entity gives single
values, a page of observations arrays. NumPy's operations serve both.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cache
from typing import Any

import numpy as np
from lark import Lark, Token, Transformer, v_args
from lark.exceptions import LarkError, VisitError

from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import time_us_from_text

_GRAMMAR = r"""
?start: either
?either: both | either "or" both -> or_
?both: opposite | both "and" opposite -> and_
?opposite: "not" opposite -> not_ | comparison
?comparison: sum | sum COMPARISON sum -> compare
?sum: product | sum SUM product -> reckon
?product: atom | product PRODUCT atom -> reckon
?atom: "(" either ")" | call | literal | path
call: NAME "(" [either ("," either)*] ")"
path: NAME ("/" NAME)*
literal: DATETIME -> moment | NUMBER -> number | STRING -> string | BOOLEAN -> boolean
COMPARISON.3: /(eq|ne|gt|ge|lt|le)(?=\s)/
SUM.3: /(add|sub)(?=\s)/
PRODUCT.3: /(mul|div|mod)(?=\s)/
BOOLEAN.3: /(true|false)\b/
DATETIME.4: /\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:?\d\d)?/
NUMBER.2: /-?\d+(\.\d+)?([eE][+-]?\d+)?/
STRING: /'([^']|'')*'/
NAME.1: /(?!(and|or|not|eq|ne|gt|ge|lt|le|add|sub|mul|div|mod|true|false)\b)@?[A-Za-z_][\w.@]*/
%import common.WS
%ignore WS
"""

Values = Callable[[tuple[str, ...]], Any]
"""The value at a path; None where there is none."""
_Worked = Callable[[Values], Any]
MOST_LETTERS = 4000


class Filter:
    """An expression ready to be worked out; `paths` are those it reads."""

    def __init__(self, worked: _Worked, paths: frozenset[tuple[str, ...]]) -> None:
        self._worked, self.paths = worked, paths

    def of(self, values: Values) -> Any:
        """What it comes to: a value, or an array of them.

        Raises
        ------
        UsageError
            Where things are compared that cannot be.
        """
        try:
            return self._worked(values)
        except (TypeError, ValueError, ZeroDivisionError) as error:
            raise UsageError(f"the filter cannot be worked out: {error}") from None


@cache
def filter_of(text: str) -> Filter:
    """The expression of a text.

    Raises
    ------
    UsageError
        Where it is none, with the place; for a function that is not served.
    """
    if len(text) > MOST_LETTERS:
        raise UsageError(f"a filter of {len(text)} letters is too long", remedy="ask for less")
    try:
        tree = _parser().parse(text)
        built = _Builder()
        worked = built.transform(tree)
    except VisitError as error:
        if isinstance(error.orig_exc, UsageError):
            raise error.orig_exc from None
        raise UsageError(f"the filter cannot be meant: {error.orig_exc}") from None
    except LarkError as error:
        at = getattr(error, "column", None)
        where = f" at letter {at}" if isinstance(at, int) and at > 0 else ""
        raise UsageError(f"the filter is not understood{where}: {text}") from None
    return Filter(worked, frozenset(built.paths))


@cache
def _parser() -> Lark:
    return Lark(_GRAMMAR, parser="lalr", maybe_placeholders=False)


def _compare(sign: str, one: Any, other: Any) -> Any:
    is_plain = not any(isinstance(each, np.ndarray) or each is None for each in (one, other))
    if is_plain and isinstance(one, str) != isinstance(other, str):
        raise UsageError(f"{one!r} and {other!r} cannot be compared")
    if one is None or other is None:
        return (one is other) if sign == "eq" else (one is not other) if sign == "ne" else False
    match sign:
        case "eq":
            return one == other
        case "ne":
            return one != other
        case "gt":
            return one > other
        case "ge":
            return one >= other
        case "lt":
            return one < other
        case _:
            return one <= other


def _reckon(sign: str, one: Any, other: Any) -> Any:
    match sign:
        case "add":
            return one + other
        case "sub":
            return one - other
        case "mul":
            return one * other
        case "div":
            return one / other
        case _:
            return one % other


def _in_text(part: Any, whole: Any) -> bool:
    return str(part) in str(whole)


def _moment_part(name: str) -> Callable[[Any], Any]:
    """A part of a moment in UTC; moments are microseconds."""

    def part(value: Any) -> Any:
        moments = np.asarray(value, np.int64).astype("datetime64[us]")
        years = moments.astype("datetime64[Y]").astype(np.int64) + 1970
        months = moments.astype("datetime64[M]").astype(np.int64) % 12 + 1
        days = (moments.astype("datetime64[D]") - moments.astype("datetime64[M]")).astype(
            "timedelta64[D]"
        ).astype(np.int64) + 1
        in_day = (moments - moments.astype("datetime64[D]")).astype(np.int64) // 1_000_000
        told = {
            "year": years,
            "month": months,
            "day": days,
            "hour": in_day // 3600,
            "minute": in_day // 60 % 60,
            "second": in_day % 60,
        }[name]
        return told if np.ndim(value) else int(told)

    return part


_FUNCTIONS: Mapping[str, tuple[int, Callable[..., Any]]] = {
    "substringof": (2, _in_text),
    "contains": (2, lambda whole, part: _in_text(part, whole)),
    "startswith": (2, lambda whole, part: str(whole).startswith(str(part))),
    "endswith": (2, lambda whole, part: str(whole).endswith(str(part))),
    "length": (1, lambda text: len(str(text))),
    "indexof": (2, lambda whole, part: str(whole).find(str(part))),
    "tolower": (1, lambda text: str(text).lower()),
    "toupper": (1, lambda text: str(text).upper()),
    "trim": (1, lambda text: str(text).strip()),
    "concat": (2, lambda one, other: f"{one}{other}"),
    "round": (1, np.round),
    "floor": (1, np.floor),
    "ceiling": (1, np.ceil),
    **{
        name: (1, _moment_part(name))
        for name in ("year", "month", "day", "hour", "minute", "second")
    },
}


@v_args(inline=True)
class _Builder(Transformer[Token, _Worked]):
    """Builds what works an expression out."""

    def __init__(self) -> None:
        super().__init__()
        self.paths: set[tuple[str, ...]] = set()

    def or_(self, one: _Worked, other: _Worked) -> _Worked:
        return lambda values: _both(np.logical_or, one(values), other(values))

    def and_(self, one: _Worked, other: _Worked) -> _Worked:
        return lambda values: _both(np.logical_and, one(values), other(values))

    def not_(self, one: _Worked) -> _Worked:
        return lambda values: np.logical_not(one(values))

    def compare(self, one: _Worked, sign: Token, other: _Worked) -> _Worked:
        return lambda values: _compare(str(sign), one(values), other(values))

    def reckon(self, one: _Worked, sign: Token, other: _Worked) -> _Worked:
        return lambda values: _reckon(str(sign), one(values), other(values))

    def call(self, name: Token, *given: _Worked) -> _Worked:
        known = _FUNCTIONS.get(str(name))
        if known is None:
            raise UsageError(
                f"the function {name} is not served", remedy=f"served: {', '.join(_FUNCTIONS)}"
            )
        count, call = known
        if len(given) != count:
            raise UsageError(f"{name} takes {count} of them, not {len(given)}")
        return lambda values: call(*(one(values) for one in given))

    def path(self, *names: Token) -> _Worked:
        told = tuple(str(one) for one in names)
        self.paths.add(told)
        return lambda values: values(told)

    def moment(self, text: Token) -> _Worked:
        told = time_us_from_text(str(text))
        return lambda _values: told

    def number(self, text: Token) -> _Worked:
        told = float(text) if any(one in text for one in ".eE") else int(text)
        return lambda _values: told

    def string(self, text: Token) -> _Worked:
        told = str(text)[1:-1].replace("''", "'")
        return lambda _values: told

    def boolean(self, text: Token) -> _Worked:
        told = str(text) == "true"
        return lambda _values: told


def _both(call: Callable[[Any, Any], Any], one: Any, other: Any) -> Any:
    return call(False if one is None else one, False if other is None else other)


def bounds_of(text: str, name: str) -> tuple[int | None, int | None]:
    """From where to where moments can lie that a filter lets through, as far as it says so in
    comparisons joined by `and` at its top: [from, to], µs. Anything else leaves it open."""
    try:
        tree = _parser().parse(text)
    except LarkError:
        return None, None
    low: int | None = None
    high: int | None = None
    waiting = [tree]
    while waiting:
        node = waiting.pop()
        kind = getattr(node, "data", "")
        if kind == "and_":
            waiting += node.children  # type: ignore[arg-type]
        elif kind == "compare":
            one, sign, other = node.children
            if getattr(one, "data", "") == "path" and getattr(other, "data", "") == "moment":
                path = tuple(str(each) for each in one.children)  # type: ignore[union-attr]
                told = time_us_from_text(str(other.children[0]))  # type: ignore[union-attr]
                if path == (name,):
                    if str(sign) in ("gt", "ge", "eq"):
                        low = told if low is None else max(low, told)
                    if str(sign) in ("lt", "le", "eq"):
                        high = told if high is None else min(high, told)
    return low, high
