"""The controls of a station in words: what each can be, what it is, what was asked of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from rook_tally.core.quantities.controls import Control, ControlKind
from rook_tally.core.quantities.levels import Level
from rook_tally.core.timestamps import SECOND_US
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import Request, RequestKind, RequestState, Station, StoredAttribute


@dataclass(frozen=True, slots=True)
class ControlRow:
    """A control: its title, what it is by the station's own word or else by what was asked, and
    what is to be said of that."""

    control: Control
    title: str
    value: str
    remark: str
    level: Level

    @property
    def spoken(self) -> str:
        """The row as a screen reader says it."""
        return f"{self.title}, {self.value}, {self.remark}"


def control_rows(
    station: Station,
    reports: Mapping[str, StoredAttribute],
    requests: Sequence[Request],
    clock: Callable[[int], str],
    now_us: int,
) -> list[ControlRow]:
    """A row each control of a station. `requests` newest first; `clock` writes a moment."""
    newest: dict[str, Request] = {}
    for request in requests:
        if request.sort is RequestKind.CONTROL:
            newest.setdefault(request.name, request)
    return [
        _row(one, reports.get(one.name), newest.get(one.name), clock, now_us)
        for one in station.kind.controls
    ]


def _row(
    control: Control,
    report: StoredAttribute | None,
    asked: Request | None,
    clock: Callable[[int], str],
    now_us: int,
) -> ControlRow:
    told: str | None = None
    has_lapsed = asked is not None and _has_lapsed(control, asked, now_us)
    if asked is not None and asked.state is not RequestState.REFUSED and not has_lapsed:
        told = asked.value
    if report is not None and (asked is None or not asked.state.is_open or has_lapsed):
        told = report.value
    if told is None:
        value = tr("press") if control.sort is ControlKind.BUTTON else tr("not known")
    else:
        value = f"{told} {control.unit}".rstrip()
    if asked is not None and asked.state is RequestState.ASKED:
        remark, level = _not_taken_up(control, asked, clock, has_lapsed=has_lapsed)
    else:
        remark, level = _remark(report, asked, clock)
    return ControlRow(control, tr(control.title), value, remark, level)


def _lapses_us(control: Control, asked: Request) -> int:
    return asked.asked_us + round(control.lapse_s * SECOND_US)


def _has_lapsed(control: Control, asked: Request, now_us: int) -> bool:
    """True for what nobody carried out in time; with no collector nobody has written so yet."""
    return asked.state is RequestState.ASKED and now_us > _lapses_us(control, asked)


def _not_taken_up(
    control: Control, asked: Request, clock: Callable[[int], str], *, has_lapsed: bool
) -> tuple[str, Level]:
    """Words for what no collector has sent yet."""
    at = clock(asked.asked_us)
    if has_lapsed:
        words = tr(
            "asked {0} · lapsed: nobody could carry it out within {1:g} s; ask again",
            at,
            control.lapse_s,
        )
        return words, Level.HIGH
    words = tr("asked {0} · not sent yet; lapses {1}", at, clock(_lapses_us(control, asked)))
    return words, Level.RAISED


def _remark(
    report: StoredAttribute | None, asked: Request | None, clock: Callable[[int], str]
) -> tuple[str, Level]:
    if asked is None or (
        report is not None
        and asked.state.is_open is False
        and report.since_us > asked.asked_us
        and asked.state is not RequestState.CONFIRMED
    ):
        if report is None:
            return tr("it has not said how it stands"), Level.SETTLED
        return tr("as the station reports since {0}", clock(report.since_us)), Level.SETTLED
    at = clock(asked.asked_us)
    if asked.state is RequestState.CONFIRMED and asked.answered_us is not None:
        confirmed = clock(asked.answered_us)
        return tr("asked {0} · confirmed {1}", at, confirmed), Level.SETTLED
    if asked.state.is_open:
        if asked.tries > 1:
            words = tr("asked {0} · not confirmed yet, sent {1} times", at, asked.tries)
        else:
            words = tr("asked {0} · not confirmed yet", at)
        return words, Level.RAISED
    words = tr("asked {0} · {1}: {2}", at, tr(asked.state.value), asked.answer)
    return words, Level.HIGH
