"""Formulas made up at random, for laws that must hold of all of them."""

from __future__ import annotations

from hypothesis import strategies as st

_TEMPERATURES = ("temperature@yard", "temperature@kiln-room", "temperature@shop/shop-a")
_CO2 = ("co2@shop/shop-a", "co2@shop/shop-b", "co2@throwing-room")
_WINDOWS = ("5 min", "20 min", "1 h")

_AS_IT_IS = st.sampled_from([*_TEMPERATURES])
_CHANGED = st.deferred(lambda: _TEMPERATURE)
_TEMPERATURE: st.SearchStrategy[str] = st.one_of(
    _AS_IT_IS,
    st.builds("({} + {} K)".format, _CHANGED, st.integers(1, 9)),
    st.builds("mean({}, {})".format, _CHANGED, _AS_IT_IS),
    st.builds("highest({}, {})".format, _CHANGED, _AS_IT_IS),
    st.builds(
        "{}({} over {})".format,
        st.sampled_from(["mean", "lowest", "highest", "median"]),
        _AS_IT_IS,
        st.sampled_from(_WINDOWS),
    ),
    st.builds("({} {} ago)".format, _AS_IT_IS, st.sampled_from(_WINDOWS)),
    st.builds("(if presence@throwing-room then {} else {})".format, _AS_IT_IS, _CHANGED),
    st.just("dew_point(temperature@kiln-room, humidity@kiln-room within 10 min)"),
    st.builds(
        "{}(temperature@indoors/*)".format,
        st.sampled_from(["mean", "lowest", "highest", "median", "newest"]),
    ),
)
_STEP = st.one_of(
    st.builds("{} - {}".format, _TEMPERATURE, _AS_IT_IS),
    st.builds(
        "{}({} over {})".format,
        st.sampled_from(["change", "spread"]),
        _TEMPERATURE,
        st.sampled_from(_WINDOWS),
    ),
    st.builds("slope({} over {})".format, _TEMPERATURE, st.sampled_from(_WINDOWS)),
    st.builds("time_over({} over {}, 21 °C)".format, _AS_IT_IS, st.sampled_from(_WINDOWS)),
)
_OTHER = st.one_of(
    st.builds("{} / {}".format, st.sampled_from(_CO2), st.sampled_from(_CO2)),
    st.builds("({} - 420 ppm) * 2".format, st.sampled_from(_CO2)),
    st.just("voltage@mill-race * current@mill-race"),
    st.builds("charge_ah(current@mill-race over {})".format, st.sampled_from(_WINDOWS)),
    st.builds("leq(sound_level@throwing-room over {})".format, st.sampled_from(_WINDOWS)),
    st.builds("{} > {}".format, _TEMPERATURE, _AS_IT_IS),
    st.just("count(co2@indoors/*)"),
    st.just("state_of_charge(current@mill-race over 1 h, 10 Ah, 50 %)"),
    st.just("mean(mean(temperature@yard over 5 min) over 20 min)"),
    st.just("since_highest(temperature@yard over 1 h)"),
    st.builds("counted(voltage@mill-race over {})".format, st.sampled_from(_WINDOWS)),
    st.builds(
        "counted_rate(co2@throwing-room over {}, 2000 ppm)".format, st.sampled_from(_WINDOWS)
    ),
)

FORMULAS = st.one_of(_TEMPERATURE, _STEP, _OTHER)
"""Any formula over the pottery of `sites`."""

_ELECTRIC = {
    "V": ("voltage@mill-race", "voltage_drop@mill-race"),
    "A": ("current@mill-race", "current@kiln-room"),
}


@st.composite
def _product(draw: st.DrawFn) -> tuple[str, str]:
    """A product of measured things with the unit it must have."""
    volts, amperes = (draw(st.sampled_from(_ELECTRIC[unit])) for unit in ("V", "A"))
    return draw(
        st.sampled_from(
            [
                (f"{volts} * {amperes}", "W"),
                (f"{volts} / {amperes}", "Ω"),
                (f"{volts} + mean({volts}, voltage@mill-race)", "V"),
                (f"mean({volts} * {amperes} over 5 min)", "W"),
                (f"exposure({amperes} over 5 min)", "A·s"),
                (f"slope({volts} over 5 min)", "V/s"),
                (f"({volts}) ^ 2 / ({volts} / {amperes})", "W"),
                (f"sqrt({volts} ^ 2)", "V"),
                (f"abs({volts} - voltage@mill-race) * {amperes} / pressure@yard", "m³/s"),
                ("pm25@yard / pm25@yard", ""),
                (f"spread({amperes} over 10 min) / {amperes}", ""),
            ]
        )
    )


MEASURED = _product()
"""(formula, unit): formulas of quantities with units, and the coherent unit they must come to."""
