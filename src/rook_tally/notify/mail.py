"""Mail by SMTP, with TLS from the first byte or after STARTTLS."""

from __future__ import annotations

import asyncio
import base64
import hashlib
import smtplib
import ssl
from email.message import EmailMessage
from email.utils import format_datetime
from pathlib import Path

import msgspec

from rook_tally.core.alarms.channels import Channel, Notice, Security
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.notify.notifier import ActionError

_PATIENCE_S = 15.0
_LOGGED_IN = 235


_MOST_ATTACHED = 10_000_000


class MailWithFiles(msgspec.Struct, frozen=True):
    """A mail with files; `key` is the same however often it is sent."""

    key: str
    subject: str
    text: str
    time_us: int
    files: tuple[Path, ...] = ()


class Mail:
    """Sends notices by mail."""

    async def send(self, way: Channel, wanted: MailWithFiles) -> str:
        """Hand a mail with files to the way's server; what is too big is left out, and said.

        Raises
        ------
        ActionError
            When the server did not take it, or a file is gone.
        """
        try:
            mail = await asyncio.to_thread(_mail_with_files, way, wanted)
            await asyncio.to_thread(_send, way, mail)
        except (OSError, ValueError, smtplib.SMTPException) as error:
            raise ActionError(f"{way.host} did not take the mail: {_why(error)}") from error
        return f"mail sent to {', '.join(way.to)}"

    async def tell(self, way: Channel, notice: Notice) -> str:
        """Hand a mail to the way's server."""
        try:
            await asyncio.to_thread(_send, way, _mail_of(way, notice))
        # A ValueError is what a host or an address that cannot be raises.
        except (OSError, ValueError, smtplib.SMTPException) as error:
            raise ActionError(f"{way.host} did not take the mail: {_why(error)}") from error
        return f"mail sent to {', '.join(way.to)}"

    async def close(self) -> None:
        """Nothing is held open between two mails."""


def _why(error: Exception) -> str:
    if isinstance(error, smtplib.SMTPResponseException):
        told = error.smtp_error
        words = told.decode(errors="replace") if isinstance(told, bytes) else str(told)
        return f"{error.smtp_code} {words}"
    if isinstance(error, TimeoutError):
        return f"no answer in {_PATIENCE_S:g} s"
    return str(error) or type(error).__name__


def _headed(way: Channel, subject: str, time_us: int, key: str) -> EmailMessage:
    """A mail with its headers."""
    mail = EmailMessage()
    # A header is one line, whatever a name holds.
    mail["Subject"] = " ".join(subject.split())
    mail["From"], mail["To"] = way.sender, ", ".join(way.to)
    mail["Date"] = format_datetime(datetime_from_time_us(time_us))
    # The same for a repeat, so that a mail program can tell.
    name = hashlib.sha256(key.encode()).hexdigest()[:32]
    mail["Message-ID"] = f"<{name}@rook-tally.invalid>"
    mail["Auto-Submitted"] = "auto-generated"
    return mail


def _mail_with_files(way: Channel, wanted: MailWithFiles) -> EmailMessage:
    """What servers take is bounded: the smallest files go first, what has no room is named."""
    mail = _headed(way, wanted.subject, wanted.time_us, wanted.key)
    room, attached, left = _MOST_ATTACHED, [], []
    for file in sorted(wanted.files, key=lambda one: one.stat().st_size):
        size = file.stat().st_size
        if size > room:
            left.append(f"{file.name} ({size / 1e6:.0f} MB)")
            continue
        room -= size
        attached.append((file.name, file.read_bytes()))
    text = wanted.text
    if left:
        text += f"\n\nToo big for a mail and left out: {', '.join(left)}."
    mail.set_content(f"{text}\n\n-- \nRook Tally\n")
    for name, content in attached:
        kind, _, sub = _TYPES.get(Path(name).suffix, "application/octet-stream").partition("/")
        mail.add_attachment(content, maintype=kind, subtype=sub, filename=name)
    return mail


_TYPES = {".pdf": "application/pdf", ".html": "text/html"}


def _mail_of(way: Channel, notice: Notice) -> EmailMessage:
    subject = f"{notice.site}: {notice.title}" if notice.site else notice.title
    mail = _headed(way, subject, notice.time_us, notice.key)
    mail.set_content(
        f"{notice.text}\n\n-- \nRook Tally{', ' if notice.site else ''}{notice.site}\n"
    )
    return mail


def _send(way: Channel, mail: EmailMessage) -> None:
    context = ssl.create_default_context()
    if way.security is Security.TLS:
        server: smtplib.SMTP = smtplib.SMTP_SSL(
            way.host, way.port, timeout=_PATIENCE_S, context=context
        )
    else:
        server = smtplib.SMTP(way.host, way.port, timeout=_PATIENCE_S)
    with server:
        if way.security is Security.STARTTLS:
            server.starttls(context=context)
        if way.user:
            _log_in(server, way)
        server.send_message(mail)


def _log_in(server: smtplib.SMTP, way: Channel) -> None:
    if way.user.isascii() and way.password.isascii():
        server.login(way.user, way.password)
        return
    # The library writes ASCII only; RFC 4616 has UTF-8.
    server.ehlo_or_helo_if_needed()
    told = base64.b64encode(f"\0{way.user}\0{way.password}".encode()).decode()
    code, answer = server.docmd("AUTH", f"PLAIN {told}")
    if code != _LOGGED_IN:
        raise smtplib.SMTPAuthenticationError(code, answer)
