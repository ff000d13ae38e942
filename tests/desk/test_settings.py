"""What is arranged in the window stays, in both themes."""

from __future__ import annotations

from pathlib import Path

from pytestqt.qtbot import QtBot

from rook_tally.core.theme import LIGHT, NIGHT, Theme
from rook_tally.core.timestamps import HOUR_US
from rook_tally.desk.app.views import STRIP
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.settings import DeskSettings, SettingsFile, ThemeChoice
from rook_tally.desk.parts.fonts_and_colours import colour
from rook_tally.store.base import Store
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk

PATIENCE_MS = 20_000


def test_settings_are_read_back_store_by_store(tmp_path: Path) -> None:
    file = SettingsFile(tmp_path / "config" / "desk.json")
    assert file.of_store("a") == DeskSettings()
    one = DeskSettings(ThemeChoice.NIGHT, 1, 8 * HOUR_US, ((("wall", "co2"),),), "0011")
    file.keep("a", one)
    file.keep("b", DeskSettings(view=2))
    assert file.of_store("a") == one
    assert file.of_store("b").view == 2


def test_a_file_that_cannot_be_read_is_put_aside(tmp_path: Path) -> None:
    path = tmp_path / "desk.json"
    path.write_text("{ half")
    file = SettingsFile(path)
    assert file.of_store("a") == DeskSettings()
    file.keep("a", DeskSettings(view=1))
    assert file.of_store("a").view == 1
    assert path.with_suffix(".unreadable.json").read_text() == "{ half"


def test_the_themes_come_round() -> None:
    seen = [ThemeChoice.FOLLOW]
    for _ in range(3):
        seen.append(seen[-1].next)
    assert seen == [ThemeChoice.FOLLOW, ThemeChoice.LIGHT, ThemeChoice.NIGHT, ThemeChoice.FOLLOW]


def test_a_window_is_arranged_as_it_was(qtbot: QtBot, store: Store, open_desk: OpenDesk) -> None:
    co2 = begin_series(store, "co2")
    heat = begin_series(store, "temperature")
    for one in (co2, heat):
        append(store, one, (NOON_US - 60_000_000, 500.0), (NOON_US, 510.0))
    window = open_desk(held_clock(NOON_US))
    window.open_in_strip([co2, heat])
    window.state.show_last(8 * HOUR_US)
    window.resize(1200, 760)
    kept = window.arrangement.settings(ThemeChoice.NIGHT)
    assert kept.lanes == ((("wall", "co2"),), (("wall", "temperature"),))
    again = open_desk(held_clock(NOON_US))
    again.arrangement.restore(kept)
    qtbot.waitUntil(lambda: again._views.currentIndex() == STRIP, timeout=PATIENCE_MS)
    assert [lane.quantity.slug for lane in again.strip.model.lanes] == ["co2", "temperature"]
    assert again.state.window.span_us == 8 * HOUR_US
    assert again.arrangement.settings(ThemeChoice.NIGHT).lanes == kept.lanes


def test_lanes_of_series_that_are_gone_are_left_out(
    qtbot: QtBot, store: Store, open_desk: OpenDesk
) -> None:
    heat = begin_series(store, "temperature")
    append(store, heat, (NOON_US, 20.0))
    window = open_desk(held_clock(NOON_US))
    lanes = ((("gone", "co2"),), (("wall", "temperature"), ("gone", "x")))
    window.arrangement.restore(DeskSettings(view=STRIP, lanes=lanes))
    qtbot.waitUntil(lambda: window._views.currentIndex() == STRIP, timeout=PATIENCE_MS)
    assert [len(lane.series) for lane in window.strip.model.lanes] == [1]
    window.arrangement.restore(DeskSettings(view=99, geometry="not hex"))


def _luminance(name: str) -> float:
    """Relative luminance, WCAG 2.2."""
    parts = [
        part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4
        for part in (colour(name).redF(), colour(name).greenF(), colour(name).blueF())
    ]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def _contrast(one: str, other: str) -> float:
    light, dark = sorted((_luminance(one), _luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def test_both_themes_can_be_read() -> None:
    """WCAG 2.2: 4.5 for text, 3 for what is large or drawn."""
    theme: Theme
    for theme in (LIGHT, NIGHT):
        for ground in (theme.paper, theme.sheet, theme.rail):
            assert _contrast(theme.ink, ground) >= 7
            assert _contrast(theme.dim, ground) >= 4
        assert _contrast(theme.on_sheen, theme.sheen) >= 4.5
        for level in range(1, 5):
            assert _contrast(theme.levels[level], theme.sheet) >= 3
            assert _contrast(theme.ink, theme.tints[level]) >= 7


def test_the_night_window_comes_up(qtbot: QtBot, store: Store) -> None:
    append(store, begin_series(store, "temperature"), (NOON_US, 20.0))
    window = DeskWindow(store, clock=held_clock(NOON_US), theme=NIGHT)
    qtbot.addWidget(window)
    with qtbot.waitExposed(window):
        window.show()
    qtbot.waitUntil(lambda: window.state.is_loaded, timeout=PATIENCE_MS)
    with qtbot.waitSignal(window.closing):
        window.close()
