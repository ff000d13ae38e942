"""`rook-tally compare`, `together`, `respond`, `profile`, `air`."""

from __future__ import annotations

import math

import typer
from sqlalchemy.engine import Connection

from rook_tally import clock
from rook_tally.bench.correct import corrections_of_proposal
from rook_tally.bench.find import find
from rook_tally.bench.naming import reference_of, shared_series
from rook_tally.bench.pair import PairAnswer, compare
from rook_tally.bench.wording import in_unit, plus_minus
from rook_tally.cli.bench_output import (
    MOST_LINES,
    LookedAt,
    Told,
    plain_number,
    print_json,
    print_notes,
    print_rows,
    sure_words,
)
from rook_tally.cli.changing import changing
from rook_tally.cli.progress_line import progress_line
from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import rfc3339
from rook_tally.login import login_name
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import add_correction, load_site


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
        print_json(_comparison(answer) | {"applied": apply})
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
        "difference": plain_number(diff(told.difference.mean)),
        "difference_within": plain_number(diff(told.difference.within)),
        "agreement": [plain_number(diff(told.low)), plain_number(diff(told.high))],
        "agreement_within": plain_number(diff(told.limits_within)),
        "gain": plain_number(told.line.gain),
        "gain_within": plain_number(told.line.gain_within),
        "lag_s": plain_number(told.lag.lag_s),
        "lag_within_s": plain_number(told.lag.within_s),
        "drift_per_month": plain_number(diff(told.drift.drift_per_month)),
        "drift_interval": [plain_number(diff(told.drift.low)), plain_number(diff(told.drift.high))],
        "correlation": plain_number(told.correlation),
        "heard_together": plain_number(told.heard),
        "proposal": None
        if proposal is None
        else {
            "gain": proposal.gain,
            "within": plain_number(diff(proposal.within)),
            "drift_per_month": plain_number(diff(proposal.drift_per_month)),
            "steps": [
                {"from": rfc3339(int(at)), "offset": plain_number(diff(float(offset)))}
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
        ("Difference, mean", sure_words(shown, told.difference.mean, told.difference.within)),
        (
            "Agreement, 95 %",
            f"{shown.difference_figure(told.low)} … {shown.difference_figure(told.high)} "
            f"{shown.symbol}",
        ),
        ("Gain", plus_minus(told.line.gain, told.line.gain_within)),
        ("Lag", f"{plus_minus(told.lag.lag_s, told.lag.within_s)} s"),
        (
            "Drift a month",
            sure_words(shown, told.drift.drift_per_month, (told.drift.high - told.drift.low) / 2),
        ),
        ("Correlation", plus_minus(told.correlation, math.nan)),
        ("Heard together", f"{100 * told.heard:.1f} %"),
    ]
    print_rows(rows)
    if answer.proposal is None:
        typer.echo(f"No correction: {answer.refused}")
    else:
        steps = len(answer.proposal.offsets)
        typer.echo(
            f"Proposed for {answer.second.station.key}: × {answer.proposal.gain:.4g} "
            f"{sure_words(shown, float(answer.proposal.offsets.mean()), answer.proposal.within)}"
            + (f", in {steps} dated steps" if steps > 1 else "")
        )
    print_notes(answer.notes)


def print_found(where: str, *, stretch: LookedAt, as_json: bool) -> None:
    """Print pairs that move together and strays."""
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        with progress_line("looking") as progress:
            answer = find(connection, site, *stretch.of(site), progress=progress)
    if as_json:
        print_json(
            {
                "sentence": answer.sentence.text,
                "tried": answer.tried,
                "pairs": [
                    {
                        "first": reference_of(one.first),
                        "second": reference_of(one.second),
                        "r": plain_number(one.r),
                        "hours": one.hours,
                    }
                    for one in answer.pairs
                ],
                "strays": [
                    {
                        "series": reference_of(one.series),
                        "group": [reference_of(each) for each in one.group],
                        "since": rfc3339(one.since_us),
                        "now": plain_number(one.series.shown.difference(one.now)),
                        "usual": plain_number(one.series.shown.difference(one.usual)),
                    }
                    for one in answer.strays
                ],
            }
        )
        return
    typer.echo(answer.sentence.text)
    for pair in answer.pairs[:MOST_LINES]:
        typer.echo(f"  r {pair.r:.2f}  {reference_of(pair.first)}  {reference_of(pair.second)}")
    for stray in answer.strays:
        size = in_unit(stray.series.shown, stray.now - stray.usual, math.nan, signed=True)
        typer.echo(
            f"  {reference_of(stray.series)} is {size} off where it was, "
            f"since {rfc3339(stray.since_us)[:10]}"
        )
