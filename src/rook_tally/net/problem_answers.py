"""Answers of our HTTP servers: JSON, and problems as RFC 9457 says."""

from __future__ import annotations

import http
from collections.abc import Callable
from typing import Any, TypeAlias

import msgspec
import structlog
from aiohttp import web

from rook_tally.core.errors import StoreError

PROBLEM_TYPE = "application/problem+json"
_Handler: TypeAlias = Callable[[web.Request], Any]

_log = structlog.get_logger(__name__)


class ProblemError(web.HTTPException):
    """An answer that is a problem, raised to leave a handler early."""

    def __init__(self, status: int, title: str, detail: str, headers: dict[str, str]) -> None:
        self.status_code = status
        super().__init__()
        self.told_headers = headers
        self.title = title
        self.detail = detail


def problem(
    status: int, title: str, detail: str, headers: dict[str, str] | None = None
) -> ProblemError:
    """A problem to raise."""
    return ProblemError(status, title, detail, headers or {})


def problem_response(
    status: int, title: str, detail: str, members: dict[str, Any] | None = None
) -> web.Response:
    """A problem as an answer, with further members."""
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail}
    headers = {"WWW-Authenticate": "Bearer"} if status == 401 else None
    return web.Response(
        status=status,
        body=msgspec.json.encode(body | (members or {})),
        content_type=PROBLEM_TYPE,
        headers=headers,
    )


def json_response(status: int, body: Any, headers: dict[str, str] | None = None) -> web.Response:
    """Something as JSON."""
    return web.Response(
        status=status,
        body=msgspec.json.encode(body),
        content_type="application/json",
        headers=headers,
    )


@web.middleware
async def problems(request: web.Request, handler: _Handler) -> web.StreamResponse:
    """Every error leaves as a problem document, whoever raised it."""
    try:
        response: web.StreamResponse = await handler(request)
    except ProblemError as error:
        told = problem_response(error.status_code, error.title, error.detail)
        told.headers.update(error.told_headers)
        return told
    except web.HTTPException as error:
        detail = f"{request.method} {request.path} is not served here"
        return problem_response(error.status, http.HTTPStatus(error.status).phrase, detail)
    except StoreError as error:
        _log.warning("store_failed", path=request.path, error=str(error))
        return problem_response(
            503, "The store cannot take it now", f"{error.what}; nothing was kept, send it again"
        )
    return response
