"""Sheets, and who may look at their pages, in the store of either engine."""

from __future__ import annotations

import pytest
import sqlalchemy as sa
from msgspec.structs import replace

from rook_tally.core.errors import UsageError
from rook_tally.core.wall.definitions import Pane, PaneKind, WallSheet
from rook_tally.store.base import ChangeTail, Store, Subject, schema
from rook_tally.store.base.credentials import access_hash
from rook_tally.store.site import (
    PageSetting,
    add_page_device,
    keep_page_device,
    note_device_seen,
    order_sheets,
    page_devices,
    page_setting,
    remove_sheet,
    revoke_page_device,
    save_sheet,
    set_page,
    sheet_called,
    sheets,
)

BOOTH = WallSheet(
    slug="glaze-booth",
    name="Glaze booth",
    panes=(Pane(kind=PaneKind.FIGURE, at=(0, 0), size=(24, 12), shows=("pm25@glaze-booth",)),),
)
SHOP = WallSheet(slug="shop", name="Shop")


def test_sheets_are_kept_in_their_order_and_come_back(store: Store) -> None:
    tail = ChangeTail(store)
    with store.write() as connection:
        assert save_sheet(connection, BOOTH) is None
        save_sheet(connection, SHOP)
    assert tail.subjects() == {Subject.SHEETS}
    tail.close()
    with store.write() as connection:
        order_sheets(connection, ["shop"])
        assert sheets(connection) == [SHOP, BOOTH]
        renamed = replace(BOOTH, slug="booth", name="Booth")
        assert save_sheet(connection, renamed, instead_of="glaze-booth") == BOOTH
        assert sheets(connection) == [SHOP, renamed]
        assert remove_sheet(connection, "Booth") == renamed
        assert sheet_called(connection, "SHOP") == SHOP
        with pytest.raises(UsageError, match="sheets: shop"):
            sheet_called(connection, "booth")


def test_what_is_no_tiling_or_has_no_name_is_refused(store: Store) -> None:
    gap = BOOTH.with_panes((Pane(kind=PaneKind.STANDING, at=(0, 0), size=(23, 12)),))
    with store.write() as connection:
        save_sheet(connection, BOOTH)
        for sheet, why in (
            (gap, "nothing stands at column 23"),
            (WallSheet(slug="A b", name="x"), "cannot be"),
            (WallSheet(slug="", name=""), "cannot be"),
        ):
            with pytest.raises(UsageError, match=why):
                save_sheet(connection, sheet)
        save_sheet(connection, SHOP)
        with pytest.raises(UsageError, match="there is a sheet shop already"):
            save_sheet(connection, replace(BOOTH, slug="shop"), instead_of="glaze-booth")


def test_a_sheet_of_a_newer_program_is_passed_over_and_stays(store: Store) -> None:
    document = '{"slug": "new", "name": "New", "panes": [{"kind": "hologram"}]}'
    with store.write() as connection:
        save_sheet(connection, BOOTH)
        connection.execute(
            sa.insert(schema.sheet).values(slug="new", document=document, position=9)
        )
        assert sheets(connection) == [BOOTH]
        save_sheet(connection, replace(BOOTH, name="Booth"))
        found = connection.execute(sa.select(schema.sheet.c.document)).scalars()
        assert document in list(found)


def test_pages_are_off_until_somebody_switches_them_on(store: Store) -> None:
    with store.write() as connection:
        assert not page_setting(connection).is_on
        on = PageSetting(is_on=True, host="127.0.0.1", port=4999)
        assert set_page(connection, on) == PageSetting()
        assert page_setting(connection) == on
        connection.execute(sa.update(schema.page_setting).values(document='{"is_on": "maybe"}'))
        assert page_setting(connection) == PageSetting()


def test_a_devices_key_is_kept_as_a_hash_and_taken_back(store: Store) -> None:
    with store.write() as connection:
        key = add_page_device(connection, "Kitchen tablet", now_us=5)
        (device,) = page_devices(connection)
        assert device.key_hash == access_hash(key) != key
        note_device_seen(connection, device.id, 7)
        assert page_devices(connection)[0].seen_us == 7
        with pytest.raises(UsageError, match="has a link already"):
            add_page_device(connection, "Kitchen tablet", now_us=6)
        gone = revoke_page_device(connection, "Kitchen tablet")
        assert page_devices(connection) == []
        with pytest.raises(UsageError, match="no device Phone"):
            revoke_page_device(connection, "Phone")
        keep_page_device(connection, gone)
        assert page_devices(connection)[0].key_hash == device.key_hash
        with pytest.raises(UsageError, match="needs a name"):
            add_page_device(connection, " ", now_us=6)
