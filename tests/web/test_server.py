"""The page over the real collector, asked by the real curl."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path
from typing import Self

import pytest
from msgspec.structs import replace

from rook_tally.core.plans import checked_picture
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.store.site import (
    PageSetting,
    collectors,
    load_site,
    page_devices,
    revoke_page_device,
    save_sheet,
    set_page,
    sheet_called,
)
from rook_tally.store.site.plans import describe_where, hang, keep_picture, put_plan
from tests.builders import picture
from tests.processes import wait_until
from tests.wall.studio import pane, sheet_of
from tests.web.conftest import Pages, now_us


@pytest.fixture
def jar(shared_pages: Pages, tmp_path: Path, request: pytest.FixtureRequest) -> tuple[str, ...]:
    """What a device keeps once it has opened its link."""
    cookies = tmp_path / "cookies"
    link = shared_pages.link(request.node.name)
    status, headers, _ = shared_pages.got(link, "-c", str(cookies))
    assert (status, headers["location"]) == (303, "/")
    return "-b", str(cookies)


def test_a_link_lets_a_device_in_and_its_key_leaves_the_address(
    shared_pages: Pages, tmp_path: Path
) -> None:
    status, headers, _ = shared_pages.got(shared_pages.link("a"), "-c", str(tmp_path / "jar"))
    assert status == 303
    cookie = headers["set-cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=Lax" in cookie
    assert shared_pages.got("/")[0] == 403
    assert shared_pages.got("/", "-b", str(tmp_path / "jar"))[0] == 200


def test_every_pane_is_there_with_its_words(shared_pages: Pages, jar: tuple[str, ...]) -> None:
    shared_pages.told("glaze-dust", "pm25", 58)
    shared_pages.told("yard-post", "temp", 4)

    def body() -> str:
        return shared_pages.got("/sheet/now", *jar)[2]

    wait_until(lambda: "33 over the limit of 25" in body())
    page = body()
    assert "<title>Now · Fennel Wharf Pottery</title>" in page
    assert 'aria-label="58 µg/m³, high"' in page
    assert "polyline" in page
    assert "nothing stands" in page
    # What a person wrote is text, whatever it looks like.
    assert "Dust &lt;b&gt;" in page
    assert "nothing measures moon" in page


def test_a_plan_is_drawn_with_its_picture_and_no_other_is_given(
    pages: Pages, device: tuple[str, ...]
) -> None:
    with pages.store.write() as connection:
        put_plan(connection, "Ground floor", picture(30, 20), now_us=1)
        station = load_site(connection).station("yard-post")
        assert station is not None
        hang(connection, "Ground floor", station.id, (0.5, 0.5))
        number = load_site(connection).plans[0].picture_id
        photograph = keep_picture(connection, checked_picture(picture(9, 9)), now_us=1)
        describe_where(connection, station.id, words="", photograph=photograph)
        save_sheet(connection, sheet_of(pane(PaneKind.PLAN), slug="plan", name="Plan"))
    pages.told("yard-post", "temp", 4)
    answers: list[str] = []

    def is_drawn_with_its_reading() -> bool:
        # A page that does not know the sheet yet does not say "never heard" either.
        status, _, body = pages.got("/sheet/plan", *device)
        answers.append(body)
        return status == 200 and "never heard" not in body

    wait_until(is_drawn_with_its_reading)
    page = answers[-1]
    assert f'<image href="/picture/{number}" width="30" height="20"/>' in page
    assert 'transform="translate(15.0 10.0)' in page
    status, headers, _ = pages.got(f"/picture/{number}", *device)
    assert (status, headers["content-type"]) == (200, "image/png")
    assert "immutable" in headers["cache-control"]
    assert pages.got(f"/picture/{number}")[0] == 403
    for other in (str(photograph), "999", "x"):
        assert pages.got(f"/picture/{other}", *device)[0] == 404


def test_nothing_comes_from_anywhere_else_and_nothing_can_be_written(
    shared_pages: Pages, jar: tuple[str, ...]
) -> None:
    status, headers, page = shared_pages.got("/sheet/now", *jar)
    assert status == 200
    policy = headers["content-security-policy"]
    assert policy.startswith("default-src 'none'; style-src 'self'; script-src 'self'")
    assert "form-action 'none'" in policy
    assert headers["x-content-type-options"] == "nosniff"
    assert headers["cache-control"] == "no-store"
    assert "http://" not in page.replace("http://www.w3.org/2000/svg", "")
    assert "style=" not in page
    assert "<form" not in page
    for method in ("POST", "PUT", "DELETE", "PATCH"):
        assert shared_pages.got("/sheet/now", *jar, "-X", method)[0] == 405
    for path, kind in (
        ("/page.css", "text/css"),
        ("/page.js", "text/javascript"),
        ("/mark.svg", "image/svg+xml"),
    ):
        assert shared_pages.got(path)[1]["content-type"].startswith(kind)


def test_what_is_not_there_is_said_in_words(shared_pages: Pages, jar: tuple[str, ...]) -> None:
    for path in ("/sheet/moon", "/moon", "/live/moon", "/sheet/../../etc/passwd"):
        status, headers, body = shared_pages.got(path, *jar, "--path-as-is")
        assert (status, "There is no such page." in body) == (404, True)
        assert "default-src 'none'" in headers["content-security-policy"]
    for path in ("/", "/sheet/now", "/live/now", "/link/wrong"):
        status, _, body = shared_pages.got(path)
        assert (status, "This page needs a link" in body) == (403, True)


def test_a_thousand_wrong_keys_are_slowed_and_nobody_else_suffers(pages: Pages) -> None:
    link = pages.link()
    cookies = pages.path.with_suffix(".jar")
    pages.got(link, "-c", str(cookies))
    done = subprocess.run(
        [
            "curl",
            "-sS",
            "-o",
            "/dev/null",
            "-w",
            "%{http_code}\\n",
            f"{pages.address}/link/wrong[1-1000]",
        ],
        capture_output=True,
        text=True,
        timeout=60,
        check=True,
    )
    codes = done.stdout.split()
    assert len(codes) == 1000
    assert codes[:10] == ["403"] * 10
    assert set(codes[10:]) == {"429"}
    status, headers, body = pages.got(link)
    assert (status, "Too many wrong links" in body) == (429, True)
    assert 0 < int(headers["retry-after"]) <= 60
    # Readings are taken in meanwhile.
    pages.told("glaze-dust", "pm25", 12)


def test_a_device_is_noted_when_it_looks(shared_pages: Pages, jar: tuple[str, ...]) -> None:
    shared_pages.got("/", *jar)

    def seen() -> bool:
        with shared_pages.store.read() as connection:
            return page_devices(connection)[-1].seen_us is not None

    wait_until(seen)


class Stream:
    """A page's events, read by the real curl."""

    def __init__(self, pages: Pages, jar: tuple[str, ...], slug: str) -> None:
        self.file = pages.path.with_suffix(f".{slug}.events")
        with self.file.open("wb") as out:
            self.process = subprocess.Popen(
                ["curl", "-sS", "-N", *jar, f"{pages.address}/live/{slug}"], stdout=out
            )

    @property
    def text(self) -> str:
        return self.file.read_text()

    @property
    def panes(self) -> list[dict[str, str]]:
        """The panes of each event that has come in whole."""
        lines = self.text.split("\n\n")[:-1]
        return [json.loads(line.partition("data: ")[2]) for line in lines if "data: {" in line]

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.process.terminate()
        self.process.wait(10)


@pytest.fixture
def device(pages: Pages) -> tuple[str, ...]:
    cookies = pages.path.with_suffix(".jar")
    pages.got(pages.link(), "-c", str(cookies))
    return "-b", str(cookies)


def test_only_panes_that_say_something_else_are_sent(pages: Pages, device: tuple[str, ...]) -> None:
    pages.told("glaze-dust", "pm25", 10)
    with Stream(pages, device, "now") as stream:
        wait_until(lambda: any("10 µg/m³" in told.get("p0", "") for told in stream.panes))
        pages.told("yard-post", "temp", 5)
        wait_until(lambda: any(">5.0<" in told.get("p4", "") for told in stream.panes))
        (told,) = [told for told in stream.panes if ">5.0<" in told.get("p4", "")]
        assert "p4" in told
        # A pane that tells the time may change beside, but none is sent as it stood already.
        shown: dict[str, str] = {}
        for panes in stream.panes:
            assert not [name for name, text in panes.items() if shown.get(name) == text]
            shown |= panes
        with pages.store.write() as connection:
            sheet = sheet_called(connection, "now")
            save_sheet(connection, replace(sheet, panes=sheet.panes[::-1]).with_areas(sheet.areas))
        wait_until(lambda: "event: anew" in stream.text)
        assert stream.process.wait(10) == 0


def test_a_revoked_device_is_told_and_let_go(pages: Pages, device: tuple[str, ...]) -> None:
    with Stream(pages, device, "rings") as stream:
        wait_until(lambda: "event: clock" in stream.text)
        with pages.store.write() as connection:
            revoke_page_device(connection, "phone")
        wait_until(lambda: stream.text.endswith("event: gone\ndata:\n\n"))
        assert stream.process.wait(10) == 0
    assert pages.got("/", *device)[0] == 403


def test_the_page_is_switched_off_and_on_while_the_collector_runs(
    pages: Pages, device: tuple[str, ...]
) -> None:
    with pages.store.write() as connection:
        set_page(connection, PageSetting(is_on=False, host="127.0.0.1", port=pages.port))

    def is_closed() -> bool:
        done = subprocess.run(["curl", "-s", f"{pages.address}/"], check=False, timeout=20)
        return done.returncode == 7

    wait_until(is_closed)
    pages.switch_on()
    assert pages.got("/", *device)[0] == 200


def test_a_port_that_is_taken_is_said_and_tried_again(pages: Pages) -> None:
    taken = int(pages.collector.http.rpartition(":")[2])
    with pages.store.write() as connection:
        set_page(connection, PageSetting(is_on=True, host="127.0.0.1", port=taken))

    def tr() -> str:
        with pages.store.read() as connection:
            told = [door for one in collectors(connection, now_us=now_us()) for door in one.doors]
        doors = [door for door in told if door.name == "page"]
        return " ".join(f"{door.state.value} {door.detail}" for door in doors)

    wait_until(lambda: "trying" in tr() and str(taken) in tr())
    assert pages.collector.stop() == 0
