"""Site files read into stores: to what they say, and back; nothing lost that readings rest on."""

from __future__ import annotations

from pathlib import Path

import pytest
from msgspec.structs import replace

from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.site_file.content import (
    BenchEntry,
    FieldEntry,
    KeyEntry,
    KeySort,
    LimitEntry,
    PlaceEntry,
    SeriesName,
    SiteContent,
    SitePart,
    StationEntry,
)
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.core.site_file.writing import site_to_toml
from rook_tally.demo.pottery import site_text
from rook_tally.leaving.first_use import first_uses
from rook_tally.store.alarms import save_watch, watches
from rook_tally.store.alarms.change_undo import take_changes_back
from rook_tally.store.alarms.watches import save_channel, ways
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import latest
from rook_tally.store.site import load_site
from rook_tally.store.site.change_history import ChangeLine, ChangeSort
from rook_tally.store.site.firmware import ensure_signing_key, signing_key
from rook_tally.store.site.gateway_keys import add_gateway_key
from rook_tally.store.site.page_devices import PageSetting, add_page_device, page_devices, set_page
from rook_tally.store.site.places import make_place
from rook_tally.store.site.read_keys import ReadScope, add_read_key, read_key_of
from rook_tally.store.site.row_changes import recording
from rook_tally.store.site_file.exporting import content_of
from rook_tally.store.site_file.importing import put_content
from rook_tally.store.site_file.planning import plan_of
from tests.builders import NOON_US, append, begin_series

POTTERY = site_from_toml(site_text())


def _put(store: Store, content: SiteContent) -> None:
    with store.write() as connection:
        put_content(connection, content, who="me", now_us=NOON_US)


def _plan(store: Store, content: SiteContent) -> list[ChangeLine]:
    with store.write() as connection:
        return plan_of(connection, content, who="me", now_us=NOON_US)


def _content(store: Store) -> SiteContent:
    with store.read() as connection:
        return content_of(connection)


def test_the_pottery_is_what_its_file_says_and_reading_it_again_changes_nothing(
    store: Store,
) -> None:
    _put(store, POTTERY)
    assert _content(store) == POTTERY
    with store.write() as connection, recording(connection) as made:
        put_content(connection, POTTERY, who="me", now_us=NOON_US)
    assert made.changes == ()
    assert _plan(store, POTTERY) == []


def test_one_file_over_another_is_one_change_that_can_be_taken_back(store: Store) -> None:
    _put(store, POTTERY)
    assert POTTERY.watches is not None and POTTERY.places is not None
    other = replace(
        POTTERY,
        places=(*POTTERY.places, PlaceEntry(name="Cellar", inside="Shop")),
        limits=(
            LimitEntry(quantity="co2", place="Cellar", limits=Limits((None, 900, None, None))),
        ),
        watches=tuple(reversed(POTTERY.watches[1:])),
        workings=(),
        sheets=(),
        groups=(),
    )
    lines = _plan(store, other)
    assert _content(store) == POTTERY
    assert ("place Cellar added", ChangeSort.ADDED) in [(one.words, one.sort) for one in lines]
    assert ("watch glaze-dust deleted", ChangeSort.DELETED) in [
        (one.words, one.sort) for one in lines
    ]
    with store.write() as connection, recording(connection) as made:
        put_content(connection, other, who="me", now_us=NOON_US)
    assert _content(store) == other
    with store.write() as connection:
        take_changes_back(connection, made.changes)
    assert _content(store) == POTTERY


def test_a_part_that_is_not_in_the_file_is_left_alone(store: Store) -> None:
    _put(store, POTTERY)
    _put(store, SiteContent(sheets=()))
    assert _content(store) == replace(POTTERY, sheets=())
    _put(store, POTTERY.only(frozenset({SitePart.SHEETS})))
    assert _content(store) == POTTERY


def test_stations_and_places_with_readings_stay_whatever_a_file_says(store: Store) -> None:
    series = begin_series(store, key="kept", place="Loft")
    append(store, series, (NOON_US, 21.5))
    with store.write() as connection:
        make_place(connection, "Empty")
    _put(store, SiteContent(places=(PlaceEntry(name="Hall"),), stations=()))
    with store.read() as connection:
        site = load_site(connection)
        assert [one.name for one in site.places] == ["Hall", "Loft"]
        assert latest(connection)[series.id].value == 21.5


def test_a_field_that_measured_something_else_is_refused_whole(store: Store) -> None:
    series = begin_series(store, key="kept", place="Loft")
    field = FieldEntry(name=series.field, quantity="humidity", unit="%")
    wanted = SiteContent(
        places=(PlaceEntry(name="Hall"),),
        stations=(StationEntry(key="kept", place="Loft", fields=(field,)),),
    )
    before = _content(store)
    with pytest.raises(UsageError, match="station kept: temperature has measured"):
        _put(store, wanted)
    assert _content(store) == before


def test_a_channel_keeps_its_password_when_the_file_has_none(store: Store) -> None:
    mail = Channel(
        name="the potter",
        sort=ChannelKind.MAIL,
        host="mail.example",
        sender="a@b.example",
        to=("c@d.example",),
        password="hidden",
    )
    with store.write() as connection:
        save_channel(connection, mail)
    content = _content(store)
    assert content.channels is not None
    assert content.channels[0].password == ""
    with store.read() as connection:
        with_secrets = content_of(connection, secrets=True).channels
    assert with_secrets is not None and with_secrets[0].password == "hidden"
    _put(store, replace(content, channels=(replace(content.channels[0], host="post.example"),)))
    with store.read() as connection:
        (saved,) = (one for one in ways(connection) if one.name == "the potter")
    assert (saved.host, saved.password) == ("post.example", "hidden")


def test_two_watches_that_name_what_is_not_there_are_refused_whole(store: Store) -> None:
    silent = Watch(
        slug="gone",
        name="Gone",
        sort=WatchKind.SILENT,
        scope=Scope(station="gone"),
        silent_s=60,
        tell=("nobody",),
    )
    with store.write() as connection:
        save_watch(connection, replace(silent, slug="kept", tell=()), now_us=NOON_US)
    with pytest.raises(UsageError, match="no way of telling"):
        _put(store, SiteContent(places=(PlaceEntry(name="Hall"),), watches=(silent,)))
    with store.read() as connection:
        assert [one.slug for one in watches(connection)] == ["kept"]
        assert load_site(connection).places == ()


def test_what_is_kept_on_the_bench_comes_along_by_names(store: Store) -> None:
    told = replace(
        POTTERY,
        bench=(
            BenchEntry(
                what="pair",
                series=(SeriesName("shop-counter", "co2"), SeriesName("shop-shelf", "co2")),
            ),
            BenchEntry(what="event", event="on:switch@glaze-booth", before_min=10.0),
            BenchEntry(
                what="air",
                series=(SeriesName("glaze-dust", "pm25"),),
                volume_m3=40.0,
                cleaner=SeriesName("glaze-extractor", "on"),
            ),
        ),
    )
    _put(store, told)
    kept = told.bench or ()
    assert _content(store).bench == kept
    with store.write() as connection, recording(connection) as made:
        put_content(connection, told, who="me", now_us=NOON_US)
    assert made.changes == ()
    _put(store, replace(POTTERY, bench=kept[:1]))
    assert _content(store).bench == kept[:1]
    wrong = BenchEntry(what="sensor", series=(SeriesName("shop-shelf", "nothing"),))
    with pytest.raises(UsageError, match="has no field nothing"):
        _put(store, replace(POTTERY, bench=(wrong,)))
    assert _content(store).bench == kept[:1]


def test_pages_links_and_keys_move_with_secrets_and_stay_without(
    store: Store, tmp_path: Path
) -> None:
    with store.write() as connection:
        set_page(connection, PageSetting(is_on=True, host="0.0.0.0", port=4999))
        link = add_page_device(connection, "hall tablet", now_us=NOON_US)
        reads = add_read_key(connection, "school", ReadScope(), who="me", now_us=NOON_US)
        brings = add_gateway_key(connection, "shed", who="me", now_us=NOON_US)
        signs = ensure_signing_key(connection)
    with store.read() as connection:
        whole, plain = content_of(connection, secrets=True), content_of(connection)
    text = site_to_toml(whole)
    assert not any(one in text for one in (link, reads, brings))
    assert plain.keys is None
    assert plain.firmware is None
    assert signs.private not in site_to_toml(plain)
    assert plain.page is not None and plain.page.device is None
    with open_store(tmp_path / "other.db") as other:
        with other.read() as connection:
            assert any("0.0.0.0:4999" in one for one in first_uses(connection, whole))
        _put(other, site_from_toml(text))
        with other.read() as connection:
            assert content_of(connection, secrets=True) == whole
            assert read_key_of(connection, reads) is not None
            assert signing_key(connection) == signs
            assert first_uses(connection, whole) == []
        assert _plan(other, whole) == []
        # Who has a link keeps it where the file says nothing of links; a part that is empty takes
        # away what there is.
        _put(other, plain)
        with other.read() as connection:
            assert [one.name for one in page_devices(connection)] == ["hall tablet"]
        limited = replace(
            whole,
            keys=(KeyEntry(sort=KeySort.READ, name="school", key_hash="x", places=("Yard",)),),
        )
        _put(other, limited)
        with other.read() as connection:
            assert content_of(connection, secrets=True).keys == limited.keys
            assert read_key_of(connection, reads) is None
