"""Readings of one station as a body, written in whole arrays: a year of them goes through here."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, IntArray, TimeArray
from rook_tally.core.quantities.open_units import senml_unit
from rook_tally.core.timestamps import SECOND_US
from rook_tally.store.site import Series


def senml_body(
    station: str, series: Sequence[Series], which: IntArray, time_us: TimeArray, value: FloatArray
) -> bytes:
    """SenML (RFC 8428), a record a reading, the station as base name.

    Parameters
    ----------
    which, time_us, value : (N,), N > 0
        Index into `series`, moment and value in the base unit, by time.
    """
    heads = [
        b'{"n":%b,"u":%b,"t":' % (_text(one.field), _text(senml_unit(one.quantity.base.symbol)))
        for one in series
    ]
    parts = np.empty((len(which), 5), dtype=object)
    parts[:, 0] = np.array(heads, dtype=object)[which]
    parts[0, 0] = b'{"bn":%b,%b' % (_text(f"{station}/"), parts[0, 0][1:])
    parts[:, 1] = _numbers(time_us / SECOND_US)
    parts[:, 2] = b',"v":'
    parts[:, 3] = _numbers(value)
    parts[:, 4] = b"},"
    return b"[%b]" % b"".join(parts.ravel().tolist())[:-1]


def json_body(
    station: str, series: Sequence[Series], which: IntArray, time_us: TimeArray, value: FloatArray
) -> bytes:
    """Messages as our own door takes them: one a moment, a member for each field.

    Parameters
    ----------
    which, time_us, value : (N,), N > 0
        Index into `series`, moment and value in the base unit, by time.
    """
    begins = np.concatenate(([True], time_us[1:] != time_us[:-1]))
    moments = np.datetime_as_string(
        time_us[begins].astype("datetime64[us]"), unit="us", timezone="UTC"
    ).astype("S")
    head = b'},{"station":%b,"time":"' % _text(station)
    parts = np.empty((len(which), 5), dtype=object)
    parts[:] = b""
    parts[begins, 0] = head
    parts[begins, 1] = moments.astype(object)
    parts[begins, 2] = b'"'
    members = [b",%b:" % _text(one.field) for one in series]
    parts[:, 3] = np.array(members, dtype=object)[which]
    parts[:, 4] = _numbers(value)
    return b"[%b}]" % b"".join(parts.ravel().tolist())[2:]


def _text(text: str) -> bytes:
    return msgspec.json.encode(text)


def _numbers(values: FloatArray) -> list[bytes]:
    """Each in the fewest figures that read back the same."""
    return msgspec.json.encode(values.tolist())[1:-1].split(b",")
