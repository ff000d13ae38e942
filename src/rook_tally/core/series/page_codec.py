"""Sealed pages: readings of one series as a small payload, and back again exactly.

The layout is written down in docs/page-format.md. A sensor speaks at a steady pace, and how far off
it each reading lies is mostly noise, of which nothing can be saved: times are kept as those
distances, on a grid that fits the page best, in as few bytes as the furthest needs. Values are
whole steps of a power of ten when that gives every one of them back to the last bit, kept as
differences, else as they are. Bytes of equal weight stand side by side and are deflated where that
helps.
"""

from __future__ import annotations

import itertools
import struct
import zlib
from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import Any, NamedTuple

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.errors import DamagedPageError
from rook_tally.core.series import page_format_1
from rook_tally.core.series.page_format_1 import MAGIC, RAW_VALUES, decode_1, decode_1_together
from rook_tally.core.series.readings import Readings, joined

FORMAT = 2
_MOST_DIGITS = 6
_ZLIB_LEVEL, _RAW_DEFLATE = 6, -15
_SAMPLE = 64
# What a plane has to lose for its inflating to be worth its time.
_WORTH, _TRIED = 0.97, 4096
_RAW, _DEFLATED = 0, 1
_LENGTH = struct.Struct("<I")
_HEADER = struct.Struct("<4sHBBIqqq")
# Steps of the grid are in this fraction of the unit: over a day it drifts by less than a few.
_FRACTION_BITS = 10
_LONGEST_SPAN = 1 << 50
# No day of one series holds more.
_MOST = 100_000_000

_ON_GRID, _HAS_SKIPS, _HAS_QUALITY, _IN_MS, _IN_S = 1, 2, 4, 8, 16
_KNOWN_FLAGS = 31
_MS_US, _S_US = 1_000, 1_000_000

_Column = np.ndarray[tuple[int], np.dtype[np.uint64]]


class _Grid(NamedTuple):
    """Times as places on a grid: time = first + place × step + distance. `skips` are how many
    places more than one lie between neighbours."""

    first: int
    step: int
    skips: TimeArray
    distances: TimeArray


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
    unit_us, flags = _unit_of(readings.time_us)
    times = readings.time_us // unit_us
    first, usual = int(times[0]), 0
    columns = []
    grid = _grid_of(times)
    if grid is None:
        steps = np.diff(times)
        usual = int(np.median(steps)) if len(steps) else 0
        columns.append(_zigzag(steps - usual))
    else:
        first, usual = grid.first, grid.step
        flags |= _ON_GRID
        if grid.skips.any():
            flags |= _HAS_SKIPS
            columns.append(_zigzag(grid.skips))
        columns.append(_zigzag(grid.distances))
    digits, whole = _whole_steps(readings.value)
    first_step = 0
    if whole is None:
        columns.append(readings.value.astype("<f8").view(np.uint64))
    else:
        first_step = int(whole[0])
        columns.append(_zigzag(np.diff(whole)))
    if readings.quality.any():
        flags |= _HAS_QUALITY
        columns.append(readings.quality.astype(np.uint64))
    header = _HEADER.pack(MAGIC, FORMAT, digits, flags, len(readings), first, usual, first_step)
    return header + b"".join(map(_packed, columns))


def decode(payload: bytes) -> Readings:
    """The readings of a payload, of this format or of the one before.

    Raises
    ------
    DamagedPageError
        When it is not a payload, of a format we do not know, or not whole.
    """
    if _format_of(payload) == page_format_1.FORMAT:
        return decode_1(payload)
    return _decode_together([payload])


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
    formats = {_format_of(one) for one in payloads}
    try:
        if formats == {page_format_1.FORMAT}:
            return decode_1_together(payloads)
        if formats == {FORMAT}:
            return _decode_together(payloads)
    except (struct.error, zlib.error, ValueError, StopIteration, IndexError, DamagedPageError):
        # Which one it is.
        pass
    return joined([decode(one) for one in payloads])


_FEW = 3


def decode_groups(groups: Sequence[Sequence[bytes]]) -> list[Readings]:
    """The readings of several series' payloads, at least one each: taken apart together, as a page
    or two of each are so little that every call counts.

    Raises
    ------
    DamagedPageError
        As `decode_many` does.
    """
    payloads = [payload for group in groups for payload in group]
    if not payloads:
        return []
    together = decode_many(payloads)
    counts = [page_format_1.HEADER.unpack_from(one)[4] for one in payloads]
    ends = np.cumsum([0, *counts])[np.cumsum([0, *map(len, groups)])].tolist()
    return [together[begin:end] for begin, end in itertools.pairwise(ends)]


def _format_of(payload: bytes) -> int:
    try:
        magic, number, *_ = page_format_1.HEADER.unpack_from(payload)
    except struct.error as error:
        raise DamagedPageError(f"the page is damaged: {error}") from error
    if magic != MAGIC or number not in (page_format_1.FORMAT, FORMAT):
        raise DamagedPageError(f"the page is of a format we do not know ({magic!r} {number})")
    return int(number)


class _Page(msgspec.Struct, frozen=True):
    """A payload taken apart: what its header says, and the planes of each of its columns."""

    digits: int
    flags: int
    count: int
    first: int
    usual: int
    first_step: int
    columns: tuple[tuple[bytes, ...], ...]


def _taken_apart(payload: bytes) -> _Page:
    _, _, digits, flags, count, first, usual, first_step = _HEADER.unpack_from(payload)
    if not 0 < count <= _MOST:
        raise ValueError(f"it holds {count} readings")
    if flags & ~_KNOWN_FLAGS:
        raise ValueError("it is built in a way we do not know")
    at = _HEADER.size
    columns = []
    for length in _lengths(digits, flags, count):
        planes: list[bytes] = []
        width = payload[at]
        at += 1
        if width > 8:
            raise ValueError("a number of more than eight bytes")
        while len(planes) < width:
            how = payload[at]
            if how == _RAW:
                begins, at = at + 1, at + 1 + length
                planes.append(payload[begins:at])
            elif how == _DEFLATED:
                begins = at + 1 + _LENGTH.size
                at = begins + _LENGTH.unpack_from(payload, at + 1)[0]
                planes.append(zlib.decompress(payload[begins:at], _RAW_DEFLATE, length))
            else:
                raise ValueError("a plane that is packed in a way we do not know")
            if len(planes[-1]) != length:
                raise ValueError("a column of another length")
        columns.append(tuple(planes))
    if at != len(payload):
        raise ValueError("it is longer or shorter than it says")
    return _Page(digits, flags, count, first, usual, first_step, tuple(columns))


@lru_cache(1024)
def _lengths(digits: int, flags: int, count: int) -> tuple[int, ...]:
    """Return the length of each column."""
    times = [count] if flags & _ON_GRID else [count - 1]
    if flags & _ON_GRID and flags & _HAS_SKIPS:
        times.insert(0, count - 1)
    values = count if digits == RAW_VALUES else count - 1
    return (*times, values, count) if flags & _HAS_QUALITY else (*times, values)


def _decode_together(payloads: Sequence[bytes]) -> Readings:
    """The readings of payloads of this format; those that are built alike taken together."""
    try:
        pages = [_taken_apart(one) for one in payloads]
        if len(pages) == 1:
            return _readings_of(pages)
        alike: dict[tuple[bool, int], list[int]] = {}
        for at, page in enumerate(pages):
            alike.setdefault((page.digits == RAW_VALUES, page.flags), []).append(at)
        if len(alike) == 1:
            return _readings_of(pages)
        ends = np.cumsum([page.count for page in pages]).tolist()
        time_us, value = np.empty(ends[-1], dtype=np.int64), np.empty(ends[-1])
        quality = np.zeros(ends[-1], dtype=np.uint8)
        for several in alike.values():
            told, begin = _readings_of([pages[at] for at in several]), 0
            for at in several:
                cells = slice(ends[at] - pages[at].count, ends[at])
                mine = slice(begin, begin := begin + pages[at].count)
                time_us[cells], value[cells] = told.time_us[mine], told.value[mine]
                quality[cells] = told.quality[mine]
        return Readings(time_us, value, quality)
    except (struct.error, zlib.error, ValueError, IndexError, OverflowError) as error:
        raise DamagedPageError(f"the page is damaged: {error}") from error


# From so many readings a page on its few calls cost less.
_LONG = 500


class _Several:
    """Pages that are built alike, of any lengths, as columns of all their readings."""

    def __init__(self, pages: Sequence[_Page]) -> None:
        self.pages = pages
        self.counts = np.array([page.count for page in pages], dtype=np.int64)
        self.starts = np.cumsum(self.counts) - self.counts
        self._next = itertools.count()
        # A few calls a page, or a number of each page written down for each of its readings.
        self._page_by_page = int(self.counts.sum()) >= _LONG * len(pages)

    def parts(self) -> Iterator[slice]:
        """Where the readings of each page stand."""
        for begin, count in zip(self.starts.tolist(), self.counts.tolist(), strict=True):
            yield slice(begin, begin + count)

    def of_each(self, numbers: np.ndarray[Any, Any]) -> np.ndarray[Any, Any]:
        """A number of each page, for each of its readings; one for all where it is the same."""
        if len(self.pages) == 1 or (numbers == numbers[0]).all():
            return numbers[:1]
        return np.repeat(numbers, self.counts)

    def grid(self, skips: TimeArray | None, steps: TimeArray, begins: TimeArray) -> TimeArray:
        """The moments of each page's grid: its places times its step, from its begin on."""
        if self._page_by_page and skips is None:
            time_us = np.empty(int(self.counts.sum()), dtype=np.int64)
            for part, step in zip(self.parts(), steps.tolist(), strict=True):
                places = np.arange(part.stop - part.start, dtype=np.int64)
                np.multiply(places, step, out=time_us[part])
        else:
            time_us = np.arange(int(self.counts.sum()), dtype=np.int64)
            time_us -= self.of_each(self.starts)
            if skips is not None:
                time_us += self.sums(skips, np.zeros(len(self.pages), dtype=np.int64))
            time_us *= self.of_each(steps)
        time_us >>= _FRACTION_BITS
        return self.moved(time_us, begins)

    def moved(self, column: TimeArray, by: TimeArray) -> TimeArray:
        """A column, each page's part moved by a number, in place."""
        if self._page_by_page:
            for part, one in zip(self.parts(), by.tolist(), strict=True):
                column[part] += one
        else:
            column += self.of_each(by)
        return column

    def column(self, *, behind_nothing: bool = False) -> np.ndarray[Any, Any]:
        """The next column of all pages, put together again from its planes; those that a page does
        not have are zero. `behind_nothing`: of steps, one for each reading but the first, before
        which then stands 0."""
        at = next(self._next)
        columns = [page.columns[at] for page in self.pages]
        lengths = (self.counts - behind_nothing).tolist()
        begin = b"\0" if behind_nothing else b""
        width = max(map(len, columns))
        size = next(one for one in (1, 2, 4, 8) if one >= width)
        whole = np.zeros((int(self.counts.sum()), size), dtype=np.uint8)
        for place in range(width):
            parts: list[bytes] = []
            for planes, length in zip(columns, lengths, strict=True):
                parts += (begin, planes[place] if place < len(planes) else bytes(length))
            whole[:, place] = np.frombuffer(b"".join(parts), dtype=np.uint8)
        return whole.view(f"<u{size}").ravel()

    def sums(self, steps: np.ndarray[Any, Any], begins: TimeArray) -> TimeArray:
        """Add up the steps of each page from its begin, which leaves the page's first step out.

        A sum over several pages may overflow; int64 wraps around, and the subtraction undoes it.
        """
        total = np.cumsum(steps, dtype=np.int64)
        return self.moved(total, begins - total[self.starts])


def _readings_of(pages: Sequence[_Page]) -> Readings:
    """The readings of pages that are built alike, one after the other."""
    all_of = _Several(pages)
    flags = pages[0].flags
    begins, usual, first_steps = (
        np.array(one, dtype=np.int64)
        for one in zip(*((page.first, page.usual, page.first_step) for page in pages), strict=True)
    )
    if flags & _ON_GRID:
        skips = _signed(all_of.column(behind_nothing=True)) if flags & _HAS_SKIPS else None
        time_us = all_of.grid(skips, usual, begins)
        time_us += _signed(all_of.column())
    else:
        steps = _signed(all_of.column(behind_nothing=True))
        time_us = all_of.sums(steps + all_of.of_each(usual), begins)
    if flags & (_IN_MS | _IN_S):
        time_us *= _S_US if flags & _IN_S else _MS_US
    if pages[0].digits == RAW_VALUES:
        value = all_of.column().astype("<u8").view("<f8").astype(np.float64)
    else:
        whole = all_of.sums(_signed(all_of.column(behind_nothing=True)), first_steps)
        # Division gives the decimal that was parsed; multiplying by 0.01 would not.
        value = whole / all_of.of_each(np.array([10.0**page.digits for page in pages]))
    if flags & _HAS_QUALITY:
        quality = all_of.column().astype(np.uint8)
    else:
        quality = np.zeros(len(time_us), dtype=np.uint8)
    return Readings(time_us, value, quality)


def _unit_of(time_us: TimeArray) -> tuple[int, int]:
    """The coarsest unit that tells all of these times, µs, and its flag."""
    if not (time_us % _MS_US).any():
        return (_MS_US, _IN_MS) if (time_us % _S_US).any() else (_S_US, _IN_S)
    return 1, 0


def _grid_of(times: TimeArray) -> _Grid | None:
    """The grid that times lie on best; None where the steps between them are the shorter story."""
    if len(times) < 3 or int(times[-1]) - int(times[0]) >= _LONGEST_SPAN:
        return None
    steps = np.diff(times)
    usual = float(np.median(steps))
    skips = np.rint(steps / usual).astype(np.int64) - 1
    places = np.arange(len(times), dtype=np.int64)
    places[1:] += np.cumsum(skips)
    since = times - times[0]
    centred = places - places.mean()
    spread = float((centred * centred).sum())
    slope = float((centred * since).sum()) / spread if spread else usual
    step = max(1, round(slope * (1 << _FRACTION_BITS)))
    distances = since - ((places * step) >> _FRACTION_BITS)
    middle = int(np.median(distances))
    distances -= middle
    if _weight(distances) + _weight(skips) > _weight(steps - round(usual)) + 1:
        return None
    return _Grid(int(times[0]) + middle, step, skips, distances)


def _weight(column: TimeArray) -> float:
    """Bits that each of these numbers takes, on the average, were nothing else known of them."""
    return float(np.log2(np.abs(column) + 1.0).mean())


def _zigzag(column: TimeArray) -> _Column:
    """Small numbers of either sign as small numbers: 0, −1, 1, −2 as 0, 1, 2, 3."""
    return ((column << 1) ^ (column >> 63)).view(np.uint64)


def _signed(column: np.ndarray[Any, Any]) -> np.ndarray[Any, np.dtype[np.signedinteger[Any]]]:
    """Back from zigzag, in as many bytes."""
    signs = column & 1
    np.negative(signs, out=signs)
    signs ^= column >> 1
    return signs.view(f"<i{column.dtype.itemsize}")


def _packed(column: _Column) -> bytes:
    """A column: how many bytes its numbers need, and a plane for each of them."""
    width = (int(column.max(initial=0)).bit_length() + 7) // 8
    whole = np.ascontiguousarray(column.astype("<u8")).view(np.uint8).reshape(len(column), 8)
    parts = [bytes([width])]
    for place in range(width):
        plane = whole[:, place].tobytes()
        packed = _deflated(plane)
        if packed is None:
            parts += [bytes([_RAW]), plane]
        else:
            parts += [bytes([_DEFLATED]), _LENGTH.pack(len(packed)), packed]
    return b"".join(parts)


def _deflated(plane: bytes) -> bytes | None:
    """A plane deflated; None where that is not worth it, as of noise."""
    begun = plane[:_TRIED]
    if len(plane) > _TRIED and len(zlib.compress(begun, 1, _RAW_DEFLATE)) > _WORTH * _TRIED:
        return None
    packed = zlib.compress(plane, _ZLIB_LEVEL, _RAW_DEFLATE)
    return packed if len(packed) + _LENGTH.size < _WORTH * len(plane) else None


def checksum(*parts: bytes) -> int:
    """CRC-32 over the parts of a page, as stored beside it."""
    total = 0
    for part in parts:
        total = zlib.crc32(part, total)
    return total


def _whole_steps(value: FloatArray) -> tuple[int, TimeArray | None]:
    """Digits after the point that give every value back exactly, and the values in such steps."""
    if not np.isfinite(value).all() or np.any(np.signbit(value) & (value == 0)):
        return RAW_VALUES, None
    largest = float(np.abs(value).max())
    for digits in range(_MOST_DIGITS + 1):
        if largest * 10**digits >= 2**53:
            break
        # A few of them nearly always tell that so many are not enough.
        if _are_steps(value[:_SAMPLE], digits) and _are_steps(value, digits):
            return digits, np.rint(value * 10**digits).astype(np.int64)
    return RAW_VALUES, None


def _are_steps(value: FloatArray, digits: int) -> bool:
    return np.array_equal(np.rint(value * 10**digits) / float(10**digits), value)
