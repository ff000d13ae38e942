"""The page as a phone and a tablet see it: Debian's Chromium over the real collector."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from selenium import webdriver
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By

from rook_tally.store.site import revoke_page_device
from tests.processes import wait_until
from tests.web.conftest import Pages

OpenBrowser = Callable[[int, int], webdriver.Chrome]
PHONE, TABLET = (390, 844), (1280, 800)


@pytest.fixture
def browser(tmp_path: Path) -> Iterator[OpenBrowser]:
    """Opens browsers of a size, each with a profile of its own; ended after the test."""
    opened: list[webdriver.Chrome] = []

    def open_one(width: int, height: int) -> webdriver.Chrome:
        options = webdriver.ChromeOptions()
        options.binary_location = "/usr/bin/chromium"
        profile = tmp_path / f"profile{len(opened)}"
        for word in (
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-dev-shm-usage",
            "--hide-scrollbars",
            f"--user-data-dir={profile}",
        ):
            options.add_argument(word)
        options.add_experimental_option(
            "mobileEmulation",
            {"deviceMetrics": {"width": width, "height": height, "pixelRatio": 2.0}},
        )
        made = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
        opened.append(made)
        return made

    yield open_one
    for one in opened:
        one.quit()


def _text(browser: webdriver.Chrome, of: str) -> str:
    return str(
        browser.execute_script("return document.querySelector(arguments[0]).textContent", of)
    ).strip()


def _box(browser: webdriver.Chrome, of: str) -> dict[str, float]:
    told: dict[str, float] = browser.execute_script(
        "return document.querySelector(arguments[0]).getBoundingClientRect().toJSON()", of
    )
    return told


def test_on_a_phone_panes_stand_one_under_the_other(pages: Pages, browser: OpenBrowser) -> None:
    pages.told("glaze-dust", "pm25", 58)
    phone = browser(*PHONE)
    phone.get(pages.address + pages.link())
    assert phone.current_url == f"{pages.address}/"
    boxes = [_box(phone, f"#p{at}") for at in range(10)]
    assert {round(one["width"]) for one in boxes} == {390}
    for above, below in itertools.pairwise(boxes):
        assert below["top"] >= above["bottom"] - 1
    # Nothing reaches over the side.
    wide = phone.execute_script("return document.documentElement.scrollWidth")
    assert wide == 390
    assert phone.get_log("browser") == []  # type: ignore[no-untyped-call]


def test_on_a_tablet_they_tile_the_screen(pages: Pages, browser: OpenBrowser) -> None:
    pages.told("glaze-dust", "pm25", 58)
    tablet = browser(*TABLET)
    tablet.get(pages.address + pages.link())
    boxes = [_box(tablet, f"#p{at}") for at in range(10)]
    assert max(one["bottom"] for one in boxes) <= 801
    header = _box(tablet, "header")["bottom"]
    covered = sum(one["width"] * one["height"] for one in boxes)
    assert covered == pytest.approx(1280 * (800 - header), rel=0.02)
    tablet.find_element(By.LINK_TEXT, "Rings").click()
    assert _text(tablet, "#p0 li") == "nothing stands"
    assert tablet.get_log("browser") == []  # type: ignore[no-untyped-call]


def test_a_reading_arrives_while_the_page_is_open(pages: Pages, browser: OpenBrowser) -> None:
    pages.told("glaze-dust", "pm25", 7)
    phone = browser(*PHONE)
    phone.get(pages.address + pages.link())
    wait_until(lambda: "18 below the limit" in _text(phone, "#p0"))
    pages.told("glaze-dust", "pm25", 61)
    wait_until(lambda: "36 over the limit" in _text(phone, "#p0"))
    assert _text(phone, "#p0 .large").startswith("61")


def test_a_revoked_page_goes_blank_and_says_why(pages: Pages, browser: OpenBrowser) -> None:
    phone = browser(*PHONE)
    phone.get(pages.address + pages.link())
    wait_until(lambda: _text(phone, "#p6") != "")
    with pages.store.write() as connection:
        revoke_page_device(connection, "phone")
    wait_until(lambda: _text(phone, "#word") == "This link was revoked. Ask for another.")
    assert _text(phone, "#p6") == ""
    phone.refresh()
    assert "This page needs a link" in _text(phone, "body")


def test_a_collector_restarted_under_an_open_page_carries_on(
    pages: Pages, browser: OpenBrowser
) -> None:
    pages.told("glaze-dust", "pm25", 7)
    phone = browser(*PHONE)
    phone.get(pages.address + pages.link())
    # Its port stays: a page that is open knows no other.
    pages.switch_on()
    wait_until(lambda: "18 below the limit" in _text(phone, "#p0"))
    pages.restart_collector()
    pages.told("glaze-dust", "pm25", 61)
    wait_until(lambda: "36 over the limit" in _text(phone, "#p0"))
