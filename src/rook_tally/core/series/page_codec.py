"""Sealed pages: readings of one series as a small compressed payload, and back again exactly.

The layout is written down in docs/page-format.md. Times are kept as differences from the usual
step; values as whole steps of a power of ten when that gives every one of them back to the last
bit, else as they are. Bytes of equal weight are put side by side before zlib, which about halves
the size (measured in docs/page-format.md).
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator, Sequence

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.errors import UnkeepableError
from rook_tally.core.series.readings import Readings, joined

FORMAT = 1
_HEADER = struct.Struct("<4sHBBIqq")
_MAGIC = b"RTpg"
_MOST_DIGITS = 6
# By measurement: the next levels take half as long again for 2 % less.
_ZLIB_LEVEL = 3
_SAMPLE = 64
_RAW_VALUES = 255
"""In place of the number of digits: values are float64, not whole steps."""

_WIDE_TIMES, _WIDE_VALUES, _HAS_QUALITY, _EVEN_TIMES, _NARROW_VALUES = 1, 2, 4, 8, 16


class DamagedPageError(UnkeepableError):
    """A page whose bytes are not those that were written."""


def encode(readings: Readings) -> bytes:
    """The payload of a page.

    Parameters
    ----------
    readings : Readings of shape (N,), N ≥ 1, times strictly increasing

    Returns
    -------
    bytes
        `decode` gives back the same times, values (bit for bit) and qualities.
    """
    count = len(readings)
    steps = np.diff(readings.time_us)
    some = np.sort(steps[:_SAMPLE])
    usual = int(some[len(some) // 2]) if count > 1 else 0
    times = steps - usual
    flags = 0
    parts = []
    if not times.any():
        flags |= _EVEN_TIMES
    else:
        if times.min() < -(2**31) or times.max() >= 2**31:
            flags |= _WIDE_TIMES
        parts.append(_packed(times.astype(_time_type(flags))))
    digits, whole = _whole_steps(readings.value)
    if whole is None:
        parts.append(_packed(readings.value.astype("<f8")))
    else:
        moves = np.diff(whole, prepend=np.int64(0))
        furthest = np.abs(moves).max()
        flags |= _WIDE_VALUES if furthest >= 2**31 else _NARROW_VALUES if furthest < 2**15 else 0
        parts.append(_packed(moves.astype(_move_type(flags))))
    if readings.quality.any():
        flags |= _HAS_QUALITY
        parts.append(zlib.compress(readings.quality.astype("u1").tobytes(), _ZLIB_LEVEL))
    header = _HEADER.pack(_MAGIC, FORMAT, digits, flags, count, int(readings.time_us[0]), usual)
    return header + b"".join(struct.pack("<I", len(part)) + part for part in parts)


def decode(payload: bytes) -> Readings:
    """The readings of a payload.

    Raises
    ------
    DamagedPageError
        When it is not a payload, of a format we do not know, or not whole.
    """
    try:
        magic, number, digits, flags, count, first_us, usual = _HEADER.unpack_from(payload)
        if magic != _MAGIC or number != FORMAT:
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
        if digits == _RAW_VALUES:
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


def decode_many(payloads: Sequence[bytes]) -> Readings:
    """The readings of several payloads, one after the other; at least one payload.

    A day of a slow sensor is so few readings that taking its page apart costs more than inflating
    it: pages that are built alike are taken apart together.

    Raises
    ------
    DamagedPageError
        As `decode` does, of the first that is damaged.
    """
    if len(payloads) < _FEW:
        return joined([decode(one) for one in payloads])
    try:
        return _decoded_together(payloads)
    except (struct.error, zlib.error, ValueError, StopIteration, IndexError):
        # Which one it is.
        return joined([decode(one) for one in payloads])


_FEW = 3


def _decoded_together(payloads: Sequence[bytes]) -> Readings:
    heads = [_HEADER.unpack_from(one) for one in payloads]
    counts = np.array([head[4] for head in heads], dtype=np.int64)
    ends = np.cumsum(counts)
    time_us = np.empty(int(ends[-1]), dtype=np.int64)
    value = np.empty(len(time_us))
    quality = np.zeros(len(time_us), dtype=np.uint8)
    alike: dict[tuple[int, int, int], list[int]] = {}
    for at, (magic, number, digits, flags, count, _, _) in enumerate(heads):
        if magic != _MAGIC or number != FORMAT:
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
        if digits == _RAW_VALUES:
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


def checksum(*parts: bytes) -> int:
    """CRC-32 over the parts of a page, as stored beside it."""
    total = 0
    for part in parts:
        total = zlib.crc32(part, total)
    return total


def packed_columns(*columns: FloatArray | TimeArray) -> bytes:
    """Columns of numbers of equal length, shuffled and compressed together; for summaries."""
    return zlib.compress(b"".join(_shuffled(column) for column in columns), _ZLIB_LEVEL)


def unpacked_tables(
    blobs: Sequence[bytes], *types: str, rows: int
) -> list[np.ndarray[tuple[int], np.dtype[np.generic]]]:
    """Unpack several tables packed by `packed_columns`, one after the other.

    Parameters
    ----------
    types : the columns' NumPy types

    Raises
    ------
    DamagedPageError
        When the bytes are not whole.
    """
    sizes = [np.dtype(kind).itemsize for kind in types]
    try:
        joined = b"".join([zlib.decompress(blob) for blob in blobs])
        raw = np.frombuffer(joined, dtype=np.uint8).reshape(len(blobs), rows * sum(sizes))
    except (zlib.error, ValueError) as error:
        raise DamagedPageError(f"the page's summary is damaged: {error}") from error
    edges = np.cumsum([0, *sizes]) * rows
    columns = []
    for begin, end, kind in zip(edges[:-1], edges[1:], types, strict=True):
        # Bytes of equal weight stand together, table by table.
        planes = raw[:, begin:end].reshape(len(blobs), -1, rows).transpose(0, 2, 1)
        columns.append(np.ascontiguousarray(planes).view(kind).ravel())
    return columns


def _whole_steps(value: FloatArray) -> tuple[int, TimeArray | None]:
    """Digits after the point that give every value back exactly, and the values in such steps."""
    if not np.isfinite(value).all() or np.any(np.signbit(value) & (value == 0)):
        return _RAW_VALUES, None
    largest = float(np.abs(value).max())
    for digits in range(_MOST_DIGITS + 1):
        if largest * 10**digits >= 2**53:
            break
        # A few of them nearly always tell that so many are not enough.
        if _are_steps(value[:_SAMPLE], digits) and _are_steps(value, digits):
            return digits, np.rint(value * 10**digits).astype(np.int64)
    return _RAW_VALUES, None


def _are_steps(value: FloatArray, digits: int) -> bool:
    return np.array_equal(np.rint(value * 10**digits) / float(10**digits), value)


def _time_type(flags: int) -> str:
    return "<i8" if flags & _WIDE_TIMES else "<i4"


def _move_type(flags: int) -> str:
    return "<i8" if flags & _WIDE_VALUES else "<i2" if flags & _NARROW_VALUES else "<i4"


def _packed(column: np.ndarray[tuple[int], np.dtype[np.generic]]) -> bytes:
    return zlib.compress(_shuffled(column), _ZLIB_LEVEL)


def _shuffled(column: np.ndarray[tuple[int], np.dtype[np.generic]]) -> bytes:
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
    start = _HEADER.size
    while start < len(payload):
        (length,) = struct.unpack_from("<I", payload, start)
        part = payload[start + 4 : start + 4 + length]
        if len(part) != length:
            raise DamagedPageError("the page ends in the middle")
        parts.append(part)
        start += 4 + length
    return parts
