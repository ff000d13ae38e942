"""The connection sheet: all it takes to connect a station, and senders made from its own fields."""

from __future__ import annotations

import enum
import json
from collections.abc import Mapping
from importlib import resources

import msgspec

from rook_tally.core.quantities.quantity import Quantity, QuantityScale

HIDDEN_KEY = "KEY"
_KEPT_BYTES = 6000
"""Of the 8 kB that outlive the deep sleep of a board."""


class Sender(enum.Enum):
    """Ways to send, each with a program ready to run."""

    CURL = "curl"
    MOSQUITTO = "mosquitto"
    PYTHON = "python"
    MICROPYTHON = "micropython"
    ARDUINO = "arduino"


_FILES = {
    Sender.CURL: "curl.sh",
    Sender.MOSQUITTO: "mosquitto.sh",
    Sender.PYTHON: "sender.py.txt",
    Sender.MICROPYTHON: "micropython.py.txt",
    Sender.ARDUINO: "arduino.cpp.txt",
}
_PROJECT = "platformio.ini.txt"
# What takes updates, by the file it stands in: functions, and where they are called.
_UPDATES = {
    "sender.py.txt": "update.py.txt",
    "micropython.py.txt": "update_micropython.py.txt",
    "arduino.cpp.txt": "update_arduino.cpp.txt",
}
_LOOPS = {
    "sender.py.txt": "update_loop.py.txt",
    "micropython.py.txt": "update_loop_micropython.py.txt",
    "arduino.cpp.txt": "update_loop_arduino.cpp.txt",
}


class ConnectionSheet(msgspec.Struct, frozen=True):
    """A station's own: where it sends to, and what.

    `http` is host and port, `mqtt_host` and `mqtt_port` the broker's; `example` is a message it
    could send, by field; `coap` is host and port of that door where it is open. `firmware_key` is
    the public half of the site's key, as hexadecimal: with it programs take updates of `kind`.
    """

    station: str
    cadence_s: float
    http: str
    mqtt_host: str
    mqtt_port: int
    example: Mapping[str, float | bool]
    coap: str = ""
    kind: str = ""
    firmware_key: str = ""

    @property
    def coap_address(self) -> str:
        """Where it POSTs over CoAP; empty where that door is not open."""
        return f"coap://{self.coap}/v1/readings" if self.coap else ""

    @property
    def http_address(self) -> str:
        """Where it POSTs."""
        return f"http://{self.http}/v1/readings"

    @property
    def topic(self) -> str:
        """Where it publishes."""
        return f"rook/{self.station}/readings"

    @property
    def example_text(self) -> str:
        """The example as JSON."""
        return json.dumps(dict(self.example), ensure_ascii=False)

    def program(self, sender: Sender, access_key: str | None = None) -> str:
        """A program that sends what this station's fields are."""
        return self._filled(_FILES[sender], access_key)

    def files(self, sender: Sender, access_key: str | None = None) -> dict[str, str]:
        """The program as files by their path: what its tools expect to find in a folder."""
        program = self.program(sender, access_key)
        match sender:
            case Sender.ARDUINO:
                return {"platformio.ini": self._filled(_PROJECT, None), "src/main.cpp": program}
            case Sender.MICROPYTHON:
                # What a board runs at its start.
                return {"main.py": program}
            case Sender.PYTHON:
                return {f"{self.station}.py": program}
            case Sender.CURL | Sender.MOSQUITTO:
                return {f"{self.station}.sh": program}

    def _filled(self, file: str, access_key: str | None) -> str:
        formats, arguments = _printf(self.example)
        body_size = 128 + len(formats) + 8 * len(self.example)
        is_micropython = file == _FILES[Sender.MICROPYTHON]
        takes_updates = bool(self.firmware_key)
        return sender_part(file).format(
            station=self.station,
            http=self.http,
            key=access_key or HIDDEN_KEY,
            topic=self.topic,
            mqtt_host=self.mqtt_host,
            mqtt_port=self.mqtt_port,
            # Within single quotes, as a shell reads them.
            example=self.example_text.replace("'", "'\\''"),
            example_python=repr(dict(self.example)),
            example_printf=formats,
            example_arguments=arguments,
            body_size=body_size,
            most_kept=min(100, _KEPT_BYTES // (body_size + 16)),
            cadence_s=self.cadence_s,
            cadence_ms=round(1000 * self.cadence_s),
            mqtt_login=f" -u '{self.station}' -P '{access_key}'" if access_key else "",
            update=self._update(_UPDATES[file]) if takes_updates and file in _UPDATES else "",
            update_loop=sender_part(_LOOPS[file]) if takes_updates and file in _LOOPS else "",
            on_offer="    made.set_callback(on_offer)\n"
            if takes_updates and is_micropython
            else "",
            subscribe=(
                f'    made.subscribe(b"rook/{self.station}/firmware")\n'
                if takes_updates and is_micropython
                else ""
            ),
            libraries="lib_deps = rweather/Crypto@^0.4.0\n" if takes_updates else "",
        )

    def _update(self, file: str) -> str:
        """The part of a program that takes updates."""
        key = bytes.fromhex(self.firmware_key)
        return sender_part(file).format(
            kind=self.kind,
            http=self.http,
            firmware_key=self.firmware_key,
            firmware_key_bytes=", ".join(f"0x{one:02x}" for one in key),
            sha512=sender_part("sha512.py.txt"),
            signature_check=sender_part("signature_check.py.txt"),
        )


def sender_part(file: str) -> str:
    """A part of the generated programs, as it stands in its file."""
    return resources.files("rook_tally.core").joinpath("senders", file).read_text("utf-8")


def example_message(fields: Mapping[str, Quantity]) -> dict[str, float | bool]:
    """A message of values that would be believed: somewhere quiet within the believable range."""
    return {name: _example(quantity) for name, quantity in fields.items()} or {"temperature": 21.4}


def _example(quantity: Quantity) -> float | bool:
    if quantity.scale is QuantityScale.STATE:
        return True
    low, high = quantity.believable
    lower = [limit for limit in quantity.limits.below if limit is not None]
    upper = [limit for limit in quantity.limits.above if limit is not None]
    settled_low, settled_high = max([low, *lower]), min([high, *upper])
    return round(settled_low + 0.4 * (settled_high - settled_low), quantity.decimals)


def _printf(example: Mapping[str, float | bool]) -> tuple[str, str]:
    """The same object as a C format and its arguments."""
    parts, arguments = [], []
    for name, value in example.items():
        # Within a C string that printf reads.
        quoted = json.dumps(name).replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%")
        if isinstance(value, bool):
            parts.append(f"{quoted}: {json.dumps(value)}")
        else:
            parts.append(f"{quoted}: %.3f")
            arguments.append(f", {float(value)!r}")
    return "{" + ", ".join(parts) + "}", "".join(arguments)
