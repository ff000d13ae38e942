"""The formulas a working may use by name: what they want, in which units, and what they give."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.formulas import by_name
from rook_tally.core.formulas.air_quality import NOWCAST_HOURS, nowcasts_of, who_ratio
from rook_tally.core.formulas.ventilation import ln_excess, seconds_until_limit
from rook_tally.core.quantities.averaging import Averaging, mean_value, spread_of_directions
from rook_tally.core.timestamps import HOUR_US
from rook_tally.core.workings.counted import BRIDGED_US, counted, counted_per_s
from rook_tally.core.workings.lookback import Lookback

_RANGES = {"share": (0.0, 100.0), "start": (0.0, 100.0), "efficiency": (0.0, 1.0)}


@dataclass(frozen=True, slots=True)
class Parameter:
    """An argument of a formula: a value in a unit, or one of some words.

    `unit` "same" takes anything that all such arguments share.
    """

    name: str
    unit: str = ""
    words: tuple[str, ...] = ()
    is_optional: bool = False

    @property
    def range(self) -> tuple[float, float] | None:
        """Between which numbers it must lie; None for any."""
        return _RANGES.get(self.name)


@dataclass(frozen=True, slots=True)
class FormulaSpec:
    """A formula worked out moment by moment.

    `gives` is the unit of its result, "same" for that of its "same" arguments.
    """

    name: str
    what: str
    wants: tuple[Parameter, ...]
    gives: str
    function: Callable[..., FloatArray]


def _wanted(told: str) -> Parameter:
    """`name unit`, with ? behind an optional one and a|b for words."""
    name, _, unit = told.rstrip("?").partition(" ")
    words = tuple(unit.split("|")) if "|" in unit else ()
    return Parameter(name, "" if words else unit, words, told.endswith("?"))


_PARTICLES = "pm25|pm10"
_POLLUTANTS = "pm25|pm10|o3|no2|so2|co"
_AVERAGED = "annual|24h|peak_season|8h|1h|10min|15min"
_MOMENTARY: tuple[tuple[str, tuple[str, ...], str, str], ...] = (
    (
        "saturation_vapour_pressure",
        ("temperature °C", "over water|ice?"),
        "hPa",
        "of saturated air",
    ),
    ("vapour_pressure", ("temperature °C", "humidity %"), "hPa", "of moist air"),
    ("dew_point", ("temperature °C", "humidity %"), "°C", "where air would begin to drip"),
    ("relative_humidity_from_dew_point", ("temperature °C", "dew_point °C"), "%", "turned round"),
    ("absolute_humidity", ("temperature °C", "humidity %"), "g/m³", "water in a volume of air"),
    (
        "mixing_ratio",
        ("temperature °C", "humidity %", "pressure hPa"),
        "g/kg",
        "water by mass of dry air",
    ),
    ("vapour_pressure_deficit", ("temperature °C", "humidity %"), "kPa", "how hard air dries"),
    ("wet_bulb_stull", ("temperature °C", "humidity %"), "°C", "wet-bulb temperature"),
    ("heat_index", ("temperature °C", "humidity %"), "°C", "how hot it feels"),
    ("wind_chill", ("temperature °C", "wind km/h"), "°C", "how cold it feels"),
    ("humidex", ("temperature °C", "dew_point °C"), "°C", "how hot it feels, Canada"),
    ("pressure_altitude", ("pressure hPa", "reference hPa?"), "m", "height by pressure"),
    ("isa_pressure", ("altitude m",), "hPa", "pressure of the standard atmosphere"),
    (
        "sea_level_pressure",
        ("pressure hPa", "altitude m", "temperature °C"),
        "hPa",
        "pressure reduced to sea level",
    ),
    ("pressure_tendency_term", ("tendency hPa",), "", "steady 0 to very rapidly ±4"),
    (
        "aqi_us_epa",
        ("concentration µg/m³", f"pollutant {_PARTICLES}?"),
        "",
        "US air quality index of a day's mean",
    ),
    (
        "daqi_uk",
        ("concentration µg/m³", f"pollutant {_PARTICLES}?"),
        "",
        "UK daily air quality index",
    ),
    (
        "who_ratio",
        ("concentration µg/m³", f"pollutant {_POLLUTANTS}", f"averaging {_AVERAGED}"),
        "",
        "times the WHO guideline",
    ),
    (
        "relative_gas_index",
        ("resistance Ω", "baseline Ω", "full_scale_ratio ?"),
        "",
        "0 clean to 100",
    ),
    (
        "gas_ppm_power_law",
        ("resistance Ω", "clean_air_resistance Ω", "a ", "b "),
        "ppm",
        "by a datasheet's line",
    ),
    ("lden", ("day dB(A)", "evening dB(A)", "night dB(A)"), "dB(A)", "day-evening-night level"),
    ("vector_sum", ("x same", "y same", "z same"), "same", "length of a vector"),
    ("ratio_to_base", ("value same", "base same"), "", "how many times its base"),
    ("shunt_current", ("drop mV", "rated A", "rated mV"), "A", "current through a shunt"),
    ("time_to_empty", ("charge %", "capacity Ah", "current A"), "h", "until a battery is empty"),
    (
        "minutes_until_limit_exponential",
        ("now same", "steady same", "rate 1/h", "limit same"),
        "min",
        "until a limit, on the way to a steady value",
    ),
    (
        "ppm_to_mgm3",
        ("fraction ppm", "molar_mass ?", "temperature °C?", "pressure hPa?"),
        "mg/m³",
        "mass of a gas",
    ),
    (
        "mgm3_to_ppm",
        ("concentration mg/m³", "molar_mass ?", "temperature °C?", "pressure hPa?"),
        "ppm",
        "volume of a gas",
    ),
)

# Keyword arguments of the functions in the order their forms want them, where options come in.
_OPTIONS = {
    "saturation_vapour_pressure": ("temperature_c", "over"),
    "aqi_us_epa": ("concentration_ugm3", "pollutant"),
    "daqi_uk": ("concentration_ugm3", "pollutant"),
    "who_ratio": ("concentration", "pollutant", "averaging"),
}


def _who_ratio(concentration: FloatArray, pollutant: str, averaging: str) -> FloatArray:
    """`who_ratio` of µg/m³ whatever the pollutant: the guideline of CO is written in mg/m³."""
    scale = 1e-3 if pollutant == "co" else 1.0
    return np.asarray(who_ratio(concentration * scale, pollutant, averaging), np.float64)


_IN_OTHER_UNITS = {"who_ratio": _who_ratio}
MOMENTARY: Mapping[str, FormulaSpec] = {
    name: FormulaSpec(
        name, what, tuple(map(_wanted, wants)), gives, _IN_OTHER_UNITS.get(name, by_name[name])
    )
    for name, wants, gives, what in _MOMENTARY
}
"""Formulas of the moment by name."""


def _plain(name: str, what: str, function: Callable[[FloatArray], FloatArray]) -> FormulaSpec:
    return FormulaSpec(name, what, (Parameter("value"),), "", function)


MATHEMATICS: Mapping[str, FormulaSpec] = {
    one.name: one
    for one in (
        _plain("ln", "natural logarithm", np.log),
        _plain("log10", "decimal logarithm", np.log10),
        _plain("exp", "e to the power", np.exp),
        _plain("round", "nearest whole number", lambda value: np.floor(value + 0.5)),
    )
}


@dataclass(frozen=True, slots=True)
class WindowForm:
    """Something of the last while of a value.

    Attributes
    ----------
    wants : arguments after the value and its window; constants all
    gives : str
        Unit of the result; "same", "step" (what two values differ by), or "same·s" and "same/s"
        for an integral and a slope.
    value_unit : str
        The unit the value must have; empty for any.
    function : takes the Lookback and the constants in coherent units
    """

    name: str
    what: str
    wants: tuple[Parameter, ...]
    gives: str
    function: Callable[..., FloatArray]
    value_unit: str = ""
    fixed_window_us: int = 0
    further_us: int = 0


def _nowcast(windows: Lookback, pollutant: str = "pm25") -> FloatArray:
    hours = [
        Lookback(
            windows.time_us, windows.value, windows.gap_us, HOUR_US, windows.at - age * HOUR_US
        ).mean()
        for age in range(NOWCAST_HOURS)
    ]
    # kg/m³ → µg/m³ and back.
    return nowcasts_of(np.stack(hours[::-1], axis=1) * 1e9, pollutant) * 1e-9


def _air_changes(windows: Lookback, outdoor_ppm: float = 420.0) -> FloatArray:
    decay = Lookback(
        windows.time_us,
        ln_excess(windows.value, outdoor_ppm),
        windows.gap_us,
        windows.window_us,
        windows.at,
    )
    slope = decay.line()[1]
    return np.where(slope < 0, -slope, np.nan)


def _until_limit_s(windows: Lookback, limit: float, direction: str = "up") -> FloatArray:
    return seconds_until_limit(*windows.line(), limit, direction)


def _gas_baseline(windows: Lookback) -> FloatArray:
    is_resistance = windows.value > 0
    return Lookback(
        windows.time_us[is_resistance],
        windows.value[is_resistance],
        windows.gap_us,
        windows.window_us,
        windows.at,
    ).quantile(0.95)


def _completeness(windows: Lookback) -> FloatArray:
    return np.minimum(windows.covered_s / (windows.window_us / 1e6), 1.0) * 100


def _crest(windows: Lookback) -> FloatArray:
    rms, peak = windows.moving()
    return np.where(rms > 0, peak / np.where(rms > 0, rms, 1), np.nan)


def _windowed(
    name: str,
    what: str,
    gives: str,
    function: Callable[..., FloatArray],
    *wants: str,
    value_unit: str = "",
    fixed_window_us: int = 0,
    further_us: int = 0,
) -> WindowForm:
    return WindowForm(
        name,
        what,
        tuple(map(_wanted, wants)),
        gives,
        function,
        value_unit,
        fixed_window_us,
        further_us,
    )


_L = Lookback
_WINDOWS = (
    _windowed("mean", "time-weighted mean", "same", _L.mean),
    _windowed("lowest", "lowest reading", "same", lambda w: w.highest(-1.0)),
    _windowed("highest", "highest reading", "same", lambda w: w.highest()),
    _windowed("median", "middle reading", "same", lambda w: w.quantile(0.5)),
    _windowed("spread", "standard deviation", "step", _L.spread),
    _windowed("change", "newest less what it was", "step", _L.change),
    _windowed(
        "counted",
        "what a counter counted, over resets and where it wraps",
        "step",
        counted,
        "wrap same?",
        further_us=BRIDGED_US,
    ),
    _windowed(
        "counted_rate",
        "the same by time",
        "same/s",
        counted_per_s,
        "wrap same?",
        further_us=BRIDGED_US,
    ),
    _windowed("slope", "how fast it rises", "same/s", _L.slope_per_s),
    _windowed("since_highest", "how long ago the peak was", "min", lambda w: w.since_highest_s()),
    _windowed(
        "since_lowest", "how long ago the lowest was", "min", lambda w: w.since_highest_s(-1.0)
    ),
    _windowed("time_over", "time above a limit", "min", _L.time_over_s, "limit same"),
    _windowed("time_under", "time below a limit", "min", _L.time_under_s, "limit same"),
    _windowed(
        "percentile",
        "reading that a share is below",
        "same",
        lambda w, share: w.quantile(share / 100),
        "share %",
    ),
    _windowed(
        "exceedance_level",
        "level exceeded for a share of the time",
        "same",
        lambda w, share: w.quantile(1 - share / 100),
        "share %",
    ),
    _windowed("leq", "equivalent continuous level", "same", _L.energy_mean, value_unit="dB(A)"),
    _windowed("exposure", "integral over time", "same·s", _L.integral),
    _windowed("charge_ah", "charge moved", "Ah", _L.integral, value_unit="A"),
    _windowed("energy_wh", "energy moved", "Wh", _L.integral, value_unit="W"),
    _windowed("completeness", "share of the time it was heard", "%", _completeness),
    _windowed("covered_s", "how long it was heard", "min", lambda w: w.covered_s),
    _windowed(
        "degree_hours_above",
        "how much it was above a limit",
        "step·s",
        lambda w, limit: w.excess(limit, above=True),
        "limit same",
    ),
    _windowed(
        "degree_hours_below",
        "how much it was below a limit",
        "step·s",
        lambda w, limit: w.excess(limit, above=False),
        "limit same",
    ),
    _windowed(
        "usual_level",
        "how many spreads from its usual level",
        "",
        _L.spreads_from_usual,
        "least_spread step",
    ),
    _windowed("vibration_rms", "root mean square about the mean", "step", lambda w: w.moving()[0]),
    _windowed("vibration_peak", "largest distance from the mean", "step", lambda w: w.moving()[1]),
    _windowed("crest_factor", "peak over root mean square", "", _crest),
    _windowed(
        "gas_baseline", "a gas sensor's clean-air resistance", "same", _gas_baseline, value_unit="Ω"
    ),
    _windowed(
        "air_changes_per_hour",
        "by how fast CO₂ falls in an empty room",
        "1/h",
        _air_changes,
        "outdoor ppm?",
        value_unit="ppm",
    ),
    _windowed(
        "minutes_until_limit_linear",
        "until it would meet a limit",
        "min",
        _until_limit_s,
        "limit same",
        "direction up|down?",
    ),
    _windowed(
        "state_of_charge",
        "charge of a battery, counted",
        "%",
        _L.charge_pct,
        "capacity Ah",
        "start %",
        "efficiency ?",
        value_unit="A",
        # From the midnight before the window to the midnight after its beginning.
        further_us=2 * 86_400_000_000,
    ),
    _windowed(
        "nowcast_pm",
        "EPA NowCast of the last 12 hours",
        "same",
        _nowcast,
        f"pollutant {_PARTICLES}?",
        value_unit="µg/m³",
        fixed_window_us=12 * HOUR_US,
    ),
    _windowed(
        "pressure_tendency_3h",
        "change of the last 3 hours",
        "same",
        _L.change,
        value_unit="hPa",
        fixed_window_us=3 * HOUR_US,
    ),
)
WINDOWS: Mapping[str, WindowForm] = {
    **{one.name: one for one in _WINDOWS},
    # The same calculations by their names among our formulas.
    **{
        other: next(one for one in _WINDOWS if one.name == name)
        for other, name in (
            ("time_weighted_mean", "mean"),
            ("time_weighted_std", "spread"),
            ("rolling_median_baseline", "median"),
            ("rate_per_h", "slope"),
            ("percentiles", "percentile"),
            ("integration_coverage", "completeness"),
            ("time_above_s", "time_over"),
            ("time_below_s", "time_under"),
        )
    },
}
"""Formulas of the last while by name."""


Several = Callable[[FloatArray, TimeArray], FloatArray]


def mean_of_several(averaging: Averaging) -> Several:
    """The mean of several series at each moment, as their quantity averages."""
    if averaging.is_plain:
        return lambda values, _: np.nanmean(values, axis=0)
    return lambda values, _: np.array([mean_value(averaging, column) for column in values.T])


def spread_of_several(averaging: Averaging) -> Several:
    """The standard deviation of several series at each moment."""
    if averaging is not Averaging.CIRCULAR:
        return lambda values, _: np.nanstd(values, axis=0)
    return lambda values, _: np.array(
        [
            spread_of_directions(float(np.abs(np.nanmean(np.exp(1j * np.deg2rad(column))))))
            for column in values.T
        ]
    )


def _newest(values: FloatArray, moments: TimeArray) -> FloatArray:
    when = np.where(np.isfinite(values), moments, np.iinfo(np.int64).min)
    newest: FloatArray = values[when.argmax(axis=0), np.arange(values.shape[1])]
    return newest


TOGETHER: Mapping[str, tuple[str, Several]] = {
    "mean": ("same", mean_of_several(Averaging.ARITHMETIC)),
    "lowest": ("same", lambda values, _: np.nanmin(values, axis=0)),
    "highest": ("same", lambda values, _: np.nanmax(values, axis=0)),
    "median": ("same", lambda values, _: np.nanmedian(values, axis=0)),
    "spread": ("step", spread_of_several(Averaging.ARITHMETIC)),
    "newest": ("same", _newest),
    "count": ("", lambda values, _: np.isfinite(values).sum(axis=0).astype(np.float64)),
}
"""What several series come to at a moment, by name: of (members, M) values, NaN where not fresh."""


def of_several(name: str, averaging: Averaging) -> tuple[str, Several]:
    """The unit of a result, and the aggregate function for the series' averaging."""
    gives, function = TOGETHER[name]
    if name == "mean":
        function = mean_of_several(averaging)
    elif name == "spread":
        function = spread_of_several(averaging)
    return gives, function


ANSWERS_ELSEWHERE = frozenset(by_name) - frozenset(MOMENTARY) - frozenset(WINDOWS)
"""Formulas that give lists or several numbers, or that the language has another way to say."""


def keywords_of(name: str) -> tuple[str, ...] | None:
    """The keywords a function takes its arguments by where words are among them."""
    return _OPTIONS.get(name)
