"""The OpenAPI document (3.1) of the HTTP door."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rook_tally import __version__
from rook_tally.intake.message import BodyFormat

_PROBLEM = "application/problem+json"
_STATUSES = {
    400: "It cannot be read at all; it is kept as a stray.",
    401: "The access key is no station's, or missing on a connection from the network.",
    413: "It is larger than 1 MiB; nothing was kept.",
    415: "A type we do not read; nothing was kept.",
    422: "No value of it could be kept.",
    429: "Too many wrong access keys from this address; wait as Retry-After says.",
    503: "The store cannot take it now; send it again.",
}


def _refusals(description: str) -> dict[str, Any]:
    return {
        "type": "array",
        "description": description,
        "items": {"$ref": "#/components/schemas/Refusal"},
    }


def _counts() -> dict[str, Any]:
    count = {"type": "integer", "minimum": 0}
    return {
        "kept": count,
        "duplicate": count,
        "suspect": count,
        "stray": count,
        "refused": _refusals("Values that cannot be readings."),
        "noted": _refusals("Values kept otherwise than sent."),
        "strays": _refusals("Why values could not be placed."),
    }


def _answer(description: str, schema: str, content: str = "application/json") -> dict[str, Any]:
    return {
        "description": description,
        "content": {content: {"schema": {"$ref": f"#/components/schemas/{schema}"}}},
    }


def _problem(status: int) -> dict[str, Any]:
    return _answer(_STATUSES[status], "Problem", _PROBLEM)


def openapi_document(further: Mapping[str, Any]) -> dict[str, Any]:
    """The document `GET /v1/openapi.json` answers with; `further` are path items of programs that
    ask."""
    bodies = {
        BodyFormat.JSON.value: {"schema": {"$ref": "#/components/schemas/Plain"}},
        BodyFormat.SENML_JSON.value: {"schema": {"type": "array", "items": {"type": "object"}}},
        BodyFormat.SENML_CBOR.value: {"schema": {"type": "string", "contentMediaType": "binary"}},
        BodyFormat.CSV.value: {"schema": {"type": "string"}},
    }
    post = {
        "operationId": "postReadings",
        "summary": "Hand readings in; answered after they are committed.",
        "security": [{"stationKey": []}, {}],
        "parameters": [
            {
                "name": "station",
                "in": "query",
                "required": False,
                "description": "Who speaks, where no access key says so (this machine only).",
                "schema": {"type": "string"},
            }
        ],
        "requestBody": {"required": True, "content": bodies},
        "responses": {
            "200": _answer("At least one value was kept, or known already.", "Counts"),
            "202": _answer("Nothing kept yet; it waits as a stray.", "Counts"),
            **{str(status): _problem(status) for status in _STATUSES},
        },
    }
    told: dict[str, Any] = {
        "openapi": "3.1.0",
        "info": {"title": "Rook Tally's HTTP door", "version": __version__},
        "paths": {
            "/v1/readings": {"post": post},
            "/v1/health": {
                "get": {
                    "operationId": "getHealth",
                    "summary": "Whether the store can be read and written, and all duties done.",
                    "responses": {
                        "200": _answer("All is well.", "Health"),
                        "503": _answer("Something is not: each member says what.", "Health"),
                    },
                }
            },
            "/v1/latest": {
                "get": {
                    "operationId": "getLatest",
                    "summary": "The newest reading of every series; to this machine only.",
                    "responses": {
                        "200": _answer("One member a series.", "Latest"),
                        "403": _answer("Not from the network.", "Problem", _PROBLEM),
                        "503": _problem(503),
                    },
                }
            },
        },
        "components": {
            "schemas": _schemas(),
            "securitySchemes": {
                "stationKey": {"type": "http", "scheme": "bearer"},
                "readKey": {"type": "http", "scheme": "bearer"},
            },
        },
    }
    for path, item in further.items():
        told["paths"].setdefault(path, {}).update(item)
    return told


def _schemas() -> dict[str, Any]:
    text, number = {"type": "string"}, {"type": "number"}
    required = ["kept", "duplicate", "suspect", "stray", "refused"]
    row = {
        "place": text,
        "station": text,
        "quantity": text,
        "value": number,
        "unit": text,
        "time": {"type": "string", "format": "date-time"},
        "quality": text,
        "level": {"type": "integer", "minimum": 0, "maximum": 4},
        "age_s": number,
        "counts": {"type": "object"},
        "clock_ahead_s": {"type": ["number", "null"]},
        "uncertainty": number,
    }
    problem = {
        "type": text,
        "title": text,
        "status": {"type": "integer"},
        "detail": text,
        **_counts(),
    }
    return {
        "Plain": {
            "description": "Named values; `time` and `station` have a meaning of their own.",
            "oneOf": [{"type": "object"}, {"type": "array", "items": {"type": "object"}}],
        },
        "Refusal": {
            "type": "object",
            "required": ["at", "field", "why"],
            "properties": {"at": {"type": "integer"}, "field": text, "why": text},
        },
        "Counts": {"type": "object", "required": required, "properties": _counts()},
        "Problem": {
            "type": "object",
            "required": ["type", "title", "status", "detail"],
            "properties": problem,
        },
        "Health": {
            "type": "object",
            "required": ["status", "reading", "writing", "duties", "last_heard"],
            "properties": {
                "status": {"enum": ["ok", "not well"]},
                "reading": text,
                "writing": text,
                "last_heard": text,
                "duties": {
                    "type": "array",
                    "items": {
                        "type": "object",
                        "required": ["name", "since", "why"],
                        "properties": {"name": text, "since": text, "why": text},
                    },
                },
            },
        },
        "Latest": {
            "type": "array",
            "items": {
                "type": "object",
                # Only of what was calibrated is it known how sure it is.
                "required": [name for name in row if name != "uncertainty"],
                "properties": row,
            },
        },
    }
