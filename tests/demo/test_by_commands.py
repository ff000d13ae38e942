"""The whole pottery made by hand from an empty store, with commands alone: what it exports then is
the demo's own site file."""

from __future__ import annotations

import json
from pathlib import Path

from rook_tally.core.quantities.levels import Limits
from rook_tally.core.reports.definitions import Report
from rook_tally.core.site_file.content import SiteContent, SitePart, StationEntry
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.core.site_file.writing import site_to_toml
from tests.demo.sending import POTTERY, first_message
from tests.processes import CollectorProcess, rook_tally


def _run(collector: CollectorProcess, *words: str) -> str:
    done = rook_tally("--store", collector.address, *words)
    assert done.returncode == 0, (words, done.stderr)
    return done.stdout


def test_the_pottery_by_commands(collector: CollectorProcess, tmp_path: Path) -> None:
    site = POTTERY.site
    assert site is not None
    _run(collector, "site", "set", "--name", site.name, "--zone", site.zone)
    for place in POTTERY.places or ():
        outdoors = ("--outdoors",) if place.outdoors else ()
        _run(collector, "place", "add", place.name, *outdoors)
    for station in POTTERY.stations or ():
        _make_station(collector, station)
    for group in POTTERY.groups or ():
        _run(collector, "group", "set", group.name, *group.places)
    for plan in POTTERY.plans or ():
        picture = tmp_path / "plan.png"
        picture.write_bytes(plan.picture)
        _run(collector, "plan", "put", plan.name, str(picture))
        for mark in plan.marks:
            at = ",".join(map(str, mark.at))
            _run(collector, "plan", "hang", mark.station, "--plan", plan.name, "--at", at)
    # Workings, watches and sheets are told in files of their own, written here by what they are.
    for command, part in (
        (("site", "read"), SitePart.WORKINGS),
        (("watch", "read"), SitePart.WATCHES),
        (("wall", "read"), SitePart.SHEETS),
    ):
        _run(collector, *command, str(_file(tmp_path, POTTERY, part)))
    for report in POTTERY.reports or ():
        _describe(collector, report)
    exported = site_from_toml(_run(collector, "site", "export"))
    for name in POTTERY.__struct_fields__:
        assert getattr(exported, name) == getattr(POTTERY, name), name


def _describe(collector: CollectorProcess, report: Report) -> None:
    """A report, by options alone."""
    told = [
        ("--name", report.name),
        ("--stretch", report.stretch.value),
        *(("--place", one) for one in report.places),
        *(("--part", one.value) for one in report.parts),
        *(("--form", one.value) for one in report.forms),
        *(("--at", one) for one in (report.at,) if one),
        *(("--folder", one) for one in (report.folder,) if one),
        *(("--begin", one.isoformat()) for one in (report.begin,) if one),
        *(("--end", one.isoformat()) for one in (report.end,) if one),
    ]
    _run(collector, "report", "add", report.slug, *(word for pair in told for word in pair))


def _make_station(collector: CollectorProcess, station: StationEntry) -> None:
    """Added, and begun to be heard: its fields are what it tells."""
    cadence = () if station.cadence_s is None else ("--cadence", f"{station.cadence_s:g}")
    _run(
        collector,
        *("station", "add", station.key, "--place", station.place, "--kind", station.kind),
        *cadence,
    )
    body = first_message(station)
    status, answer = collector.post(json.dumps(body), query=f"?station={station.key}")
    assert (status, answer["kept"]) == (200, len(body)), answer
    if station.hangs:
        _run(collector, "plan", "where", station.key, station.hangs)
    for one in station.fields:
        if one.limits is not None:
            _run(
                collector,
                *("limit", "set", one.quantity, "--station", station.key),
                *_sides(one.limits),
            )


def _sides(limits: Limits) -> list[str]:
    names = ("noticed", "raised", "high", "severe")
    words: list[str] = []
    for option, four in (("--above", limits.above), ("--below", limits.below)):
        told = [
            f"{name}={value:g}"
            for name, value in zip(names, four, strict=True)
            if value is not None
        ]
        if told:
            words += [option, " ".join(told)]
    return words


def _file(folder: Path, content: SiteContent, part: SitePart) -> Path:
    """A part of a site in a file of its own."""
    path = folder / f"{part.value}.toml"
    path.write_text(site_to_toml(content.only(frozenset({part}))), encoding="utf-8")
    return path
