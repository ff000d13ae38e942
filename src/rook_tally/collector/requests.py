"""Requests carried out: controls handed to their stations until they say so, strays taken in."""

from __future__ import annotations

import asyncio
from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Protocol

import msgspec
import structlog

from rook_tally.alarming.alarm_clock import WISHES
from rook_tally.clock import now_us
from rook_tally.core.alarms.sentences import lasting_words
from rook_tally.core.errors import RookTallyError, StoreError
from rook_tally.core.quantities.controls import USUAL_CONFIRM_S, USUAL_LAPSE_S
from rook_tally.core.struct_types import prepare
from rook_tally.core.timestamps import SECOND_US
from rook_tally.intake.take_in import proposal_for, take_in_by_terms
from rook_tally.store.base import Store
from rook_tally.store.site import (
    Request,
    RequestKind,
    RequestState,
    Site,
    TakeInTerms,
    answer_requests,
    load_site,
    newest_messages,
    note_sent,
    open_requests,
)

MOST_TRIES = 3
_DECIDED_FOR_US = 600 * SECOND_US
"""A decision about a stray lapses after this long."""
_LOOK_S = 0.25


@dataclass(frozen=True, slots=True)
class _Waiting:
    """An open request: by which door its station is told and when it was heard last, how long it
    has to confirm each time it was told, when nobody counts on it any more, and what the station
    went by before."""

    request: Request
    confirm_s: float
    door: str
    heard_us: int
    lapses_us: int
    aliases: tuple[str, ...] = ()


_log = structlog.get_logger(__name__)


class ControlOutlet(Protocol):
    """A door through which a control can be set."""

    @property
    def is_open(self) -> bool:
        """True if the way is open now."""

    def set_control(self, station: str, name: str, value: str, for_s: float | None = None) -> None:
        """Hand a value over, and for how long it is to hold when that is told."""


class BrokerOutlet(ControlOutlet, Protocol):
    """A broker beside the collector's own."""

    def heard_us(self, station: str) -> int | None:
        """When a station was heard there last; None if it was not."""


class RequestRunner:
    """Carries out what is asked in the store.

    A control is sent again when its station says nothing in time, and given up visibly after three
    tries. Stations that only speak HTTP are told in the answer to their next message.
    """

    def __init__(self, store: Store) -> None:
        self._store = store
        self._outlets: dict[tuple[str, str | None], ControlOutlet] = {}
        self._brokers: list[BrokerOutlet] = []
        self._for_http: dict[str, dict[str, tuple[str, float | None]]] = defaultdict(dict)
        self._open: list[_Waiting] = []
        self._moved = asyncio.Event()

    def add_outlet(
        self, door: str, outlet: ControlOutlet, station: str | None = None
    ) -> Callable[[], None]:
        """Let controls of stations heard by this door, or of one of them, go out by it; returns how
        to stop that."""
        key = (door, station)
        self._outlets[key] = outlet

        def forget() -> None:
            self._outlets.pop(key, None)

        return forget

    def add_broker(self, broker: BrokerOutlet) -> Callable[[], None]:
        """Let controls of stations that were heard there last go out by this broker; returns how to
        stop that."""
        self._brokers.append(broker)
        return partial(self._brokers.remove, broker)

    def controls_for(self, station: str) -> Mapping[str, tuple[str, float | None]]:
        """The controls to hand to a station in the answer to its HTTP message, each with its
        duration, s."""
        return self._for_http.pop(station, {})

    def wake(self) -> None:
        """Something was asked."""
        self._moved.set()

    async def run(self) -> None:
        """Carry out requests until cancelled."""
        await asyncio.to_thread(self._look)
        while True:
            try:
                # Not `wait_for`: woken and cancelled at once, it would forget the cancelling.
                async with asyncio.timeout(_LOOK_S if self._open else None):
                    await self._moved.wait()
                self._moved.clear()
                await asyncio.to_thread(self._look)
            except TimeoutError:
                pass
            for waiting in list(self._open):
                await self._carry_on(waiting)

    def _look(self) -> None:
        """Read what is open, with how long each may take and by which door it goes."""
        try:
            with self._store.read() as connection:
                requests = [one for one in open_requests(connection) if one.sort not in WISHES]
                if not requests:
                    self._open = []
                    return
                site = load_site(connection)
                heard = {
                    key: next(
                        (
                            (one.door, one.arrived_us)
                            for one in newest_messages(connection, key, most=1)
                        ),
                        ("mqtt", 0),
                    )
                    for key in {one.station for one in requests}
                }
        except StoreError as error:
            _log.warning("requests_not_read", error=str(error))
            return
        self._open = [_waiting(site, one, *heard[one.station]) for one in requests]

    async def _carry_on(self, waiting: _Waiting) -> None:
        request, confirm_s = waiting.request, waiting.confirm_s
        is_control = request.sort is RequestKind.CONTROL
        if not is_control and now_us() > request.asked_us + _DECIDED_FOR_US:
            await asyncio.to_thread(self._lapse, request)
        elif not is_control:
            await asyncio.to_thread(self._do_here, request)
        elif now_us() > waiting.lapses_us:
            # Who asked for it counts on it no more: it must not be done a day later.
            if request.tries:
                await asyncio.to_thread(self._give_up, request, confirm_s)
            else:
                await asyncio.to_thread(self._lapse, request)
        elif request.state is not RequestState.ASKED and not self._is_overdue(request, confirm_s):
            return
        elif request.tries >= MOST_TRIES:
            await asyncio.to_thread(self._give_up, request, confirm_s)
        elif not self._is_reachable(waiting):
            if now_us() - request.asked_us < MOST_TRIES * confirm_s * SECOND_US:
                return
            await asyncio.to_thread(self._give_up, request, confirm_s)
        elif await asyncio.to_thread(self._is_ours, request):
            self._hand_over(waiting)
        await asyncio.to_thread(self._look)

    @staticmethod
    def _is_overdue(request: Request, confirm_s: float) -> bool:
        return request.tried_us is not None and now_us() - request.tried_us > confirm_s * SECOND_US

    def _outlet(self, waiting: _Waiting) -> ControlOutlet | None:
        door, station = waiting.door, waiting.request.station
        for broker in self._brokers:
            if broker.heard_us(station) == waiting.heard_us:
                return broker
        keys = ((door, station), (door, None), ("mqtt", None))
        return next((self._outlets[one] for one in keys if one in self._outlets), None)

    def _is_reachable(self, waiting: _Waiting) -> bool:
        outlet = self._outlet(waiting)
        return waiting.door == "http" or (outlet is not None and outlet.is_open)

    def _hand_over(self, waiting: _Waiting) -> None:
        request, door = waiting.request, waiting.door
        outlet = self._outlet(waiting)
        if door == "http":
            self._for_http[request.station][request.name] = request.value, request.for_s
        elif outlet is not None:
            # A box that was not told its new name listens under the old one.
            for name in (request.station, *waiting.aliases):
                outlet.set_control(name, request.name, request.value, request.for_s)

    def _is_ours(self, request: Request) -> bool:
        """True if this collector is the one that sends it now."""
        try:
            with self._store.write() as connection:
                return note_sent(connection, request, now_us=now_us())
        except StoreError as error:
            _log.warning("request_not_noted", error=str(error))
            return False

    def _give_up(self, request: Request, confirm_s: float) -> None:
        self._for_http[request.station].pop(request.name, None)
        why = (
            f"{request.station} could not be reached in {MOST_TRIES * confirm_s:g} s"
            if not request.tries
            else f"no word from {request.station} in {MOST_TRIES * confirm_s:g} s; "
            f"sent {request.tries} times, so it may have been done all the same"
        )
        _log.warning("control_not_confirmed", station=request.station, control=request.name)
        self._answer(request, RequestState.UNCONFIRMED, why)

    def _lapse(self, request: Request) -> None:
        """Say that it is not done any more."""
        ago = lasting_words(now_us() - request.asked_us)
        _log.warning("control_lapsed", station=request.station, control=request.name, ago=ago)
        why = f"it was asked for {ago} ago, and nobody could carry it out then; ask for it again"
        self._answer(request, RequestState.UNCONFIRMED, why)

    def _do_here(self, request: Request) -> None:
        """Carry out a request that needs no station: take in a stray, propose what one is."""
        try:
            if request.sort is RequestKind.PROPOSE:
                with self._store.read() as connection:
                    proposal = proposal_for(connection, request.station)
                answer = msgspec.json.encode(proposal).decode()
            else:
                terms = msgspec.json.decode(request.value, type=TakeInTerms)
                done = take_in_by_terms(self._store, request.station, terms)
                waiting = f"; {done.waiting} messages still wait" if done.waiting else ""
                answer = f"{done.kept} kept readings taken in{waiting}"
        except (RookTallyError, msgspec.MsgspecError) as error:
            self._answer(request, RequestState.REFUSED, str(error))
        except Exception as error:  # noqa: BLE001 - one request that cannot be done ends no other
            _log.exception("request_failed", sort=request.sort.value, station=request.station)
            why = f"a fault of ours: {type(error).__name__}; the log says more"
            self._answer(request, RequestState.REFUSED, why)
        else:
            self._answer(request, RequestState.CONFIRMED, answer)

    def _answer(self, request: Request, state: RequestState, answer: str) -> None:
        try:
            with self._store.write() as connection:
                answer_requests(connection, [request.id], state, answer, now_us=now_us())
        except StoreError as error:
            _log.warning("request_not_answered", error=str(error))


def _waiting(site: Site, request: Request, door: str, heard_us: int) -> _Waiting:
    """An open request; a station that only asks when it sends has more time."""
    station = site.station(request.station)
    control = None if station is None else station.kind.control(request.name)
    confirm_s = USUAL_CONFIRM_S if control is None else control.confirm_s
    if door == "http" and station is not None:
        confirm_s += 2 * station.cadence_s
    lapse_s = USUAL_LAPSE_S if control is None else control.lapse_s
    if request.tries:
        # It was told: until the last of its tries it may still confirm.
        lapse_s = max(lapse_s, (MOST_TRIES + 1) * confirm_s)
    aliases = (
        ()
        if station is None
        else tuple(name for name, number in site.aliases.items() if number == station.id)
    )
    lapses_us = request.asked_us + round(lapse_s * SECOND_US)
    return _Waiting(request, confirm_s, door, heard_us, lapses_us, aliases)


prepare(TakeInTerms)
