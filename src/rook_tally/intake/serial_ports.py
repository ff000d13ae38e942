"""Serial ports as a person names them."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

from rook_tally.core.errors import UsageError

USUAL_BAUD = 115_200
_PORT = re.compile(r"(?P<path>/[^=:]+)(?::(?P<baud>\d{2,7}))?(?:=(?P<station>[^=:]+))?")


@dataclass(frozen=True, slots=True)
class SerialPort:
    """A port, its speed, and the station that speaks on it."""

    path: str
    baud: int
    station: str


def serial_port_from(text: str) -> SerialPort:
    """`/dev/ttyUSB0`, `/dev/ttyUSB0:9600`, `/dev/ttyUSB0:9600=kiln-1`; UsageError for else."""
    found = _PORT.fullmatch(text)
    if found is None:
        raise UsageError(
            f"{text!r} is no serial port",
            remedy="write PATH[:BAUD][=STATION], as /dev/ttyUSB0:9600",
        )
    station = found["station"] or f"serial-{Path(found['path']).name}"
    return SerialPort(found["path"], int(found["baud"] or USUAL_BAUD), station)
