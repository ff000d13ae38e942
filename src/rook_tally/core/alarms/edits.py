"""Changing one part of a watch by what a person typed."""

from __future__ import annotations

import re

from msgspec.structs import replace

from rook_tally.core.alarms.definitions import Watch, WatchKind
from rook_tally.core.alarms.sentences import Part, amount_words, hours_words, span_words
from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.number_format import decimal_mark
from rook_tally.core.quantities.number_input import number_and_unit
from rook_tally.core.quantities.quantity import Quantity

_RANGE = re.compile(r"(?:(.*?)\s+)?([01]?\d|2[0-3]):([0-5]\d)\s*[-–]\s*([01]?\d|2[0-4]):([0-5]\d)")
_DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_SECONDS = {"s": 1.0, "min": 60.0, "h": 3600.0, "d": 86_400.0}
_LENGTHS = {
    Part.FOR: "for_s",
    Part.CALM: "calm_s",
    Part.REPEAT: "repeat_s",
    Part.ESCALATE: "escalate_s",
    Part.REMARKS: "remark_s",
    Part.EXCLUDE: "exclude_s",
}
_AMOUNTS = {Part.LIMIT: "limit", Part.LOW: "low", Part.CLEAR: "clear"}


def typed_text(watch: Watch, part: Part) -> str:
    """The text of a part that is typed over; empty for one that is chosen."""
    if part in _LENGTHS:
        return length_text(getattr(watch, _LENGTHS[part]) or 0.0)
    if part in _AMOUNTS:
        value = getattr(watch, _AMOUNTS[part])
        return amount_words(watch.limit if value is None else value, _unit_of(watch))
    if part is Part.WINDOW:
        return length_text(watch.silent_s if watch.sort is WatchKind.SILENT else watch.window_s)
    if part is Part.SPREAD:
        return amount_words(watch.min_spread, watch.unit)
    if part is Part.HOURS:
        return "always" if watch.hours is None else hours_words(watch.hours)
    if watch.run is not None and part is Part.AT_LEAST:
        return length_text(watch.run.at_least_s)
    if watch.run is not None and part is Part.AT_MOST:
        return length_text(watch.run.at_most_s)
    return ""


def length_text(length_s: float) -> str:
    """A length of time as it is typed over, with the person's decimal mark."""
    return span_words(length_s).replace(".", decimal_mark())


def typed_seconds(text: str) -> float:
    """A length of time that a person typed, such as `90 s`, `1.5 h` or `7 d`, in seconds.

    Raises
    ------
    UsageError
        When it is none.
    """
    try:
        number, unit = number_and_unit(text)
    except UsageError:
        number, unit = -1.0, ""
    if unit not in _SECONDS or number < 0:
        raise UsageError(
            f"{text.strip()!r} is no length of time", remedy="write such as 90 s, 5 min, 3 h or 7 d"
        )
    return number * _SECONDS[unit]


def _unit_of(watch: Watch) -> str:
    plain = watch.sort in (WatchKind.TIMES_USUAL, WatchKind.UNUSUAL, WatchKind.LEVEL)
    return "" if plain else watch.unit


def altered(watch: Watch, part: Part, text: str, quantity: Quantity | None) -> Watch:
    """The watch with a part as it was typed.

    Parameters
    ----------
    quantity : what it watches, for units; None for what has none

    Raises
    ------
    UsageError
        When the text cannot be meant for that part.
    """
    try:
        if part in _LENGTHS:
            return replace(watch, **{_LENGTHS[part]: typed_seconds(text)})
        if part is Part.WINDOW:
            name = "silent_s" if watch.sort is WatchKind.SILENT else "window_s"
            return replace(watch, **{name: typed_seconds(text)})
        if part in _AMOUNTS:
            return _with_amount(watch, part, text, quantity)
        if part is Part.SPREAD:
            return replace(watch, min_spread=_spread(text, watch, quantity))
        if part is Part.HOURS:
            return replace(watch, hours=hours_of(text))
        if watch.run is not None and part in (Part.AT_LEAST, Part.AT_MOST):
            name = "at_least_s" if part is Part.AT_LEAST else "at_most_s"
            return replace(watch, run=replace(watch.run, **{name: typed_seconds(text)}))
    except ValueError as error:
        raise UsageError(str(error)) from error
    raise UsageError(f"{part.value} is chosen, not typed")


def _with_amount(watch: Watch, part: Part, text: str, quantity: Quantity | None) -> Watch:
    value, symbol = number_and_unit(text)
    unit = _unit_of(watch)
    if symbol and quantity is not None and unit == watch.unit:
        known = quantity.unit(symbol.removesuffix("/h"))
        if known is None:
            told = " or ".join(one.symbol for one in quantity.units)
            raise UsageError(f"{symbol} is no unit of {quantity.name}", remedy=f"use {told}")
        watch = in_unit(watch, quantity, known.symbol)
    return replace(watch, **{_AMOUNTS[part]: value})


def without_unused(watch: Watch) -> Watch:
    """The watch without the numbers that its kind does not look at: what was typed before another
    kind was chosen."""
    plain = Watch(slug=watch.slug, name=watch.name, sort=watch.sort, scope=watch.scope)
    unused = set()
    if watch.sort is WatchKind.SILENT:
        unused = {"limit", "clear", "low", "unit", "for_s", "calm_s", "window_s"}
    else:
        unused = {"silent_s"}
        if watch.sort is WatchKind.DUE:
            unused |= {"limit", "clear", "unit", "for_s", "calm_s"}
        if not watch.sort.looks_back:
            unused.add("window_s")
        if watch.sort is not WatchKind.OUTSIDE:
            unused.add("low")
    if watch.sort not in (WatchKind.TIMES_USUAL, WatchKind.UNUSUAL):
        unused.add("exclude_s")
    if watch.sort is not WatchKind.UNUSUAL:
        unused.add("min_spread")
    return replace(watch, **{name: getattr(plain, name) for name in unused})


def _spread(text: str, watch: Watch, quantity: Quantity | None) -> float:
    """A least spread in the watch's unit: a difference, so that its unit counts and no zero point
    does."""
    value, symbol = number_and_unit(text)
    if symbol and symbol != watch.unit:
        known = None if quantity is None else quantity.unit(symbol)
        mine = None if quantity is None else quantity.unit(watch.unit) or quantity.base
        if known is None or mine is None:
            raise UsageError(f"{symbol} is no unit of it", remedy=f"use {watch.unit}")
        value = round(value * known.factor / mine.factor, 9)
    if value <= 0:
        raise UsageError("a spread is more than 0")
    return value


def in_unit(watch: Watch, quantity: Quantity, symbol: str) -> Watch:
    """The same watch with its limits told in another unit."""
    old = quantity.unit(watch.unit) if watch.unit else quantity.base
    new = quantity.unit(symbol)
    if old is None or new is None or old == new:
        return replace(watch, unit=symbol)

    def told(value: float) -> float:
        if watch.sort in (WatchKind.RISING, WatchKind.FALLING):
            return round(value * old.factor / new.factor, 6)
        return round(new.from_base(old.to_base(value)), 6)

    return replace(
        watch,
        unit=symbol,
        limit=told(watch.limit),
        low=told(watch.low),
        min_spread=round(watch.min_spread * old.factor / new.factor, 9),
        clear=None if watch.clear is None else told(watch.clear),
    )


def hours_of(text: str) -> HoursOfDay | None:
    """Hours such as `Mon–Fri 08:00–20:00`, `22:00–06:00` or `Sat, Sun`; None for always.

    Raises
    ------
    UsageError
        When the text is none of that.
    """
    word = text.strip().lower()
    if word in ("", "always"):
        return None
    found = _RANGE.fullmatch(word)
    if found is None:
        return HoursOfDay(days=_days_of(word, text))
    days = _days_of(found[1], text) if found[1] else ()
    begin = int(found[2]) * 60 + int(found[3])
    return HoursOfDay(begin_min=begin, end_min=int(found[4]) * 60 + int(found[5]), days=days)


def _days_of(word: str, text: str) -> tuple[int, ...]:
    found: set[int] = set()
    for part in re.split(r"\s*,\s*|\s+", word.strip()):
        ends = re.split(r"[-–]", part)
        if not all(one[:3] in _DAYS for one in ends) or len(ends) > 2:
            raise UsageError(f"{text!r} are no hours", remedy="write such as Mon–Fri 08:00–20:00")
        first, last = _DAYS.index(ends[0][:3]), _DAYS.index(ends[-1][:3])
        count = (last - first) % 7 + 1
        found |= {(first + one) % 7 for one in range(count)}
    return tuple(sorted(found))
