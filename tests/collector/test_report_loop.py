"""Reports by schedule: written when their time has come, mailed, tried again, and seen to fail."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from email.message import EmailMessage, Message
from email.parser import BytesParser
from email.policy import default
from functools import partial
from pathlib import Path
from typing import Any

import pytest
from aiosmtpd.smtp import SMTP

from rook_tally.collector.report_loop import due_reports, write_and_send
from rook_tally.core.alarms.channels import Channel, ChannelKind, Security
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.reports.definitions import Report, ReportForm, ReportPart
from rook_tally.core.timestamps import DAY_US, HOUR_US, MINUTE_US, time_us_from_text
from rook_tally.notify import mail as mail_module
from rook_tally.store.alarms import journal, save_channel
from rook_tally.store.base import Store
from rook_tally.store.site import set_site
from rook_tally.store.site.reports import WrittenReport, note_written, save_report, written_reports
from tests.builders import append, begin_series

FIRST_US = time_us_from_text("2026-11-01T00:00:00Z")
AT_US = FIRST_US + 6 * HOUR_US
MONTH = Report(
    slug="month",
    name="The month",
    at="06:00",
    folder="reports",
    parts=(ReportPart.SENTENCES, ReportPart.FIGURES),
    forms=(ReportForm.HTML,),
)


class Inbox:
    """Takes mail."""

    def __init__(self) -> None:
        self.mails: list[Message] = []

    async def handle_DATA(self, _server: Any, _session: Any, envelope: Any) -> str:
        self.mails.append(BytesParser(policy=default).parsebytes(envelope.content))
        return "250 OK"


def as_it_is(channel: Channel) -> Channel:
    return channel


@pytest.fixture
def pottery(store: Store) -> Store:
    with store.write() as connection:
        set_site(connection, name="Pottery", zone="UTC")
        save_report(connection, MONTH)
    append(
        store,
        begin_series(store),
        *((AT_US - 9 * DAY_US + at * MINUTE_US, 20.0) for at in range(9)),
    )
    return store


def written(store: Store) -> list[WrittenReport]:
    with store.read() as connection:
        return written_reports(connection)


def test_it_is_due_from_its_time_on_until_it_is_written(pottery: Store) -> None:
    assert not due_reports(pottery, AT_US - 1)
    (due,) = due_reports(pottery, AT_US)
    assert due.period.name == "2026-10"
    with pottery.write() as connection:
        note_written(connection, WrittenReport("month", "2026-10", AT_US, "d", 2))
    assert not due_reports(pottery, AT_US + 20 * DAY_US)
    # A machine that was off for months writes the last one, not all of them.
    (late,) = due_reports(pottery, AT_US + 100 * DAY_US)
    assert late.period.name == "2027-01"


def test_one_that_was_just_described_sends_nothing_of_weeks_ago(pottery: Store) -> None:
    assert due_reports(pottery, AT_US + HOUR_US)
    assert not due_reports(pottery, AT_US + 9 * DAY_US)


def test_one_that_failed_is_tried_again_after_an_hour(pottery: Store) -> None:
    with pottery.write() as connection:
        failed = WrittenReport("month", "2026-10", AT_US, "", 0, trouble="no room", tried_us=AT_US)
        note_written(connection, failed)
    assert not due_reports(pottery, AT_US + HOUR_US - 1)
    assert due_reports(pottery, AT_US + HOUR_US)


async def test_it_is_written_and_mailed_with_its_file(
    pottery: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    inbox, loop = Inbox(), asyncio.get_running_loop()
    server = await loop.create_server(lambda: SMTP(inbox, loop=loop), "127.0.0.1", 0)
    channel = Channel(
        name="the office",
        sort=ChannelKind.MAIL,
        host="127.0.0.1",
        port=server.sockets[0].getsockname()[1],
        security=Security.NONE,
        sender="rook@fennel.example",
        to=("wren@fennel.example",),
    )
    with pottery.write() as connection:
        save_channel(connection, channel)
        save_report(connection, Report(**{**_plain(MONTH), "mail": ("the office",)}))
    await _send(pottery, lambda: AT_US)
    (line,) = written(pottery)
    assert (line.sent, line.trouble) == ("mail sent to wren@fennel.example", "")
    assert [Path(one).parent.name for one in line.files] == ["reports"]
    (mail,) = inbox.mails
    assert isinstance(mail, EmailMessage)
    assert mail["Subject"] == "Pottery: The month, October 2026"
    (attached,) = mail.iter_attachments()
    assert attached.get_filename() == "month-2026-10.html"
    assert not due_reports(pottery, AT_US + DAY_US)

    # What is too big for a mail is left out, and the mail says so.
    monkeypatch.setattr(mail_module, "_MOST_ATTACHED", 100)
    with pottery.write() as connection:
        note_written(connection, WrittenReport(**{**_plain(line), "trouble": "again"}))
    await _send(pottery, lambda: AT_US + 2 * HOUR_US)
    assert len(inbox.mails) == 2
    second = inbox.mails[1]
    assert isinstance(second, EmailMessage)
    body = second.get_body()
    assert body is not None and "left out: month-2026-10.html" in body.get_content()
    server.close()
    await server.wait_closed()


async def test_what_fails_is_journalled_once_and_told_when_it_works_again(
    pottery: Store, store_path: Path
) -> None:
    blocked = store_path.parent / "reports"
    blocked.write_text("in the way")
    for hours in (0, 2, 4):
        await _send(pottery, partial(int, AT_US + hours * HOUR_US))
    (line,) = written(pottery)
    assert "cannot be written into" in line.trouble
    blocked.unlink()
    await _send(pottery, lambda: AT_US + 9 * HOUR_US)
    (line,) = written(pottery)
    assert (line.trouble, line.pages > 0) == ("", True)
    with pottery.read() as connection:
        told = [one.words for one in journal(connection, sorts=[JournalKind.DUTY])]
    assert [one.split(",")[0].split(":")[0] for one in reversed(told)] == ["failed", "works again"]


async def _send(store: Store, clock: Callable[[], int]) -> None:
    for due in due_reports(store, clock()):
        await write_and_send(store, due, clock, as_it_is)


def _plain(value: Any) -> dict[str, Any]:
    return {name: getattr(value, name) for name in value.__struct_fields__}
