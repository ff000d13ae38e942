"""Queries of the Workings view: the list, and the result of a draft over the window."""

from __future__ import annotations

from dataclasses import dataclass, replace

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.named_series import Group, NamedSeries
from rook_tally.core.series.envelope import Envelope, envelope_of_readings
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.timestamps import DAY_US
from rook_tally.core.workings.alignment import Inputs
from rook_tally.core.workings.binding import Bound, bound
from rook_tally.core.workings.definitions import Placement, Working
from rook_tally.core.workings.dependencies import checked_order, formulas_of, references_of
from rook_tally.core.workings.diagnostics import Diagnostic, FormulaError
from rook_tally.core.workings.evaluator import Program
from rook_tally.core.workings.parsing import parsed
from rook_tally.core.workings.scores import ScoreProgram
from rook_tally.core.workings.symbols import SymbolTable
from rook_tally.core.workings.templates import Offer, offers
from rook_tally.desk.workings.input_cache import KEPT
from rook_tally.store.base import ALWAYS_US, stretches_to_work_out
from rook_tally.store.base.changes import newest_site_change
from rook_tally.store.readings import span_of
from rook_tally.store.site import load_site
from rook_tally.store.workings import groups, names_of, workings

_USUAL_DAYS = 30
_MOMENTS = 1500
_USUAL_MOMENTS = 3000
_BINS = 60


class WorkingsListing(msgspec.Struct, frozen=True):
    """Workings, groups, newest values and offers.

    Attributes
    ----------
    series : by slug, (place, series id) of what a working gives
    progress : by slug, how much of what is due is done, 0…1
    uses : by slug, the names of workings that rest on it
    site_seq : of the site's newest change
    """

    workings: tuple[Working, ...]
    groups: tuple[Group, ...]
    offers: tuple[Offer, ...]
    series: dict[str, tuple[tuple[str, int], ...]]
    progress: dict[str, float]
    uses: dict[str, tuple[str, ...]]
    site_seq: int = 0


@dataclass(frozen=True, slots=True)
class WorkingsQuery:
    """Asks what there is.

    `known` is the listing of a moment ago: what could be made of the site's series is looked for
    again only when there are other series, workings or groups by now.
    """

    now_us: int
    known: WorkingsListing | None = None

    def run(self, connection: Connection) -> WorkingsListing:
        """Everything there is."""
        site_seq = newest_site_change(connection)
        site, in_groups = load_site(connection), groups(connection)
        names, have = names_of(site, in_groups), workings(connection)
        given: dict[str, list[tuple[str, int]]] = {}
        for one in site.series:
            if one.station.is_worked_out:
                given.setdefault(one.quantity.slug, []).append((one.station.place.name, one.id))
        return WorkingsListing(
            tuple(have),
            tuple(in_groups),
            self._offers(names, tuple(have), tuple(in_groups), site_seq),
            {slug: tuple(told) for slug, told in given.items()},
            self._progress(connection, {one.id: one.quantity.slug for one in site.series}),
            _uses(have),
            site_seq,
        )

    def _offers(
        self,
        names: SymbolTable,
        have: tuple[Working, ...],
        in_groups: tuple[Group, ...],
        site_seq: int,
    ) -> tuple[Offer, ...]:
        known = self.known
        if known is not None and (known.workings, known.groups, known.site_seq) == (
            have,
            in_groups,
            site_seq,
        ):
            return known.offers
        return tuple(offers(names, have))

    def _progress(self, connection: Connection, slugs: dict[int, str]) -> dict[str, float]:
        due = stretches_to_work_out(connection)
        if not due:
            return {}
        first_us, last_us = span_of(connection) or (0, self.now_us)
        done: dict[str, list[float]] = {}
        for one in due:
            begin, end = max(one.from_us, first_us), min(one.to_us, last_us, ALWAYS_US)
            share = (max(one.reached_us, begin) - begin) / max(end - begin, 1)
            done.setdefault(slugs.get(one.series_id, ""), []).append(min(1.0, max(0.0, share)))
        return {slug: float(np.mean(shares)) for slug, shares in done.items()}


def _uses(have: list[Working]) -> dict[str, tuple[str, ...]]:
    found: dict[str, list[str]] = {}
    for one in have:
        for formula in formulas_of(one):
            for reference in references_of(parsed(formula)):
                told = found.setdefault(reference.quantity, [])
                if one.name not in told:
                    told.append(one.name)
    return {slug: tuple(told) for slug, told in found.items()}


@dataclass(frozen=True, slots=True)
class InputTrace:
    """One input of a formula over the window."""

    name: str
    shown: DisplayUnit
    envelope: Envelope


@dataclass(frozen=True, slots=True)
class FormulaPreview:
    """The result of a draft; with an error nothing is drawn.

    `formula` is the one it was asked for, `places` all it would be made for and `place` the one
    drawn.
    """

    formula: str
    mistake: Diagnostic | None = None
    notes: tuple[Diagnostic, ...] = ()
    place: str = ""
    places: tuple[str, ...] = ()
    shown: DisplayUnit | None = None
    envelope: Envelope | None = None
    newest: float = float("nan")
    inputs: tuple[InputTrace, ...] = ()


@dataclass(frozen=True, slots=True)
class FormulaQuery:
    """Asks what a draft of a formula comes to over a window, at one of its places."""

    working: Working
    instead_of: str
    place: str
    start_us: int
    end_us: int
    columns: int

    def run(self, connection: Connection) -> FormulaPreview:
        """Its result and its inputs over the window."""
        formula = self.working.formula
        try:
            made, names = _bound_draft(connection, self.working, self.instead_of)
        except FormulaError as error:
            return FormulaPreview(formula, error.mistake)
        one = _at_place(made, self.place)
        inputs = _read(connection, one.program, self.start_us, self.end_us)
        times, value = one.program.worked_out(inputs, self.start_us, self.end_us)
        known = np.isfinite(value)
        result = readings_from(times[known], value[known])
        quantity = one.result.quantity
        by_id = {each.id: each for each in names.series}
        return FormulaPreview(
            formula,
            None,
            one.notes,
            one.place,
            tuple(each.place for each in made),
            DisplayUnit(quantity, one.result.unit_shown or quantity.base),
            self._envelope(result, one.cadence_s, quantity.averaging),
            float(value[known][-1]) if known.any() else float("nan"),
            tuple(
                InputTrace(
                    _name_of(by_id[series_id]),
                    _shown(by_id[series_id]),
                    self._envelope(
                        KEPT.readings(connection, series_id, self.start_us, self.end_us),
                        by_id[series_id].cadence_s,
                        by_id[series_id].quantity.averaging,
                    ),
                )
                for series_id in inputs.heard
            ),
        )

    def _envelope(self, readings: Readings, cadence_s: float, averaging: Averaging) -> Envelope:
        width_us = max(1, -(-(self.end_us - self.start_us) // self.columns))
        return envelope_of_readings(
            readings,
            self.start_us,
            width_us,
            self.columns,
            max_gap_s=max_gap_s(cadence_s),
            averaging=averaging,
        )


def _bound_draft(
    connection: Connection, working: Working, instead_of: str
) -> tuple[list[Bound], SymbolTable]:
    """A draft bound as if it were kept already."""
    have = [one for one in workings(connection) if one.slug not in (instead_of, working.slug)]
    checked_order([*have, working])
    names = names_of(load_site(connection), groups(connection))
    return bound(working, names), names


def _at_place(made: list[Bound], place: str) -> Bound:
    return next((one for one in made if one.place == place), made[0])


def _read(
    connection: Connection, program: Program | ScoreProgram, start_us: int, end_us: int
) -> Inputs:
    """Readings of each input from as far back as is looked at."""
    factors = {one.series_id: one.factor for one in program.inputs}
    return KEPT.inputs(connection, factors, start_us - program.reach_us, end_us)


def _name_of(one: NamedSeries) -> str:
    return f"{one.quantity.name} · {one.place}"


def _shown(one: NamedSeries) -> DisplayUnit:
    return DisplayUnit(one.quantity, one.quantity.base)


@dataclass(frozen=True, slots=True)
class Histogram:
    """The spread of an input's readings: shares of them in bins over [low, high]."""

    low: float
    high: float
    shares: FloatArray


@dataclass(frozen=True, slots=True)
class WayOfAdding:
    """A score with what its inputs read at the moments of a preview: (I, M), NaN where missing."""

    working: Working
    readings: FloatArray


@dataclass(frozen=True, slots=True)
class ScorePreview:
    """A score's inputs over the window at a place.

    Attributes
    ----------
    times : (M,) moments, evenly spaced
    ways : the draft's first, then its variants'
    now : (I,) what the draft's inputs read at the window's end
    units : symbols of the inputs' units
    usual : how each input's readings are spread over thirty days
    """

    slug: str
    mistake: Diagnostic | None = None
    input_at: int = 0
    place: str = ""
    places: tuple[str, ...] = ()
    times: TimeArray | None = None
    ways: tuple[WayOfAdding, ...] = ()
    now: FloatArray | None = None
    units: tuple[str, ...] = ()
    usual: tuple[Histogram | None, ...] = ()


@dataclass(frozen=True, slots=True)
class ScoreQuery:
    """Asks what a score's inputs read, and those of its variants, at one of its places."""

    working: Working
    variants: tuple[Working, ...]
    instead_of: str
    place: str
    start_us: int
    end_us: int

    def run(self, connection: Connection) -> ScorePreview:
        """Their readings at the window's moments."""
        slug = self.working.slug
        try:
            made, names = _bound_draft(connection, self.working, self.instead_of)
        except FormulaError as error:
            return ScorePreview(slug, error.mistake, self._input_of(connection))
        one = _at_place(made, self.place)
        times = np.linspace(self.start_us, self.end_us - 1, _MOMENTS).astype(np.int64)
        ways = [WayOfAdding(self.working, self._readings(connection, one, times))]
        for variant in self.variants:
            try:
                bound_there = [each for each in bound(variant, names) if each.place == one.place]
            except FormulaError:
                continue
            if bound_there:
                readings = self._readings(connection, bound_there[0], times)
                ways.append(WayOfAdding(variant, readings))
        usual_us = np.linspace(
            self.end_us - _USUAL_DAYS * DAY_US, self.end_us - 1, _USUAL_MOMENTS
        ).astype(np.int64)
        usual = self._readings(connection, one, usual_us)
        assert self.working.score is not None
        units = []
        for each in self.working.score.inputs:
            units.append(_unit_of(each.formula, replace(names, here=one.place)))
        return ScorePreview(
            slug,
            None,
            0,
            one.place,
            tuple(each.place for each in made),
            times,
            tuple(ways),
            ways[0].readings[:, -1],
            tuple(units),
            tuple(_spread(row) for row in usual),
        )

    def _readings(self, connection: Connection, one: Bound, times: TimeArray) -> FloatArray:
        program = one.program
        assert isinstance(program, ScoreProgram)
        inputs = _read(connection, program, int(times[0]), int(times[-1]) + 1)
        return program.readings(inputs, times)

    def _input_of(self, connection: Connection) -> int:
        """Which input of the draft cannot be worked out."""
        score = self.working.score
        assert score is not None
        for at, one in enumerate(score.inputs):
            alone = Working(
                slug=self.working.slug,
                name=one.name,
                formula=one.formula,
                made=self.working.made,
                group=self.working.group,
            )
            try:
                _bound_draft(connection, alone, self.instead_of)
            except FormulaError:
                return at
        return 0


def _unit_of(formula: str, names: SymbolTable) -> str:
    """The unit in which an input's readings are told; empty where the place has no such thing."""
    try:
        alone = Working(slug="input", name="", formula=formula, made=Placement.ONCE, place="-")
        return bound(alone, names)[0].result.units[0].symbol
    except FormulaError:
        return ""


def _spread(values: FloatArray) -> Histogram | None:
    known = values[np.isfinite(values)]
    if len(known) < _BINS:
        return None
    low, high = float(known.min()), float(known.max())
    counts, _ = np.histogram(known, _BINS, (low, high) if high > low else (low - 0.5, high + 0.5))
    return Histogram(low, high if high > low else high + 0.5, counts / counts.max())
