"""Reports by schedule: one collector at a time writes those whose stretch is over, and mails them.

Each is worked out by a process of its own, at leisure: years of readings are no work to be done
beside the doors.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import sys
import tempfile
from collections.abc import Callable
from datetime import datetime, time, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import msgspec
import structlog
from sqlalchemy.engine import Connection

from rook_tally.collector.leases import look_while_held
from rook_tally.core.alarms.channels import Channel
from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.reports.definitions import Report
from rook_tally.core.reports.periods import Period, last_period
from rook_tally.core.struct_types import prepare
from rook_tally.core.timestamps import DAY_US, HOUR_US, time_us_from_datetime
from rook_tally.core.ways_out import WayOutSort
from rook_tally.notify.mail import Mail, MailWithFiles
from rook_tally.notify.notifier import ActionError
from rook_tally.store.alarms import ways, write_journal
from rook_tally.store.base import Store
from rook_tally.store.site import load_site
from rook_tally.store.site.closed_ways import WHY_CLOSED, closed_ways
from rook_tally.store.site.leases import Leases, Role
from rook_tally.store.site.reports import (
    WrittenReport,
    forget_failed,
    last_written,
    note_written,
    reports,
    written_reports,
)

_LOOK_S = 5.0
_AGAIN_US = HOUR_US
_PATIENCE_S = 1800.0
_NICENESS = "10"
WithPassword = Callable[[Channel], Channel]

_log = structlog.get_logger(__name__)


class _Run(msgspec.Struct, frozen=True):
    """The command `report run --json` prints this as JSON; the collector reads it."""

    files: tuple[str, ...]
    title: str
    subtitle: str
    text: str


class _DueReport(msgspec.Struct, frozen=True):
    """A report that is to be written, and what came of it before."""

    report: Report
    period: Period
    site: str
    before: WrittenReport | None
    mails: tuple[Channel, ...]
    lost: tuple[str, ...]
    closed: tuple[str, ...]


async def keep_reporting(
    duties: Leases, *, clock: Callable[[], int], with_password: WithPassword
) -> None:
    """Write and mail what is due whenever that is ours to do, until cancelled."""

    async def look(store: Store) -> None:
        for one in await asyncio.to_thread(due_reports, store, clock()):
            await write_and_send(store, one, clock, with_password)

    await look_while_held(duties, Role.REPORTING, look, every_s=_LOOK_S)


def due_reports(store: Store, now_us: int) -> list[_DueReport]:
    """Reports whose last stretch is over, whose time has come and which have not gone out yet.

    One that was just described does not send what lies months back: its time came within a day, or
    it has gone out before.
    """
    found = []
    with store.read() as connection:
        told = [one for one in reports(connection) if one.at]
        if not told:
            return []
        site = load_site(connection)
        zone, begins = ZoneInfo(site.zone), site.settings.week_begins.number
        channels = {one.name: one for one in ways(connection)}
        closed = closed_ways(connection)
        for one in told:
            period = last_period(one, now_us, zone, begins)
            due_us = _due_us(one, period, zone)
            if now_us < due_us:
                continue
            last = last_written(connection, one.slug, period.name)
            if last is not None and not last.trouble:
                continue
            if last is not None and 0 <= now_us - last.tried_us < _AGAIN_US:
                continue
            is_new = last is None and not written_reports(connection, one.slug, most=1)
            if is_new and now_us - due_us > DAY_US:
                continue
            found.append(
                _DueReport(
                    one,
                    period,
                    site.name,
                    last,
                    tuple(
                        channels[name]
                        for name in one.mail
                        if name in channels and (WayOutSort.MAIL, name) not in closed
                    ),
                    tuple(name for name in one.mail if name not in channels),
                    tuple(name for name in one.mail if (WayOutSort.MAIL, name) in closed),
                )
            )
    return found


def _due_us(report: Report, period: Period, zone: ZoneInfo) -> int:
    """The local time of day at which it goes out, on the day after its stretch."""
    minutes = report.at_minutes or 0
    day = period.last + timedelta(days=1)
    at = datetime.combine(day, time(minutes // 60, minutes % 60), tzinfo=zone)
    return time_us_from_datetime(at)


async def write_and_send(
    store: Store, due: _DueReport, clock: Callable[[], int], with_password: WithPassword
) -> None:
    """Have a report written by a process of its own, mail it, and write down what came of it."""
    report, period = due.report, due.period.name
    with contextlib.ExitStack() as stack:
        # Its own folder is that of the program that writes it.
        folder = (
            ""
            if report.folder
            else stack.enter_context(tempfile.TemporaryDirectory(prefix="rook-tally-report-"))
        )
        await asyncio.to_thread(_forget, store, report.slug, period)
        try:
            run = await _run(store.address, report.slug, period, folder)
            sent = await _mail(due, run, clock(), with_password)
        except ActionError as error:
            await asyncio.to_thread(_failed, store, due, str(error), clock())
            return
    await asyncio.to_thread(_done, store, due, sent, clock())


async def _run(address: str, slug: str, period: str, folder: str) -> _Run:
    """Raises ActionError with what the process said."""
    process = await asyncio.create_subprocess_exec(
        *("nice", "-n", _NICENESS, sys.executable, "-m", "rook_tally"),
        *("report", "run", slug, "--for", period, "--json"),
        *(("--to", folder) if folder else ()),
        stdout=asyncio.subprocess.PIPE,
        stderr=asyncio.subprocess.PIPE,
        # Not among the words, which everybody can see: a server's address holds a password.
        env=os.environ | {"ROOK_TALLY_STORE": address},
    )
    try:
        async with asyncio.timeout(_PATIENCE_S):
            out, complaint = await process.communicate()
    except TimeoutError:
        raise ActionError(f"was not written within {_PATIENCE_S / 60:.0f} min") from None
    finally:
        if process.returncode is None:
            process.kill()
            await process.wait()
    if process.returncode:
        words = complaint.decode(errors="replace").strip().removeprefix("rook-tally: ")
        raise ActionError(words or f"ended with {process.returncode}")
    return msgspec.json.decode(out, type=_Run)


async def _mail(due: _DueReport, run: _Run, now_us: int, with_password: WithPassword) -> str:
    """To whom it was sent, in words. Raises ActionError for the first that did not take it."""
    if due.lost:
        raise ActionError(f"there is no channel {', '.join(due.lost)} any more")
    told = []
    for way in due.mails:
        mail = MailWithFiles(
            f"report {due.report.slug} {due.period.name} {way.name}",
            f"{due.site}: {due.report.name}, {run.title}" if due.site else run.title,
            f"{run.title}\n{run.subtitle}\n\n{run.text}",
            now_us,
            tuple(Path(one) for one in run.files),
        )
        told.append(await Mail().send(with_password(way), mail))
    told += [f"not to {name}: {WHY_CLOSED}" for name in due.closed]
    return ", ".join(told)


def _forget(store: Store, slug: str, period: str) -> None:
    with store.write() as connection:
        forget_failed(connection, slug, period)


def _failed(store: Store, due: _DueReport, why: str, now_us: int) -> None:
    slug, period = due.report.slug, due.period.name
    _log.warning("report_failed", report=slug, period=period, why=why)
    with store.write() as connection:
        last = last_written(connection, slug, period)
        blank = WrittenReport(slug, period, now_us, "", 0)
        note_written(
            connection, msgspec.structs.replace(last or blank, trouble=why, tried_us=now_us)
        )
        if due.before is None:
            _say(connection, due, f"failed, and is tried again every hour: {why}", now_us)


def _done(store: Store, due: _DueReport, sent: str, now_us: int) -> None:
    slug, period = due.report.slug, due.period.name
    _log.info("report_written", report=slug, period=period, sent=sent)
    with store.write() as connection:
        last = last_written(connection, slug, period)
        if last is not None:
            note_written(connection, msgspec.structs.replace(last, sent=sent, tried_us=now_us))
        if due.before is not None:
            _say(connection, due, f"works again: {period}", now_us)


def _say(connection: Connection, due: _DueReport, words: str, now_us: int) -> None:
    name = f"Report {due.report.name}"
    write_journal(connection, [Entry(now_us, JournalKind.DUTY, "", name, words=words)])


prepare(_Run)
