"""A watch in words: the sentence, in parts that each stand for something that can be changed."""

from __future__ import annotations

import enum

import msgspec

from rook_tally.core.alarms.definitions import Guard, RunControl, Scope, Watch, WatchKind
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_input import number_text
from rook_tally.core.timestamps import SECOND_US

_DAY_NAMES = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


class Part(enum.Enum):
    """A part of the sentence."""

    QUANTITY = "quantity"
    SCOPE = "scope"
    SORT = "sort"
    LIMIT = "limit"
    LOW = "low"
    WINDOW = "window"
    EXCLUDE = "left out"
    SPREAD = "least spread"
    FOR = "for"
    GUARD = "guard"
    HOURS = "hours"
    REMARKS = "remarks"
    LEVEL = "level"
    TELL = "tell"
    REPEAT = "repeat"
    ESCALATE = "escalate"
    ESCALATE_TO = "escalate to"
    CONTROL = "control"
    CLEAR = "clear"
    CALM = "calm"
    AT_LEAST = "at least"
    AT_MOST = "at most"


class Piece(msgspec.Struct, frozen=True):
    """A piece of the sentence: plain words, or words that stand for a part."""

    text: str
    part: Part | None = None


def span_words(length_s: float) -> str:
    """A length of time as short as it can be said: `90 s`, `5 min`, `3 h`, `7 d`."""
    for size, unit in ((86400, "d"), (3600, "h"), (60, "min")):
        if length_s >= size and length_s % size == 0:
            return f"{length_s / size:g} {unit}"
    return f"{length_s:g} s"


def lasting_words(length_us: int) -> str:
    """Return a duration in words: to the second within a minute, else to the minute."""
    length_s = round(length_us / SECOND_US)
    return span_words(length_s if length_s < 60 else round(length_s / 60) * 60)


def amount_words(value: float, unit: str) -> str:
    """A limit with its unit."""
    return f"{number_text(value)} {unit}".strip()


def scope_words(scope: Scope) -> str:
    """Where a scope is: a place, a group, a station, or anywhere."""
    if scope.place:
        return scope.place if not scope.station else f"{scope.place} ({scope.station})"
    if scope.station:
        return scope.station
    if scope.group:
        words = {
            "indoors": "any place indoors",
            "outdoors": "any place outdoors",
            "everywhere": "any place",
        }
        return words.get(scope.group, f"any of {scope.group}")
    return "any place"


def hours_words(hours: HoursOfDay) -> str:
    """Hours of a week."""
    days = "" if not hours.days else _days_words(hours.days) + " "
    if (hours.begin_min, hours.end_min) == (0, 24 * 60):
        return days.strip() or "always"
    return f"{days}{_clock(hours.begin_min)}–{_clock(hours.end_min)}"


def _clock(minutes: int) -> str:
    return f"{minutes // 60:02}:{minutes % 60:02}"


def _days_words(days: tuple[int, ...]) -> str:
    runs: list[list[int]] = []
    for day in sorted(days):
        if runs and day == runs[-1][1] + 1:
            runs[-1][1] = day
        else:
            runs.append([day, day])
    return ", ".join(
        _DAY_NAMES[a] if a == b else f"{_DAY_NAMES[a]}–{_DAY_NAMES[b]}" for a, b in runs
    )


def guard_words(guard: Guard, name: str) -> str:
    """A guard, by the name of its quantity."""
    where = f" at {guard.scope.place}" if guard.scope.place else ""
    if not guard.unit and guard.limit == 0.5:
        return f"{name}{where} is {'off' if guard.is_below else 'on'}"
    side = "under" if guard.is_below else "over"
    return f"{name}{where} is {side} {amount_words(guard.limit, guard.unit)}"


def run_words(run: RunControl) -> str:
    """The control that a watch runs, or its station when that has only one."""
    return run.station if run.control == "on" else f"{run.control} of {run.station}"


def _condition(watch: Watch) -> list[Piece]:
    sort, limit = watch.sort, amount_words(watch.limit, watch.unit)
    if sort is WatchKind.SILENT:
        return [
            Piece("says nothing", Part.SORT),
            Piece("for"),
            Piece(span_words(watch.silent_s), Part.WINDOW),
        ]
    if sort is WatchKind.DUE:
        return [Piece("is due for calibration", Part.SORT)]
    if sort is WatchKind.OUTSIDE:
        return [
            Piece("is outside", Part.SORT),
            Piece(amount_words(watch.low, ""), Part.LOW),
            Piece("to"),
            Piece(limit, Part.LIMIT),
        ]
    if sort in (WatchKind.RISING, WatchKind.FALLING):
        word = "rises" if sort is WatchKind.RISING else "falls"
        return [
            Piece(f"{word} faster than", Part.SORT),
            Piece(f"{limit}/h", Part.LIMIT),
            Piece("over"),
            Piece(span_words(watch.window_s), Part.WINDOW),
        ]
    if sort in (WatchKind.TIMES_USUAL, WatchKind.UNUSUAL):
        return _against_usual(watch)
    if sort is WatchKind.LEVEL:
        name = Level(int(watch.limit)).wording
        return [Piece("reaches", Part.SORT), Piece(name, Part.LIMIT)]
    if sort is WatchKind.SO:
        return [Piece("is so", Part.SORT)]
    return [Piece(f"stays {sort.value}", Part.SORT), Piece(limit, Part.LIMIT)]


def _against_usual(watch: Watch) -> list[Piece]:
    word = "times" if watch.sort is WatchKind.TIMES_USUAL else "spreads from"
    until = f"{span_words(watch.exclude_s)} ago" if watch.exclude_s else "now"
    pieces = [
        Piece("is over", Part.SORT),
        Piece(f"{watch.limit:g}", Part.LIMIT),
        Piece(f"{word} its usual level of"),
        Piece(span_words(watch.window_s), Part.WINDOW),
        Piece("up to"),
        Piece(until, Part.EXCLUDE),
    ]
    if watch.sort is WatchKind.UNUSUAL:
        least = amount_words(watch.min_spread, watch.unit)
        pieces += [Piece(", a spread of"), Piece(least, Part.SPREAD), Piece("or more,")]
    return pieces


def sentence(watch: Watch, quantity: str, guards: tuple[str, ...] = ()) -> list[list[Piece]]:
    """The lines of a watch's sentence.

    Parameters
    ----------
    quantity : the name of what is watched
    guards : the names of what the guards look at
    """
    when = [Piece("When")]
    if watch.sort is not WatchKind.SILENT:
        when += [Piece(quantity, Part.QUANTITY), Piece("at")]
    when += [Piece(scope_words(watch.scope), Part.SCOPE), *_condition(watch)]
    if not watch.sort.is_by_time:
        when += (
            [Piece("for"), Piece(span_words(watch.for_s), Part.FOR)]
            if watch.for_s
            else [Piece("at once", Part.FOR)]
        )
    lines = [when]
    called = watch.level.wording if watch.level else "from its limits"
    leave = [] if watch.sort.is_by_time else _leave(watch, guards)
    lines.append([*leave, Piece("severity"), Piece(called, Part.LEVEL)])
    lines.append(_telling(watch))
    lines.append(_running(watch))
    return lines


def _leave(watch: Watch, guards: tuple[str, ...]) -> list[Piece]:
    """The conditions under which it may ring: presence, hours, no remark."""
    leave: list[Piece] = []
    for guard, name in zip(watch.guards, guards, strict=True):
        leave += [Piece("while"), Piece(guard_words(guard, name), Part.GUARD)]
    if not watch.guards:
        leave.append(Piece("no other condition", Part.GUARD))
    leave.append(Piece("always" if watch.hours is None else hours_words(watch.hours), Part.HOURS))
    if watch.remark_s is None:
        leave.append(Piece("whatever is remarked", Part.REMARKS))
    else:
        leave += [
            Piece("but not within"),
            Piece(span_words(watch.remark_s), Part.REMARKS),
            Piece("of a remark"),
        ]
    return leave


def _telling(watch: Watch) -> list[Piece]:
    tell = [Piece("Tell"), Piece(_listed(watch.tell) or "nobody", Part.TELL)]
    if watch.tell:
        again = f"every {span_words(watch.repeat_s)}" if watch.repeat_s else "never"
        tell += [Piece("; repeat"), Piece(again, Part.REPEAT)]
        after = f"after {span_words(watch.escalate_s)}" if watch.escalate_s else "never"
        tell += [Piece("; unacknowledged, tell others"), Piece(after, Part.ESCALATE)]
        if watch.escalate_s:
            tell.append(Piece(_listed(watch.escalate_to) or "nobody", Part.ESCALATE_TO))
    return tell


def _running(watch: Watch) -> list[Piece]:
    last = [Piece("Run" if watch.run else "Switch")]
    last.append(Piece(run_words(watch.run) if watch.run else "nothing", Part.CONTROL))
    last.append(Piece("until it" if watch.run else "; it clears when it"))
    last += _clearing(watch)
    if watch.run:
        last += [
            Piece(", at least"),
            Piece(span_words(watch.run.at_least_s), Part.AT_LEAST),
            Piece(", never over"),
            Piece(span_words(watch.run.at_most_s), Part.AT_MOST),
        ]
    return last


def _clearing(watch: Watch) -> list[Piece]:
    calm = Piece(f"for {span_words(watch.calm_s)}" if watch.calm_s else "at once", Part.CALM)
    if watch.sort is WatchKind.SILENT:
        return [Piece("speaks again")]
    if watch.sort is WatchKind.DUE:
        return [Piece("is calibrated again")]
    if watch.sort is WatchKind.SO:
        return [Piece("is no longer so"), calm]
    clear = watch.limit if watch.clear is None else watch.clear
    words = {
        WatchKind.ABOVE: "is under",
        WatchKind.BELOW: "is over",
        WatchKind.LEVEL: "is below level",
        WatchKind.OUTSIDE: "is inside by",
    }.get(watch.sort, "is under")
    if watch.sort is WatchKind.OUTSIDE and watch.clear is None:
        clear = 0.0
    unit = (
        ""
        if watch.sort in (WatchKind.LEVEL, WatchKind.TIMES_USUAL, WatchKind.UNUSUAL)
        else watch.unit
    )
    return [Piece(words), Piece(amount_words(clear, unit), Part.CLEAR), calm]


def _listed(names: tuple[str, ...]) -> str:
    return ", ".join(names[:-1]) + (" and " if len(names) > 1 else "") + names[-1] if names else ""


def short_words(watch: Watch, quantity: str) -> str:
    """A watch in a few words for a list: `PM2.5 over 25 µg/m³ at Glaze booth`."""
    where, limit = scope_words(watch.scope), amount_words(watch.limit, watch.unit)
    if watch.sort is WatchKind.SILENT:
        return f"no word from {where} for {span_words(watch.silent_s)}"
    told = {
        WatchKind.ABOVE: f"over {limit}",
        WatchKind.BELOW: f"under {limit}",
        WatchKind.OUTSIDE: f"outside {amount_words(watch.low, '')} to {limit}",
        WatchKind.RISING: f"rising over {limit}/h",
        WatchKind.FALLING: f"falling over {limit}/h",
        WatchKind.TIMES_USUAL: f"over {watch.limit:g} × its usual",
        WatchKind.UNUSUAL: f"{watch.limit:g} spreads from its usual",
        WatchKind.SO: "is so",
        WatchKind.DUE: "due for calibration",
    }.get(watch.sort, "")
    if watch.sort is WatchKind.LEVEL:
        told = Level(int(watch.limit)).wording
    return f"{quantity} {told} at {where}"
