"""Prints the usual day of a series, and the air of a room."""

from __future__ import annotations

import math

import numpy as np
import typer

from rook_tally.bench.air import (
    AirAnswer,
    AirRoom,
    air,
    cleaner_named,
    duration_until,
    left_out_words,
    rate_words,
)
from rook_tally.bench.naming import reference_of, series_named
from rook_tally.bench.usual import UsualAnswer, usual
from rook_tally.bench.wording import plus_minus
from rook_tally.cli.bench_output import (
    MOST_LINES,
    LookedAt,
    Told,
    median_told,
    plain_list,
    plain_number,
    print_json,
    print_notes,
    print_rows,
)
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_format import duration
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.timestamps import rfc3339
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site


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
        print_json(_usual(answer))
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
    for spell in answer.spells[:MOST_LINES]:
        length = duration((spell.end_us - spell.start_us) / 1e6)
        typer.echo(f"  {rfc3339(spell.start_us)}  {length}  peak {shown.figure(spell.peak)}")
    for guideline in answer.guidelines:
        typer.echo(
            f"  {guideline.title}: {shown.limit_text(guideline.level)} {shown.symbol}".rstrip()
        )
    print_notes(answer.notes)


def _usual(answer: UsualAnswer) -> Told:
    shown, told = answer.series.shown, answer.profile
    return {
        "sentence": answer.sentence.text,
        "series": reference_of(answer.series),
        "unit": shown.symbol,
        "profile": {
            "start_s": plain_list(told.start_s),
            "median": plain_list(np.asarray(shown.value(told.median))),
            "p25": plain_list(np.asarray(shown.value(told.p25))),
            "p75": plain_list(np.asarray(shown.value(told.p75))),
            "n": told.n.tolist(),
            "today": plain_list(np.asarray(shown.value(answer.today))),
        },
        "week": {
            "mean": plain_list(np.asarray(shown.value(answer.week.mean))),
            "share": plain_list(answer.week.share),
        },
        "threshold": plain_number(float(shown.value(answer.threshold))),
        "spells": [
            {
                "from": rfc3339(one.start_us),
                "to": rfc3339(one.end_us),
                "peak": plain_number(float(shown.value(one.peak))),
                "peak_at": rfc3339(one.peak_us),
                "area_h": plain_number(shown.difference(one.area_h)),
                "cut": one.cut,
            }
            for one in answer.spells
        ],
        "guidelines": [
            {
                "title": one.title,
                "level": plain_number(float(shown.value(one.level))),
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
        print_json(_air(answer))
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
    print_rows(rows)
    for one_decay in answer.decays[-MOST_LINES:]:
        why = "" if one_decay.left_out is None else left_out_words(one_decay.left_out)
        typer.echo(
            f"  {rfc3339(one_decay.start_us)}  {one_decay.rate.rate_per_h:.2f}/h  "
            f"r² {one_decay.rate.r2:.2f}  {why}".rstrip()
        )
    print_notes(answer.notes)


def _air(answer: AirAnswer) -> Told:
    cleaning = answer.cleaning
    return {
        "sentence": answer.sentence.text,
        "series": reference_of(answer.series),
        "background": plain_number(answer.background),
        "air_changes_per_h": median_told(answer.rate),
        "months": [
            {"month": f"{1970 + month // 12}-{month % 12 + 1:02}"} | median_told(told)
            for month, told in answer.months
        ],
        "by_warmth_r": plain_number(answer.by_weather),
        "steady": plain_number(answer.steady_ppm),
        "l_s_person": plain_number(answer.l_s_person),
        "limit": plain_number(answer.limit),
        "limit_in_min": plain_number(answer.limit_in_min),
        "cleaning": None
        if cleaning is None
        else {
            "with": median_told(cleaning.with_it),
            "without": median_told(cleaning.without_it),
            "m3_h": plain_number(cleaning.m3_h),
            "within": plain_number(cleaning.within),
        },
        "decays": [
            {
                "from": rfc3339(one.start_us),
                "to": rfc3339(one.end_us),
                "per_h": plain_number(one.rate.rate_per_h),
                "low": plain_number(one.rate.low),
                "high": plain_number(one.rate.high),
                "r2": plain_number(one.rate.r2),
                "left_out": None if one.left_out is None else one.left_out.value,
            }
            for one in answer.decays
        ],
        "notes": list(answer.notes),
    }
