"""Answers of our HTTP servers: JSON, and problems as RFC 9457 says."""

from __future__ import annotations

import http
from collections.abc import Callable, Mapping
from typing import Any, TypeAlias

import msgspec
import structlog
from aiohttp import web

from rook_tally.core.errors import StoreError

PROBLEM_TYPE = "application/problem+json"
_Handler: TypeAlias = Callable[[web.Request], Any]
_NO_HEADERS: Mapping[str, str] = {}
_KEY_WANTED = {"WWW-Authenticate": "Bearer"}

_log = structlog.get_logger(__name__)


class HttpAnswer(msgspec.Struct, frozen=True, gc=False):
    """An answer, whoever writes it to the connection."""

    status: int
    body: bytes
    content_type: str
    headers: Mapping[str, str] = _NO_HEADERS

    def response(self) -> web.Response:
        """The same for aiohttp."""
        return web.Response(
            status=self.status,
            body=self.body,
            content_type=self.content_type,
            headers=self.headers or None,
        )


class ProblemError(web.HTTPException):
    """An answer that is a problem, raised to leave a handler early."""

    def __init__(self, status: int, title: str, detail: str, headers: dict[str, str]) -> None:
        self.status_code = status
        super().__init__()
        self.title = title
        self.detail = detail
        told = problem_answer(status, title, detail)
        self.answer = msgspec.structs.replace(told, headers={**told.headers, **headers})


def problem(
    status: int, title: str, detail: str, headers: dict[str, str] | None = None
) -> ProblemError:
    """A problem to raise."""
    return ProblemError(status, title, detail, headers or {})


def problem_answer(
    status: int, title: str, detail: str, members: dict[str, Any] | None = None
) -> HttpAnswer:
    """A problem as an answer, with further members."""
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail}
    return HttpAnswer(
        status,
        msgspec.json.encode(body | (members or {})),
        PROBLEM_TYPE,
        _KEY_WANTED if status == 401 else _NO_HEADERS,
    )


def json_answer(status: int, body: Any) -> HttpAnswer:
    """Something as JSON."""
    return HttpAnswer(status, msgspec.json.encode(body), "application/json")


def json_response(status: int, body: Any) -> web.Response:
    """Something as JSON, for aiohttp."""
    return json_answer(status, body).response()


def store_failed(path: str, error: StoreError) -> HttpAnswer:
    """The answer to what the store could not take; it is logged."""
    _log.warning("store_failed", path=path, error=str(error))
    return problem_answer(
        503, "The store cannot take it now", f"{error.what}; nothing was kept, send it again"
    )


@web.middleware
async def problems(request: web.Request, handler: _Handler) -> web.StreamResponse:
    """Every error leaves as a problem document, whoever raised it."""
    try:
        response: web.StreamResponse = await handler(request)
    except ProblemError as error:
        return error.answer.response()
    except web.HTTPException as error:
        detail = f"{request.method} {request.path} is not served here"
        title = http.HTTPStatus(error.status).phrase
        return problem_answer(error.status, title, detail).response()
    except StoreError as error:
        return store_failed(request.path, error).response()
    return response
