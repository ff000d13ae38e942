"""What leaves this machine by command: listed, switched, taken back; the first use is said."""

from __future__ import annotations

import json
from pathlib import Path

from tests.processes import rook_tally


def test_every_way_is_listed_and_has_a_switch(tmp_path: Path) -> None:
    where = str(tmp_path / "site.db")

    def run(*words: str) -> str:
        done = rook_tally("--store", where, *words)
        assert done.returncode == 0, done.stderr
        return done.stdout + done.stderr

    def are_on() -> dict[str, bool]:
        return {one["name"]: one["on"] for one in json.loads(run("leaves", "--json"))}

    run("site", "set", "--name", "Pottery")
    assert run("leaves") == "Nothing leaves this machine.\n"
    mail = ("--mail", "mail.example", "--from", "a@b.example", "--to", "c@d.example")
    # The first use of a host says what leaves for it; a second one of the same does not.
    words = "From now on alarms with value and place leave this machine for mail.example."
    assert words in run("way", "add", "potter", *mail)
    assert words not in run("way", "add", "wren", *mail)
    poll = ("door", "add", "poll", "http://meter.example/now", "--station", "meter")
    assert "From now on meter.example is asked" in run(*poll)
    forwarded = run("forward", "add", "parish", "https://parish.example/in", "--quantity", "pm25")
    assert "From now on PM2.5 leaves this machine for parish.example." in forwarded
    names = ["parish", "potter", "wren", "http://meter.example/now"]
    assert are_on() == dict.fromkeys(names, True)
    for name in names:
        run("leaves", "off", name)
    assert are_on() == dict.fromkeys(names, False)
    assert run("leaves").startswith("Nothing leaves this machine.")
    for name in names:
        run("leaves", "on", name)
    assert are_on() == dict.fromkeys(names, True)
    run("leaves", "off", "potter")
    run("changes", "undo", str(json.loads(run("changes", "--json"))[0]["change"]))
    assert are_on() == dict.fromkeys(names, True)
    # What cannot be is refused, and nobody is told that it leaves.
    for refused in (
        ("forward", "add", "bad", "ftp://elsewhere.example"),
        ("way", "add", "bad", "--webhook", "ftp://elsewhere.example/"),
    ):
        done = rook_tally("--store", where, *refused)
        assert (done.returncode != 0, "From now on" in done.stderr) == (True, False)
    done = rook_tally("--store", where, "leaves", "off", "nobody")
    assert (done.returncode != 0, "there is no way out nobody" in done.stderr) == (True, True)


def test_forwards_are_in_site_files_without_their_secrets(tmp_path: Path) -> None:
    one, other = str(tmp_path / "one.db"), str(tmp_path / "other.db")
    file = tmp_path / "site.toml"

    def run(where: str, *words: str) -> str:
        done = rook_tally("--store", where, *words)
        assert done.returncode == 0, done.stderr
        return done.stdout + done.stderr

    run(one, "site", "set", "--name", "Pottery")
    words = ("--kind", "rook-tally", "--secret", "hidden", "--every", "5min")
    run(one, "forward", "add", "far", "https://far.example:4711", *words)
    run(one, "site", "export", "-o", str(file))
    assert "hidden" not in file.read_text()
    assert "leaves this machine for far.example" in run(other, "site", "read", str(file))
    assert run(other, "site", "export") == file.read_text()
    # Read where the forward is, it keeps its secret: only what is new is asked about.
    assert "leaves this machine" not in run(one, "site", "read", str(file))
    assert 'secret = "hidden"' in run(one, "site", "export", "--secrets")


def test_gateways(tmp_path: Path) -> None:
    where = str(tmp_path / "site.db")

    def run(*words: str) -> tuple[int, str, str]:
        done = rook_tally("--store", where, *words)
        return done.returncode, done.stdout, done.stderr

    code, key, told = run("gateway", "add", "shed")
    assert (code, len(key.strip()) > 20, "its station wall comes in as shed.wall" in told) == (
        0,
        True,
        True,
    )
    run("station", "add", "shed.wall", "--place", "Shed", "--kind", "room-air")
    (row,) = json.loads(run("gateway", "list", "--json")[1])
    assert (row["name"], row["stations"]) == ("shed", ["shed.wall"])
    assert "has a key already" in run("gateway", "add", "shed")[2]
    assert "cannot be a gateway's name" in run("gateway", "add", "The Shed")[2]
    assert run("gateway", "revoke", "shed")[0] == 0
    assert "there is no gateway shed" in run("gateway", "revoke", "shed")[2]


def test_who_let_a_device_look_is_told_and_a_revoked_link_comes_back(tmp_path: Path) -> None:
    where = str(tmp_path / "site.db")

    def run(*words: str) -> str:
        done = rook_tally("--store", where, *words)
        assert done.returncode == 0, done.stderr
        return done.stdout

    run("site", "set", "--name", "Pottery")
    run("page", "on", "--address", "127.0.0.1:4998")
    run("page", "link", "hall tablet")
    (way,) = json.loads(run("leaves", "--json"))
    assert (way["name"], way["sort"], bool(way["allowed_by"])) == ("hall tablet", "page", True)
    run("page", "revoke", "hall tablet")
    run("changes", "undo", str(json.loads(run("changes", "--json"))[0]["change"]))
    assert [one["name"] for one in json.loads(run("page", "list", "--json"))["devices"]] == [
        "hall tablet"
    ]
    run("leaves", "off", "hall tablet")
    assert run("leaves").startswith("Nothing leaves this machine.")
