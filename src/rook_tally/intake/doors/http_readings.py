"""Answers `POST /v1/readings`: checks who sends and in which type, hands the message in, and says
what was kept. Both ways of reading a request call it."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Mapping
from email.message import Message as MailHeaders
from functools import lru_cache

import msgspec
import structlog

from rook_tally.core.auth_throttle import AuthThrottle
from rook_tally.core.errors import StoreError
from rook_tally.intake.door_protocols import Reception
from rook_tally.intake.doors.answers import PROBLEM_TITLES, answer_counts, is_taken, problem_detail
from rook_tally.intake.doors.key_policy import KeyPolicy
from rook_tally.intake.doors.this_machine import why_not_from_here
from rook_tally.intake.message import BodyFormat, IntakeResult, Message, Problem
from rook_tally.net.problem_answers import (
    HttpAnswer,
    ProblemError,
    json_answer,
    problem,
    problem_answer,
    store_failed,
)
from rook_tally.store.base import Store, access_hash
from rook_tally.store.site.trust import is_access_key

# What a person's curl sends with a key when no type is given; the body then decides.
_UNTYPED = frozenset(
    {"", "application/x-www-form-urlencoded", "text/plain", "application/octet-stream"}
)
# What any web page can send to any address without asking (Fetch Standard, 2.2.2).
_PAGE_SENDS = frozenset({"application/x-www-form-urlencoded", "text/plain", "multipart/form-data"})
_FORMS = {form.value: form for form in BodyFormat if form is not BodyFormat.ENVIRONMENTAL}
_NO_PAGE_SENDS = frozenset(_FORMS) - _PAGE_SENDS
_STATUS = {Problem.UNREADABLE: 400, Problem.EMPTY: 422, Problem.WRONG_KEY: 401}

_log = structlog.get_logger(__name__)

StationControls = Callable[[str], Mapping[str, tuple[str, float | None]]]
"""Gives the controls that a station has to set, by the station's key: each control's value by its
name, and for how many seconds the value holds; None for as long as nobody changes it."""


class ReadingsRequest(msgspec.Struct, frozen=True, gc=False):
    """The head of a request that brings readings.

    `headers` are found by their names in small letters; `station` is what the query names.
    """

    peer: str
    headers: Mapping[str, str]
    station: str | None


class ReadingsRoute:
    """Answers requests that bring readings.

    `is_open` says whether the door is heard beyond this machine, `clock` the moment now in µs.
    """

    def __init__(
        self,
        store: Store,
        reception: Reception,
        clock: Callable[[], int],
        controls: StationControls,
        is_open: Callable[[], bool],
    ) -> None:
        self._store, self._reception = store, reception
        self._clock, self._controls, self._is_open = clock, controls, is_open
        self._patience = AuthThrottle()
        self._looking = asyncio.Lock()
        self._keys = KeyPolicy(store)

    async def answer(
        self, request: ReadingsRequest, body: Callable[[], Awaitable[bytes]]
    ) -> HttpAnswer:
        """The answer to a request; its body is asked for once its sender may send it.

        Never raises what is told to the sender: every error of ours is an answer.
        """
        try:
            access_key = _access_key(request.headers)
            await self._admit(request, access_key)
            received = await body()
            form = _form_of(request.headers)
            return await self._take(request, access_key, received, form)
        except ProblemError as error:
            return error.answer
        except StoreError as error:
            return store_failed("/v1/readings", error)

    async def _admit(self, request: ReadingsRequest, access_key: str | None) -> None:
        wait_s = self._patience.wait_s(request.peer, self._clock())
        # Looked at first: one stale sender silences no other at its address.
        if wait_s and not await self._is_known(access_key):
            raise problem(
                429,
                "Too many wrong access keys",
                f"this address is heard again in {wait_s} s",
                {"Retry-After": str(wait_s)},
            )
        if access_key is None:
            await self._check_keyless(request)

    async def _is_known(self, access_key: str | None) -> bool:
        """True if a key is some station's; asked only where wrong ones came from."""
        if access_key is None:
            return False

        def look() -> bool:
            with self._store.read() as connection:
                return is_access_key(connection, access_hash(access_key))

        async with self._looking:
            return await asyncio.to_thread(look)

    async def _check_keyless(self, request: ReadingsRequest) -> None:
        """Raise unless a message without a key may come in: from a program on this machine, in a
        type that no web page sends without asking."""
        why = why_not_from_here(request.peer, request.headers)
        if not why and await self._keys.wants_all_keys(is_open=self._is_open()):
            why = "this site wants a key from everybody"
        if why:
            raise problem(
                401, "An access key is needed", f"{why}; send Authorization: Bearer <station key>"
            )
        declared = request.headers.get("content-type", "")
        if declared in _NO_PAGE_SENDS:
            return
        if declared == "" or _media_type(declared) in _PAGE_SENDS:
            raise problem(
                415,
                "The type has to be told",
                f"without an access key the type is one of {', '.join(_FORMS)}: "
                "what comes untyped any web page could have sent; nothing was kept",
            )

    async def _take(
        self, request: ReadingsRequest, access_key: str | None, body: bytes, form: BodyFormat | None
    ) -> HttpAnswer:
        result = await self._reception.take(
            Message(
                door="http",
                address=request.peer,
                body=body,
                arrived_us=self._clock(),
                form=form,
                station=request.station,
                access_key=access_key,
            )
        )
        if result.problem is Problem.WRONG_KEY and self._patience.note_wrong(
            request.peer, self._clock()
        ):
            _log.warning("wrong_keys", peer=request.peer)
        told = self._controls(result.station) if result.station is not None else {}
        return _told(result, told)


def _access_key(headers: Mapping[str, str]) -> str | None:
    header = headers.get("authorization")
    if header is None:
        return None
    scheme, _, key = header.partition(" ")
    if scheme.lower() != "bearer" or not key.strip():
        raise problem(
            401, "The access key is not known", "send it as Authorization: Bearer <station key>"
        )
    return key.strip()


def _form_of(headers: Mapping[str, str]) -> BodyFormat | None:
    """The form a request declares; None where the body decides."""
    declared = headers.get("content-type", "")
    form = _FORMS.get(declared)
    if form is None and declared:
        # With parameters, or in capitals: taking it apart costs as much as all the rest.
        declared = _media_type(declared)
        form = _FORMS.get(declared)
    if form is None and declared not in _UNTYPED:
        raise problem(
            415,
            "The type is not understood",
            f"{declared} is none of {', '.join(_FORMS)}; nothing was kept",
        )
    return form


@lru_cache(64)
def _media_type(declared: str) -> str:
    """A content type without its parameters, in small letters; what is none is plain text
    (RFC 2045, 5.2)."""
    headers = MailHeaders()
    headers["Content-Type"] = declared
    return headers.get_content_type()


def _told(result: IntakeResult, controls: Mapping[str, tuple[str, float | None]]) -> HttpAnswer:
    counts = dict(answer_counts(result, controls))
    if result.problem is not None:
        title = PROBLEM_TITLES[result.problem]
        return problem_answer(_STATUS[result.problem], title, problem_detail(result), counts)
    if is_taken(result):
        return json_answer(200, counts)
    if result.stray:
        return json_answer(202, counts)
    return problem_answer(
        422, "No value could be kept", "; ".join(one.why for one in result.refused[:5]), counts
    )
