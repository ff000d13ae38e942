"""Kinds by the sensor that is in the box, with the accuracy of its data sheet.

An accuracy is ±, in the quantity's base unit, at what a room or a yard is like: 20 °C, 50 %, 1,000
ppm, less than 100 µg/m³. Where a data sheet gives a share of the reading it is worked out there.
"""

from __future__ import annotations

from rook_tally.core.quantities.kind import Field, Kind

_CADENCE_S = 60.0


def _part(slug: str, name: str, source: str, *fields: tuple[str, str, str, float | None]) -> Kind:
    told = tuple(
        Field(field, quantity, unit, accuracy) for field, quantity, unit, accuracy in fields
    )
    return Kind(slug, name, _CADENCE_S, told, source=source)


_TEMP, _RH = ("temp", "temperature", "°C"), ("rh", "humidity", "%")
_PRESSURE, _CO2 = ("pressure", "pressure", "hPa"), ("co2", "co2", "ppm")
_PM1, _PM25 = ("pm1", "pm1", "µg/m³"), ("pm25", "pm25", "µg/m³")
_PM4, _PM10 = ("pm4", "pm4", "µg/m³"), ("pm10", "pm10", "µg/m³")

PART_KINDS = (
    _part(
        "part-sht31",
        "SHT31",
        "data sheet of the SHT31: ±0.2 °C, ±2 % relative humidity",
        (*_TEMP, 0.2),
        (*_RH, 2.0),
    ),
    _part(
        "part-sht40",
        "SHT40",
        "data sheet of the SHT40: ±0.2 °C, ±1.8 % relative humidity",
        (*_TEMP, 0.2),
        (*_RH, 1.8),
    ),
    _part(
        "part-ds18b20",
        "DS18B20",
        "data sheet of the DS18B20: ±0.5 °C from −10 to 85 °C",
        (*_TEMP, 0.5),
    ),
    _part(
        "part-bme280",
        "BME280",
        "data sheet of the BME280: ±1 °C, ±3 % relative humidity, ±1 hPa",
        (*_TEMP, 1.0),
        (*_RH, 3.0),
        (*_PRESSURE, 1.0),
    ),
    _part(
        "part-bme680",
        "BME680",
        "data sheet of the BME680: ±1 °C, ±3 % relative humidity, ±0.6 hPa; of the gas resistance "
        "none",
        (*_TEMP, 1.0),
        (*_RH, 3.0),
        (*_PRESSURE, 0.6),
        ("gas", "gas_resistance", "Ω", None),
    ),
    _part(
        "part-scd30",
        "SCD30",
        "data sheet of the SCD30: ±(30 ppm + 3 %), ±(0.4 °C + 0.023 × (T − 25 °C)), ±3 % relative "
        "humidity",
        (*_CO2, 60.0),
        (*_TEMP, 0.5),
        (*_RH, 3.0),
    ),
    _part(
        "part-scd41",
        "SCD41",
        "data sheet of the SCD41: ±(40 ppm + 5 %), ±0.8 °C, ±6 % relative humidity",
        (*_CO2, 90.0),
        (*_TEMP, 0.8),
        (*_RH, 6.0),
    ),
    _part("part-mh-z19b", "MH-Z19B", "data sheet of the MH-Z19B: ±(50 ppm + 5 %)", (*_CO2, 100.0)),
    _part(
        "part-sps30",
        "SPS30",
        "data sheet of the SPS30: ±10 µg/m³ of PM1 and PM2.5, ±25 µg/m³ of PM4 and PM10, below 100",
        (*_PM1, 10.0),
        (*_PM25, 10.0),
        (*_PM4, 25.0),
        (*_PM10, 25.0),
    ),
    _part(
        "part-pms5003",
        "PMS5003",
        "data sheet of the PMS5003: ±10 µg/m³ of PM2.5 below 100; of the others none",
        (*_PM1, None),
        (*_PM25, 10.0),
        (*_PM10, None),
    ),
    _part(
        "part-sgp40",
        "SGP40",
        "data sheet of the SGP40: ±15 points of the VOC index, or 15 % of it",
        ("voc", "voc_index", "index", 15.0),
    ),
    _part(
        "part-bh1750",
        "BH1750",
        "data sheet of the BH1750: a factor of 0.96 to 1.44; in lux it depends on the light",
        ("light", "illuminance", "lx", None),
    ),
    _part(
        "part-max31855",
        "MAX31855, type K",
        "data sheet of the MAX31855K: ±2 °C from −20 to 700 °C, without the thermocouple's own",
        ("temp", "temperature", "°C", 2.0),
    ),
    _part(
        "part-lis3dh",
        "LIS3DH",
        "data sheet of the LIS3DH: ±40 mg at rest",
        ("x", "vibration_x", "g", 0.04),
        ("y", "vibration_y", "g", 0.04),
        ("z", "vibration_z", "g", 0.04),
    ),
    _part(
        "part-pzem-004t",
        "PZEM-004T",
        "data sheet of the PZEM-004T: ±0.5 % of voltage, current and power; at 230 V, 10 A",
        ("voltage", "voltage", "V", 1.2),
        ("current", "current", "A", 0.05),
        ("power", "power", "W", 11.5),
        ("frequency", "mains_frequency", "Hz", None),
    ),
)
