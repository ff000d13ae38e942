"""`rook-tally demo`: the pottery's history, a collector, live stations, and a window on them."""

from __future__ import annotations

import contextlib
import json
import signal
import sys
from collections.abc import Iterator
from pathlib import Path

import typer

from rook_tally.cli.demo_site import make_demo_site
from rook_tally.cli.paths import demo_store
from rook_tally.cli.subprocesses import CollectorChild, StationsChild
from rook_tally.clock import now_us
from rook_tally.core.errors import StoreError
from rook_tally.demo.pottery import SITE_NAME
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import MessageCounts, load_site, tallies, total

_HEADLESS_FOR_S = 10.0


def run_demo(
    where: str | None, *, headless: bool, for_s: float | None, fresh: bool, days: float
) -> int:
    """Run the demo until its window closes, or for some seconds; returns the exit code."""
    place = str(demo_store()) if where is None else where
    if not headless:
        from rook_tally.cli.desk import check_display

        check_display()
    if fresh:
        _forget(place)
    with open_store(place) as store:
        _make_history(store, days)
        with store.read() as connection:
            before = total(tallies(connection))
        with _live(store) as stations:
            code = 0
            if headless:
                # Told to end, it takes its collector and its stations along.
                signal.signal(signal.SIGTERM, lambda *_: sys.exit(143))
                stations.wait_for(_HEADLESS_FOR_S if for_s is None else for_s)
            else:
                from rook_tally.cli.desk import show_desk

                code = show_desk(store, for_s=for_s)
            sent = stations.stop()
        # The collector has stopped: everything it was sent is committed.
        if headless:
            _print_outcome(store, before, sent)
    return code


def _forget(place: str) -> None:
    """Remove the demo's store, and nothing that is not a demo's store."""
    if "://" in place or not Path(place).exists():
        return
    with open_store(place) as store, store.read() as connection:
        name = load_site(connection).name
    if name not in (SITE_NAME, ""):
        raise StoreError(
            f"{place} holds {name}, not the demo",
            kept="it was left as it is",
            remedy="name another file with --store",
        )
    for suffix in ("", "-wal", "-shm"):
        Path(place + suffix).unlink(missing_ok=True)


def _make_history(store: Store, days: float) -> None:
    with store.read() as connection:
        site = load_site(connection)
    if site.name == SITE_NAME:
        return
    if site.places:
        raise StoreError(
            f"{store.url} holds a site already",
            kept="it was left as it is",
            remedy="the demo needs a store of its own; name another file with --store",
        )

    with typer.progressbar(
        length=100, label=f"making {days:g} days of history", file=sys.stderr
    ) as bar:
        make_demo_site(
            store,
            end_us=now_us(),
            days=days,
            progress=lambda share: bar.update(round(100 * share) - bar.pos),
        )
    typer.echo(f"made {days:g} days of history at {SITE_NAME}", err=True)


@contextlib.contextmanager
def _live(store: Store) -> Iterator[StationsChild]:
    with CollectorChild(
        store.address, http="127.0.0.1:0", broker="builtin:127.0.0.1:0"
    ) as collector:
        typer.echo(
            f"doors open: http {collector.http}, mqtt {collector.mqtt}, store {store.url}", err=True
        )
        with StationsChild(collector.http, collector.mqtt or "") as stations:
            yield stations


def _print_outcome(store: Store, before: MessageCounts, sent: int) -> None:
    with store.read() as connection:
        after = total(tallies(connection))
        site = load_site(connection)
    outcome = {
        "sent": sent,
        "kept": after.kept - before.kept,
        "duplicate": after.duplicate - before.duplicate,
        "stray": after.stray - before.stray,
        "stations": len(site.stations),
        "series": sum(not one.station.is_worked_out for one in site.series),
        "workings": sum(one.station.is_worked_out for one in site.series),
    }
    typer.echo(json.dumps(outcome))
