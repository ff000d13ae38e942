"""`rook-tally compare`, `together`, `respond`, `profile`, `air`."""

from __future__ import annotations

import math
from collections.abc import Iterable
from datetime import tzinfo
from zoneinfo import ZoneInfo

import msgspec
import numpy as np
import typer
from sqlalchemy.engine import Connection

from rook_tally import clock
from rook_tally.bench.air import (
    AirAnswer,
    AirRoom,
    air,
    cleaner_named,
    duration_until,
    left_out_words,
    rate_words,
)
from rook_tally.bench.correct import corrections_of_proposal
from rook_tally.bench.events import events_of, source_from
from rook_tally.bench.find import find
from rook_tally.bench.naming import reference_of, series_named, shared_series
from rook_tally.bench.pair import PairAnswer, compare
from rook_tally.bench.respond import RankingAnswer, ResponseAnswer, ResponseSpan, rank, respond
from rook_tally.bench.usual import UsualAnswer, usual
from rook_tally.bench.wording import in_unit, plus_minus
from rook_tally.cli.changing import changing
from rook_tally.cli.progress_line import progress_line
from rook_tally.core.arrays import FloatArray
from rook_tally.core.errors import UsageError
from rook_tally.core.formulas.cleaning import MedianInterval
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.number_format import duration
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.time_input import typed_time
from rook_tally.core.timestamps import DAY_US, rfc3339, time_us_from_text
from rook_tally.login import login_name
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import Site, add_correction, load_site

Told = dict[str, object]
_MOST_LINES = 20


class LookedAt(msgspec.Struct, frozen=True):
    """What a person said about when: so many days back, or from and to."""

    days: float = 90.0
    from_: str | None = None
    to: str | None = None

    def of(self, site: Site) -> tuple[int, int]:
        """The stretch [start, end), µs.

        Raises
        ------
        UsageError
            For a moment that cannot be read, or an end before the start.
        """
        now_us, zone = clock.now_us(), ZoneInfo(site.zone)
        end_us = now_us if self.to is None else moment_said(self.to, now_us, zone)
        if self.from_ is not None:
            start_us = moment_said(self.from_, now_us, zone)
        elif self.days > 0 and math.isfinite(self.days):
            start_us = end_us - round(self.days * DAY_US)
        else:
            raise UsageError(f"{self.days:g} days are no stretch", remedy="give more than 0")
        if end_us <= start_us:
            raise UsageError("that stretch ends before it begins", remedy="give --from before --to")
        return start_us, end_us


def moment_said(text: str, now_us: int, zone: tzinfo) -> int:
    """A moment as RFC 3339 has it, or as people type it: `yesterday 14:00`.

    Raises
    ------
    UsageError
        When it is neither.
    """
    try:
        return time_us_from_text(text, zone)
    except ValueError:
        return typed_time(text, now_us=now_us, zone=zone).start_us


def print_comparison(
    where: str,
    first: str,
    second: str,
    *,
    quantity: str,
    stretch: LookedAt,
    apply: bool,
    as_json: bool,
) -> None:
    """Set two series side by side, and correct the second if asked to.

    Raises
    ------
    UsageError
        When a correction was asked for and the data carry none.
    """
    with existing_store(where) as store, store.read() as connection:
        answer = _compared(connection, first, second, quantity, stretch)
    if apply:
        if answer.proposal is None:
            raise UsageError(answer.refused.rstrip("."), kept="nothing was corrected")
        with changing(where) as connection:
            for correction, uncertainty in corrections_of_proposal(connection, answer):
                add_correction(
                    connection,
                    answer.second.id,
                    correction,
                    who=login_name(),
                    why=f"beside {answer.first.station.key}",
                    now_us=clock.now_us(),
                    uncertainty=uncertainty,
                )
    if as_json:
        _print_json(_comparison(answer) | {"applied": apply})
        return
    _print_comparison(answer)
    if apply:
        typer.echo("corrected; `rook-tally changes undo` takes it back")


def _compared(
    connection: Connection, first: str, second: str, quantity: str, stretch: LookedAt
) -> PairAnswer:
    site = load_site(connection)
    one, other = shared_series(site, first, second, quantity)
    return compare(connection, site, one, other, *stretch.of(site))


def _comparison(answer: PairAnswer) -> Told:
    shown, told = answer.second.shown, answer.figures
    diff = shown.difference
    proposal = answer.proposal
    return {
        "sentence": answer.sentence.text,
        "first": reference_of(answer.first),
        "second": reference_of(answer.second),
        "unit": shown.symbol,
        "from": rfc3339(answer.start_us),
        "to": rfc3339(answer.end_us),
        "pairs": answer.pairs,
        "tolerance_s": told.tolerance_s,
        "independent": round(told.difference.independent),
        "difference": _plain(diff(told.difference.mean)),
        "difference_within": _plain(diff(told.difference.within)),
        "agreement": [_plain(diff(told.low)), _plain(diff(told.high))],
        "agreement_within": _plain(diff(told.limits_within)),
        "gain": _plain(told.line.gain),
        "gain_within": _plain(told.line.gain_within),
        "lag_s": _plain(told.lag.lag_s),
        "lag_within_s": _plain(told.lag.within_s),
        "drift_per_month": _plain(diff(told.drift.drift_per_month)),
        "drift_interval": [_plain(diff(told.drift.low)), _plain(diff(told.drift.high))],
        "correlation": _plain(told.correlation),
        "heard_together": _plain(told.heard),
        "proposal": None
        if proposal is None
        else {
            "gain": proposal.gain,
            "within": _plain(diff(proposal.within)),
            "drift_per_month": _plain(diff(proposal.drift_per_month)),
            "steps": [
                {"from": rfc3339(int(at)), "offset": _plain(diff(float(offset)))}
                for at, offset in zip(proposal.starts_us, proposal.offsets, strict=True)
            ],
        },
        "refused": answer.refused or None,
        "notes": list(answer.notes),
    }


def _print_comparison(answer: PairAnswer) -> None:
    shown, told = answer.second.shown, answer.figures
    typer.echo(answer.sentence.text)
    rows = [
        (f"Pairs within {told.tolerance_s:g} s", f"{answer.pairs}"),
        ("of these independent", f"{told.difference.independent:.0f}"),
        ("Difference, mean", _sure(shown, told.difference.mean, told.difference.within)),
        (
            "Agreement, 95 %",
            f"{shown.difference_figure(told.low)} … {shown.difference_figure(told.high)} "
            f"{shown.symbol}",
        ),
        ("Gain", plus_minus(told.line.gain, told.line.gain_within)),
        ("Lag", f"{plus_minus(told.lag.lag_s, told.lag.within_s)} s"),
        (
            "Drift a month",
            _sure(shown, told.drift.drift_per_month, (told.drift.high - told.drift.low) / 2),
        ),
        ("Correlation", plus_minus(told.correlation, math.nan)),
        ("Heard together", f"{100 * told.heard:.1f} %"),
    ]
    _print_rows(rows)
    if answer.proposal is None:
        typer.echo(f"No correction: {answer.refused}")
    else:
        steps = len(answer.proposal.offsets)
        typer.echo(
            f"Proposed for {answer.second.station.key}: × {answer.proposal.gain:.4g} "
            f"{_sure(shown, float(answer.proposal.offsets.mean()), answer.proposal.within)}"
            + (f", in {steps} dated steps" if steps > 1 else "")
        )
    _print_notes(answer.notes)


def print_found(where: str, *, stretch: LookedAt, as_json: bool) -> None:
    """Print pairs that move together and strays."""
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        with progress_line("looking") as progress:
            answer = find(connection, site, *stretch.of(site), progress=progress)
    if as_json:
        _print_json(
            {
                "sentence": answer.sentence.text,
                "tried": answer.tried,
                "pairs": [
                    {
                        "first": reference_of(one.first),
                        "second": reference_of(one.second),
                        "r": _plain(one.r),
                        "hours": one.hours,
                    }
                    for one in answer.pairs
                ],
                "strays": [
                    {
                        "series": reference_of(one.series),
                        "group": [reference_of(each) for each in one.group],
                        "since": rfc3339(one.since_us),
                        "now": _plain(one.series.shown.difference(one.now)),
                        "usual": _plain(one.series.shown.difference(one.usual)),
                    }
                    for one in answer.strays
                ],
            }
        )
        return
    typer.echo(answer.sentence.text)
    for pair in answer.pairs[:_MOST_LINES]:
        typer.echo(f"  r {pair.r:.2f}  {reference_of(pair.first)}  {reference_of(pair.second)}")
    for stray in answer.strays:
        size = in_unit(stray.series.shown, stray.now - stray.usual, math.nan, signed=True)
        typer.echo(
            f"  {reference_of(stray.series)} is {size} off where it was, "
            f"since {rfc3339(stray.since_us)[:10]}"
        )


def print_response(
    where: str,
    series: str,
    event: str,
    *,
    quantity: str,
    before_min: float,
    after_min: float,
    stretch: LookedAt,
    as_json: bool,
) -> None:
    """Print what a series, or every series, does when something happens."""
    span = ResponseSpan(before_min * 60, after_min * 60)
    if not (before_min > 0 and after_min > 0):
        raise UsageError("nothing is looked at", remedy="give minutes above 0")
    source = source_from(event)
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        start_us, end_us = stretch.of(site)
        events = events_of(connection, site, source, start_us, end_us)
        if series == "all":
            with progress_line("looking") as progress:
                ranking = rank(connection, site, events, start_us, end_us, span, progress)
            _print_ranking(ranking, as_json=as_json)
            return
        one = series_named(site, series, quantity)
        answer = respond(connection, site, one, events, start_us, end_us, span)
    if as_json:
        _print_json(_response(answer))
        return
    typer.echo(answer.sentence.text)
    shown, told = answer.series.shown, answer.response
    _print_rows(
        [
            ("Times looked at", f"{told.events}"),
            ("Peak", in_unit(shown, told.peak, math.nan, signed=True)),
            ("Peak after", _time(told.peak_after_s)),
            ("Back after", _time(told.back_after_s)),
            (
                "More than the hour brings",
                in_unit(shown, answer.effect.excess, answer.effect.within, signed=True),
            ),
            (
                "By chance",
                f"{100 * answer.effect.p:.2g} %" if math.isfinite(answer.effect.p) else "–",
            ),
        ]
    )
    _print_notes(answer.notes)


def _time(told: float | None) -> str:
    return "–" if told is None else duration(told)


def _response(answer: ResponseAnswer) -> Told:
    shown, told = answer.series.shown, answer.response
    return {
        "sentence": answer.sentence.text,
        "series": reference_of(answer.series),
        "event": answer.events.source.text,
        "unit": shown.symbol,
        "events": told.events,
        "left_out": told.left_out,
        "offset_s": _list(told.offset_s),
        "mean": _list(told.mean / shown.unit.factor),
        "low": _list(told.low / shown.unit.factor),
        "high": _list(told.high / shown.unit.factor),
        "n": told.n.tolist(),
        "peak": _plain(shown.difference(told.peak)),
        "peak_after_s": told.peak_after_s,
        "back_after_s": told.back_after_s,
        "excess": _plain(shown.difference(answer.effect.excess)),
        "excess_within": _plain(shown.difference(answer.effect.within)),
        "p": _plain(answer.effect.p),
        "days": answer.effect.days,
        "change": None if answer.change is None else _change(answer),
        "notes": list(answer.notes),
    }


def _change(answer: ResponseAnswer) -> Told:
    change, shown = answer.change, answer.series.shown
    assert change is not None
    return {
        "days": answer.change_days,
        "difference": _plain(shown.difference(change.difference)),
        "low": _plain(shown.difference(change.low)),
        "high": _plain(shown.difference(change.high)),
        "mean_before": _plain(float(shown.value(change.mean_before))),
        "mean_after": _plain(float(shown.value(change.mean_after))),
        "n_eff_before": _plain(change.n_eff_before),
        "n_eff_after": _plain(change.n_eff_after),
    }


def _print_ranking(answer: RankingAnswer, *, as_json: bool) -> None:
    rows = [
        {
            "series": reference_of(one.series),
            "unit": one.series.shown.symbol,
            "excess": _plain(one.series.shown.difference(one.effect.excess)),
            "excess_within": _plain(one.series.shown.difference(one.effect.within)),
            "p": _plain(one.p),
            "days": one.effect.days,
        }
        for one in answer.ranked
    ]
    if as_json:
        _print_json(
            {
                "sentence": answer.sentence.text,
                "event": answer.events.source.text,
                "times": len(answer.events.times_us),
                "tried": answer.tried,
                "series": rows,
            }
        )
        return
    typer.echo(answer.sentence.text)
    for one in answer.ranked[:_MOST_LINES]:
        size = in_unit(one.series.shown, one.effect.excess, one.effect.within, signed=True)
        chance = f"p {one.p:.3g}" if math.isfinite(one.p) else "cannot be told"
        typer.echo(f"  {reference_of(one.series):<44} {size:<24} {chance}")


def print_profile(
    where: str, series: str, *, quantity: str, above: str | None, stretch: LookedAt, as_json: bool
) -> None:
    """Print what is usual of a series."""
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        one = series_named(site, series, quantity)
        level = None if above is None else float(one.shown.unit.to_base(typed_number(above)))
        answer = usual(connection, site, one, *stretch.of(site), threshold=level)
    if as_json:
        _print_json(_usual(answer))
        return
    typer.echo(answer.sentence.text)
    shown, told = one.shown, answer.profile
    for at in range(0, len(told.start_s), 2):
        hour = f"{int(told.start_s[at]) // 3600:02}:00"
        typer.echo(
            f"  {hour}  {shown.figure(float(told.median[at])):>8}  "
            f"({shown.figure(float(told.p25[at]))} … {shown.figure(float(told.p75[at]))})"
        )
    typer.echo(f"{len(answer.spells)} spells above {shown.figure(answer.threshold)} {shown.symbol}")
    for spell in answer.spells[:_MOST_LINES]:
        length = duration((spell.end_us - spell.start_us) / 1e6)
        typer.echo(f"  {rfc3339(spell.start_us)}  {length}  peak {shown.figure(spell.peak)}")
    for guideline in answer.guidelines:
        typer.echo(
            f"  {guideline.title}: {shown.limit_text(guideline.level)} {shown.symbol}".rstrip()
        )
    _print_notes(answer.notes)


def _usual(answer: UsualAnswer) -> Told:
    shown, told = answer.series.shown, answer.profile
    return {
        "sentence": answer.sentence.text,
        "series": reference_of(answer.series),
        "unit": shown.symbol,
        "profile": {
            "start_s": _list(told.start_s),
            "median": _list(np.asarray(shown.value(told.median))),
            "p25": _list(np.asarray(shown.value(told.p25))),
            "p75": _list(np.asarray(shown.value(told.p75))),
            "n": told.n.tolist(),
            "today": _list(np.asarray(shown.value(answer.today))),
        },
        "week": {
            "mean": _list(np.asarray(shown.value(answer.week.mean))),
            "share": _list(answer.week.share),
        },
        "threshold": _plain(float(shown.value(answer.threshold))),
        "spells": [
            {
                "from": rfc3339(one.start_us),
                "to": rfc3339(one.end_us),
                "peak": _plain(float(shown.value(one.peak))),
                "peak_at": rfc3339(one.peak_us),
                "area_h": _plain(shown.difference(one.area_h)),
                "cut": one.cut,
            }
            for one in answer.spells
        ],
        "guidelines": [
            {
                "title": one.title,
                "level": _plain(float(shown.value(one.level))),
                "source": one.source,
            }
            for one in answer.guidelines
        ],
        "notes": list(answer.notes),
    }


def print_air(
    where: str,
    series: str,
    *,
    quantity: str,
    volume_m3: float | None,
    cleaner: str,
    background: str | None,
    stretch: LookedAt,
    as_json: bool,
) -> None:
    """Print how a room airs."""
    if volume_m3 is not None and not volume_m3 > 0:
        raise UsageError("a room has a volume above 0", remedy="give it in m³")
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        one = series_named(site, series, quantity or ("" if "@" in series else "co2"))
        switch = series_named(site, cleaner) if cleaner else cleaner_named(site, one)
        level = (
            None if background is None else float(one.shown.unit.to_base(typed_number(background)))
        )
        room = AirRoom(math.nan if volume_m3 is None else volume_m3, cleaner=switch)
        answer = air(connection, site, one, *stretch.of(site), room, level)
    if as_json:
        _print_json(_air(answer))
        return
    typer.echo(answer.sentence.text)
    rows = [
        ("Nights used", f"{answer.rate.used}"),
        ("Air changes an hour", rate_words(answer.rate)),
        ("Until the limit", duration_until(answer.limit_in_min)),
    ]
    if math.isfinite(answer.l_s_person):
        rows.insert(2, ("Fresh air a person", f"{plus_minus(answer.l_s_person, math.nan)} l/s"))
    if answer.cleaning is not None:
        rows.append(
            ("Clean air", f"{plus_minus(answer.cleaning.m3_h, answer.cleaning.within)} m³/h")
        )
    _print_rows(rows)
    for one_decay in answer.decays[-_MOST_LINES:]:
        why = "" if one_decay.left_out is None else left_out_words(one_decay.left_out)
        typer.echo(
            f"  {rfc3339(one_decay.start_us)}  {one_decay.rate.rate_per_h:.2f}/h  "
            f"r² {one_decay.rate.r2:.2f}  {why}".rstrip()
        )
    _print_notes(answer.notes)


def _air(answer: AirAnswer) -> Told:
    cleaning = answer.cleaning
    return {
        "sentence": answer.sentence.text,
        "series": reference_of(answer.series),
        "background": _plain(answer.background),
        "air_changes_per_h": _median(answer.rate),
        "months": [
            {"month": f"{1970 + month // 12}-{month % 12 + 1:02}"} | _median(told)
            for month, told in answer.months
        ],
        "by_warmth_r": _plain(answer.by_weather),
        "steady": _plain(answer.steady_ppm),
        "l_s_person": _plain(answer.l_s_person),
        "limit": _plain(answer.limit),
        "limit_in_min": _plain(answer.limit_in_min),
        "cleaning": None
        if cleaning is None
        else {
            "with": _median(cleaning.with_it),
            "without": _median(cleaning.without_it),
            "m3_h": _plain(cleaning.m3_h),
            "within": _plain(cleaning.within),
        },
        "decays": [
            {
                "from": rfc3339(one.start_us),
                "to": rfc3339(one.end_us),
                "per_h": _plain(one.rate.rate_per_h),
                "low": _plain(one.rate.low),
                "high": _plain(one.rate.high),
                "r2": _plain(one.rate.r2),
                "left_out": None if one.left_out is None else one.left_out.value,
            }
            for one in answer.decays
        ],
        "notes": list(answer.notes),
    }


def _median(told: MedianInterval) -> Told:
    return {
        "median": _plain(told.median),
        "low": _plain(told.low),
        "high": _plain(told.high),
        "used": told.used,
        "given": told.given,
    }


def _sure(shown: DisplayUnit, value: float, within: float) -> str:
    return in_unit(shown, value, within, signed=True)


def _plain(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None


def _list(values: FloatArray) -> list[float | None]:
    return [_plain(float(one)) for one in values]


def _print_rows(rows: Iterable[tuple[str, str]]) -> None:
    for name, told in rows:
        typer.echo(f"  {name:<26} {told}")


def _print_notes(notes: Iterable[str]) -> None:
    for note in notes:
        typer.echo(f"note: {note}")


def _print_json(told: Told) -> None:
    typer.echo(msgspec.json.encode(told).decode())
