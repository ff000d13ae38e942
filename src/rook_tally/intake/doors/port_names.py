"""Serial ports as a person names them."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

from rook_tally.core.errors import UsageError
from rook_tally.store.site import SerialSetting

USUAL_BAUD = 115_200
_PORT = re.compile(r"(?P<path>/[^=:]+)(?::(?P<baud>\d{2,7}))?(?:=(?P<station>[^=:]+))?")


def serial_port_from(text: str) -> SerialSetting:
    """`/dev/ttyUSB0`, `/dev/ttyUSB0:9600`, `/dev/ttyUSB0:9600=kiln-1`; UsageError for else."""
    found = _PORT.fullmatch(text)
    if found is None:
        raise UsageError(
            f"{text!r} is no serial port",
            remedy="write PATH[:BAUD][=STATION], as /dev/ttyUSB0:9600",
        )
    station = found["station"] or f"serial-{Path(found['path']).name}"
    return SerialSetting(found["path"], int(found["baud"] or USUAL_BAUD), station)


@dataclass(frozen=True, slots=True)
class PortHere:
    """A serial port of this machine: its path, and what is plugged in there."""

    path: str
    what: str


def ports_here() -> list[PortHere]:
    """The ports that are there now, those something is plugged into first."""
    # Loaded late: looking through the machine's devices takes a while to import.
    from serial.tools.list_ports import comports

    found = [
        PortHere(str(one.device), "" if one.description in (None, "n/a") else str(one.description))
        for one in comports()
    ]
    return sorted(found, key=lambda one: (not one.what, one.path))
