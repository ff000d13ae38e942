"""Ready-made workings, offered where a site has what they want.

Curves and weights of the scores are ours; the indices' sources stand with their formulas.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.named_series import NamedSeries, slug_of
from rook_tally.core.workings.binding import bound
from rook_tally.core.workings.definitions import Aggregation, Placement, Score, ScoreInput, Working
from rook_tally.core.workings.diagnostics import FormulaError
from rook_tally.core.workings.symbols import SymbolTable


@dataclass(frozen=True, slots=True)
class Offer:
    """A working that can be made here: what it says, and at how many places it would be."""

    working: Working
    what: str
    places: tuple[str, ...]


_HERE = Placement.EACH_PLACE
_EACH: tuple[tuple[Working, str], ...] = (
    (
        Working(
            slug="dew_point",
            name="Dew point",
            made=_HERE,
            formula="dew_point(temperature@here, humidity@here)",
        ),
        "where air would begin to drip, wherever temperature and humidity are told",
    ),
    (
        Working(
            slug="vapour_deficit",
            name="Vapour pressure deficit",
            made=_HERE,
            decimals=2,
            formula="vapour_pressure_deficit(temperature@here, humidity@here) in kPa",
        ),
        "how hard the air dries what stands in it",
    ),
    (
        Working(
            slug="absolute_humidity",
            name="Absolute humidity",
            made=_HERE,
            decimals=1,
            formula="absolute_humidity(temperature@here, humidity@here) in g/m³",
        ),
        "how much water the air holds",
    ),
    (
        Working(
            slug="sea_level_pressure",
            name="Sea-level pressure",
            made=_HERE,
            formula="sea_level_pressure(pressure@here, 3 m, temperature@here)",
        ),
        "pressure as weather maps tell it; put in how high the station stands",
    ),
    (
        Working(
            slug="pressure_tendency",
            name="Pressure tendency",
            made=_HERE,
            decimals=1,
            formula="pressure_tendency_3h(pressure@here)",
        ),
        "change of pressure over three hours",
    ),
    (
        Working(
            slug="shunt_current",
            name="Dynamo current",
            made=_HERE,
            decimals=2,
            formula="shunt_current(voltage_drop@here, 50 A, 60 mV)",
        ),
        "current through a shunt; put in what is stamped on it",
    ),
    (
        Working(
            slug="battery_charge",
            name="Charge in store",
            made=_HERE,
            decimals=0,
            formula="state_of_charge(current@here over 7 d, 100 Ah, 80 %)",
            limits=Limits(below=(50, 30, 20, 10)),
        ),
        "charge of a battery, counted; put in its capacity",
    ),
    (
        Working(
            slug="us_aqi",
            name="US air quality index",
            made=_HERE,
            decimals=0,
            formula="aqi_us_epa(nowcast_pm(pm25@here), pm25)",
            limits=Limits(above=(51, 101, 151, 201)),
        ),
        "EPA index of the NowCast of PM2.5",
    ),
    (
        Working(
            slug="uk_daqi",
            name="UK daily air quality index",
            made=_HERE,
            decimals=0,
            formula="daqi_uk(mean(pm25@here over 24 h), pm25)",
            limits=Limits(above=(4, 7, 9, 10)),
        ),
        "Defra index of a day's PM2.5",
    ),
    (
        Working(
            slug="who_times",
            name="Times the WHO guideline",
            made=_HERE,
            decimals=1,
            formula="who_ratio(mean(pm25@here over 24 h), pm25, 24h)",
            limits=Limits(above=(1, 2, 3, 5)),
        ),
        "a day's PM2.5 against the guideline of 15 µg/m³",
    ),
    (
        Working(
            slug="noise_leq",
            name="Noise, equivalent level",
            made=_HERE,
            formula="leq(sound_level@here over 1 h)",
        ),
        "the steady level with the same energy, over an hour",
    ),
    (
        Working(
            slug="warming",
            name="Climb",
            made=_HERE,
            decimals=0,
            formula="slope(surface_temperature@here over 30 min) in K/h",
        ),
        "how fast a surface warms",
    ),
    (
        Working(
            slug="air_changes",
            name="Air changes",
            made=_HERE,
            decimals=1,
            group="indoors",
            formula="air_changes_per_hour(co2@here over 1 h)",
        ),
        "by how fast CO₂ falls once everybody has left",
    ),
)

AIR_SCORE = Score(
    inputs=(
        ScoreInput(
            name="PM2.5",
            formula="pm25@here",
            weight=35,
            points=((0, 100), (5, 100), (15, 80), (35, 40), (75, 0)),
        ),
        ScoreInput(
            name="CO₂",
            formula="co2@here",
            weight=30,
            points=((400, 100), (600, 100), (1000, 70), (1400, 35), (2000, 0)),
        ),
        ScoreInput(
            name="VOC",
            formula="voc_index@here",
            weight=20,
            points=((0, 100), (100, 100), (200, 70), (350, 30), (500, 0)),
        ),
        ScoreInput(
            name="Humidity",
            formula="humidity@here",
            weight=15,
            points=((0, 0), (30, 70), (40, 100), (60, 100), (70, 60), (100, 0)),
        ),
    )
)
"""A score of indoor air (ours)."""
_SCORES: tuple[tuple[Working, str], ...] = (
    (
        Working(slug="air_score", name="Air score", made=_HERE, group="indoors", score=AIR_SCORE),
        "0 foul to 100 fresh, out of dust, CO₂, VOC and humidity, by weight",
    ),
    (
        Working(
            slug="air_score_worst",
            name="Air score, worst of",
            made=_HERE,
            group="indoors",
            score=Score(inputs=AIR_SCORE.inputs, way=Aggregation.WORST, variant_of="air_score"),
        ),
        "the same, as low as its lowest part",
    ),
)


def offers(names: SymbolTable, have: Sequence[Working]) -> list[Offer]:
    """Workings that the site's series allow and that are not there yet."""
    taken = {one.slug for one in have}
    found = []
    for working, what in (*_SCORES, *_EACH, *_of_groups(names)):
        if working.slug in taken:
            continue
        try:
            places = tuple(one.place for one in bound(working, names))
        except FormulaError:
            continue
        found.append(Offer(working, what, places))
    return found


def _of_groups(names: SymbolTable) -> Iterator[tuple[Working, str]]:
    """The mean of a quantity over each group that tells it at two places or more."""
    several: list[tuple[str, str, Callable[[NamedSeries], bool]]] = [
        (group.name, slug_of(group.name), lambda one, places=group.places: one.place in places)  # type: ignore[misc]
        for group in names.groups
    ]
    several.append(("indoors", "indoors", lambda one: one.indoors))
    for name, slug, holds in several:
        for quantity in ("temperature", "co2"):
            told = {
                one.place for one in names.series if one.quantity.slug == quantity and holds(one)
            }
            if len(told) > 1:
                title = names.quantities[quantity].name
                yield (
                    Working(
                        slug=f"mean_{quantity}_{slug.replace('-', '_')}",
                        name=f"{title}, mean of {name}",
                        formula=f"mean({quantity}@{slug}/*)",
                    ),
                    f"over {len(told)} places",
                )
