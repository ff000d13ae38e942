"""A report worked out from a store: its material read once, then part after part."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from zoneinfo import ZoneInfo

from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.guidelines import Guideline
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.reports.definitions import Report, ReportPart
from rook_tally.core.reports.document import Paragraph, ReportBlock, ReportDocument, ReportSection
from rook_tally.core.reports.periods import Period
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.reports.charts_part import (
    charts_blocks,
    hours_blocks,
    profile_blocks,
    season_blocks,
    week_blocks,
    wind_blocks,
)
from rook_tally.reports.figures_part import figures_blocks, limits_blocks, moment, not_heard_blocks
from rook_tally.reports.material import (
    Material,
    SeriesFigures,
    calendar_of,
    figures_in,
    readings_of,
)
from rook_tally.reports.records_part import (
    alarm_figures,
    alarms_blocks,
    corrections_blocks,
    remarks_blocks,
    scores_blocks,
    totals_blocks,
)
from rook_tally.reports.sentences import sentences
from rook_tally.reports.texts import tr, tr_count
from rook_tally.store.site import Series, Site, load_site
from rook_tally.store.site.guidelines import guidelines

Progress = Callable[[float], None]

TITLES = {
    ReportPart.SENTENCES: "In a sentence",
    ReportPart.FIGURES: "Figures by place",
    ReportPart.LIMITS: "Limits and guidelines",
    ReportPart.HOURS: "Hour by hour",
    ReportPart.CHARTS: "Courses",
    ReportPart.PROFILE: "A usual day",
    ReportPart.WEEK: "A usual week",
    ReportPart.WIND: "Wind",
    ReportPart.TOTALS: "Totals",
    ReportPart.SCORES: "Scores",
    ReportPart.ALARMS: "Alarms",
    ReportPart.CORRECTIONS: "Corrections and calibrations",
    ReportPart.REMARKS: "Remarks",
    ReportPart.NOT_HEARD: "What was not heard",
    ReportPart.SEASON: "Season",
}


def build(
    connection: Connection,
    report: Report,
    period: Period,
    *,
    now_us: int,
    changed: str = "",
    progress: Progress | None = None,
) -> ReportDocument:
    """Work a report out over a stretch; `changed` is said first, where it was written before and
    says something else now.

    Raises
    ------
    UsageError
        When none of its places is there any more.
    """
    site = load_site(connection)
    material = _material(connection, site, report, period, now_us, progress)
    blocks = _Blocks(connection, report, material, guidelines(connection))
    sections = []
    if changed:
        sections.append(ReportSection("changed", "", (Paragraph(changed, is_quiet=True),)))
    if not material.calendar.is_over:
        until = moment(now_us, material.calendar.zone)
        words = tr("This stretch is not over: it is told as far as {0}.", until)
        sections.append(ReportSection("so-far", "", (Paragraph(words, is_quiet=True),)))
    for part in report.parts:
        told = tuple(blocks.of(part))
        if told:
            title = "" if part is ReportPart.SENTENCES else tr(TITLES[part])
            sections.append(ReportSection(part.value, title, told))
    stations = {
        one.series.station.key for one in material.figures if not one.series.station.is_worked_out
    }
    heard = sum(one.heard for one in material.figures) / max(1, len(material.figures))
    return ReportDocument(
        report.slug,
        period.name,
        period.title,
        f"{site.name or tr('unnamed')} · {report.name} · {period.days_words}, {site.zone}",
        (
            tr(
                "{0}, {1} series",
                tr_count(len(stations), "1 station", "{0} stations"),
                len(material.figures),
            ),
            tr("heard {0} %", figure(100 * heard, 1)),
        ),
        tuple(sections),
    )


def chosen(site: Site, report: Report) -> tuple[list[Series], list[str]]:
    """The series of a report, and those of its places that are not there any more."""
    names = {one.name for one in site.places}
    gone = [one for one in report.places if one not in names]
    below = _with_those_inside(site, report.places)
    told = [
        one
        for one in site.series
        if not one.settings.hidden
        and (not report.places or one.station.place.name in below)
        and (not report.quantities or one.quantity.slug in report.quantities)
    ]
    return told, gone


def _with_those_inside(site: Site, places: Sequence[str]) -> set[str]:
    """Places and all that lie in them."""
    by_id = {one.id: one for one in site.places}
    wanted = set(places)
    for one in site.places:
        at = one
        while at.name not in wanted and at.parent_id is not None:
            at = by_id[at.parent_id]
        if at.name in wanted:
            wanted.add(one.name)
    return wanted


def _material(
    connection: Connection,
    site: Site,
    report: Report,
    period: Period,
    now_us: int,
    progress: Progress | None,
) -> Material:
    series, gone = chosen(site, report)
    if gone and len(gone) == len(report.places):
        raise UsageError(
            tr("{0}: its places are not there any more: {1}", report.name, ", ".join(gone)),
            kept=tr("nothing was written"),
            remedy=tr("choose other places for it"),
        )
    zone = ZoneInfo(site.zone)
    calendar = calendar_of(period, zone, now_us)
    before = calendar_of(period.before(), zone, now_us)
    compares = ReportPart.SENTENCES in report.parts
    found: list[SeriesFigures] = []
    earlier: list[SeriesFigures] = []
    silent = []
    for number, one in enumerate(series):
        readings = readings_of(connection, one, calendar, before if compares else None)
        told = figures_in(readings, one, calendar)
        if told is not None:
            found.append(told)
            other = figures_in(readings, one, before, with_hours=False) if compares else None
            if other is not None:
                earlier.append(other)
        elif one.station.retired_us is None:
            silent.append(one)
        if progress is not None:
            progress((number + 1) / len(series))
    return Material(site, calendar, tuple(found), tuple(silent), tuple(earlier))


def _followed(
    connection: Connection, material: Material, known: Sequence[Guideline]
) -> dict[str, SeriesFigures]:
    """What the series that guidelines follow say, by slug; without those that were not heard."""
    there = {(one.station.key, one.field): one for one in material.site.series}
    about = {one.series.quantity.slug for one in material.figures}
    found = {}
    for told in known:
        series = there.get(told.follows) if told.follows is not None else None
        if series is None or told.quantity not in about:
            continue
        readings = readings_of(connection, series, material.calendar, None)
        figures = figures_in(readings, series, material.calendar)
        if figures is not None:
            found[told.slug] = figures
    return found


class _Blocks:
    """The blocks of each part."""

    def __init__(
        self, connection: Connection, report: Report, material: Material, known: Sequence[Guideline]
    ) -> None:
        self._connection, self._report, self._material = connection, report, material
        self._guidelines = known
        self._alarms = alarm_figures(connection, material)
        is_held = bool({ReportPart.SENTENCES, ReportPart.LIMITS} & set(report.parts))
        self._followed = _followed(connection, material, known) if is_held else {}

    def of(self, part: ReportPart) -> Sequence[ReportBlock]:
        """The blocks of a part; none where it has nothing to say."""
        connection, material = self._connection, self._material
        match part:
            case ReportPart.SENTENCES:
                return self._sentences()
            case ReportPart.FIGURES:
                return figures_blocks(material)
            case ReportPart.LIMITS:
                return limits_blocks(
                    material, self._guidelines, self._report.stretch, self._followed
                )
            case ReportPart.HOURS:
                return hours_blocks(material)
            case ReportPart.CHARTS:
                return charts_blocks(connection, material)
            case ReportPart.PROFILE:
                return profile_blocks(material)
            case ReportPart.WEEK:
                return week_blocks(material)
            case ReportPart.WIND:
                return wind_blocks(connection, material)
            case ReportPart.TOTALS:
                return totals_blocks(material)
            case ReportPart.SCORES:
                return scores_blocks(connection, material)
            case ReportPart.ALARMS:
                return alarms_blocks(self._alarms, material.calendar)
            case ReportPart.CORRECTIONS:
                return corrections_blocks(connection, material)
            case ReportPart.REMARKS:
                return remarks_blocks(connection, material)
            case ReportPart.NOT_HEARD:
                return not_heard_blocks(material)
            case ReportPart.SEASON:
                return season_blocks(connection, material)

    def _sentences(self) -> list[ReportBlock]:
        material = self._material
        told: list[ReportBlock] = [
            sentences(
                material, self._guidelines, self._alarms, self._report.stretch, self._followed
            )
        ]
        _, gone = chosen(material.site, self._report)
        if gone:
            words = tr("Not there any more: {0}.", ", ".join(gone))
            told.append(Paragraph(words, is_quiet=True))
        return told


def changed_words(written_us: int, zone: ZoneInfo, why: str) -> str:
    """What a report says first that was written before and says something else now."""
    when = datetime_from_time_us(written_us).astimezone(zone)
    return tr("This is not what was written on {0}: {1}.", f"{when:%Y-%m-%d %H:%M}", why)
