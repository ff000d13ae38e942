"""What becomes of stations, by command, with a real collector that goes on taking in."""

from __future__ import annotations

import json
import time
from pathlib import Path

from tests.processes import CollectorProcess, rook_tally, wait_until

SILENT = """
[[watch]]
slug = "quay-silent"
name = "Quay silent"
sort = "silent"
scope = {station = "quay"}
silent = "30 min"
"""


def _run(collector: CollectorProcess, *words: str) -> str:
    done = rook_tally("--store", collector.address, *words)
    assert done.returncode == 0, done.stderr
    return done.stdout


def _refused(collector: CollectorProcess, *words: str) -> str:
    done = rook_tally("--store", collector.address, *words)
    assert done.returncode != 0
    return done.stderr


def _stations(collector: CollectorProcess) -> dict[str, dict[str, object]]:
    told = json.loads(_run(collector, "station", "list", "--json"))
    return {one["station"]: one for one in told}


def test_a_station_through_its_life(shared_collector: CollectorProcess) -> None:
    collector = shared_collector
    key = _run(collector, "station", "add", "life", "--place", "Loft").splitlines()[-1]
    collector.publish("life", '{"temperature": 20}')
    wait_until(lambda: "life" in [one["station"] for one in collector.latest()])

    # What still comes under the old name, by whichever door, is its own.
    assert "new name" in _refused(collector, "station", "rename", "life", "new name")
    _run(collector, "station", "rename", "life", "loft-node")
    assert _stations(collector)["loft-node"]["aliases"] == ["life"]
    collector.publish("life", '{"temperature": 21}')
    wait_until(lambda: 21.0 in [one["value"] for one in collector.latest()])
    auth = ("-H", f"Authorization: Bearer {key}")
    status, answer = collector.post('{"temperature": 22}', *auth, query="?station=life")
    assert (status, answer["kept"]) == (200, 1)
    assert "still known by it" in _refused(collector, "station", "add", "life", "--place", "Loft")

    # From now on elsewhere: what it told before stays where it was.
    said = _run(collector, "station", "set", "loft-node", "--place", "Yard", "--from", "now")
    past = said.split()[-1]
    collector.publish("loft-node", '{"temperature": 5}')
    wait_until(lambda: 5.0 in [one["value"] for one in collector.latest()])
    places = {one["station"]: (one["place"], one["value"]) for one in collector.latest()}
    assert places["loft-node"] == ("Yard", 5.0) and places[past] == ("Loft", 22.0)
    assert _stations(collector)[past]["state"] == "out of use"
    # What it had kept for later, from before it moved, is the old place's; twice it is a duplicate.
    hour_ago = round(time.time()) - 3600
    for kept in (1, 0):
        body = json.dumps([{"n": "temperature", "v": 17, "t": hour_ago}])
        senml = ("-H", "Content-Type: application/senml+json")
        status, answer = collector.post(body, *auth, *senml)
        assert (status, answer["kept"], answer["duplicate"]) == (200, kept, 1 - kept)
    rows = _run(collector, "export", "--station", past).splitlines()
    assert [one for one in rows if ",17" in one]
    rows = _run(collector, "export", "--station", "loft-node").splitlines()
    assert not [one for one in rows if ",17" in one]

    # Out of use it is a stray with a reason, and back in use again what it was.
    _run(collector, "station", "retire", "loft-node")
    status, answer = collector.post('{"temperature": 6}', query="?station=loft-node")
    assert answer["strays"][0]["why"] == "station loft-node was taken out of use"
    status, answer = collector.post('{"temperature": 6}', *auth)
    assert (status, answer["stray"]) == (202, 1)
    assert answer["strays"][0]["why"] == "station loft-node was taken out of use"
    _run(collector, "station", "use", "loft-node")
    status, answer = collector.post('{"temperature": 7}', *auth)
    assert (status, answer["kept"]) == (200, 1)

    # A new box under another key goes on with the series; the old key opens nothing any more.
    new = _run(collector, "station", "replace", "loft-node", "loft-two").splitlines()[-1]
    status, answer = collector.post('{"temperature": 8}', "-H", f"Authorization: Bearer {new}")
    assert (status, answer["kept"]) == (200, 1)
    status, _ = collector.post('{"temperature": 9}', *auth)
    assert status == 401

    # Removed it is gone with its readings, and restored it is back with all of them.
    before = [one for one in collector.latest() if one["station"] == "loft-two"]
    _run(collector, "station", "remove", "loft-two")
    assert "loft-two" not in _stations(collector)
    assert "loft-two" not in [one["station"] for one in collector.latest()]
    assert "loft-two" in _run(collector, "station", "list", "--removed")
    _run(collector, "station", "restore", "loft-two")
    told = [one for one in collector.latest() if one["station"] == "loft-two"]
    assert [one["value"] for one in told] == [one["value"] for one in before] == [8.0]

    # Each is one change, and can be taken back by its number.
    changes = json.loads(_run(collector, "changes", "--json"))
    retired = next(one for one in changes if "out of use since" in one["what"])
    assert retired["who"]


def test_a_change_of_name_is_taken_back_whole(
    shared_collector: CollectorProcess, tmp_path: Path
) -> None:
    collector = shared_collector
    _run(collector, "station", "add", "quay", "--place", "Quay")
    file = tmp_path / "watches.toml"
    file.write_text(SILENT)
    _run(collector, "watch", "read", str(file))
    _run(collector, "station", "rename", "quay", "quay-2")
    assert '"quay-2"' in _run(collector, "watch", "export")
    number = json.loads(_run(collector, "changes", "--json"))[0]["change"]
    _run(collector, "changes", "undo", str(number))
    assert '"quay"' in _run(collector, "watch", "export")
    assert _stations(collector)["quay"]["aliases"] == []


def test_a_station_is_put_under_maintenance_and_back(shared_collector: CollectorProcess) -> None:
    collector = shared_collector
    _run(collector, "station", "add", "mend", "--place", "Loft")
    assert "to come" in _refused(collector, "station", "maintain", "mend", "--until", "400 days")
    assert "lies behind" in _refused(
        collector, "station", "maintain", "mend", "--until", "2020-01-01"
    )
    assert "--end" in _refused(collector, "station", "maintain", "mend")
    assert "under maintenance until" in _run(
        collector, "station", "maintain", "mend", "--until", "2 h"
    )
    assert json.loads(_run(collector, "station", "show", "mend", "--json"))[0]["state"] == (
        "under maintenance"
    )
    _run(collector, "station", "maintain", "mend", "--end")
    assert json.loads(_run(collector, "station", "show", "mend", "--json"))[0]["state"] == "silent"
    assert "is not under" in _refused(collector, "station", "maintain", "mend", "--end")
