"""Conversion between units (section M)."""

from __future__ import annotations

import numpy as np

from rook_tally.core.arrays import FloatArray
from rook_tally.core.formulas.elementwise import elementwise, every, where
from rook_tally.core.quantities.unit import Dimension, Unit, unit_named

_GAS_CONSTANT = 8.314462618  # J/(mol·K), CODATA 2018
_DIMENSIONS = (Dimension.TEMPERATURE, Dimension.PRESSURE, Dimension.SPEED)
_LOWEST = {Dimension.TEMPERATURE: -273.15, Dimension.PRESSURE: 0.0}


def _known(name: str) -> Unit:
    for dimension in _DIMENSIONS:
        unit = unit_named(name, dimension)
        if unit is not None:
            return unit
    raise ValueError(f"no unit of temperature, pressure or speed is called {name!r}")


@elementwise("value")
def convert_unit(value: FloatArray, from_unit: str, to_unit: str) -> FloatArray:
    """A temperature, pressure or speed in another unit (NIST SP 811, 2008; BIPM SI brochure).

    NaN below absolute zero and for negative pressures. ValueError for units unknown or of different
    kinds.
    """
    source, target = _known(from_unit), _known(to_unit)
    if source.dimension is not target.dimension:
        raise ValueError(f"{from_unit} is no {target.dimension.value}")
    # By way of the base unit, as one factor and one offset.
    converted = value * (source.factor / target.factor)
    converted = converted + (source.offset - target.offset) / target.factor
    lowest = _LOWEST.get(source.dimension)
    if lowest is None:
        return converted
    return where(value >= (lowest - 1e-9 - source.offset) / source.factor, converted)


def _mg_per_m3_of_one_ppm(
    molar_mass_g_mol: FloatArray, temperature_c: FloatArray, pressure_hpa: FloatArray
) -> FloatArray:
    kelvin = temperature_c + 273.15
    one = molar_mass_g_mol * (100 * pressure_hpa) / (_GAS_CONSTANT * kelvin) * 1e-3
    valid = every(molar_mass_g_mol > 0, kelvin > 0, kelvin < np.inf, pressure_hpa > 0)
    return where(every(valid, one < np.inf), one)


@elementwise("ppm", "molar_mass_g_mol", "temperature_c", "pressure_hpa")
def ppm_to_mgm3(
    ppm: FloatArray,
    molar_mass_g_mol: float | FloatArray = 44.0095,
    temperature_c: float | FloatArray = 25.0,
    pressure_hpa: float | FloatArray = 1013.25,
) -> FloatArray:
    """Mass concentration of a gas, mg/m³: ppm·M·p/(R·T)·10⁻³, ideal gas; CO₂ unless said."""
    one = _mg_per_m3_of_one_ppm(
        np.asarray(molar_mass_g_mol), np.asarray(temperature_c), np.asarray(pressure_hpa)
    )
    return where(ppm >= 0, ppm * one)


@elementwise("mgm3", "molar_mass_g_mol", "temperature_c", "pressure_hpa")
def mgm3_to_ppm(
    mgm3: FloatArray,
    molar_mass_g_mol: float | FloatArray = 44.0095,
    temperature_c: float | FloatArray = 25.0,
    pressure_hpa: float | FloatArray = 1013.25,
) -> FloatArray:
    """Volume fraction of a gas, ppm: `ppm_to_mgm3` turned round."""
    one = _mg_per_m3_of_one_ppm(
        np.asarray(molar_mass_g_mol), np.asarray(temperature_c), np.asarray(pressure_hpa)
    )
    return where(mgm3 >= 0, mgm3 / one)
