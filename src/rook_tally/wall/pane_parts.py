"""Panes made into faces: what each says at a moment."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from rook_tally.core.quantities.levels import NO_LIMITS
from rook_tally.core.quantities.number_format import UNKNOWN
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.wall.definitions import PaneKind, limits_in_base
from rook_tally.wall import charts, figures, lists, plans
from rook_tally.wall.pane_builder import PaneBuilder, PaneContent
from rook_tally.wall.pane_context import PaneContext
from rook_tally.wall.pane_resolver import ResolvedPane
from rook_tally.wall.pane_views import PaneView
from rook_tally.wall.texts import tr

_TELLERS: dict[PaneKind, Callable[[PaneBuilder], PaneContent]] = {
    PaneKind.FIGURE: figures.figure,
    PaneKind.DIAL: figures.dial,
    PaneKind.DAY: figures.day,
    PaneKind.WORDS: figures.words,
    PaneKind.COLUMNS: charts.columns,
    PaneKind.RIBBON: charts.ribbon,
    PaneKind.LAMPS: lists.lamps,
    PaneKind.SCORE: lists.score,
    PaneKind.STANDING: lists.standing,
    PaneKind.TABLE: lists.table,
    PaneKind.PLAN: plans.plan,
}


def faces_of(panes: Sequence[ResolvedPane], known: PaneContext) -> tuple[PaneView, ...]:
    """Views of all panes."""
    return tuple(face_of(one, known) for one in panes)


def face_of(resolved: ResolvedPane, known: PaneContext) -> PaneView:
    """View of a pane; a pane that cannot be made says why and takes nothing from the others."""
    maker = PaneBuilder(resolved, known)
    pane = resolved.pane
    ids = frozenset(one.id for one in resolved.series)
    face = PaneView(
        pane.kind,
        pane.title or tr(pane.kind.value.capitalize()),
        series_ids=ids,
        is_trial=bool(ids & set(known.trial)),
    )
    if pane.kind.needs_series and not resolved.shown:
        return replace(face, trouble=resolved.trouble or tr("nothing there tells this"))
    told = _TELLERS[pane.kind](maker)
    if told.body is None:
        return replace(face, title=pane.title or told.title, trouble=told.aside)
    return replace(
        face,
        title=pane.title or told.title,
        aside=told.aside,
        body=told.body,
        note=_note(maker),
        freshness=_freshness(maker),
    )


def _freshness(maker: PaneBuilder) -> Freshness:
    """A pane of one series fades with it; of several, each fades for itself."""
    if maker.pane.kind.takes_several or len(maker.series) != 1:
        return Freshness.FRESH
    return maker.freshness(maker.series[0])


def _note(maker: PaneBuilder) -> str:
    """A warning about a pane: what is missing, a unit that does not fit, an age."""
    if maker.resolved.trouble:
        return maker.resolved.trouble
    pane, series = maker.pane, maker.series
    if pane.unit and series and series[0].quantity.unit(pane.unit) is None:
        symbols = ", ".join(one.symbol for one in series[0].quantity.units if one.symbol)
        return tr(
            "{0} is no unit of {1}; it has {2}",
            pane.unit,
            tr(series[0].quantity.name),
            symbols or UNKNOWN,
        )
    if pane.above is not None or pane.below is not None:
        for one in series:
            try:
                limits_in_base(pane, NO_LIMITS, maker.in_base(one))
            except ValueError:
                return tr("its own limits do not rise from level to level; the series' hold")
    if _freshness(maker) is Freshness.MAINTAINED:
        return tr("under maintenance")
    if _freshness(maker) is not Freshness.FRESH:
        heard_us = maker.known.snapshot.heard_us(series[0].station)
        if heard_us is None:
            return tr("nothing heard yet")
        return tr("{0} since the last word", maker.known.snapshot.age(heard_us))
    return ""
