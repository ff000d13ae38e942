"""The desk as a process: one window a store, its log, figures as the person writes them."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path

import pytest
from PySide6.QtCore import QLocale

from rook_tally.cli.desktop_integration import speak_as_the_person_does
from rook_tally.cli.single_instance import SingleInstance
from rook_tally.core.moment_words import ClockStyle, DateStyle, moment_words
from rook_tally.core.quantities.number_format import figure, write_with
from rook_tally.core.site_settings import DecimalMark, SiteSettings
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.store.base import Store
from rook_tally.store.site import save_sheet
from tests.processes import PATIENCE_S, CollectorProcess, rook_tally, wait_until
from tests.wall.studio import pane, sheet_of


def test_only_the_first_window_of_a_store_is_opened() -> None:
    with (
        SingleInstance("store") as first,
        SingleInstance("store") as second,
        SingleInstance("other") as other,
    ):
        assert (first.is_first, second.is_first, other.is_first) == (True, False, True)
        assert not first.is_asked()
        second.ask_first()
        assert first.is_asked()
        assert not other.is_asked()
    # It is free again once its process, or the window, is gone.
    with SingleInstance("store") as again:
        assert again.is_first


def test_asking_when_nobody_is_there_harms_nothing() -> None:
    with SingleInstance("store") as first, SingleInstance("store") as second:
        first.__exit__(None, None, None)
        second.ask_first()
        assert not second.is_first


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGINT])
def test_a_wall_without_sheets_ends_when_it_is_told_to(
    store: Store, store_path: Path, tmp_path: Path, number: signal.Signals
) -> None:
    store.close()
    environment = os.environ | {"XDG_STATE_HOME": str(tmp_path), "QT_QPA_PLATFORM": "offscreen"}
    with CollectorProcess(store_path, broker="off"):
        words = ["--store", str(store_path), "wall", "--full-screen"]
        with subprocess.Popen(
            [sys.executable, "-m", "rook_tally", *words],
            env=environment,
            text=True,
            stdout=subprocess.PIPE,
        ) as wall:
            assert wall.stdout is not None
            assert "no sheet hangs here yet" in wall.stdout.readline()
            wait_until((tmp_path / "rook-tally" / "desk.log").exists)
            wall.send_signal(number)
            assert wall.wait(PATIENCE_S) == 0


def test_a_second_start_brings_the_first_forward_and_ends(
    store: Store, store_path: Path, tmp_path: Path
) -> None:
    store.close()
    home = {"XDG_STATE_HOME": str(tmp_path / "state"), "XDG_CONFIG_HOME": str(tmp_path / "config")}
    environment = os.environ | home | {"QT_QPA_PLATFORM": "offscreen"}
    words = ["--store", str(store_path), "desk", "--no-collect"]
    with subprocess.Popen(
        [sys.executable, "-m", "rook_tally", *words],
        env=environment,
        stderr=subprocess.PIPE,
        text=True,
    ) as first:
        log = tmp_path / "state" / "rook-tally" / "desk.log"
        wait_until(log.exists)
        second = rook_tally(*words, env={**home, "QT_QPA_PLATFORM": "offscreen"})
        assert (second.returncode, "open already" in second.stdout) == (0, True)
        assert first.poll() is None
        first.send_signal(signal.SIGTERM)
        _, told = first.communicate(timeout=PATIENCE_S)
    assert first.returncode == 0, told
    assert "desk.json" in {path.name for path in (tmp_path / "config").rglob("*")}


@pytest.mark.parametrize(
    ("language", "text"), [("de_DE", "1\u2009234,5"), ("en_GB", "1\u2009234.5")]
)
def test_figures_follow_the_locale(
    monkeypatch: pytest.MonkeyPatch, language: str, text: str
) -> None:
    monkeypatch.setattr(QLocale, "system", staticmethod(lambda: QLocale(language)))
    try:
        speak_as_the_person_does(SiteSettings())
        assert figure(1234.5, 1) == text
    finally:
        write_with(".")


def test_what_the_site_says_goes_before_the_locale(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(QLocale, "system", staticmethod(lambda: QLocale("de_DE")))
    noon = datetime(2026, 11, 27, 14, 5, tzinfo=UTC)
    try:
        settings = SiteSettings(
            decimals=DecimalMark.POINT, dates=DateStyle.MONTH_FIRST, clocks=ClockStyle.HOURS_12
        )
        speak_as_the_person_does(settings)
        assert figure(1234.5, 1) == "1\u2009234.5"
        assert moment_words(noon) == "Nov 27 2:05 pm"
    finally:
        speak_as_the_person_does(SiteSettings(decimals=DecimalMark.POINT))


def test_only_sheets_on_a_whole_screen_beside_a_window_that_is_open(
    store: Store, store_path: Path, tmp_path: Path
) -> None:
    with store.write() as connection:
        save_sheet(connection, sheet_of(pane(PaneKind.STANDING)))
    environment = os.environ | {
        "XDG_STATE_HOME": str(tmp_path / "state"),
        "XDG_CONFIG_HOME": str(tmp_path / "config"),
        "QT_QPA_PLATFORM": "offscreen",
    }
    words = ["--store", str(store_path), "wall", "--full-screen", "--sheet", "now"]
    with (
        CollectorProcess(store_path),
        SingleInstance(store.id) as desk,
        subprocess.Popen(
            [sys.executable, "-m", "rook_tally", *words],
            env=environment,
            stderr=subprocess.PIPE,
            text=True,
        ) as wall,
    ):
        assert desk.is_first
        wait_until((tmp_path / "state" / "rook-tally" / "desk.log").exists)
        assert wall.poll() is None
        wall.send_signal(signal.SIGTERM)
        try:
            _, told = wall.communicate(timeout=PATIENCE_S)
        except subprocess.TimeoutExpired:
            # Leaving the block waits for it: a window that hangs is to be red, not to hang us too.
            wall.kill()
            raise
    assert wall.returncode == 0, told
