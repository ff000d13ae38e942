"""The workings of the pottery: scores of its air, and quantities that no sensor measures."""

from __future__ import annotations

from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.workings.definitions import Aggregation, Placement, Score, Working
from rook_tally.core.workings.templates import AIR_SCORE

GROUPS: tuple[Group, ...] = (
    Group("Studios", places=("Throwing room", "Glaze booth", "Kiln room")),
    Group("Dusty work", places=("Glaze booth", "Pug mill")),
)
WORKINGS: tuple[Working, ...] = (
    Working(
        slug="air_score",
        name="Air score",
        made=Placement.EACH_PLACE,
        group="indoors",
        score=AIR_SCORE,
    ),
    Working(
        slug="air_score_worst",
        name="Air score, worst of",
        made=Placement.EACH_PLACE,
        group="indoors",
        score=Score(inputs=AIR_SCORE.inputs, way=Aggregation.WORST, variant_of="air_score"),
    ),
    Working(
        slug="dew_point",
        name="Dew point",
        made=Placement.EACH_PLACE,
        formula="dew_point(temperature@here, humidity@here)",
    ),
    Working(
        slug="dynamo_current",
        name="Dynamo current",
        decimals=2,
        formula="shunt_current(voltage_drop@mill-race, 50 A, 60 mV)",
    ),
    Working(
        slug="dynamo_charge",
        name="Charge moved",
        decimals=1,
        formula="charge_ah(dynamo_current@mill-race over 24 h)",
    ),
    Working(
        slug="kiln_climb",
        name="Kiln climb",
        decimals=0,
        formula="slope(surface_temperature@kiln-room over 30 min) in K/h",
        limits=Limits(above=(100, 150, 200, 300)),
    ),
    Working(
        slug="indoors_against_yard",
        name="Indoors against yard",
        decimals=1,
        formula="mean(pm25@indoors/*) / pm25@yard within 10 min",
        place="Yard",
    ),
    Working(
        slug="air_changes",
        name="Air changes",
        decimals=1,
        formula="air_changes_per_hour(co2@throwing-room over 1 h)",
    ),
)
"""In the order in which they can be made."""
