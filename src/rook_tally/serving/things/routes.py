"""The routes of SensorThings: sets, entities, what is linked, observations."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Mapping
from typing import Any
from urllib.parse import quote, unquote, urlencode

import msgspec
from aiohttp import web
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.time_texts import utc_texts
from rook_tally.core.timestamps import time_us_from_text
from rook_tally.net.problem_answers import problem
from rook_tally.serving.access import ReadAccess, Reader
from rook_tally.serving.things.entities import (
    LINKS,
    Entity,
    EntitySet,
    Observations,
    ThingsSite,
    quality_words,
)
from rook_tally.serving.things.filters import filter_of
from rook_tally.serving.things.observation_search import ObservationSearch
from rook_tally.serving.things.observation_text import can_be_written, written
from rook_tally.serving.things.options import Options, options_of
from rook_tally.store.base import Store
from rook_tally.store.readings import read_range
from rook_tally.store.site import Series

ROOT = "/sensorthings/v1.1"
_ID = re.compile(r"(\w+)(?:\((.*)\))?")
_CONFORMANCE = [
    "http://www.opengis.net/spec/iot_sensing/1.1/req/datamodel",
    "http://www.opengis.net/spec/iot_sensing/1.1/req/resource-path/resource-path-to-entities",
    "http://www.opengis.net/spec/iot_sensing/1.1/req/request-data",
    "http://www.opengis.net/spec/iot_sensing/1.1/req/data-array/data-array",
]
_SAFE = "$'(),/;="
Body = bytes | memoryview


class ThingsRoutes:
    """Handlers below `/sensorthings/v1.1`."""

    def __init__(self, store: Store, access: ReadAccess) -> None:
        self._store, self._access = store, access

    def routes(self) -> list[web.RouteDef]:
        """What is served."""
        return [web.get(ROOT, self._get_root), web.get(ROOT + "/{path:.*}", self._get)]

    async def _get_root(self, request: web.Request) -> web.Response:
        reader = await self._access.reader(request)
        base = f"{request.url.origin()}{ROOT}"
        body = {
            "value": [{"name": one.value, "url": f"{base}/{one.value}"} for one in EntitySet],
            "serverSettings": {"conformance": _CONFORMANCE},
        }
        return self._answer(reader, msgspec.json.encode(body))

    async def _get(self, request: web.Request) -> web.Response:
        path = request.match_info["path"].strip("/")
        if not path:
            return await self._get_root(request)
        reader = await self._access.reader(request)
        base, query = f"{request.url.origin()}{ROOT}", dict(request.query)

        def answer() -> Body:
            with self._store.read() as connection:
                site = ThingsSite(self._access.seen_by(reader, connection))
                return _Answering(connection, site, base, query).body(path)

        try:
            body = await asyncio.to_thread(answer)
        except UsageError as error:
            raise problem(400, "That cannot be asked so", str(error)) from None
        except LookupError as error:
            raise problem(404, "There is no such thing", str(error)) from None
        return self._answer(reader, body)

    def _answer(self, reader: Reader, body: Body) -> web.Response:
        self._access.note(reader, len(body))
        return web.Response(body=body, content_type="application/json")


class _Answering:
    """One request being answered."""

    def __init__(
        self, connection: Connection, site: ThingsSite, base: str, query: Mapping[str, str]
    ) -> None:
        self._connection, self._site, self._base, self._query = connection, site, base, query
        self._options = Options()

    def body(self, path: str) -> Body:
        """The answer.

        Raises
        ------
        UsageError
            For options that cannot be meant.
        LookupError
            For a path that leads nowhere.
        """
        self._options = options = options_of(self._query)
        parts = path.split("/")
        is_value = parts[-1] == "$value"
        is_ref = parts[-1] == "$ref"
        if is_value or is_ref:
            parts = parts[:-1]
        at: Entity | None = None
        told: Any = None
        for number, part in enumerate(parts):
            found = _ID.fullmatch(unquote(part))
            if found is None:
                raise LookupError(part)
            name, key = found[1], found[2]
            is_last = number == len(parts) - 1
            if at is None:
                if name not in tuple(EntitySet):
                    raise LookupError(name)
                target, many = EntitySet(name), True
            elif name in LINKS[at.set]:
                target, many = LINKS[at.set][name]
            else:
                told = at.value((name,))
                if told is None or not is_last:
                    raise LookupError(f"{name} of {at.set.value}({at.id})")
                return msgspec.json.encode(told if is_value else {name: told})
            if key is not None:
                at = self._entity(target, key, at)
                continue
            if not many:
                if at is not None and at.set is EntitySet.OBSERVATIONS:
                    at = self._of_observation(at, name)
                else:
                    at = next(iter(self._site.linked(at, name)), None) if at else None
                if at is None:
                    raise LookupError(name)
                continue
            if not is_last:
                raise LookupError(f"{name} needs an id here")
            where = f"{self._base}/{'/'.join(parts)}"
            if target is EntitySet.OBSERVATIONS:
                return self._observation_set(at, options, where)
            return msgspec.json.encode(self._set(target, at, name, options, where))
        assert at is not None
        return msgspec.json.encode(self._told(at, options, is_ref=is_ref))

    def _entity(self, target: EntitySet, key: str, within: Entity | None) -> Entity:
        wanted: int | str = key[1:-1].replace("''", "'") if key.startswith("'") else key
        if target is EntitySet.OBSERVATIONS:
            return self._observation(str(wanted))
        for one in self._site.of(target) if within is None else self._linked_any(within, target):
            if str(one.id) == str(wanted):
                return one
        raise LookupError(f"{target.value}({key})")

    def _linked_any(self, within: Entity, target: EntitySet) -> list[Entity]:
        name = next(name for name, (to, _) in LINKS[within.set].items() if to is target)
        return self._site.linked(within, name)

    # Sets

    def _set(
        self, target: EntitySet, within: Entity | None, name: str, options: Options, where: str
    ) -> dict[str, Any]:
        if target is EntitySet.OBSERVATIONS:
            return self._observations(within, options, where)
        several = self._site.of(target) if within is None else self._site.linked(within, name)
        if options.filter:
            told = filter_of(options.filter)
            several = [one for one in several if bool(told.of(_plain_value(one)))]
        for path, is_down in reversed(options.orderby):
            several.sort(key=lambda one: _sortable(one.value(path)), reverse=is_down)
        if not options.orderby:
            several.sort(key=lambda one: _sortable(one.id))
        shown = several[options.skip : options.skip + options.limit]
        body: dict[str, Any] = {}
        if options.count:
            body["@iot.count"] = len(several)
        if options.skip + len(shown) < len(several):
            body["@iot.nextLink"] = self._next(where, options, options.skip + len(shown))
        body["value"] = [self._told(one, options) for one in shown]
        return body

    def _next(self, where: str, options: Options, skip: int) -> str:
        """Where the next ones are: of what stands beside an entity without its other options."""
        told = {**self._query, "$skip": str(skip)} if options is self._options else {}
        told = told or {"$skip": str(skip), "$top": str(options.limit)}
        return f"{where}?{urlencode(told, quote_via=quote, safe=_SAFE)}"

    def _told(self, one: Entity, options: Options, *, is_ref: bool = False) -> dict[str, Any]:
        """An entity as it is told: with its links, or what is asked for beside it."""
        key = f"'{one.id}'" if isinstance(one.id, str) else str(one.id)
        link = f"{self._base}/{one.set.value}({key})"
        if is_ref:
            return {"@iot.selfLink": link}
        body: dict[str, Any] = {}
        wanted = options.select
        if not wanted or "id" in wanted or "@iot.id" in wanted:
            body["@iot.id"] = one.id
        if not wanted or "@iot.selfLink" in wanted:
            body["@iot.selfLink"] = link
        body |= {name: value for name, value in one.members.items() if not wanted or name in wanted}
        unknown = set(options.expand) - set(LINKS[one.set])
        if unknown:
            raise UsageError(f"{one.set.value} have no {', '.join(sorted(unknown))}")
        for name, (target, many) in LINKS[one.set].items():
            if name in options.expand:
                body |= self._beside(one, name, target, many, options.expand[name], link)
            elif not wanted:
                body[f"{name}@iot.navigationLink"] = f"{link}/{name}"
        return body

    def _beside(
        self, one: Entity, name: str, target: EntitySet, many: bool, options: Options, link: str
    ) -> dict[str, Any]:
        if not many:
            found = (
                self._of_observation(one, name)
                if one.set is EntitySet.OBSERVATIONS
                else next(iter(self._site.linked(one, name)), None)
            )
            return {name: None if found is None else self._told(found, options)}
        told = self._set(target, one, name, options, f"{link}/{name}")
        beside = {name: told["value"]}
        for word in ("@iot.count", "@iot.nextLink"):
            if word in told:
                beside[f"{name}{word}"] = told[word]
        return beside

    # Observations

    def _series_within(self, within: Entity | None) -> list[Series]:
        told = self._site.series.values()
        if within is None:
            return list(told)
        return [one for one in told if self._site.is_about(within, one)]

    def _observation_set(self, within: Entity | None, options: Options, where: str) -> Body:
        """The whole answer to who asks for observations: by whole columns where that can be."""
        shown, body = self._found(within, options, where)
        if options.data_array or options.select or options.expand or not can_be_written(shown):
            return msgspec.json.encode(self._with_values(shown, body, options))
        head = msgspec.json.encode({**body, "value": ""})
        return written(self._base, shown, head=head[: -len('""}')], tail=b"}")

    def _observations(self, within: Entity | None, options: Options, where: str) -> dict[str, Any]:
        return self._with_values(*self._found(within, options, where), options)

    def _found(
        self, within: Entity | None, options: Options, where: str
    ) -> tuple[Observations, dict[str, Any]]:
        """Those that are shown, and what is said of the others."""
        series = self._series_within(within)
        found, whole = ObservationSearch(self._connection, series, options).found()
        shown = found.taken(slice(options.skip, options.skip + options.limit))
        body: dict[str, Any] = {}
        if options.count:
            body["@iot.count"] = whole
        if options.skip + len(shown) < whole:
            body["@iot.nextLink"] = self._next(where, options, options.skip + len(shown))
        return shown, body

    def _with_values(
        self, shown: Observations, body: dict[str, Any], options: Options
    ) -> dict[str, Any]:
        told = self._as_arrays(shown) if options.data_array else self._as_entities(shown, options)
        return {**body, "value": told}

    def _as_entities(self, shown: Observations, options: Options) -> list[dict[str, Any]]:
        times = utc_texts(shown.time_us)
        rows = zip(
            shown.series.tolist(),
            shown.time_us.tolist(),
            times,
            shown.value.tolist(),
            shown.quality.tolist(),
            strict=True,
        )
        return [
            self._told(_observation_entity(number, time_us, text, value, quality), options)
            for number, time_us, text, value, quality in rows
        ]

    def _as_arrays(self, shown: Observations) -> list[dict[str, Any]]:
        """By Datastream: names of columns once, then rows."""
        told = []
        for number in dict.fromkeys(shown.series.tolist()):
            mine = shown.taken(shown.series == number)
            times = utc_texts(mine.time_us)
            rows = [
                [f"{number}-{time_us}", text, value, text]
                for time_us, text, value in zip(
                    mine.time_us.tolist(), times, mine.value.tolist(), strict=True
                )
            ]
            told.append(
                {
                    "Datastream@iot.navigationLink": f"{self._base}/Datastreams({number})",
                    "components": ["id", "phenomenonTime", "result", "resultTime"],
                    "dataArray@iot.count": len(rows),
                    "dataArray": rows,
                }
            )
        return told

    def _observation(self, key: str) -> Entity:
        number, _, time_text = key.partition("-")
        if not (number.isdigit() and re.fullmatch(r"-?\d{1,18}", time_text)):
            raise LookupError(f"Observations({key})")
        one = self._site.series.get(int(number))
        if one is None:
            raise LookupError(f"Observations({key})")
        time_us = int(time_text)
        told = read_range(self._connection, one.id, time_us, time_us + 1)
        if not len(told):
            raise LookupError(f"Observations({key})")
        text = utc_texts(told.time_us)[-1]
        return _observation_entity(
            one.id, time_us, text, float(told.value[-1]), int(told.quality[-1])
        )

    def _of_observation(self, one: Entity, name: str) -> Entity | None:
        number = int(str(one.id).partition("-")[0])
        target, _ = LINKS[EntitySet.OBSERVATIONS][name]
        series = self._site.series[number]
        wanted = series.id if target is EntitySet.DATASTREAMS else series.station.place.id
        return next((each for each in self._site.of(target) if each.id == wanted), None)


def _plain_value(one: Entity) -> Any:
    """Values of an entity for filters; moments in its texts are compared as such."""

    def value(path: tuple[str, ...]) -> Any:
        told = one.value(path)
        if isinstance(told, str) and path[-1].endswith("Time"):
            try:
                return time_us_from_text(told)
            except ValueError:
                return told
        return told

    return value


def _sortable(value: Any) -> tuple[int, Any]:
    return (
        (0, "")
        if value is None
        else (1, value)
        if isinstance(value, int | float)
        else (2, str(value))
    )


def _observation_entity(number: int, time_us: int, text: str, value: float, quality: int) -> Entity:
    members: dict[str, Any] = {"phenomenonTime": text, "result": value, "resultTime": text}
    if quality:
        members["resultQuality"] = quality_words(quality)
    return Entity(EntitySet.OBSERVATIONS, f"{number}-{time_us}", members)
