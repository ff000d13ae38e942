"""Prints how a series answers to events, and which other series move with it."""

from __future__ import annotations

import math

import typer

from rook_tally.bench.events import events_of, source_from
from rook_tally.bench.naming import reference_of, series_named
from rook_tally.bench.respond import RankingAnswer, ResponseAnswer, ResponseSpan, rank, respond
from rook_tally.bench.wording import in_unit
from rook_tally.cli.bench_output import (
    MOST_LINES,
    LookedAt,
    Told,
    plain_list,
    plain_number,
    print_json,
    print_notes,
    print_rows,
    time_told,
)
from rook_tally.cli.progress_line import progress_line
from rook_tally.core.errors import UsageError
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site


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
            print_ranking(ranking, as_json=as_json)
            return
        one = series_named(site, series, quantity)
        answer = respond(connection, site, one, events, start_us, end_us, span)
    if as_json:
        print_json(_response(answer))
        return
    typer.echo(answer.sentence.text)
    shown, told = answer.series.shown, answer.response
    print_rows(
        [
            ("Times looked at", f"{told.events}"),
            ("Peak", in_unit(shown, told.peak, math.nan, signed=True)),
            ("Peak after", time_told(told.peak_after_s)),
            ("Back after", time_told(told.back_after_s)),
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
    print_notes(answer.notes)


def _response(answer: ResponseAnswer) -> Told:
    shown, told = answer.series.shown, answer.response
    return {
        "sentence": answer.sentence.text,
        "series": reference_of(answer.series),
        "event": answer.events.source.text,
        "unit": shown.symbol,
        "events": told.events,
        "left_out": told.left_out,
        "offset_s": plain_list(told.offset_s),
        "mean": plain_list(told.mean / shown.unit.factor),
        "low": plain_list(told.low / shown.unit.factor),
        "high": plain_list(told.high / shown.unit.factor),
        "n": told.n.tolist(),
        "peak": plain_number(shown.difference(told.peak)),
        "peak_after_s": told.peak_after_s,
        "back_after_s": told.back_after_s,
        "excess": plain_number(shown.difference(answer.effect.excess)),
        "excess_within": plain_number(shown.difference(answer.effect.within)),
        "p": plain_number(answer.effect.p),
        "days": answer.effect.days,
        "change": None if answer.change is None else _change(answer),
        "notes": list(answer.notes),
    }


def _change(answer: ResponseAnswer) -> Told:
    change, shown = answer.change, answer.series.shown
    assert change is not None
    return {
        "days": answer.change_days,
        "difference": plain_number(shown.difference(change.difference)),
        "low": plain_number(shown.difference(change.low)),
        "high": plain_number(shown.difference(change.high)),
        "mean_before": plain_number(float(shown.value(change.mean_before))),
        "mean_after": plain_number(float(shown.value(change.mean_after))),
        "n_eff_before": plain_number(change.n_eff_before),
        "n_eff_after": plain_number(change.n_eff_after),
    }


def print_ranking(answer: RankingAnswer, *, as_json: bool) -> None:
    """Print the series that move with an event, the strongest first."""
    rows = [
        {
            "series": reference_of(one.series),
            "unit": one.series.shown.symbol,
            "excess": plain_number(one.series.shown.difference(one.effect.excess)),
            "excess_within": plain_number(one.series.shown.difference(one.effect.within)),
            "p": plain_number(one.p),
            "days": one.effect.days,
        }
        for one in answer.ranked
    ]
    if as_json:
        print_json(
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
    for one in answer.ranked[:MOST_LINES]:
        size = in_unit(one.series.shown, one.effect.excess, one.effect.within, signed=True)
        chance = f"p {one.p:.3g}" if math.isfinite(one.p) else "cannot be told"
        typer.echo(f"  {reference_of(one.series):<44} {size:<24} {chance}")
