"""Who may send without a key: a program on this machine, and no web page, proxy or stranger.

The door is attacked as a page would, from a real Chromium at another origin.
"""

from __future__ import annotations

import http.server
import threading
from collections.abc import Iterator
from functools import partial
from pathlib import Path

import pytest
from selenium import webdriver
from selenium.webdriver.chrome.service import Service

from rook_tally.store.maintenance import open_store
from rook_tally.store.site import newest_strays
from tests.processes import CollectorProcess, rook_tally

JSON = ("-H", "Content-Type: application/json")
BODY = '{"temperature": 66.6}'
EVIL = "evil.example"

_ATTACK = """
const [door, evil, done] = arguments;
const url = `http://${door}/v1/readings?station=a`, rebound = `http://${evil}/v1/readings?station=a`;
const body = '{"temperature": 66.6}', json = {'Content-Type': 'application/json'};
const tried = [];
const note = (name, doing) => doing.then(told => tried.push([name, told]), why => tried.push([name, String(why)]));
const sent = (where, more) => fetch(where, {method: 'POST', body, ...more}).then(answer => answer.status);
const frame = document.body.appendChild(document.createElement('iframe'));
frame.name = 'frame';
const form = document.body.appendChild(document.createElement('form'));
Object.assign(form, {action: url, method: 'POST', enctype: 'text/plain', target: 'frame'});
const field = form.appendChild(document.createElement('input'));
Object.assign(field, {name: '{"temperature": 66.6, "x": "', value: '"}'});
form.submit();
const socket = new Promise((open, fail) => {
  const one = new WebSocket(`ws://${door}/v1/readings`); one.onopen = open; one.onerror = () => fail('closed');
});
Promise.all([
  note('text', sent(url, {mode: 'no-cors', headers: {'Content-Type': 'text/plain'}})),
  note('untyped', fetch(url, {method: 'POST', mode: 'no-cors', body: new Blob([body])}).then(a => a.status)),
  note('json', sent(url, {headers: json})),
  note('rebound', sent(rebound, {mode: 'no-cors'})),
  note('rebound json', sent(rebound, {headers: json})),
  note('beacon', Promise.resolve(navigator.sendBeacon(url, body))),
  note('socket', socket),
  note('read', fetch(`http://${door}/v1/latest`).then(answer => answer.text())),
]).then(() => setTimeout(() => done(tried), 500));
"""  # noqa: E501


@pytest.fixture
def attacker(tmp_path: Path) -> Iterator[webdriver.Chrome]:
    """A browser for which every name leads to this machine, as an attacker's DNS would have it."""
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for word in (
        "--headless=new",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-dev-shm-usage",
        f"--user-data-dir={tmp_path / 'profile'}",
        f"--host-resolver-rules=MAP {EVIL} 127.0.0.1",
    ):
        options.add_argument(word)
    made = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    made.set_script_timeout(30)
    yield made
    made.quit()


@pytest.fixture
def evil_page(tmp_path: Path) -> Iterator[str]:
    """The attacker's own site."""
    folder = tmp_path / "evil"
    folder.mkdir()
    (folder / "index.html").write_text("<title>prizes</title><body>")
    handler = partial(http.server.SimpleHTTPRequestHandler, directory=str(folder))
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
    threading.Thread(target=server.serve_forever).start()
    yield f"http://{EVIL}:{server.server_port}/"
    server.shutdown()
    server.server_close()


def _kept(collector: CollectorProcess) -> list[object]:
    store = open_store(collector.store)
    with store.read() as connection:
        strays: list[object] = list(newest_strays(connection))
    store.close()
    return [*strays, *collector.latest()]


def test_a_web_page_can_neither_write_nor_read(
    collector: CollectorProcess, attacker: webdriver.Chrome, evil_page: str
) -> None:
    collector.add_station("a")
    door = str(collector.ready["http"])
    rebound = f"{EVIL}:{door.rpartition(':')[2]}"
    attacker.get(evil_page)
    tried = dict(attacker.execute_async_script(_ATTACK, door, rebound))
    assert {"text", "untyped", "json", "rebound", "rebound json", "socket", "read"} <= set(tried)
    assert 200 not in tried.values()
    assert "Failed to fetch" in str(tried["read"])
    assert tried["socket"] == "closed"
    # By a name of its own that leads here, the attacker's page is of the door's origin.
    attacker.get(f"http://{rebound}/v1/latest")
    assert "for this machine only" in attacker.page_source
    status = attacker.execute_async_script(
        "fetch('/v1/readings?station=a', {method: 'POST', body: arguments[0],"
        " headers: {'Content-Type': 'application/json'}})"
        ".then(answer => arguments[1](answer.status), why => arguments[1](String(why)))",
        BODY,
    )
    assert status == 401
    assert _kept(collector) == []
    # A program on this machine is heard.
    assert collector.post(BODY, query="?station=a")[0] == 200


@pytest.mark.parametrize(
    ("header", "why"),
    [
        (f"Host: {EVIL}", "its Host is not a name of this machine"),
        ("Host: [", "its Host is not a name of this machine"),
        (f"Origin: http://{EVIL}", "a web page sent it"),
        ("Origin: null", "a web page sent it"),
        ("Sec-Fetch-Site: cross-site", "a web page sent it"),
        ("Sec-Fetch-Site: same-origin", "a web page sent it"),
        ("X-Forwarded-For: 127.0.0.1", "it came through a proxy"),
        ("Forwarded: for=127.0.0.1", "it came through a proxy"),
    ],
)
def test_what_is_not_from_a_program_here_needs_a_key(
    shared_collector: CollectorProcess, header: str, why: str
) -> None:
    status, answer = shared_collector.post(BODY, *JSON, "-H", header, query="?station=a")
    if status != 400:  # the web server itself refuses what is no Host at all
        assert (status, why in answer["detail"]) == (401, True)
    status, _, answer = shared_collector.curl("/v1/latest", "-H", header)
    assert status in (400, 403)
    key = shared_collector.add_station(f"s{abs(hash(header))}")
    bearer = ("-H", f"Authorization: Bearer {key}")
    if header != "Host: [":
        assert shared_collector.post(BODY, *JSON, *bearer, "-H", header)[0] == 200


def test_a_site_may_want_a_key_from_everybody(collector: CollectorProcess) -> None:
    key = collector.add_station("a")
    assert collector.post(BODY, query="?station=a")[0] == 200
    assert rook_tally("--store", str(collector.store), "site", "set", "--keys", "from-all")
    for _ in range(100):
        status, answer = collector.post(BODY, query="?station=a")
        if status != 200:
            break
    assert (status, "wants a key from everybody" in answer["detail"]) == (401, True)
    assert collector.post(BODY, "-H", f"Authorization: Bearer {key}")[0] == 200


def test_open_to_the_network_everybody_needs_a_key(store_path: Path) -> None:
    with CollectorProcess(store_path, http="0.0.0.0:0", broker="off") as collector:
        collector.add_station("a")
        collector.ready["http"] = f"127.0.0.1:{collector.ready['http'].rpartition(':')[2]}"
        assert collector.post(BODY, query="?station=a")[0] == 401
        words = ("site", "set", "--keys", "from-network")
        assert rook_tally("--store", str(store_path), *words).returncode == 0
        for _ in range(100):
            status, _ = collector.post(BODY, query="?station=a")
            if status == 200:
                break
        assert status == 200
