"""Plans by command."""

from __future__ import annotations

import json
from pathlib import Path

from tests.builders import picture
from tests.processes import CollectorProcess, rook_tally


def _run(collector: CollectorProcess, *words: str) -> str:
    done = rook_tally("--store", collector.address, *words)
    assert done.returncode == 0, done.stderr
    return done.stdout


def _refused(collector: CollectorProcess, *words: str) -> str:
    done = rook_tally("--store", collector.address, *words)
    assert done.returncode == 1 or done.returncode == 2
    return done.stderr


def test_a_plan_is_put_up_and_hung_upon(shared_collector: CollectorProcess, tmp_path: Path) -> None:
    collector, file = shared_collector, tmp_path / "plan.png"
    file.write_bytes(picture(30, 20))
    _run(collector, "station", "add", "hook", "--place", "Hall")
    assert "30 × 20" in _run(collector, "plan", "put", "Hall floor", str(file))
    assert "no picture" in _refused(collector, "plan", "put", "Other", __file__)
    _run(collector, "plan", "hang", "hook", "--plan", "Hall floor", "--at", "0.25,0.5")
    assert "no place" in _refused(
        collector, "plan", "hang", "hook", "--plan", "Hall floor", "--at", "left"
    )
    assert "beside" in _refused(
        collector, "plan", "hang", "hook", "--plan", "Hall floor", "--at", "2,0"
    )
    assert "no plan" in _refused(collector, "plan", "hang", "hook", "--plan", "X", "--at", "0,0")
    _run(collector, "plan", "where", "hook", "over the door", "--photograph", str(file))
    (told,) = json.loads(_run(collector, "plan", "list", "--json"))
    assert (told["plan"], told["stations"]) == ("Hall floor", {"hook": [0.25, 0.5]})
    _run(collector, "plan", "rename", "Hall floor", "Hall plan")
    _run(collector, "plan", "unhang", "hook", "--plan", "Hall plan")
    assert "hook" not in _run(collector, "plan", "list")
    _run(collector, "plan", "remove", "Hall plan")
    assert _run(collector, "plan", "list") == ""
