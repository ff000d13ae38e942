"""Live simulated stations, in a process of their own, speaking real HTTP and real MQTT.

    python -m rook_tally.demo.live --http HOST:PORT --mqtt HOST:PORT [--for SECONDS] [--pace N]
        [--as-at MOMENT]

When told to stop it prints one JSON line with how many values it sent.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import json
import signal
import sys
import time
from dataclasses import dataclass
from datetime import datetime

import aiohttp
import numpy as np
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from rook_tally import clock
from rook_tally.core.timestamps import HOUR_US, SECOND_US
from rook_tally.demo.chance import uniform
from rook_tally.demo.history import report_times
from rook_tally.demo.loop import Loop
from rook_tally.demo.pottery import STATIONS, UNKNOWN_SENDER, DemoStation, Speech
from rook_tally.demo.signals import measured
from rook_tally.demo.speech import plain_json_body, senml_body

_JSON, _SENML = "application/json", "application/senml+json"
_CONTROLS = "rook/+/controls/+/+"
_DUPLICATE_SHARE = 0.05
_STRAY_EVERY_S = 7.0
_SETTLE_S = 5.0


@dataclass(slots=True)
class Sent:
    """Values handed to the wire and accepted there."""

    values: int = 0


class Wire:
    """The two ways out. Every send returns only when the other side has accepted it."""

    def __init__(
        self, http: str, mqtt_address: str, pace: float = 1.0, *, air_from_now_us: int = 0
    ) -> None:
        self.air_from_now_us = air_from_now_us
        self._http = http
        self._mqtt_address = mqtt_address
        self._session: aiohttp.ClientSession | None = None
        self._client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="fennel-wharf")
        self.loop = Loop(time.time(), pace)

    def _obey(self, client: mqtt.Client, _data: object, message: mqtt.MQTTMessage) -> None:
        """Do what is asked of a control, and say so."""
        _, station, _, control, what = message.topic.split("/")
        value = message.payload.decode(errors="replace")
        if what == "for":
            with contextlib.suppress(ValueError):
                self.loop.limit(station, control, float(value))
        elif what == "set":
            self.loop.set(station, control, value, time.time())
            self._say(station, control, value)

    def _say(self, station: str, control: str, value: str) -> None:
        self._client.publish(f"rook/{station}/controls/{control}", value, qos=1, retain=True)

    def say_what_expired(self) -> None:
        """A control that nobody told to go on is off, and its station says so."""
        for station, control in self.loop.expired(time.time()):
            self._say(station, control, "off")

    async def open(self) -> None:
        """Connect to the broker and make ready for HTTP."""
        self._session = aiohttp.ClientSession()
        host, _, port = self._mqtt_address.rpartition(":")
        self._client.on_connect = lambda client, *_: client.subscribe(_CONTROLS, qos=1)
        self._client.on_message = self._obey
        await asyncio.to_thread(self._client.connect, host, int(port))
        self._client.loop_start()

    async def close(self) -> None:
        """Disconnect."""
        self._client.disconnect()
        await asyncio.to_thread(self._client.loop_stop)
        if self._session is not None:
            await self._session.close()

    async def post(self, station: str, body: bytes, form: str) -> None:
        """POST a body as this station."""
        assert self._session is not None
        url = f"http://{self._http}/v1/readings"
        async with self._session.post(
            url, params={"station": station}, data=body, headers={"Content-Type": form}
        ) as answer:
            await answer.read()

    async def publish(self, station: str, body: bytes) -> None:
        """Publish a body at QoS 1 as this station."""
        info = self._client.publish(f"rook/{station}/readings", body, qos=1)
        await asyncio.to_thread(info.wait_for_publish, _SETTLE_S)


async def _send(wire: Wire, station: DemoStation, time_us: int, sent: Sent) -> None:
    air_us = np.array([time_us + wire.air_from_now_us], dtype=np.int64)
    values = {name: float(value[0]) for name, value in measured(station, air_us).items()}
    values = wire.loop.changed(station.key, values, time_us / SECOND_US)
    wire.say_what_expired()
    if station.speech in (Speech.HTTP_SENML, Speech.MQTT_SENML):
        body, form = senml_body(station, time_us, values), _SENML
    else:
        body, form = plain_json_body(station, time_us, values), _JSON
    if station.speech in (Speech.HTTP_JSON, Speech.HTTP_SENML):
        await wire.post(station.key, body, form)
        sent.values += len(values)
        return
    await wire.publish(station.key, body)
    sent.values += len(values)
    if uniform("twice", np.array([time_us // SECOND_US]))[0] < _DUPLICATE_SHARE:
        await wire.publish(station.key, body)
        sent.values += len(values)


async def _told_to_stop(stop: asyncio.Event, within_s: float) -> bool:
    """Wait some time, but not past the order to stop; a message under way is never cut off."""
    with contextlib.suppress(TimeoutError):
        await asyncio.wait_for(stop.wait(), max(within_s, 0.0))
    return stop.is_set()


async def _live(wire: Wire, station: DemoStation, stop: asyncio.Event, sent: Sent) -> None:
    """Report at the station's own pace, from its next moment on."""
    after_us = clock.now_us() + wire.air_from_now_us
    horizon_us = 3 * HOUR_US
    while not stop.is_set():
        for air_us in report_times(station, after_us, after_us + horizon_us).tolist():
            moment = air_us - wire.air_from_now_us
            if await _told_to_stop(stop, (moment - clock.now_us()) / SECOND_US):
                return
            await _send(wire, station, moment, sent)
        after_us += horizon_us


async def _strange(wire: Wire, stop: asyncio.Event, sent: Sent) -> None:
    """A sender nobody took in, and now and then a message that ends in the middle."""
    count = 0
    while not stop.is_set():
        body = json.dumps({"temp": 9.5 + count % 7 / 10, "rh": 84}).encode()
        await wire.publish(UNKNOWN_SENDER, body)
        sent.values += 2
        count += 1
        if count % 5 == 2:
            await wire.publish("glaze-dust", b'{"pm1":28,"pm25":53,"pm10":77,"voc"')
            sent.values += 1  # counted as one stray: nobody can tell how many values it held
        await _told_to_stop(stop, _STRAY_EVERY_S)


async def _first_words(wire: Wire, sent: Sent) -> None:
    """Every station that is not in a spell of silence reports once at the start."""
    now_us = clock.now_us()
    air_us = now_us + wire.air_from_now_us
    for station in STATIONS:
        moments = report_times(station, air_us - round(station.every_s * 2e6), air_us)
        if len(moments):
            await _send(wire, station, now_us // 1000 * 1000, sent)


async def run(wire: Wire, for_s: float | None) -> Sent:
    """Talk until told to stop, or for some seconds; returns what was sent."""
    sent = Sent()
    stop = asyncio.Event()
    loop = asyncio.get_running_loop()
    for number in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(number, stop.set)
    if for_s is not None:
        loop.call_later(for_s, stop.set)
    await wire.open()
    try:
        await _first_words(wire, sent)
        async with asyncio.TaskGroup() as talking:
            for station in STATIONS:
                talking.create_task(_live(wire, station, stop, sent))
            talking.create_task(_strange(wire, stop, sent))
    finally:
        await wire.close()
    return sent


def main() -> None:
    """Entry of the process."""
    parser = argparse.ArgumentParser(description="the pottery's simulated stations")
    parser.add_argument("--http", required=True)
    parser.add_argument("--mqtt", required=True)
    parser.add_argument("--for", dest="for_s", type=float)
    parser.add_argument("--pace", type=float, default=1.0, help="dust and clay move so much faster")
    parser.add_argument(
        "--as-at",
        type=datetime.fromisoformat,
        help="the air and the habits of another moment (ISO 8601), sent as of now",
    )
    chosen = parser.parse_args()
    away_us = 0
    if chosen.as_at is not None:
        away_us = round(chosen.as_at.timestamp() * SECOND_US) - clock.now_us()
    wire = Wire(chosen.http, chosen.mqtt, chosen.pace, air_from_now_us=away_us)
    sent = asyncio.run(run(wire, chosen.for_s))
    sys.stdout.write(json.dumps({"sent": sent.values}) + "\n")


if __name__ == "__main__":
    main()
