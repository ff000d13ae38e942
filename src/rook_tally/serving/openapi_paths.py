"""What programs may ask for, as paths of the OpenAPI document."""

from __future__ import annotations

from typing import Any

_TEXT, _MOMENT = {"type": "string"}, {"type": "string", "format": "date-time"}
_OWN_FORMS = ("text/csv", "application/x-ndjson", "application/senml+json")


def _parameter(name: str, schema: dict[str, Any], description: str) -> dict[str, Any]:
    return {
        "name": name,
        "in": "query",
        "required": False,
        "description": description,
        "schema": schema,
    }


_CHOICE = [
    _parameter("series", {"type": "array", "items": _TEXT}, "station/field; may come again."),
    _parameter("station", {"type": "array", "items": _TEXT}, "Only of this; may come again."),
    _parameter("place", {"type": "array", "items": _TEXT}, "Only of this; may come again."),
    _parameter("quantity", {"type": "array", "items": _TEXT}, "Only of this; may come again."),
]
_STRETCH = [_parameter("from", _MOMENT, "Included."), _parameter("to", _MOMENT, "Not included.")]
_RANGE = [
    *_STRETCH,
    _parameter("every", _TEXT, "Means over such a span, as in 5min."),
    _parameter("raw", {"enum": ["0", "1"]}, "1: without corrections."),
    _parameter("limit", {"type": "integer", "minimum": 1, "maximum": 100_000}, "Rows at once."),
    _parameter("cursor", _TEXT, "As it came with the rows before."),
]
_PROBLEMS = {
    "400": "It cannot be meant so.",
    "401": "A key is needed, or is not known.",
    "404": "There is nothing of that name, or it may not be read.",
    "406": "That form is not served.",
    "416": "There is no such part.",
    "429": "Too many wrong keys from this address; wait as Retry-After says.",
    "503": "The store cannot be asked now.",
}
_OF_READING = tuple(one for one in _PROBLEMS if one != "416")


def asked_paths() -> dict[str, Any]:
    """Path items by path; they stand beside what the door has of its own."""
    return {
        "/v1/series": {"get": _get("getSeries", "Series that may be read.", _CHOICE, "series")},
        "/v1/value": {
            "get": {
                "operationId": "getValue",
                "summary": "The newest value of one series: a number, or true and false.",
                "security": [{"readKey": []}, {}],
                "parameters": [
                    _parameter("series", _TEXT, "station/field."),
                    _parameter("unit", _TEXT, "In this; else in the base unit of what it is."),
                ],
                "responses": {
                    "200": {
                        "description": "The value, with its ETag.",
                        "content": {
                            "application/json": {
                                "schema": {"anyOf": [{"type": "number"}, {"type": "boolean"}]}
                            }
                        },
                    },
                    "304": {"description": "It is what the ETag says."},
                    **_problems("400", "401", "404", "429", "503"),
                },
            }
        },
        "/v1/readings": {
            "get": _get(
                "getReadings",
                "Readings page by page as JSON; as CSV, JSON Lines, SenML or Parquet all at once.",
                [*_CHOICE, *_RANGE],
                "readings",
                forms=_OWN_FORMS,
            )
        },
        "/v1/alarms": {
            "get": _get(
                "getAlarms",
                "Alarms that stand; with `from` those that rang since.",
                _STRETCH,
                "alarms",
            )
        },
        "/v1/events": {
            "get": {
                "operationId": "getEvents",
                "summary": "News as server-sent events; Last-Event-ID goes on after a break.",
                "security": [{"readKey": []}, {}],
                "parameters": _CHOICE,
                "responses": {
                    "200": {
                        "description": "A stream: readings, alarms, missed, revoked.",
                        "content": {"text/event-stream": {"schema": _TEXT}},
                    },
                    **_problems(*_OF_READING),
                },
            }
        },
        **_firmware_paths(),
    }


def _firmware_paths() -> dict[str, Any]:
    """What stations ask for; `securitySchemes` has their keys."""
    digest = {
        "name": "digest",
        "in": "path",
        "required": True,
        "description": "The SHA-256 of the image.",
        "schema": _TEXT,
    }
    binary = {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}
    return {
        "/v1/firmware": {
            "get": {
                "operationId": "getFirmware",
                "summary": "What a station is offered: a signed text, its signature the last line.",
                "security": [{"stationKey": []}],
                "parameters": [_parameter("version", _TEXT, "What the station runs.")],
                "responses": {
                    "200": {
                        "description": "An image that is newer.",
                        "content": {
                            "text/plain": {"schema": _TEXT},
                            "application/json": {"schema": {"type": "object"}},
                        },
                    },
                    "204": {"description": "Nothing."},
                    **_problems("401", "429", "503"),
                },
            }
        },
        "/v1/firmware/{digest}": {
            "get": {
                "operationId": "getFirmwareImage",
                "summary": "The image, in one or by ranges.",
                "security": [{"stationKey": []}],
                "parameters": [digest],
                "responses": {
                    "200": {"description": "All of it.", "content": binary},
                    "206": {"description": "The part that Range asks for.", "content": binary},
                    **_problems("401", "404", "416", "429", "503"),
                },
            }
        },
        "/v1/time": {
            "get": {
                "operationId": "getTime",
                "summary": "Seconds since 1970, for stations that no time server answers.",
                "security": [{}],
                "responses": {
                    "200": {
                        "description": "The collector's time.",
                        "content": {
                            "application/json": {
                                "schema": {
                                    "type": "object",
                                    "required": ["time"],
                                    "properties": {"time": {"type": "integer"}},
                                }
                            }
                        },
                    },
                    **_problems("503"),
                },
            }
        },
    }


def _get(
    name: str,
    summary: str,
    parameters: list[dict[str, Any]],
    member: str,
    *,
    forms: tuple[str, ...] = (),
) -> dict[str, Any]:
    whole = {
        "type": "object",
        "required": [member],
        "properties": {member: {"type": "array", "items": {"type": "object"}}},
    }
    content: dict[str, Any] = {"application/json": {"schema": whole}}
    for form in forms:
        content[form] = {"schema": {} if form.endswith("json") else _TEXT}
    return {
        "operationId": name,
        "summary": summary,
        "security": [{"readKey": []}, {}],
        "parameters": parameters,
        "responses": {
            "200": {"description": "What is asked for, with its ETag.", "content": content},
            "304": {"description": "It is what the ETag says."},
            **_problems(*_OF_READING),
        },
    }


def _problems(*only: str) -> dict[str, Any]:
    return {
        status: {
            "description": words,
            "content": {
                "application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}
            },
        }
        for status, words in _PROBLEMS.items()
        if not only or status in only
    }
