"""A collector's way in without its doors: messages with their arrival, restarts, what is kept."""

from __future__ import annotations

import json

from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import Quality
from rook_tally.intake.message import BodyFormat, IntakeResult, Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store
from rook_tally.store.readings import read_raw_range, seal_all
from rook_tally.store.site import Series, add_series, add_station, load_site

ALWAYS_US = 1 << 60


class WayIn:
    """Stations of plain fields, each named like its quantity, and what they send."""

    def __init__(self, store: Store, *stations: str, cadence_s: float = 60) -> None:
        self.store = store
        self.restart()
        with store.write() as connection:
            for key in stations or ("kiln",):
                add_station(connection, key, place=key, kind=PLAIN, cadence_s=cadence_s)

    def restart(self) -> None:
        """Another process takes over."""
        self.directory, self.clocks = IntakeSession(), Clocks()

    def begin(self, quantity: str, station: str = "kiln", unit: str = "") -> Series:
        with self.store.write() as connection:
            found = load_site(connection).station(station)
            assert found is not None
            return add_series(
                connection,
                found,
                field=quantity,
                quantity=QUANTITIES[quantity],
                unit=unit or QUANTITIES[quantity].base.symbol,
            )

    def series(self, quantity: str, station: str = "kiln") -> Series:
        with self.store.read() as connection:
            return next(
                one
                for one in load_site(connection).series
                if (one.station.key, one.quantity.slug) == (station, quantity)
            )

    def send(
        self, body: object, at_us: int, *, station: str = "kiln", form: BodyFormat | None = None
    ) -> IntakeResult:
        """A message that arrives at a moment; anything but text and bytes goes as JSON."""
        if isinstance(body, str):
            body = body.encode()
        if not isinstance(body, bytes):
            body = json.dumps(body).encode()
        message = Message("http", "127.0.0.1", body, at_us, form, station=station)
        (answer,) = receive(self.store, self.directory, self.clocks, [message])
        return answer

    def told(
        self, time_us: int, arrived_us: int | None = None, station: str = "kiln", /, **values: float
    ) -> IntakeResult:
        """Values of a moment, arriving then unless told otherwise."""
        at_us = time_us if arrived_us is None else arrived_us
        return self.send({**values, "time": time_us / 1e6}, at_us, station=station)

    def kept(self, quantity: str, station: str = "kiln") -> list[tuple[int, float, Quality]]:
        """What stands in the store, raw."""
        with self.store.read() as connection:
            found = read_raw_range(connection, self.series(quantity, station).id, 0, ALWAYS_US)
        columns = (found.time_us.tolist(), found.value.tolist(), found.quality.tolist())
        rows = zip(*columns, strict=True)
        return [(time_us, value, Quality(quality)) for time_us, value, quality in rows]

    def seal(self, now_us: int) -> None:
        with self.store.read() as connection:
            series = {one.id: one for one in load_site(connection).series}
        seal_all(self.store, series, now_us=now_us)
