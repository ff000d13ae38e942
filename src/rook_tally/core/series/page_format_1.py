"""Sealed pages as they were written until format 2 (docs/page-format.md): read for ever."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator, Sequence

import numpy as np

from rook_tally.core.errors import DamagedPageError
from rook_tally.core.series.readings import Readings

FORMAT = 1
HEADER = struct.Struct("<4sHBBIqq")
MAGIC = b"RTpg"
RAW_VALUES = 255
"""In place of the number of digits: values are float64, not whole steps."""

_WIDE_TIMES, _WIDE_VALUES, _HAS_QUALITY, _EVEN_TIMES, _NARROW_VALUES = 1, 2, 4, 8, 16


def decode_1(payload: bytes) -> Readings:
    """The readings of a payload of format 1.

    Raises
    ------
    DamagedPageError
        When it is not a payload, of a format we do not know, or not whole.
    """
    try:
        magic, number, digits, flags, count, first_us, usual = HEADER.unpack_from(payload)
        if magic != MAGIC or number != FORMAT:
            raise DamagedPageError(f"the page is of a format we do not know ({magic!r} {number})")
        parts = iter(_parts(payload))
        time_us = np.empty(count, dtype=np.int64)
        time_us[0] = first_us
        if flags & _EVEN_TIMES:
            time_us[1:] = first_us + usual * np.arange(1, count, dtype=np.int64)
        else:
            times = _unpacked(next(parts), _time_type(flags))
            np.cumsum(times.astype(np.int64) + usual, out=time_us[1:])
            time_us[1:] += first_us
        if digits == RAW_VALUES:
            value = _unpacked(next(parts), "<f8").astype(np.float64)
        else:
            moves = _unpacked(next(parts), _move_type(flags))
            # Division gives the decimal that was parsed; multiplying by 0.01 would not.
            value = np.cumsum(moves, dtype=np.int64) / float(10**digits)
        if flags & _HAS_QUALITY:
            quality = np.frombuffer(zlib.decompress(next(parts)), dtype="u1").copy()
        else:
            quality = np.zeros(count, dtype=np.uint8)
        if not len(time_us) == len(value) == len(quality):
            raise DamagedPageError("the page's columns are of different lengths")
    except (struct.error, zlib.error, ValueError, StopIteration, IndexError) as error:
        raise DamagedPageError(f"the page is damaged: {error}") from error
    return Readings(time_us, value, quality)


def decode_1_together(payloads: Sequence[bytes]) -> Readings:
    """The readings of several, one after the other; pages that are built alike are taken apart
    together. ValueError and the like when one is damaged."""
    heads = [HEADER.unpack_from(one) for one in payloads]
    counts = np.array([head[4] for head in heads], dtype=np.int64)
    ends = np.cumsum(counts)
    time_us = np.empty(int(ends[-1]), dtype=np.int64)
    value = np.empty(len(time_us))
    quality = np.zeros(len(time_us), dtype=np.uint8)
    alike: dict[tuple[int, int, int], list[int]] = {}
    for at, (magic, number, digits, flags, count, _, _) in enumerate(heads):
        if magic != MAGIC or number != FORMAT:
            raise ValueError("a page of a format we do not know")
        alike.setdefault((digits, flags, count), []).append(at)
    for (digits, flags, count), pages in alike.items():
        parts = [iter(_parts(payloads[at])) for at in pages]
        first_us = np.array([[heads[at][5]] for at in pages], dtype=np.int64)
        usual = np.array([[heads[at][6]] for at in pages], dtype=np.int64)
        moments = np.empty((len(pages), count), dtype=np.int64)
        moments[:, :1] = first_us
        if flags & _EVEN_TIMES:
            moments[:, 1:] = first_us + usual * np.arange(1, count, dtype=np.int64)
        else:
            times = _unpacked_alike(parts, count - 1, _time_type(flags))
            np.cumsum(times.astype(np.int64) + usual, axis=1, out=moments[:, 1:])
            moments[:, 1:] += first_us
        if digits == RAW_VALUES:
            values = _unpacked_alike(parts, count, "<f8").astype(np.float64)
        else:
            moves = _unpacked_alike(parts, count, _move_type(flags))
            values = np.cumsum(moves, axis=1, dtype=np.int64) / float(10**digits)
        marks = _inflated(parts, count) if flags & _HAS_QUALITY else None
        if len(alike) == 1:
            told = quality if marks is None else marks.ravel().copy()
            return Readings(moments.ravel(), values.ravel(), told)
        for row, at in enumerate(pages):
            cells = slice(int(ends[at]) - count, int(ends[at]))
            time_us[cells], value[cells] = moments[row], values[row]
            if marks is not None:
                quality[cells] = marks[row]
    return Readings(time_us, value, quality)


def _inflated(
    parts: Sequence[Iterator[bytes]], length: int
) -> np.ndarray[tuple[int, int], np.dtype[np.uint8]]:
    """The next part of each page, which has so many bytes; ValueError when one has not."""
    told = [zlib.decompress(next(one)) for one in parts]
    if any(len(one) != length for one in told):
        raise ValueError("columns of different lengths")
    return np.frombuffer(b"".join(told), dtype=np.uint8).reshape(len(told), length)


def _unpacked_alike(
    parts: Sequence[Iterator[bytes]], count: int, kind: str
) -> np.ndarray[tuple[int, int], np.dtype[np.generic]]:
    """The next column of each page, (pages, count)."""
    size = np.dtype(kind).itemsize
    planes = _inflated(parts, count * size).reshape(len(parts), size, count)
    whole = np.empty((len(parts), count, size), dtype=np.uint8)
    for place in range(size):
        whole[:, :, place] = planes[:, place, :]
    return whole.view(kind).reshape(len(parts), count)


def _time_type(flags: int) -> str:
    return "<i8" if flags & _WIDE_TIMES else "<i4"


def _move_type(flags: int) -> str:
    return "<i8" if flags & _WIDE_VALUES else "<i2" if flags & _NARROW_VALUES else "<i4"


def shuffled(column: np.ndarray[tuple[int], np.dtype[np.generic]]) -> bytes:
    """Bytes of equal weight side by side: the first of all numbers, then all second ones."""
    size = column.dtype.itemsize
    turned = np.ascontiguousarray(column).view(np.uint8).reshape(len(column), size).T
    return np.ascontiguousarray(turned).tobytes()


def _unpacked(packed: bytes, kind: str) -> np.ndarray[tuple[int], np.dtype[np.generic]]:
    return _unshuffled(np.frombuffer(zlib.decompress(packed), dtype=np.uint8), kind)


def _unshuffled(
    raw: np.ndarray[tuple[int], np.dtype[np.uint8]], kind: str
) -> np.ndarray[tuple[int], np.dtype[np.generic]]:
    size = np.dtype(kind).itemsize
    count = len(raw) // size
    whole = np.empty((count, size), dtype=np.uint8)
    # Byte by byte of all numbers: a transposing copy would walk two to eight bytes at a time.
    for place, plane in enumerate(raw.reshape(size, count)):
        whole[:, place] = plane
    return whole.view(kind).ravel()


def _parts(payload: bytes) -> list[bytes]:
    parts = []
    start = HEADER.size
    while start < len(payload):
        (length,) = struct.unpack_from("<I", payload, start)
        part = payload[start + 4 : start + 4 + length]
        if len(part) != length:
            raise DamagedPageError("the page ends in the middle")
        parts.append(part)
        start += 4 + length
    return parts
