"""What a kind reads by Bluetooth: through files, what cannot be meant, which sensors match."""

from __future__ import annotations

import tomllib

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.bluetooth_map import (
    AdvertisedData,
    BluetoothMap,
    CharacteristicData,
    bluetooth_from_table,
    bluetooth_table,
    company_source,
    short_uuid,
    whole_uuid,
)
from rook_tally.core.quantities.byte_layout import ByteLayout, LayoutField, NumberType
from rook_tally.core.quantities.kind_files import kind_from_toml, kind_to_toml
from rook_tally.core.quantities.kinds import KINDS

LAYOUT = ByteLayout(field=(LayoutField(name="temp", at=0, kind=NumberType.I16),))
UUIDS = st.one_of(
    st.from_regex(r"[0-9a-f]{4}", fullmatch=True),
    st.from_regex(r"[0-9a-f]{8}", fullmatch=True),
    st.uuids().map(str),
).map(whole_uuid)
MAPS = st.builds(
    BluetoothMap,
    named=st.text(min_size=1, max_size=8).filter(str.isprintable),
    lines=st.booleans(),
    advertised=st.lists(
        st.one_of(
            st.builds(AdvertisedData, company=st.integers(0, 0xFFFF), layout=st.just(LAYOUT)),
            st.builds(AdvertisedData, service=UUIDS, layout=st.just(LAYOUT)),
        ),
        min_size=1,
        max_size=3,
        unique_by=lambda one: one.source,
    ).map(tuple),
    characteristic=st.lists(
        st.builds(CharacteristicData, uuid=UUIDS, notify=st.booleans(), layout=st.just(LAYOUT)),
        max_size=3,
        unique_by=lambda one: one.uuid,
    ).map(tuple),
)


@given(MAPS)
def test_every_map_goes_through_a_file(told: BluetoothMap) -> None:
    kind = replace(KINDS["climate"], slug="tag", bluetooth=told)
    assert kind_from_toml(kind_to_toml(kind)) == kind
    assert bluetooth_from_table(bluetooth_table(told)) == told


@pytest.mark.parametrize(
    ("text", "whole"),
    [
        ("2A6E", "00002a6e-0000-1000-8000-00805f9b34fb"),
        ("12345678", "12345678-0000-1000-8000-00805f9b34fb"),
        ("6E400003B5A3F393E0A9E50E24DCCA9E", "6e400003-b5a3-f393-e0a9-e50e24dcca9e"),
        (" 6e400003-b5a3-f393-e0a9-e50e24dcca9e ", "6e400003-b5a3-f393-e0a9-e50e24dcca9e"),
    ],
)
def test_uuids_are_written_whole(text: str, whole: str) -> None:
    assert whole_uuid(text) == whole
    assert whole_uuid(short_uuid(whole)) == whole


@pytest.mark.parametrize("text", ["", "2a6", "xyz1", "2a6e-", "0x2a6e"])
def test_what_is_no_uuid_is_refused(text: str) -> None:
    with pytest.raises(UsageError, match="no UUID"):
        whole_uuid(text)


_FIELD = '[[advertised.layout.field]]\nname = "t"\nat = 0\ntype = "u8"\n'
_OWN = f"[[advertised]]\ncompany = 1\n[advertised.layout]\n{_FIELD}"


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "reads nothing"),
        ("lines = true", "nothing tells such a sensor from others"),
        ("lines = 1", "lines true or false"),
        ("strength = 3", "strength is nothing it has"),
        ("advertised = 3", "begin each with"),
        ("[[advertised]]\ncompany = 1", "has a layout"),
        (_OWN.replace("company = 1", "company = 70000"), "from 0 to 0xffff"),
        (_OWN.replace("company = 1", ""), "of a company or of a service"),
        (_OWN.replace("company = 1", 'company = 1\nservice = "fe95"'), "of a company or"),
        (_OWN.replace("company = 1", 'service = "fe9"'), "no UUID"),
        (_OWN.replace("company = 1", "company = 1\nloud = true"), "loud is nothing it has"),
        (_OWN + _OWN, "company 0001 is there twice"),
        (_OWN.replace("[advertised.layout]", '[advertised.layout]\nat = "/x"'), "not within JSON"),
        (_OWN.replace('"u8"', '"u7"'), "layout"),
        ('named = "a"\n[[characteristic]]\nnotify = true', "has a uuid"),
    ],
)
def test_what_cannot_be_meant_is_refused_with_its_place(text: str, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        bluetooth_from_table(tomllib.loads(text))


def test_sensors_are_told_apart_by_name_and_what_they_advertise() -> None:
    tag = BluetoothMap(advertised=(AdvertisedData(company=0x0499, layout=LAYOUT),))
    assert tag.matches("", [company_source(0x0499)])
    assert not tag.matches("", [company_source(0x0498)])
    named = BluetoothMap(named="clay-", lines=True)
    assert named.matches("clay-7", [])
    assert not named.matches("kiln", [])
    both = BluetoothMap(named="clay-", advertised=tag.advertised)
    assert not both.matches("clay-7", [])
    assert both.matches("clay-7", [company_source(0x0499)])
