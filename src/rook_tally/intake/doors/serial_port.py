"""The serial door: lines from a port, each a message; opened again whenever the port comes back.

A line is JSON, `name=value` pairs, a row under the last CSV header that came, or whatever fits the
pattern that its port was given. Where the kind of its station says how its messages are laid out in
bytes, they are cut out of the stream instead. Nothing on a serial line says who speaks, so the
person names the station, or it goes by the port's name.
"""

from __future__ import annotations

import asyncio
import math
import re
from collections.abc import Callable

import serial
import serial_asyncio_fast

from rook_tally.core.quantities.byte_layout import ByteLayout
from rook_tally.intake.decode.frames import FrameSplitter, can_be_cut
from rook_tally.intake.door_protocols import DoorReport, Reception
from rook_tally.intake.doors.background_door import BackgroundDoor
from rook_tally.intake.doors.submit_retry import offered
from rook_tally.intake.message import BodyFormat, Message
from rook_tally.store.site import DoorState, SerialSetting

LONGEST_LINE = 16 * 1024
_CHUNK = 4096
# So often what fits no message is kept astray, for a person to look at.
_NOISE_EVERY_S = 60.0
_AGAIN_S = 0.5


class SerialDoor(BackgroundDoor):
    """Reads one port for as long as it is open."""

    def __init__(
        self,
        port: SerialSetting,
        *,
        reception: Reception,
        report: DoorReport,
        clock: Callable[[], int],
        layout: ByteLayout | None = None,
    ) -> None:
        super().__init__(report, clock)
        self._port = port
        self._layout = layout if can_be_cut(layout) else None
        self._reception = reception
        self._header: bytes | None = None
        self._writer: asyncio.StreamWriter | None = None

    @property
    def is_open(self) -> bool:
        """True if the port is there."""
        return self._writer is not None

    def set_control(self, station: str, name: str, value: str, for_s: float | None = None) -> None:
        """Write a line `set NAME VALUE`, or `set NAME VALUE for SECONDS`."""
        if self._writer is not None:
            until = "" if for_s is None else f" for {for_s:g}"
            self._writer.write(f"set {name} {value}{until}\n".encode())

    async def _run(self) -> None:
        while True:
            try:
                reader, writer = await serial_asyncio_fast.open_serial_connection(
                    url=self._port.path,
                    baudrate=self._port.baud,
                    exclusive=True,
                    limit=LONGEST_LINE,
                )
            except (OSError, serial.SerialException) as error:
                self._report(DoorState.TRYING, _in_words(self._port.path, error))
            else:
                self._report(DoorState.OPEN, "")
                self._header = None
                self._writer = writer
                try:
                    if self._layout is None:
                        await self._read(reader)
                    else:
                        await self._read_frames(reader, FrameSplitter(self._layout))
                except (OSError, serial.SerialException) as error:
                    self._report(DoorState.TRYING, _in_words(self._port.path, error))
                finally:
                    self._writer = None
                    writer.close()
            await asyncio.sleep(_AGAIN_S)

    async def _read(self, reader: asyncio.StreamReader) -> None:
        """Take lines until the port goes away."""
        while True:
            try:
                line = await reader.readuntil(b"\n")
            except asyncio.LimitOverrunError as error:
                # A line without end: its beginning is kept as a stray, the rest of it passed over.
                await self._take(await reader.readexactly(error.consumed or LONGEST_LINE), None)
                await self._pass_over(reader)
                continue
            except asyncio.IncompleteReadError:
                raise OSError("it went away") from None
            await self._take_line(line.strip(b"\r\n\x00 "))

    async def _read_frames(self, reader: asyncio.StreamReader, frames: FrameSplitter) -> None:
        """Take messages of bytes until the port goes away."""
        loop = asyncio.get_running_loop()
        noisy_s = -math.inf
        while data := await reader.read(_CHUNK):
            for body in frames.feed(data):
                await self._take(body, None)
            # More than could be the rest of one message that had begun before we listened.
            if len(frames.noise) > frames.length and loop.time() - noisy_s >= _NOISE_EVERY_S:
                noisy_s = loop.time()
                await self._take(bytes(frames.noise), None)
                frames.noise.clear()
        raise OSError("it went away")

    @staticmethod
    async def _pass_over(reader: asyncio.StreamReader) -> None:
        while True:
            try:
                await reader.readuntil(b"\n")
            except asyncio.LimitOverrunError as error:
                await reader.readexactly(error.consumed or LONGEST_LINE)
            except asyncio.IncompleteReadError:
                raise OSError("it went away") from None
            else:
                return

    async def _take_line(self, line: bytes) -> None:
        if not line:
            return
        if not self._port.pattern and _is_csv_header(line):
            self._header = line
        elif (
            not self._port.pattern
            and self._header is not None
            and line.count(b",") == self._header.count(b",")
        ):
            await self._take(self._header + b"\n" + line + b"\n", BodyFormat.CSV)
        else:
            await self._take(line, None)

    async def _take(self, body: bytes, form: BodyFormat | None) -> None:
        """Offer a line until the store takes it; the port's own buffer fills meanwhile."""
        await offered(
            self._reception,
            Message(
                "serial", self._port.path, body, self._clock(), form, station=self._port.station
            ),
        )


def _is_csv_header(line: bytes) -> bool:
    """Several names and no number: what stands over rows."""
    if b"," not in line or any(sign in line for sign in b"{}=[]"):
        return False
    return all(re.fullmatch(rb"\s*[A-Za-z_][^,]{0,99}", cell) for cell in line.split(b","))


def _in_words(path: str, error: Exception) -> str:
    text = str(error)
    if isinstance(error, FileNotFoundError) or "No such file" in text:
        return f"{path} is not there; plug it in"
    if isinstance(error, PermissionError) or "Permission denied" in text:
        return f"{path} may not be opened; add yourself to the group dialout"
    if "exclusively" in text or "busy" in text.lower():
        return f"{path} is held by another program"
    return f"{path}: {text}"
