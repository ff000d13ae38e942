"""What the page of ways out says is what leaves: every packet of the whole demo is logged."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.leaving.network import BROKER, FORWARD, HOOK, MAIL, POLL, ROOK

_MAY = subprocess.run(("unshare", "--net", "true"), capture_output=True, check=False)
# The multicast addresses of DNS-SD (RFC 6762) and of who wants to hear it (RFC 3376).
_DNS_SD = {("224.0.0.251", 5353), ("224.0.0.22", 0)}


@pytest.mark.skipif(_MAY.returncode != 0, reason="a network of one's own needs root")
@pytest.mark.real_process
def test_every_packet_that_leaves_is_on_the_page(tmp_path: Path) -> None:
    root = Path(__file__).parents[2]
    done = subprocess.run(
        ("unshare", "--net", sys.executable, "-m", "tests.leaving.network", str(tmp_path)),
        cwd=root,
        env=os.environ | {"PYTHONPATH": str(root)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout.splitlines()[-1])
    assert (told["demo"], told["demo.leaves"]) == ([], [])
    left = {(host, port) for host, port in told["opened"]}
    ways = {one["name"]: one for one in told["opened.leaves"] if one["on"]}
    assert left - _DNS_SD == {
        (MAIL, 2525),
        (HOOK, 8080),
        (POLL, 8000),
        (FORWARD, 9000),
        (ROOK, 4711),
        (BROKER, 1883),
    }
    assert ("224.0.0.251", 5353) in left
    assert {name: one["sort"] for name, one in ways.items()} == {
        "potter": "mail",
        "hook": "webhook",
        "parish": "forward",
        "far": "forward",
        "broker": "forward",
        f"http://{POLL}:8000/now": "poll",
        "http": "open door",
        "DNS-SD": "announcement",
    }
    for host, port in left - _DNS_SD:
        assert any(host in one["to"] for one in ways.values()), (host, port)
    # Switched off, nothing leaves, and the door is open to this machine only.
    assert told["closed"] == []
    assert {one["name"] for one in told["closed.leaves"] if one["on"]} == set()
