"""The forms themselves: pieces of readings as bytes of CSV, JSON Lines, SenML and Parquet."""

from __future__ import annotations

import importlib.util
import json
from collections.abc import Callable
from typing import IO, Any, Protocol

import cbor2
import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.open_units import senml_unit
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import SECOND_US
from rook_tally.export.pieces import ExportForm, ExportPiece, ExportWish, wide_rows
from rook_tally.store.exchange.csv_rows import HEADER, guarded
from rook_tally.store.site import Series

_CBOR_BEGIN, _CBOR_END = b"\x9f", b"\xff"


class Writer(Protocol):
    """Writes pieces one after the other. `left_out`: readings the form has no room for."""

    left_out: int

    def write(self, piece: ExportPiece) -> None:
        """Write a piece."""
        ...

    def end(self) -> None:
        """Write what stands last."""
        ...


def writer_for(wish: ExportWish, target: IO[bytes], about: dict[str, Any]) -> Writer:
    """The writer of a form; `about` goes into the metadata of forms that have such.

    Raises
    ------
    UsageError
        For Parquet where the package that writes it is missing.
    """
    match wish.form:
        case ExportForm.CSV:
            return _WideCsv(wish, target) if wish.wide else _Csv(wish, target)
        case ExportForm.JSON_LINES:
            return _WideJsonLines(wish, target) if wish.wide else _JsonLines(wish, target)
        case ExportForm.SENML_JSON:
            return _Senml(wish, target, _senml_json, b"[", b"]\n", b",\n")
        case ExportForm.SENML_CBOR:
            return _Senml(wish, target, cbor2.dumps, _CBOR_BEGIN, _CBOR_END, b"")
        case ExportForm.PARQUET:
            return _Parquet(wish, target, about)


def moments_text(time_us: TimeArray) -> list[str]:
    """(N,) moments in RFC 3339, UTC, with microseconds."""
    told: list[str] = np.datetime_as_string(
        time_us.astype("datetime64[us]"), unit="us", timezone="UTC"
    ).tolist()
    return told


def _csv_cell(text: str) -> str:
    """A cell as RFC 4180 has it."""
    if any(one in text for one in ',"\r\n'):
        return '"' + text.replace('"', '""') + '"'
    return text


class _Csv:
    """A row a reading, as `export` always had it."""

    def __init__(self, wish: ExportWish, target: IO[bytes]) -> None:
        self.left_out = 0
        self._target = target
        self._middles = [f",{','.join(_csv_cell(one) for one in _names(s))}," for s in wish.series]
        self._ends = [
            [
                f",{_csv_cell(s.quantity.base.symbol)},{_csv_cell(Quality(code).wording)}\r\n"
                for code in range(len(Quality))
            ]
            for s in wish.series
        ]
        target.write((",".join(HEADER) + "\r\n").encode())

    def write(self, piece: ExportPiece) -> None:
        """Write a piece."""
        times, values = moments_text(piece.time_us), piece.value.tolist()
        if len(self._middles) == 1 and not piece.quality.any():
            middle, end = self._middles[0], self._ends[0][0]
            lines = [f"{t}{middle}{v!r}{end}" for t, v in zip(times, values, strict=True)]
        else:
            middles, ends = self._middles, self._ends
            lines = [
                f"{t}{middles[w]}{v!r}{ends[w][q]}"
                for t, w, v, q in zip(
                    times, piece.which.tolist(), values, piece.quality.tolist(), strict=True
                )
            ]
        self._target.write("".join(lines).encode())

    def end(self) -> None:
        """Nothing stands last."""


def _names(one: Series) -> tuple[str, str, str, str]:
    return (
        guarded(one.station.place.name),
        guarded(one.station.key),
        guarded(one.field),
        one.quantity.slug,
    )


def column_names(series: tuple[Series, ...]) -> list[str]:
    """Names of columns a series: station and field."""
    return [f"{one.station.key}.{one.field}" for one in series]


class _WideCsv:
    """A row a moment, a column a series; an empty cell where it said nothing."""

    def __init__(self, wish: ExportWish, target: IO[bytes]) -> None:
        self.left_out = 0
        self._target, self._count = target, len(wish.series)
        heads = [
            _csv_cell(guarded(f"{name} [{one.quantity.base.symbol}]"))
            for name, one in zip(column_names(wish.series), wish.series, strict=True)
        ]
        target.write((",".join(["time", *heads]) + "\r\n").encode())

    def write(self, piece: ExportPiece) -> None:
        """Write a piece."""
        self.left_out += int(np.count_nonzero(piece.quality))
        time_us, table = wide_rows(piece, self._count)
        known = np.isfinite(table)
        lines = [
            ",".join([t, *(repr(v) if k else "" for v, k in zip(row, there, strict=True))]) + "\r\n"
            for t, row, there in zip(
                moments_text(time_us), table.tolist(), known.tolist(), strict=True
            )
        ]
        self._target.write("".join(lines).encode())

    def end(self) -> None:
        """Nothing stands last."""


class _JsonLines:
    """An object a reading, one a line."""

    def __init__(self, wish: ExportWish, target: IO[bytes]) -> None:
        self.left_out = 0
        self._target = target
        self._middles = [
            json.dumps(
                {
                    "place": one.station.place.name,
                    "station": one.station.key,
                    "field": one.field,
                    "quantity": one.quantity.slug,
                    "unit": one.quantity.base.symbol,
                },
                ensure_ascii=False,
            )[1:-1]
            for one in wish.series
        ]
        self._words = [json.dumps(Quality(code).wording) for code in range(len(Quality))]

    def write(self, piece: ExportPiece) -> None:
        """Write a piece."""
        middles, words = self._middles, self._words
        lines = [
            f'{{"time": "{t}", {middles[w]}, "value": {v!r}, "quality": {words[q]}}}\n'
            for t, w, v, q in zip(
                moments_text(piece.time_us),
                piece.which.tolist(),
                piece.value.tolist(),
                piece.quality.tolist(),
                strict=True,
            )
        ]
        self._target.write("".join(lines).encode())

    def end(self) -> None:
        """Nothing stands last."""


class _WideJsonLines:
    """An object a moment, a member a series that said something then."""

    def __init__(self, wish: ExportWish, target: IO[bytes]) -> None:
        self.left_out = 0
        self._target = target
        self._names = [json.dumps(one, ensure_ascii=False) for one in column_names(wish.series)]

    def write(self, piece: ExportPiece) -> None:
        """Write a piece."""
        self.left_out += int(np.count_nonzero(piece.quality))
        time_us, table = wide_rows(piece, len(self._names))
        known = np.isfinite(table)
        lines = []
        for t, row, there in zip(
            moments_text(time_us), table.tolist(), known.tolist(), strict=True
        ):
            told = [
                f"{name}: {value!r}"
                for name, value, is_known in zip(self._names, row, there, strict=True)
                if is_known
            ]
            lines.append(f'{{"time": "{t}", {", ".join(told)}}}\n')
        self._target.write("".join(lines).encode())

    def end(self) -> None:
        """Nothing stands last."""


def _senml_json(record: dict[str, object]) -> bytes:
    return msgspec.json.encode(record)


class _Senml:
    """SenML (RFC 8428): one pack; names are `station/field`. It has no word for a suspect reading,
    so those are left out, and counted."""

    def __init__(
        self,
        wish: ExportWish,
        target: IO[bytes],
        encode: Callable[[dict[str, object]], bytes],
        begin: bytes,
        end: bytes,
        between: bytes,
    ) -> None:
        self.left_out = 0
        self._target, self._encode = target, encode
        self._end, self._between = end, between
        self._series = wish.series
        self._is_cbor = wish.form is ExportForm.SENML_CBOR
        self._is_first = True
        target.write(begin)

    def write(self, piece: ExportPiece) -> None:
        """Write a piece: a base name, time and unit a series, then what differs from that."""
        good = piece.quality == 0
        self.left_out += int(np.count_nonzero(~good))
        for at, one in enumerate(self._series):
            mine = good & (piece.which == at)
            if mine.any():
                self._write_series(one, piece.time_us[mine], piece.value[mine])

    def _write_series(self, one: Series, time_us: TimeArray, value: FloatArray) -> None:
        base = float(time_us[0]) / SECOND_US
        # Relative to the first, in seconds: microseconds are kept, as doubles hold them there.
        rest = ((time_us - time_us[0]) / SECOND_US).tolist()
        records: list[bytes] = []
        for number, (since, told) in enumerate(zip(rest, value.tolist(), strict=True)):
            record: dict[str, object] = {}
            if number == 0:
                record |= {
                    "bn": f"{one.station.key}/{one.field}",
                    "bt": base,
                    "bu": senml_unit(one.quantity.base.symbol),
                }
            record |= {"t": since, "v": told} if number else {"v": told}
            records.append(self._encode(_cbor_labels(record) if self._is_cbor else record))
        self._target.write((b"" if self._is_first else self._between) + self._between.join(records))
        self._is_first = False

    def end(self) -> None:
        """Close the pack."""
        self._target.write(self._end)


_LABELS = {"bn": -2, "bt": -3, "bu": -4, "n": 0, "u": 1, "v": 2, "t": 6}
"""Members of SenML in CBOR (RFC 8428, section 6)."""


def _cbor_labels(record: dict[str, object]) -> dict[Any, object]:
    return {_LABELS[name]: value for name, value in record.items()}


class _Parquet:
    """Parquet with types, units, zone and site in its metadata; by the package pyarrow."""

    def __init__(self, wish: ExportWish, target: IO[bytes], about: dict[str, Any]) -> None:
        self.left_out = 0
        if importlib.util.find_spec("pyarrow") is None:
            raise UsageError(
                "Parquet is written by a package that is not installed: pyarrow",
                kept="nothing was written",
                remedy="pip install 'rook-tally[parquet]', or choose csv",
            )
        # Loaded late: it takes a quarter of a second and 40 MB.
        import pyarrow as pa
        import pyarrow.parquet as pq

        self._pa, self._wish = pa, wish
        moment = pa.timestamp("us", tz="UTC")
        word = pa.dictionary(pa.int32(), pa.string())
        if wish.wide:
            fields = [
                pa.field(
                    name,
                    pa.float64(),
                    metadata={
                        "unit": one.quantity.base.symbol,
                        "quantity": one.quantity.slug,
                        "place": one.station.place.name,
                    },
                )
                for name, one in zip(column_names(wish.series), wish.series, strict=True)
            ]
            schema = pa.schema([pa.field("time", moment), *fields])
        else:
            words = ("place", "station", "field", "quantity")
            schema = pa.schema(
                [
                    ("time", moment),
                    *((name, word) for name in words),
                    ("value", pa.float64()),
                    ("unit", word),
                    ("quality", word),
                ]
            )
        told = {"rook_tally": json.dumps(about, ensure_ascii=False)}
        self._schema = schema.with_metadata(told)
        # Moments and values are all different: a dictionary of them is only work.
        words_of = [one.name for one in self._schema if one.type == word]
        self._writer = pq.ParquetWriter(
            target, self._schema, compression="zstd", use_dictionary=words_of
        )

    def write(self, piece: ExportPiece) -> None:
        """Write a piece as a row group."""
        pa, series = self._pa, self._wish.series
        moment = pa.timestamp("us", tz="UTC")
        if self._wish.wide:
            self.left_out += int(np.count_nonzero(piece.quality))
            time_us, table = wide_rows(piece, len(series))
            columns = [pa.array(time_us).cast(moment)]
            columns += [
                pa.array(table[:, at], mask=np.isnan(table[:, at])) for at in range(len(series))
            ]
        else:
            which = piece.which.astype(np.int32)

            def words(told: list[str], at: Any) -> Any:
                return pa.DictionaryArray.from_arrays(pa.array(at), pa.array(told, pa.string()))

            columns = [
                pa.array(piece.time_us).cast(moment),
                words([one.station.place.name for one in series], which),
                words([one.station.key for one in series], which),
                words([one.field for one in series], which),
                words([one.quantity.slug for one in series], which),
                pa.array(piece.value),
                words([one.quantity.base.symbol for one in series], which),
                words([one.wording for one in Quality], piece.quality.astype(np.int32)),
            ]
        self._writer.write_table(pa.Table.from_arrays(columns, schema=self._schema))

    def end(self) -> None:
        """Write the footer."""
        self._writer.close()
