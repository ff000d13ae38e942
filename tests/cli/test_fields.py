"""What fields of stations mean, by command, with a real collector that goes on taking in."""

from __future__ import annotations

import json

from tests.processes import CollectorProcess, rook_tally, wait_until


def _run(collector: CollectorProcess, *words: str) -> str:
    done = rook_tally("--store", collector.address, *words)
    assert done.returncode == 0, done.stderr
    return done.stdout


def _refused(collector: CollectorProcess, *words: str) -> str:
    done = rook_tally("--store", collector.address, *words)
    assert done.returncode != 0
    return done.stderr


def _value(collector: CollectorProcess, quantity: str) -> float | None:
    told = [one for one in collector.latest() if one["station"] == "greenhouse"]
    return next((one["value"] for one in told if one["quantity"] == quantity), None)


def test_a_field_is_put_right_and_goes_on(shared_collector: CollectorProcess) -> None:
    collector = shared_collector
    _run(collector, "station", "add", "greenhouse", "--place", "Greenhouse")
    collector.publish("greenhouse", '{"temperature": 68, "humidity": 70}')
    wait_until(lambda: _value(collector, "temperature") == 68)
    field = ("field", "set", "greenhouse", "temperature")
    assert "no unit" in _refused(collector, *field, "--unit", "hPa")
    assert "no range" in _refused(collector, *field, "--believable", "warm")
    assert "no number" in _refused(collector, *field, "--accuracy", "good")
    assert "known: " in _refused(collector, "field", "set", "greenhouse", "warmth")
    _run(collector, *field, "--unit", "°F", "--name", "Bench", "--accuracy", "0.2")
    assert _value(collector, "temperature") == 20
    # What comes from now on is understood so too.
    collector.publish("greenhouse", '{"temperature": 86}')
    wait_until(lambda: _value(collector, "temperature") == 30)
    (told, _) = json.loads(_run(collector, "field", "list", "greenhouse", "--json"))
    assert (told["unit"], told["settings"]) == ("°F", {"title": "Bench", "accuracy": 0.2})
    assert "title Bench" in _run(collector, "field", "list", "greenhouse")
    (change, *_) = json.loads(_run(collector, "changes", "--json"))
    _run(collector, "changes", "undo", str(change["change"]))
    assert _value(collector, "temperature") == 86


def test_what_is_left_out_is_not_kept(shared_collector: CollectorProcess) -> None:
    collector = shared_collector
    key = _run(collector, "station", "add", "drawer", "--place", "Shed").splitlines()[-1]
    auth = ("-H", f"Authorization: Bearer {key}")
    assert collector.post('{"temperature": 20, "humidity": 70}', *auth)[1]["kept"] == 2
    _run(collector, "field", "set", "drawer", "humidity", "--left-out")
    wait_until(lambda: collector.post('{"temperature": 21, "humidity": 75}', *auth)[1]["kept"] == 1)
    status, answer = collector.post('{"humidity": 80}', *auth)
    assert (status, answer["kept"], answer["left_out"]) == (200, 0, 1)
    _run(collector, "field", "set", "drawer", "humidity", "--taken-in")
    wait_until(lambda: collector.post('{"humidity": 85}', *auth)[1]["kept"] == 1)


def test_readings_and_a_field_are_deleted_and_had_back(shared_collector: CollectorProcess) -> None:
    collector = shared_collector
    _run(collector, "station", "add", "cellar", "--place", "Cellar")
    collector.publish("cellar", '{"temperature": 12, "humidity": 80}')

    def told() -> set[str]:
        return {one["quantity"] for one in collector.latest() if one["station"] == "cellar"}

    wait_until(lambda: told() == {"temperature", "humidity"})
    stretch = ("--from", "1 hour ago", "--to", "now")
    said = _run(collector, "reading", "delete", "cellar", "humidity", *stretch)
    number = said.split("restore ")[1].split("`")[0]
    assert told() == {"temperature"}
    assert "no reading" in _refused(collector, "reading", "delete", "cellar", "humidity", *stretch)
    listed = json.loads(_run(collector, "reading", "deleted", "--json"))
    assert [(one["field"], one["count"]) for one in listed] == [("humidity", 1)]
    _run(collector, "reading", "restore", number)
    assert told() == {"temperature", "humidity"}
    # As an export writes moments.
    written = ("--from", listed[0]["from"], "--to", "2100-01-01T00:00:00Z")
    assert "1 reading is deleted" in _run(
        collector, "reading", "delete", "cellar", "humidity", *written
    )
    (again,) = json.loads(_run(collector, "reading", "deleted", "--json"))
    _run(collector, "reading", "restore", str(again["number"]))
    assert "nothing was deleted" in _run(collector, "reading", "deleted")
    _run(collector, "field", "remove", "cellar", "humidity")
    assert told() == {"temperature"}
    _run(collector, "field", "restore", "cellar", "humidity")
    assert told() == {"temperature", "humidity"}
