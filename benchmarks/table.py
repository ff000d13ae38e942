"""`./rook bench`: the speeds we promise, each beside its limit measured in the same run."""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import typer

from benchmarks.history import bench_of, compare, keep, kept, row_now, speed_page
from rook_tally.core.errors import RookTallyError, UsageError

if TYPE_CHECKING:
    from benchmarks.growth import Grown


@dataclass(frozen=True, slots=True)
class Figure:
    """One figure beside its limit: `ratio` = ours / limit, which `holds` up to (or from) `bar`.

    Where both were measured several times in turn, the ratio is the median of those of the pairs,
    and `spread` from the least to the most of them.
    """

    name: str
    ours: float
    limit: float
    ratio: float
    bar: float
    holds: bool
    spread: tuple[float, float] | None = None


def figure_of(name: str, *, ours: float, limit: float, bar: float) -> Figure:
    """A figure with its ratio worked out and judged."""
    ratio = ours / limit
    return Figure(name, round(ours, 2), round(limit, 2), round(ratio, 4), bar, ratio <= bar)


def at_least(name: str, *, ours: float, limit: float, bar: float) -> Figure:
    """A figure where more is better: it holds when the ratio reaches the bar."""
    ratio = ours / limit
    return Figure(name, round(ours, 2), round(limit, 2), round(ratio, 4), bar, ratio >= bar)


def pairs_at_least(
    name: str, ours: Sequence[float], limit: Sequence[float], *, bar: float
) -> Figure:
    """A figure measured in turn with its limit, where more is better."""
    return _of_pairs(name, ours, limit, bar, at_least=True)


def pairs_at_most(
    name: str, ours: Sequence[float], limit: Sequence[float], *, bar: float
) -> Figure:
    """A figure measured in turn with its limit, where less is better."""
    return _of_pairs(name, ours, limit, bar, at_least=False)


def _of_pairs(
    name: str, ours: Sequence[float], limit: Sequence[float], bar: float, *, at_least: bool
) -> Figure:
    ratios = [a / b for a, b in zip(ours, limit, strict=True)]
    ratio = statistics.median(ratios)
    middle = round(statistics.median(ours), 2), round(statistics.median(limit), 2)
    holds = ratio >= bar if at_least else ratio <= bar
    spread = round(min(ratios), 4), round(max(ratios), 4)
    return Figure(name, *middle, round(ratio, 4), bar, holds, spread)


def run_benches(names: list[str], *, as_json: bool) -> None:
    """Run the named benches, or all; exits with 1 when a bar does not hold."""
    unknown = [name for name in names if name.partition(".")[0] not in BENCHES]
    if unknown:
        raise UsageError(
            f"there is no bench {unknown[0]!r}", remedy="there are " + ", ".join(BENCHES)
        )
    figures = []
    for name in names or BENCHES:
        of_one = _figures(name)
        keep([row_now(asdict(one) | {"bench": name.partition(".")[0]}) for one in of_one])
        figures += of_one
    if as_json:
        typer.echo(msgspec.json.encode(figures).decode())
    else:
        typer.echo(f"{'name':<22}{'ours':>10}{'limit':>10}{'ratio':>8}{'bar':>7}")
        for one in figures:
            verdict = "holds" if one.holds else "DOES NOT HOLD"
            between = "" if one.spread is None else f"  {one.spread[0]:.2f}–{one.spread[1]:.2f}"
            typer.echo(
                f"{one.name:<22}{one.ours:>10.1f}{one.limit:>10.1f}{one.ratio:>8.2f}"
                f"{one.bar:>7.2f}  {verdict}{between}"
            )
    if not all(one.holds for one in figures):
        raise typer.Exit(1)


def print_history(names: list[str]) -> None:
    """Print the figures that were kept of benches, or of all: the newest of each last."""
    for one in kept():
        if names and one.name.partition(".")[0] not in names and one.name not in names:
            continue
        verdict = "holds" if one.holds else "DOES NOT HOLD"
        typer.echo(
            f"{one.at[:16]}  {one.commit:<10} {one.name:<22}{one.ratio:>8.2f}{one.bar:>7.2f}"
            f"  {verdict:<14} {one.machine}"
        )


def write_page(path: Path) -> None:
    """Write the newest figures of this machine as a page."""
    about = {
        name: " ".join((bench.__doc__ or "").split()).replace("|", "/")
        for name, bench in BENCHES.items()
    }
    rows = [one for one in kept() if bench_of(one) in BENCHES]
    path.write_text(speed_page(rows, about), encoding="utf-8")
    typer.echo(str(path))


def print_changes(revision: str, names: list[str], pairs: int) -> None:
    """Measure a revision and what is checked out in turn, and say what changed beyond the noise."""
    for one in compare(revision, names, pairs):
        words = "the same within the noise"
        if one.beyond_noise:
            words = f"{100 * (one.factor - 1):+.0f} %"
        runs = " ".join(f"{a:.2f}/{b:.2f}" for a, b in zip(one.before, one.after, strict=True))
        typer.echo(f"{one.name:<22}{one.factor:>8.3f}  {words:<28} {runs}")


def _figures(name: str) -> list[Figure]:
    """Run a bench and return its figures; `faults.killed` runs one fault alone."""
    if name.startswith("faults."):
        return _faults(name.partition(".")[2])
    return BENCHES[name]()


@contextmanager
def virtual_screen() -> Iterator[dict[str, str]]:
    """An Xvfb of our own; gives the environment that makes Qt draw on it."""
    program = shutil.which("Xvfb")
    if program is None:
        raise RookTallyError("Xvfb is not installed", remedy="apt-get install xvfb")
    reading, writing = os.pipe()
    with subprocess.Popen(
        [program, "-displayfd", str(writing), "-screen", "0", "1400x900x24", "-nolisten", "tcp"],
        pass_fds=[writing],
        stderr=subprocess.DEVNULL,
    ) as screen:
        os.close(writing)
        try:
            with os.fdopen(reading) as told:
                display = told.readline().strip()
            if not display:
                raise RookTallyError("Xvfb did not start")
            yield os.environ | {"DISPLAY": f":{display}", "QT_QPA_PLATFORM": "xcb"}
        finally:
            screen.terminate()


def _live() -> list[Figure]:
    """MQTT publish to painted cell, in ms, against the waits that are designed on the way: the
    desk's look at the store and a frame of the screen."""
    from benchmarks.designed_waits import FRAME_S, waits_ms
    from benchmarks.live import publish_to_paint_ms
    from rook_tally.desk.data.store_feed import POLL_S

    with virtual_screen() as environment, tempfile.TemporaryDirectory() as folder:
        delays = publish_to_paint_ms(Path(folder), environment)
    median_ms, p95_ms = waits_ms(POLL_S, FRAME_S)
    return [
        figure_of("live.median", ours=statistics.median(delays), limit=median_ms, bar=3.0),
        figure_of("live.p95", ours=_p95(delays), limit=p95_ms, bar=3.0),
    ]


def _start() -> list[Figure]:
    """Process start to the first painted Ledger with a year of history, in ms, against a bare
    window that reads the same rows and writes 200 texts."""
    from benchmarks.start import start_ms

    with virtual_screen() as environment, tempfile.TemporaryDirectory() as folder:
        ours, bare = start_ms(Path(folder), environment)
    return [pairs_at_most("start", ours, bare, bar=2.6)]


def _append() -> list[Figure]:
    """Readings a second by durable commits, against bare sqlite3: at least 0.6 of it."""
    from benchmarks.archive import append_rates

    with tempfile.TemporaryDirectory() as folder:
        ours, bare = append_rates(Path(folder))
    return [at_least("append", ours=ours, limit=bare, bar=0.6)]


def _load() -> list[Figure]:
    """A year at 10 s into NumPy from pages, in ms, against scanning rows: 20 times faster."""
    from benchmarks.archive import load_ms

    with tempfile.TemporaryDirectory() as folder:
        ours, rows = load_ms(Path(folder))
    return [figure_of("load", ours=ours, limit=rows, bar=1 / 20)]


def _size() -> list[Figure]:
    """Bytes a sealed reading, net of an empty store, against the entropy of what was put in; and
    the same with times that are kept to the millisecond."""
    from benchmarks.archive import size_figures

    figures = []
    with tempfile.TemporaryDirectory() as folder:
        for cadence in (10, 60, 300):
            ours, entropy = size_figures(Path(folder), cadence)
            figures.append(figure_of(f"size.{cadence}s", ours=ours, limit=entropy, bar=1.35))
            # Of what is left the row of a page is a larger part: no bar of its own was set.
            ours, entropy = size_figures(Path(folder), cadence, 1_000)
            figures.append(figure_of(f"size.{cadence}s.ms", ours=ours, limit=entropy, bar=2.0))
    return figures


def _window() -> list[Figure]:
    """The envelopes of eight series at 1,200 columns, ms, against the bare reading of the same
    pages; five years against a day."""
    from benchmarks.windows import window_ms

    figures = []
    for cadence in (10, 60, 300):
        with tempfile.TemporaryDirectory() as folder:
            times = window_ms(Path(folder), cadence)
        figures += [
            pairs_at_most(f"window.{cadence}s.{name}", *told, bar=1.6)
            for name, told in times.items()
        ]
        five, day = (statistics.median(times[name][0]) for name in ("5y", "1d"))
        figures.append(figure_of(f"window.{cadence}s.5y/1d", ours=five, limit=day, bar=3.0))
    return figures


def _bench_pair() -> list[Figure]:
    """Two series of a year at 60 s side by side, question to painted, ms, against loading both."""
    from benchmarks.bench_view import pair_ms

    with tempfile.TemporaryDirectory() as folder:
        ours, bare = pair_ms(Path(folder))
    return [figure_of("bench-pair", ours=ours, limit=bare, bar=2.0)]


def _bench_response() -> list[Figure]:
    """The response to 500 events over a year at 10 s, ms, against loading it."""
    from benchmarks.bench_view import response_ms

    with tempfile.TemporaryDirectory() as folder:
        ours, bare = response_ms(Path(folder))
    return [figure_of("bench-response", ours=ours, limit=bare, bar=3.0)]


def _bench_find() -> list[Figure]:
    """Pairs among 50 series of 90 days at 60 s, s, against the promised 20."""
    from benchmarks.bench_view import beside_find_ms, find_s

    with tempfile.TemporaryDirectory() as folder:
        found = [figure_of("bench-find", ours=find_s(Path(folder)), limit=20.0, bar=1.0)]
    with tempfile.TemporaryDirectory() as folder:
        beside, alone = beside_find_ms(Path(folder))
    return [*found, figure_of("bench-find.beside", ours=beside, limit=alone, bar=1.1)]


def _report() -> list[Figure]:
    """A month of twelve stations as PDF and HTML, ms, against loading what it shows."""
    from benchmarks.handing_on import report_ms

    with tempfile.TemporaryDirectory() as folder:
        ours, bare = report_ms(Path(folder))
    return [figure_of("report", ours=ours, limit=bare, bar=3.0)]


def _export() -> list[Figure]:
    """Readings/s of a year at 10 s into files, against pyarrow's own writers."""
    from benchmarks.handing_on import export_rates

    with tempfile.TemporaryDirectory() as folder:
        found = export_rates(Path(folder))
    return [
        at_least(f"export.{form}", ours=ours, limit=bare, bar=0.5)
        for form, (ours, bare) in found.items()
    ]


def _things() -> list[Figure]:
    """Answers/s of 1,000 Observations by SensorThings, against a bare handler of the same bytes."""
    from benchmarks.handing_on import things_rates

    with tempfile.TemporaryDirectory() as folder:
        ours, bare = things_rates(Path(folder))
    return [at_least("things", ours=ours, limit=bare, bar=0.3)]


def _forward() -> list[Figure]:
    """Readings/s handed on to a broker, against `mqtt`; the rest of 50 readings/s that come in
    beside, against no forward."""
    from benchmarks.forwarding import forward_rates

    with tempfile.TemporaryDirectory() as folder:
        told = forward_rates(Path(folder))
    return [
        at_least("forward", ours=told.forwarded, limit=told.mqtt, bar=0.5),
        figure_of("forward.intake", ours=told.beside_ms, limit=told.alone_ms, bar=1.05),
    ]


def _export_memory() -> list[Figure]:
    """Peak of exporting five years of fifty series, MB, against the promised 300."""
    from benchmarks.handing_on import export_memory_mb

    with tempfile.TemporaryDirectory() as folder:
        peak_mb, most_mb = export_memory_mb(Path(folder))
    return [figure_of("export-memory", ours=peak_mb, limit=most_mb, bar=1.0)]


def _memory() -> list[Figure]:
    """Peak of loading five years of one series, MB, against the arrays themselves."""
    from benchmarks.archive import load_memory

    with tempfile.TemporaryDirectory() as folder:
        peak, arrays = load_memory(Path(folder))
    return [figure_of("memory", ours=peak, limit=arrays, bar=3.0)]


def _notice() -> list[Figure]:
    """p95 from a commit in one process to its notice in another, ms, against a bare writer and a
    look at the file every 25 ms."""
    from benchmarks.shared_store import notice_ms

    with tempfile.TemporaryDirectory() as folder:
        ours, bare = notice_ms(Path(folder))
    return [figure_of("notice", ours=_p95(ours), limit=_p95(bare), bar=1.5)]


def _sealing() -> list[Figure]:
    """How much longer than usual the longest commit takes while pages are sealed, ms."""
    from benchmarks.shared_store import commit_delays_ms

    with tempfile.TemporaryDirectory() as folder:
        usual, longest = commit_delays_ms(Path(folder))
    return [figure_of("sealing", ours=longest - usual, limit=50.0, bar=1.0)]


def _history() -> list[Figure]:
    """Ninety days of the demo's twelve stations made and sealed, s."""
    from benchmarks.archive import demo_history_s

    with tempfile.TemporaryDirectory() as folder:
        return [figure_of("history", ours=demo_history_s(Path(folder)), limit=10.0, bar=1.0)]


def _faults(only: str = "") -> list[Figure]:
    """Faults that real processes are put through: promised readings missing, readings there twice
    and whatever else is wrong, against what was promised. The table goes to stderr."""
    from benchmarks.faults.rows import machine_rows
    from benchmarks.faults.server_rows import server_rows

    figures = []
    with tempfile.TemporaryDirectory() as folder:
        for name, brought_about in (machine_rows(Path(folder)) | server_rows(Path(folder))).items():
            if only in ("", name):
                row = brought_about()
                typer.echo(
                    f"{row.fault:<28}{row.rounds:>4} ×{row.promised:>8} promised{row.missing:>5} "
                    f"missing{row.twice:>5} twice  {'; '.join([*row.wrong, row.note])}",
                    err=True,
                )
                figures.append(
                    figure_of(f"faults.{name}", ours=row.faults, limit=row.promised or 1, bar=0.0)
                )
    return figures


def _mqtt() -> list[Figure]:
    """Messages a second from a Mosquitto to durable readings, against paho with a bare durable
    commit of the same rows."""
    from benchmarks.doors import mqtt_rates

    with tempfile.TemporaryDirectory() as folder:
        ours, bare = mqtt_rates(Path(folder))
    return [pairs_at_least("mqtt", ours, bare, bar=0.75)]


def _http() -> list[Figure]:
    """Requests a second answered after the commit, and readings a second in bodies of a hundred,
    against aiohttp with a bare durable commit of the same rows; signals that jump, are sent again
    or come late against our own calm one."""
    from benchmarks.http_door import http_rates

    with tempfile.TemporaryDirectory() as folder:
        rates = http_rates(Path(folder))
    bars = {"http": 0.75, "http.hundred": 0.5}
    return [pairs_at_least(name, *told, bar=bars.get(name, 0.8)) for name, told in rates.items()]


def _fleet() -> list[Figure]:
    """A thousand stations every 10 s: readings lost; ms of processor for the first message of each
    against a later one, and for a later one against a bare client that keeps the same rows; MB."""
    from benchmarks.fleet import fleet_cost

    with tempfile.TemporaryDirectory() as folder:
        cost = fleet_cost(Path(folder))
    return [
        figure_of("fleet.lost", ours=cost.sent - cost.kept, limit=cost.sent, bar=0.0),
        figure_of(
            "fleet.begin", ours=cost.begin_ms, limit=statistics.median(cost.steady_ms), bar=3.0
        ),
        pairs_at_most("fleet.steady", cost.steady_ms, cost.bare_ms, bar=3.0),
        figure_of("fleet.memory", ours=cost.memory_mb, limit=130.0, bar=1.0),
    ]


def _desk() -> list[Figure]:
    """One window over a year: the rail dragged to everything shown (p95), against reading and
    decoding the same pages; the Ledger's full repaint and frames of panning eight lanes (p95),
    against the same primitives played back, ms; what it all holds, against a bare window, MB."""
    from benchmarks.desk import desk_figures

    with virtual_screen() as environment, tempfile.TemporaryDirectory() as folder:
        told = desk_figures(Path(folder), environment)
    lanes_ms = statistics.median(told.bare_frames)
    return [
        figure_of("scrub", ours=_p95(told.drags), limit=_p95(told.bare_drags), bar=2.0),
        pairs_at_most("ledger", told.paints, told.bare_paints, bar=1.2),
        figure_of("pan", ours=_p95(told.frames), limit=lanes_ms, bar=1.5),
        figure_of("rss", ours=told.memory_mb, limit=told.bare_memory_mb, bar=1.5),
    ]


def _idle() -> list[Figure]:
    """An open desk while readings come in, against a bare window that follows the same store and
    paints one text a reading, at the same time, in % of one core."""
    from benchmarks.idle import idle_shares

    with virtual_screen() as environment, tempfile.TemporaryDirectory() as folder:
        shares = idle_shares(Path(folder), environment)
    return [
        pairs_at_most(
            f"idle.{rate}/s", [100 * one for one in ours], [100 * one for one in bare], bar=3.0
        )
        for rate, (ours, bare) in shares.items()
    ]


def _many() -> list[Figure]:
    """300 places with 2,100 series: from starting to the first picture, and from making the window
    to it, ms, against the same of the demo; a frame of scrolling (p95, ms)."""
    from benchmarks.many_places import many_places

    with virtual_screen() as environment, tempfile.TemporaryDirectory() as folder:
        told = many_places(Path(folder), environment)
    allowed = max(16.7, 1.2 * _p95(told.bare_frames))
    middle = statistics.median
    return [
        figure_of("many", ours=middle(told.starts), limit=middle(told.demo_starts), bar=1.5),
        # Without what is the same for both, the interpreter, Qt, imports: kept from getting worse.
        figure_of(
            "many.window", ours=middle(told.pictures), limit=middle(told.demo_pictures), bar=3.0
        ),
        figure_of("many.scroll", ours=_p95(told.frames), limit=allowed, bar=1.0),
    ]


def _growth() -> list[Figure]:
    """Stores from ten stations and a month to five thousand or twenty years: opening against the
    smallest, memory against as many stations with a month; a commit, the picture, a window of eight
    series and a moment of the past against the same rows bare."""
    from benchmarks.growth import SIZES, grown

    with tempfile.TemporaryDirectory() as folder:
        return _grown_figures("growth", SIZES, partial(grown, Path(folder)))


def _growth_server() -> list[Figure]:
    """The same of stores on a PostgreSQL (fsync off), against its driver alone."""
    from benchmarks.faults.postgres import cluster
    from benchmarks.growth import SERVER_SIZES, grown_on_server

    with cluster() as server:
        return _grown_figures("growth-server", SERVER_SIZES, partial(grown_on_server, server))


def _grown_figures(
    bench: str, sizes: Sequence[tuple[int, int]], grown: Callable[[int, int], Grown]
) -> list[Figure]:
    figures: list[Figure] = []
    smallest = grown(*sizes[0])
    month_mb: dict[int, float] = {}
    for stations, days in sizes:
        told = grown(stations, days)
        of_month = month_mb.setdefault(stations, told.memory_mb)
        pairs = {
            "file": (told.file_mb, told.file_mb, 1.0),
            "open": (told.open_ms, smallest.open_ms, 2.0),
            "commit": (told.commit_ms, told.bare_commit_ms, 5.0),
            "picture": (told.picture_ms, told.bare_picture_ms, 2.0),
            "window": (told.window_ms, told.bare_window_ms, 2.0),
            "scrub": (told.scrub_ms, told.bare_scrub_ms, 2.0),
            "memory": (told.memory_mb, of_month, 1.2),
        }
        figures += [
            figure_of(f"{bench}.{stations}.{days}.{what}", ours=ours, limit=limit, bar=bar)
            for what, (ours, limit, bar) in pairs.items()
        ]
    return figures


def _server() -> list[Figure]:
    """Readings a second of one, two and four collectors on one PostgreSQL (fsync off), in bodies of
    a hundred, against as many bare writers of the same rows; processors that were busy, of those
    there are, and the part of them that the server and the collectors had."""
    from benchmarks.server import server_shares

    figures = []
    cores = os.cpu_count() or 1
    for count, told in server_shares().items():
        figures += [
            # Kept from getting worse.
            at_least(f"server.{count}", ours=told.rate, limit=told.bare_rate, bar=0.2),
            figure_of(f"server.{count}.busy", ours=told.cores, limit=cores, bar=1.05),
            figure_of(f"server.{count}.postgres", ours=told.server_cores, limit=cores, bar=1.05),
            figure_of(f"server.{count}.collect", ours=told.collector_cores, limit=cores, bar=1.05),
        ]
    return figures


def _decode() -> list[Figure]:
    """Messages decoded a second by form, against the fastest plain parse of the same bytes."""
    from benchmarks.doors import decode_rates

    return [
        at_least(f"decode.{name}", ours=ours, limit=plain, bar=0.3)
        for name, (ours, plain) in decode_rates().items()
    ]


def _layout() -> list[Figure]:
    """Binary messages a second by a layout, many at once and one by one, against `struct`."""
    from benchmarks.layouts import layout_rates

    return [
        # As they come one by one is the interpreter's own pace: kept from getting worse.
        at_least(name, ours=ours, limit=bare, bar=0.25 if name == "layout" else 0.03)
        for name, (ours, bare) in layout_rates().items()
    ]


def _modbus() -> list[Figure]:
    """100 registers of 20 Modbus devices every second, in % of one core, against a bare client that
    asks for the same and keeps it; what came of what was to come."""
    from benchmarks.wired import modbus_cost

    with tempfile.TemporaryDirectory() as folder:
        cost = modbus_cost(Path(folder))
    # Deciding, screening, counting, telling: kept from getting worse.
    return [
        figure_of("modbus", ours=100 * cost.share, limit=100 * cost.bare_share, bar=12.0),
        at_least("modbus.came", ours=cost.came, limit=1.0, bar=0.9),
    ]


def _probes() -> list[Figure]:
    """50 probes of this machine every second, in % of one core, against a bare program that reads
    and keeps the same; what came of what was to come."""
    from benchmarks.wired import probes_cost

    with tempfile.TemporaryDirectory() as folder:
        cost = probes_cost(Path(folder))
    # Deciding, screening, counting, telling: kept from getting worse.
    return [
        figure_of("probes", ours=100 * cost.share, limit=100 * cost.bare_share, bar=12.0),
        at_least("probes.came", ours=cost.came, limit=1.0, bar=0.9),
    ]


def _formula() -> list[Figure]:
    """Dew point over 3.15 million pairs in memory, ms, against the same written out in NumPy."""
    from benchmarks.workings import dew_point_ms

    ours, bare = dew_point_ms()
    return [figure_of("formula", ours=ours, limit=bare, bar=1.3)]


def _working() -> list[Figure]:
    """A working of three series of other cadences over a year, ms, against loading its inputs."""
    from benchmarks.workings import working_ms

    with tempfile.TemporaryDirectory() as folder:
        ours, loading = working_ms(Path(folder))
    return [figure_of("working", ours=ours, limit=loading, bar=4.0)]


def _keystroke() -> list[Figure]:
    """p95 from a formula edited to its new picture painted, over 30 days at 10 s, ms."""
    from benchmarks.keystroke import keystroke_ms

    with virtual_screen() as environment, tempfile.TemporaryDirectory() as folder:
        times = keystroke_ms(Path(folder), environment)
    return [figure_of("keystroke", ours=_p95(times), limit=150.0, bar=1.0)]


def _formulas() -> list[Figure]:
    """Formulas over 100,000 readings, ms, against the obvious loop: 30 times faster each."""
    from benchmarks.formulas import formula_times_ms

    return [
        figure_of(f"formulas.{name}", ours=ours, limit=loop, bar=1 / 30)
        for name, (ours, loop) in formula_times_ms().items()
    ]


def _live_workings() -> list[Figure]:
    """What 200 workings on fifty readings a second add, their results kept, in % of one core,
    against the same sums written out in NumPy, which keep nothing."""
    from benchmarks.bare_sums import bare_workings_share
    from benchmarks.workings import live_core_share

    with tempfile.TemporaryDirectory() as folder:
        with_them, without = live_core_share(Path(folder))
    added, bare = 100 * (with_them - without), 100 * bare_workings_share(200)
    # Each result is a reading that is kept: kept from getting worse.
    return [figure_of("live-workings", ours=added, limit=bare, bar=90.0)]


def _rehearse() -> list[Figure]:
    """A guarded watch over a year at 10 s, ms, against the live step for each reading."""
    from benchmarks.watches import rehearse_ms

    ours, loop = rehearse_ms()
    return [figure_of("rehearse", ours=ours, limit=loop, bar=1 / 100)]


def _drag() -> list[Figure]:
    """p95 from a watch's limit dragged to the counts painted, over 30 days at 10 s, ms."""
    from benchmarks.watches import drag_ms

    with virtual_screen() as environment, tempfile.TemporaryDirectory() as folder:
        times = drag_ms(Path(folder), environment)
    return [figure_of("drag", ours=_p95(times), limit=33.0, bar=1.0)]


def _ring() -> list[Figure]:
    """p95 from a reading published over MQTT to its webhook received, ms, against the wait that is
    designed on the way: batches keep apart where nobody waits for an answer."""
    from benchmarks.designed_waits import waits_ms
    from benchmarks.watches import ring_ms
    from rook_tally.intake.pipeline.commit_queue import PACE_S

    with tempfile.TemporaryDirectory() as folder:
        times = ring_ms(Path(folder))
    return [figure_of("ring", ours=_p95(times), limit=waits_ms(PACE_S)[1], bar=4.0)]


def _watches() -> list[Figure]:
    """What 500 watches on fifty readings a second add, in % of one core, against comparing the same
    readings with as many limits in NumPy."""
    from benchmarks.bare_sums import bare_watches_share
    from benchmarks.watches import watches_core_share

    with tempfile.TemporaryDirectory() as folder:
        with_them, without = watches_core_share(Path(folder))
    added, bare = 100 * (with_them - without), 100 * bare_watches_share(500)
    # Guards, calm, what was said: kept from getting worse.
    return [figure_of("watches", ours=added, limit=bare, bar=150.0)]


def _wall() -> list[Figure]:
    """A sheet of twelve panes at 1920 × 1080: one value changed until painted, and all inked anew,
    ms, against the same primitives played back: of that pane, of all."""
    from benchmarks.wall import wall_ms

    with virtual_screen() as environment, tempfile.TemporaryDirectory() as folder:
        told = wall_ms(Path(folder), environment)
    return [
        pairs_at_most("wall.changed", told.changed, told.bare_changed, bar=3.0),
        pairs_at_most("wall.whole", told.whole, told.bare_whole, bar=1.2),
    ]


def _page() -> list[Figure]:
    """Fifty open pages at five readings a second: what they add, in % of one core, against a bare
    server that writes one pane to each; p95 of a value's way onto a page, ms, against the waits
    designed on it: the batch and the page's look."""
    from benchmarks.designed_waits import waits_ms
    from benchmarks.wall import page_cost
    from rook_tally.intake.pipeline.commit_queue import PACE_S
    from rook_tally.web.server import LOOK_S

    with tempfile.TemporaryDirectory() as folder:
        cost = page_cost(Path(folder))
    added = 100 * (cost.with_pages - cost.without)
    waits = waits_ms(PACE_S, LOOK_S)[1]
    return [
        figure_of("page.core", ours=added, limit=100 * cost.bare, bar=12.0),
        figure_of("page.value", ours=_p95(cost.delays_ms), limit=waits, bar=3.0),
    ]


def _p95(values: list[float]) -> float:
    ordered = sorted(values)
    return ordered[min(len(ordered) - 1, round(0.95 * len(ordered)))]


def _handlers() -> list[Figure]:
    """The longest handler of the window's thread, ms, by view: 2,400 series, 50 readings/s; none
    may be longer than 8 ms."""
    from benchmarks.handlers import driven_handler_ms, handler_ms

    with virtual_screen() as environment, tempfile.TemporaryDirectory() as folder:
        found = handler_ms(Path(folder), environment)
        driven = driven_handler_ms(Path(folder), environment)
    return [
        *(
            figure_of(f"handlers.{view}", ours=took[-1], limit=8.0, bar=1.0)
            for view, took in found.items()
        ),
        figure_of("handlers.driven", ours=driven[-1], limit=8.0, bar=1.0),
        figure_of("handlers.driven-99", ours=driven[int(0.99 * len(driven))], limit=8.0, bar=1.0),
    ]


BENCHES: dict[str, Callable[[], list[Figure]]] = {
    "live": _live,
    "start": _start,
    "append": _append,
    "load": _load,
    "size": _size,
    "window": _window,
    "memory": _memory,
    "notice": _notice,
    "sealing": _sealing,
    "history": _history,
    "faults": _faults,
    "mqtt": _mqtt,
    "http": _http,
    "decode": _decode,
    "fleet": _fleet,
    "desk": _desk,
    "idle": _idle,
    "growth": _growth,
    "growth-server": _growth_server,
    "server": _server,
    "many": _many,
    "formula": _formula,
    "working": _working,
    "keystroke": _keystroke,
    "live-workings": _live_workings,
    "formulas": _formulas,
    "rehearse": _rehearse,
    "drag": _drag,
    "ring": _ring,
    "watches": _watches,
    "wall": _wall,
    "page": _page,
    "handlers": _handlers,
    "bench-pair": _bench_pair,
    "bench-response": _bench_response,
    "bench-find": _bench_find,
    "report": _report,
    "export": _export,
    "export-memory": _export_memory,
    "things": _things,
    "forward": _forward,
    "layout": _layout,
    "modbus": _modbus,
    "probes": _probes,
}
