"""The window in another language: texts gathered, translated with Qt's tools, said everywhere."""

from __future__ import annotations

import re
import subprocess
import sys
import xml.etree.ElementTree as ElementTree
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QLocale, Qt
from PySide6.QtWidgets import QLabel, QPushButton
from pytestqt.qtbot import QtBot

from rook_tally.cli.desktop_integration import catalogue_of
from rook_tally.core.i18n import Catalogue, Context, speak, spoken
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.desk import languages
from rook_tally.desk.app.view_stack import ViewStack
from rook_tally.desk.app.views import REPORTS, STATIONS, STRIP, VIEWS, WATCH, WORKINGS
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.stations.first_contact import contact_steps
from rook_tally.desk.stations.fleet import station_remark
from rook_tally.desk.watch.texts import tr, tr_count
from rook_tally.store.base import Store
from rook_tally.store.site import ClockFault, MessageCounts, Place, Station
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, to_strip

ROOT = Path(__file__).resolve().parents[2]
SOURCE = Path(languages.__file__).parent / "rook_tally.ts"


def test_every_text_is_gathered() -> None:
    """Whoever adds one runs scripts/words."""
    done = subprocess.run(
        [sys.executable, str(ROOT / "scripts" / "words"), "--check"], timeout=60, check=False
    )
    assert done.returncode == 0


def test_one_word_may_be_two_in_another_language() -> None:
    button, door, elsewhere = Context("Button"), Context("Door"), Context("Elsewhere")
    speak({"Button": {"Open": "Öffnen"}, "Door": {"Open": "Offen"}})
    said = [one.tr("Open") for one in (button, door, elsewhere)]
    speak({})
    assert said == ["Öffnen", "Offen", "Öffnen"]
    assert door.tr("Open") == "Open"


@pytest.fixture
def guillemets(tmp_path: Path) -> Iterator[Catalogue]:
    """A language in which every text stands between guillemets."""
    told = _translated(tmp_path, "eo", ("«{}»", "«{}»"))
    speak(told)
    yield told
    speak({})


def _translated(folder: Path, language: str, forms: tuple[str, ...]) -> Catalogue:
    """A language, compiled by Qt's own compiler, that writes every text as its first form says;
    one with a count in as many forms as Qt knows of that language."""
    tree = ElementTree.parse(SOURCE)
    tree.getroot().set("language", language)
    for message in tree.getroot().iter("message"):
        translation, text = message.find("translation"), message.findtext("source", "")
        assert translation is not None
        translation.attrib.pop("type")
        if message.get("numerus"):
            for form in forms:
                ElementTree.SubElement(translation, "numerusform").text = form.format(text)
        else:
            translation.text = forms[0].format(text)
    path = folder / f"rook_tally_{language}.ts"
    tree.write(path, encoding="utf-8", xml_declaration=True)
    compiler = Path(sys.executable).with_name("pyside6-lrelease")
    subprocess.run([str(compiler), str(path)], timeout=60, check=True, capture_output=True)
    return catalogue_of(QLocale(language), folder)


def test_counts_have_the_forms_that_qt_knows_of_a_language(tmp_path: Path) -> None:
    """Polish has three: for one, for two to four but not twelve to fourteen, and for the rest."""
    speak(_translated(tmp_path, "pl", ("one {}", "few {}", "many {}")))
    said = {
        count: tr_count(count, "1 alarm", "{0} alarms").split()[0]
        for count in (0, 1, 2, 4, 5, 12, 21, 22, 112, 122, 1001, 1002, 1012)
    }
    speak({})
    few = {2, 4, 22, 122, 1002}
    wanted = {count: "few" if count in few else "one" if count == 1 else "many" for count in said}
    assert said == wanted
    assert tr_count(1, "1 alarm: {1}", "{0} alarms: {1}", "Dust") == "1 alarm: Dust"
    assert tr_count(3, "1 alarm: {1}", "{0} alarms: {1}", "Dust") == "3 alarms: Dust"


def test_a_language_without_a_translation_is_said_as_written(tmp_path: Path) -> None:
    assert catalogue_of(QLocale("eo"), tmp_path) == {}
    assert tr("{0} missed", 3) == "3 missed"
    assert spoken() == {}


def test_the_window_speaks_the_language(
    qtbot: QtBot, store: Store, guillemets: Catalogue, open_desk: OpenDesk
) -> None:
    assert guillemets["Ledger"]["{0} missed"] == "«{0} missed»"
    append(store, begin_series(store), *((NOON_US - at * 60_000_000, 20.0) for at in range(90)))
    window = open_desk(held_clock(NOON_US))
    panel = window.ledger.panel
    qtbot.waitUntil(lambda: panel.account is not None, timeout=PATIENCE_MS)
    assert panel.account is not None
    assert panel.account.outlook == "«steady over the last hour»"
    told = window.ledger.table.model().index(1, 0).data(Qt.ItemDataRole.AccessibleTextRole)
    assert "«Temperature»" in told
    assert all("«" in one.words for one in window.commands)


# What only stands there when the view has been told about the store, in guillemets.
TOLD = {
    STRIP: "«Figures»",
    WORKINGS: "",
    WATCH: "",
    REPORTS: "",
    STATIONS: "«nothing has come from it yet»",
}


@pytest.mark.parametrize("view", TOLD, ids=VIEWS.__getitem__)
def test_nothing_in_a_view_stays_unsaid(
    qtbot: QtBot, store: Store, guillemets: Catalogue, open_desk: OpenDesk, view: int
) -> None:
    append(store, begin_series(store), (NOON_US - 60_000_000, 20.0))
    window = open_desk(held_clock(NOON_US))
    window.strip.add_series(window.state.site.series_shown)
    if view == STRIP:
        to_strip(qtbot, window)
    window.show_view(view)
    shown = window.findChild(ViewStack).currentWidget()

    def texts() -> set[str]:
        said: list[QLabel | QPushButton] = [
            *shown.findChildren(QLabel),
            *shown.findChildren(QPushButton),
        ]
        return {widget.text() for widget in said}

    qtbot.waitUntil(lambda: any(TOLD[view] in one for one in texts()), timeout=PATIENCE_MS)
    unsaid = {
        text for text in texts() if any(letter.isalpha() for letter in text) and "«" not in text
    }
    # Days have their names from the locale, stations from people.
    assert {text for text in unsaid if "23 Nov" not in text} - {"wall"} == set()


def without_said(text: str) -> str:
    """What of a text no catalogue said: all outside of the outermost guillemets."""
    while "«" in text:
        text, before = re.sub("«[^«»]*»", "", text), text
        assert text != before
    return text


def test_words_about_a_station_are_said_in_the_language(guillemets: Catalogue) -> None:
    hall = Place(1, "Hall", True)
    node = Station(1, "node", hall, KINDS["climate"], 60.0, None, None, "1.9")
    usual = {"climate": "2.1"}
    said = [
        station_remark(node, MessageCounts(kept=50), None, usual, is_offline=True),
        station_remark(
            node, MessageCounts(kept=50), ClockFault(90.0, NOON_US), usual, is_offline=False
        ),
        station_remark(node, MessageCounts(kept=50, suspect=9), None, usual, is_offline=False),
        station_remark(node, MessageCounts(kept=50), None, usual, is_offline=False),
        *(one.name + one.detail for one in contact_steps("node", [], is_shown=True)),
    ]
    assert [without_said(one) for one in said] == [""] * len(said)
