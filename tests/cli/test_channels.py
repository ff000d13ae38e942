"""Channels by command: set up, tested through a real collector and a real broker, refused."""

from __future__ import annotations

import subprocess
from pathlib import Path

from tests.processes import CollectorProcess, rook_tally


def test_a_channel_is_set_up_tested_and_removed(
    shared_collector: CollectorProcess, tmp_path: Path
) -> None:
    collector = shared_collector

    def run(*words: str) -> tuple[int, str]:
        done = rook_tally("--store", collector.address, *words)
        return done.returncode, done.stdout + done.stderr

    assert run("way", "add", "the shed", "--mqtt", "shed/bell")[0] == 0
    listener = subprocess.Popen(
        ["mosquitto_sub", "-h", "127.0.0.1", "-p", collector.mqtt_port, "-t", "shed/#", "-C", "1"],
        stdout=subprocess.PIPE,
        text=True,
    )
    code, told = run("way", "test", "the shed")
    assert (code, "the shed: told" in told) == (0, True), told
    heard, _ = listener.communicate(timeout=30)
    assert "This is only a test" in heard
    # Nobody listens there: it is said, and with it why.
    assert run("way", "add", "nowhere", "--webhook", "http://127.0.0.1:9/")[0] == 0
    code, told = run("way", "test", "nowhere")
    assert (code != 0, "nowhere: not told" in told) == (True, True), told
    assert run("way", "remove", "the shed")[0] == 0
    secret = tmp_path / "secret"
    secret.write_text("hidden\n")
    mail = ("--mail", "mail.example", "--from", "a@b.example", "--to", "c@d.example")
    assert run("way", "add", "potter", *mail, "--secret-file", str(secret))[0] == 0
    assert "hidden" not in run("changes", "--json")[1]
    for words, why in (
        (("way", "test", "nobody"), "there is no way of telling nobody"),
        (("way", "add", "both", "--mqtt", "a", "--webhook", "http://a/"), "one of mail"),
        (("way", "add", "odd", "--mqtt", "a/#"), "is no topic to send to"),
        (("way", "add", "late", "--mqtt", "a", "--digest", "25:00"), "is no time of day"),
    ):
        code, told = run(*words)
        assert (code != 0, why in told) == (True, True), told


def test_what_is_astray_is_dropped(shared_collector: CollectorProcess) -> None:
    collector = shared_collector
    collector.publish("slipway", '{"temperature": 4}')

    def run(*words: str) -> tuple[int, str]:
        done = rook_tally("--store", collector.address, "strays", *words)
        return done.returncode, done.stdout + done.stderr

    assert "slipway" in run()[1]
    assert run("drop")[0] != 0
    assert run("drop", "slipway")[1] == "1 messages of slipway dropped\n"
    assert "slipway" not in run()[1]
    assert "nothing of slipway is astray" in run("drop", "slipway")[1]


def test_what_came_without_a_name_is_taken_in_under_a_new_one(
    shared_collector: CollectorProcess,
) -> None:
    collector = shared_collector
    status, answer = collector.post('{"temperature": 4.5}')
    assert (status, answer["stray"]) == (202, 1), answer

    def run(*words: str) -> tuple[int, str]:
        done = rook_tally("--store", collector.address, "take-in", *words)
        return done.returncode, done.stdout + done.stderr

    assert (
        "nothing came from 10.0.0.1"
        in run(*("fresh", "--place", "Yard", "--unnamed-from", "10.0.0.1"))[1]
    )
    # Refused it is nobody's again, and can be taken in with what was missing.
    assert run("fresh", "--unnamed-from", "all")[0] != 0
    code, told = run("fresh", "--place", "Yard", "--unnamed-from", "all")
    assert (code, "1 readings" in told) == (0, True), told
    assert [one["value"] for one in collector.latest() if one["station"] == "fresh"] == [4.5]
